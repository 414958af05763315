"""The API of what people note of a day on a course: an archive that moved in, a project that began."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.capacity.views import kept_rows
from movelot.inventory.models import CourseNote
from movelot.problems import Problem

# A label has no key that lasts.
NOTED = ("pool", "datastore", "group", "array", "cluster", "policy")
KEPT_MAX = 200


@dataclass
class NoteRow:
    """What was noted of a day (ISO), and by whom."""

    id: int
    day: str
    text: str
    noted_by: str


class NoteSerializer(DataclassSerializer[NoteRow]):
    class Meta:
        dataclass = NoteRow


class NoteForm(serializers.Serializer[Any]):
    day = serializers.DateField()
    text = serializers.CharField(max_length=200)


def notes_of(kind: str, key: int) -> list[NoteRow]:
    """What was noted of a thing, by day."""
    rows = CourseNote.objects.filter(kind=kind, thing=key).order_by("day", "pk")
    return [NoteRow(row.pk, row.day.isoformat(), row.text, row.noted_by) for row in rows]


def _name(kind: str, key: int) -> str:
    name = next((row.name for row in kept_rows() if (row.kind, row.id) == (kind, key)), None)
    if kind not in NOTED or name is None:
        raise Problem(404, "not_found", f"There is no such {kind} to note anything of.", "Nothing was noted.")
    return name


class NotesView(APIView):
    """What people noted of a thing; one more."""

    @extend_schema(operation_id="capacity_notes_list", responses=NoteSerializer(many=True))
    def get(self, request: Request, kind: str, pk: int) -> Response:
        return Response(NoteSerializer(notes_of(kind, pk), many=True).data)

    @extend_schema(request=NoteForm, responses={201: NoteSerializer})
    def post(self, request: Request, kind: str, pk: int) -> Response:
        form = NoteForm(data=request.data)
        form.is_valid(raise_exception=True)
        day: date = form.validated_data["day"]
        name, text = _name(kind, pk), form.validated_data["text"].strip()
        with transaction.atomic():
            if CourseNote.objects.select_for_update().filter(kind=kind, thing=pk).count() >= KEPT_MAX:
                raise Problem(409, "too_many", f"{KEPT_MAX} notes are kept of {name} already.", "Nothing was noted.")
            row = CourseNote.objects.create(kind=kind, thing=pk, day=day, text=text, noted_by=person(request).username)
            tell(request, f"note on {kind} {name}", {}, {"day": day.isoformat(), "text": text})
        answer = NoteRow(row.pk, day.isoformat(), text, row.noted_by)
        return Response(NoteSerializer(answer).data, status=status.HTTP_201_CREATED)


class NoteView(APIView):
    """A note."""

    @extend_schema(operation_id="capacity_notes_destroy", responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = CourseNote.objects.filter(pk=pk).first()
        if row is None:
            raise Problem(404, "not_found", "It is no longer there.", hint="Somebody else may have deleted it.")
        with transaction.atomic():
            before = {"day": row.day.isoformat(), "text": row.text}
            tell(request, f"note on {row.kind} {row.thing}", before, {})
            row.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
