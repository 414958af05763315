"""The API of what if: asked, kept under a name, and compared."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.capacity.rows import CapacityRow
from movelot.capacity.views import BY, by_of, soonest_first
from movelot.capacity.what_if import (
    ASKED,
    HAPPENINGS_MAX,
    NOTHING,
    Asked,
    Happening,
    all_said,
    answers,
    happenings_said,
)
from movelot.inventory.models import KeptWhatIf
from movelot.problems import Problem
from movelot_core.capacity.forecast import HORIZON_DAYS

KEPT_MAX = 12
GROWTH_MOST = 10.0
BYTES_MOST = 2**60
# It is asked by GET, as nothing is changed by it: a page may ask it again, and nobody audits it.
ASKED_PARAMETER = OpenApiParameter("asked", str, description="What is asked, as JSON: see KeepWhatIf")


class HappeningForm(serializers.Serializer[Any]):
    """See Happening."""

    what = serializers.ChoiceField(choices=("comes", "room", "machines", "retired"))
    kind = serializers.ChoiceField(choices=("datastore", "pool"))
    id = serializers.IntegerField(min_value=1)
    in_days = serializers.IntegerField(min_value=0, max_value=HORIZON_DAYS, default=0)
    size_bytes = serializers.IntegerField(min_value=-BYTES_MOST, max_value=BYTES_MOST, default=0)
    count = serializers.IntegerField(min_value=0, max_value=10_000, default=0)
    like = serializers.IntegerField(min_value=1, default=None, allow_null=True)


class AskedForm(serializers.Serializer[Any]):
    """Growth so many times as fast, and what else happens."""

    growth = serializers.FloatField(min_value=0, max_value=GROWTH_MOST, default=1.0)
    acts = serializers.ListField(child=HappeningForm(), default=list, max_length=HAPPENINGS_MAX)


class KeepWhatIfForm(AskedForm):
    name = serializers.CharField(max_length=60)


def _asked(values: dict[str, Any]) -> Asked:
    return Asked(values["growth"], [Happening(**act) for act in values["acts"]])


@dataclass
class WhatIfAnswer:
    """The rows as they would be, what runs out first on top, and each thing that happens in words."""

    rows: list[CapacityRow]
    said: list[str]


class WhatIfSerializer(DataclassSerializer[WhatIfAnswer]):
    class Meta:
        dataclass = WhatIfAnswer


class WhatIfView(APIView):
    """The runways as they would be; nothing is stored. All of a kind answer at once."""

    @extend_schema(parameters=[BY, ASKED_PARAMETER], responses=WhatIfSerializer)
    def get(self, request: Request) -> Response:
        try:
            asked = json.loads(request.query_params.get("asked", "{}"))
        except json.JSONDecodeError as error:
            text = "What is asked is no JSON."
            raise Problem(400, "asked_unreadable", text, "Nothing was computed.", "Send growth and acts.") from error
        form = AskedForm(data=asked)
        form.is_valid(raise_exception=True)
        meant = _asked(form.validated_data)
        rows = sorted(answers().of(by_of(request), meant), key=soonest_first)
        return Response(WhatIfSerializer(WhatIfAnswer(rows, happenings_said(meant.acts))).data)


@dataclass
class WhatIfRow:
    """What was kept under a name: what is asked, and that in words."""

    id: int
    name: str
    asked: Asked
    said: list[str]
    made_by: str
    made_at: datetime


class WhatIfRowSerializer(DataclassSerializer[WhatIfRow]):
    class Meta:
        dataclass = WhatIfRow


def _told(row: KeptWhatIf) -> WhatIfRow:
    asked = ASKED.validate_python(row.asked)
    return WhatIfRow(row.pk, row.name, asked, all_said(asked), row.made_by, row.made_at)


class WhatIfsView(APIView):
    """What is kept, by name, for everybody; one more, or another one under a name that is there."""

    @extend_schema(operation_id="capacity_what_ifs_list", responses=WhatIfRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        rows = [_told(row) for row in KeptWhatIf.objects.order_by("name")]
        return Response(WhatIfRowSerializer(rows, many=True).data)

    @extend_schema(request=KeepWhatIfForm, responses={201: WhatIfRowSerializer})
    def post(self, request: Request) -> Response:
        form = KeepWhatIfForm(data=request.data)
        form.is_valid(raise_exception=True)
        values = form.validated_data
        asked, name = _asked(values), values["name"].strip()
        # What is gone by now is refused before it is kept.
        known = answers()
        for act in asked.acts:
            known.effect(act)
        with transaction.atomic():
            others = KeptWhatIf.objects.select_for_update().exclude(name=name)
            if others.count() >= KEPT_MAX:
                text = f"{KEPT_MAX} are kept already."
                raise Problem(409, "too_many", text, "Nothing was kept.", "Delete one that is no longer asked.")
            kept = {"asked": ASKED.dump_python(asked, mode="json"), "made_by": person(request).username}
            row, _made = KeptWhatIf.objects.update_or_create(name=name, defaults=kept)
            tell(request, f"what if {name}", {}, {"asked": all_said(asked)})
        return Response(WhatIfRowSerializer(_told(row)).data, status=status.HTTP_201_CREATED)


class WhatIfRowView(APIView):
    """One that is kept."""

    @extend_schema(operation_id="capacity_what_ifs_destroy", responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = KeptWhatIf.objects.filter(pk=pk).first()
        if row is None:
            raise Problem(404, "not_found", "It is no longer kept.", hint="Somebody else may have deleted it.")
        with transaction.atomic():
            tell(request, f"what if {row.name}", {"asked": all_said(ASKED.validate_python(row.asked))}, {})
            row.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


@dataclass
class Ends:
    """Of a row: use, room, and days until its ceiling is reached; ``there`` is false where it would be retired."""

    used_bytes: int
    capacity_bytes: int
    early: int | None
    likely: int | None
    late: int | None
    there: bool = True


@dataclass
class ComparedRow:
    """A row as it is, and as it would be by each of what is kept, in their order."""

    id: int
    name: str
    of: str
    told: bool
    now: Ends
    then: list[Ends]


@dataclass
class Comparison:
    """All rows of a kind; ``names`` are those of what is kept, and ``problems`` why one cannot be answered."""

    names: list[str]
    said: list[list[str]]
    problems: list[str]
    rows: list[ComparedRow]


class ComparisonSerializer(DataclassSerializer[Comparison]):
    class Meta:
        dataclass = Comparison


class CompareView(APIView):
    """All that is kept, side by side, for all rows of a kind."""

    @extend_schema(parameters=[BY], responses=ComparisonSerializer)
    def get(self, request: Request) -> Response:
        return Response(ComparisonSerializer(_compared(by_of(request))).data)


def _compared(by: str) -> Comparison:
    known = answers()
    now = known.of(by, NOTHING)
    found = Comparison([], [], [], [])
    columns: list[dict[int, Ends]] = []
    for row in KeptWhatIf.objects.order_by("name"):
        asked = ASKED.validate_python(row.asked)
        try:
            then = known.of(by, asked)
        except Problem as problem:
            found.problems.append(f"{row.name}: {problem.title}")
            continue
        found.names.append(row.name)
        found.said.append(all_said(asked))
        columns.append({each.id: _ends(each) for each in then})
    gone = Ends(0, 0, None, None, None, there=False)
    found.rows = [
        ComparedRow(each.id, each.name, each.of, each.told, _ends(each), [col.get(each.id, gone) for col in columns])
        for each in now
    ]
    return found


def _ends(row: Any) -> Ends:
    return Ends(row.used_bytes, row.capacity_bytes, row.early, row.likely, row.late)
