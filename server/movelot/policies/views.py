"""The API of policies: the fit board, policies with their versions, what a change would do, and what has which."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.db import IntegrityError, transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.timezone import now
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.findings.judging import kept
from movelot.inventory.changes import people_said
from movelot.inventory.models import Cluster, Datastore, Disk, GivenPolicy, Machine, Policy
from movelot.placement.policies import asked_by
from movelot.policies.answers import (
    BOARD,
    SCOPES,
    CellAnswer,
    EffectAnswer,
    PoliciesAnswer,
    PolicyAnswer,
    ValueField,
    board,
    cell,
    effect,
    policy_answer,
)
from movelot.policies.documents import ImportedPolicy, as_yaml, read_yaml, take_in
from movelot.policies.storing import MANY_SCOPES, ask_from_now_on, give_to_many, make_policy
from movelot.preconditions import IF_MATCH, ChangedSince, demand, etag, seen_by
from movelot.problems import Problem
from movelot_core.errors import CoreError
from movelot_core.labels import parse_label
from movelot_core.placement.policies import Policy as Asked
from movelot_core.placement.policies import read_policy

UNCHANGED = "Nothing was stored."
MANY_MAX = 5000


class PoliciesSerializer(DataclassSerializer[PoliciesAnswer]):
    class Meta:
        dataclass = PoliciesAnswer


class PolicySerializer(DataclassSerializer[PolicyAnswer]):
    class Meta:
        dataclass = PolicyAnswer


class EffectSerializer(DataclassSerializer[EffectAnswer]):
    class Meta:
        dataclass = EffectAnswer


class CellSerializer(DataclassSerializer[CellAnswer]):
    class Meta:
        dataclass = CellAnswer


class ImportedSerializer(DataclassSerializer[ImportedPolicy]):
    class Meta:
        dataclass = ImportedPolicy


class ImportForm(serializers.Serializer[Any]):
    text = serializers.CharField(max_length=500_000, trim_whitespace=False)
    dry_run = serializers.BooleanField()


class RequirementForm(serializers.Serializer[Any]):
    kind = serializers.CharField(max_length=32)
    value = ValueField()


class AskedForm(serializers.Serializer[Any]):
    requirements = RequirementForm(many=True, allow_empty=True)


class EffectForm(AskedForm):
    policy = serializers.IntegerField(allow_null=True, min_value=1)


class ChangeForm(AskedForm):
    note = serializers.CharField(max_length=200, allow_blank=True, default="")


class NewPolicyForm(ChangeForm):
    name = serializers.CharField(max_length=64)


class GiveForm(serializers.Serializer[Any]):
    scope = serializers.ChoiceField(choices=[*SCOPES, "label"])
    target = serializers.CharField(max_length=100)


def _read(form: type[serializers.Serializer[Any]], request: Request) -> dict[str, Any]:
    given = form(data=request.data)
    given.is_valid(raise_exception=True)
    values: dict[str, Any] = given.validated_data
    return values


def _asked(values: dict[str, Any]) -> Asked:
    """What was typed, as core reads it. Problem 422 with the reason."""
    try:
        return read_policy(values["requirements"])
    except CoreError as error:
        raise Problem(422, error.code, error.message, UNCHANGED, error.hint) from error


def _policy(pk: int) -> Policy:
    return get_object_or_404(Policy.objects.prefetch_related("versions"), pk=pk)


def _answer(policy: Policy, code: int = 200) -> Response:
    fresh = _policy(policy.pk)
    return Response(PolicySerializer(policy_answer(fresh)).data, code, headers=etag(str(fresh.number)))


class PolicyListView(APIView):
    """The fit board with all policies, and making a new one."""

    @extend_schema(operation_id="policies_board", responses=PoliciesSerializer)
    def get(self, request: Request) -> HttpResponse:
        found = kept(BOARD)
        if found is None:
            # Nothing was judged yet.
            return Response(asdict(board()))
        return HttpResponse(found.document, content_type="application/json")

    @extend_schema(request=NewPolicyForm, responses={201: PolicySerializer})
    def post(self, request: Request) -> Response:
        values = _read(NewPolicyForm, request)
        asked, name = _asked(values), values["name"].strip()
        try:
            with transaction.atomic():
                policy = make_policy(name, asked, values["note"], person(request).username)
        except IntegrityError as error:
            message = f"There is a policy named {name}, or was one."
            raise Problem(409, "name_taken", message, UNCHANGED, "Choose another name.") from error
        tell(request, f"policy {name}", None, asked.sentence())
        return _answer(policy, status.HTTP_201_CREATED)


class PolicyView(APIView):
    """A policy: asking something else from now on, as a new version, or retiring it."""

    @extend_schema(responses=PolicySerializer)
    def get(self, request: Request, pk: int) -> Response:
        return _answer(_policy(pk))

    @extend_schema(request=ChangeForm, responses=PolicySerializer, parameters=[IF_MATCH])
    def put(self, request: Request, pk: int) -> Response:
        values = _read(ChangeForm, request)
        asked = _asked(values)
        with transaction.atomic():
            policy = get_object_or_404(Policy.objects.select_for_update(), pk=pk, retired_at=None)
            demand(seen_by(request), str(policy.number), f"Policy {policy.name}", lambda seen: _since(policy, seen))
            before = ask_from_now_on(policy, asked, values["note"], person(request).username)
        tell(request, f"policy {policy.name}", before.sentence(), asked.sentence())
        return _answer(policy)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Retire it: its versions stay, nothing has it any more."""
        with transaction.atomic():
            policy = get_object_or_404(Policy.objects.select_for_update(), pk=pk, retired_at=None)
            policy.retired_at = now()
            policy.save()
            policy.given.all().delete()
            people_said("policy", policy.pk)
        tell(request, f"policy {policy.name}", policy.name, None)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _since(policy: Policy, seen: str) -> ChangedSince:
    """What was asked since the version ``seen``."""
    later = policy.versions.filter(number__gt=int(seen)) if seen.isdecimal() else policy.versions.all()
    rows = list(later.order_by("number"))
    said = [f"version {row.number} asks: {read_policy(row.requirements).sentence().rstrip('.')}" for row in rows]
    return ChangedSince(said, sorted({row.by for row in rows}), rows[-1].at if rows else None)


class EffectView(APIView):
    """What a policy, or a new one, would do if it asked something else; nothing is stored.

    Asked for with every key typed: so it is a read, and no act that the audit trail tells of.
    """

    @extend_schema(
        parameters=[
            OpenApiParameter("policy", int, description="None for a new one."),
            OpenApiParameter("requirements", str, required=True, description="JSON: a list of kind and value."),
        ],
        responses=EffectSerializer,
    )
    def get(self, request: Request) -> Response:
        given = EffectForm(data=_effect_asked(request))
        given.is_valid(raise_exception=True)
        values = given.validated_data
        policy = _policy(values["policy"]) if values["policy"] else None
        return Response(EffectSerializer(effect(policy, _asked(values))).data)


def _effect_asked(request: Request) -> dict[str, Any]:
    """What the address says. Problem 422 where its requirements are not JSON."""
    try:
        requirements = json.loads(request.query_params.get("requirements", "[]"))
    except (ValueError, RecursionError) as error:
        raise Problem(422, "requirements_unreadable", "The requirements are not JSON.", UNCHANGED) from error
    return {"policy": request.query_params.get("policy") or None, "requirements": requirements}


class CellView(APIView):
    """Why a datastore serves a policy, or not."""

    @extend_schema(responses=CellSerializer)
    def get(self, request: Request, pk: int, store: int) -> Response:
        policy = _policy(pk)
        found = cell(policy, asked_by(policy), store)
        if found is None:
            raise Problem(
                404, "not_found", "There is no such datastore.", hint="It may be gone since the last reading."
            )
        return Response(CellSerializer(found).data)


THINGS = {
    "disk": Disk,
    "machine": Machine,
    "files_of": Machine,
    "snapshots_of": Machine,
    "cluster": Cluster,
    "datastore": Datastore,
}


class GiveView(APIView):
    """Giving a policy to a disk, machine, cluster or datastore by its primary key, or to all with a label."""

    @extend_schema(request=GiveForm, responses=PolicySerializer)
    def post(self, request: Request, pk: int) -> Response:
        values = _read(GiveForm, request)
        scope, target = values["scope"], values["target"].strip()
        which = {scope: _target(scope, target)}
        with transaction.atomic():
            policy = get_object_or_404(Policy.objects.select_for_update(), pk=pk, retired_at=None)
            before = GivenPolicy.objects.filter(**which).select_related("policy").first()
            GivenPolicy.objects.update_or_create(**which, defaults={"policy": policy, "by": person(request).username})
            people_said("policy", policy.pk)
        tell(request, f"policy of {scope} {which[scope]}", before.policy.name if before else None, policy.name)
        return _answer(policy)


class GiveManyForm(serializers.Serializer[Any]):
    """A policy for machines, the own files or snapshots of machines, and single disks; none takes away what was given
    to these alone."""

    policy = serializers.IntegerField(allow_null=True, min_value=1)
    machines = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=MANY_MAX, default=list)
    files_of = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=MANY_MAX, default=list)
    snapshots_of = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=MANY_MAX, default=list)
    disks = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=MANY_MAX, default=list)


class GivenCount(serializers.Serializer[Any]):
    """How many it was given to, or taken from."""

    count = serializers.IntegerField()


class GiveManyView(APIView):
    """A policy for many machines and disks by selection: all of them, or none."""

    @extend_schema(operation_id="policies_given_many", request=GiveManyForm, responses=GivenCount)
    def post(self, request: Request) -> Response:
        values = _read(GiveManyForm, request)
        with transaction.atomic():
            rows = Policy.objects.select_for_update().filter(retired_at=None)
            policy = get_object_or_404(rows, pk=values["policy"]) if values["policy"] else None
            chosen = {name: list(scope.found(values[name])) for name, scope in MANY_SCOPES.items()}
            give_to_many(policy, chosen, person(request).username)
        names = [MANY_SCOPES[name].words.format(each.name) for name, things in chosen.items() for each in things]
        tell(request, f"policy of {len(names)} chosen", None, {"policy": policy.name if policy else None, "of": names})
        return Response({"count": len(names)})


def _target(scope: str, text: str) -> Any:
    """What is meant. Problem 422 for no label, or a thing that is not there."""
    if scope == "label":
        try:
            return str(parse_label(text))
        except CoreError as error:
            raise Problem(422, error.code, error.message, UNCHANGED, error.hint) from error
    found = THINGS[scope]._default_manager.filter(pk=text).first() if text.isdecimal() else None
    if found is None:
        raise Problem(422, "target_unknown", f"There is no such {scope}.", UNCHANGED, "Look at it as it is now.")
    return found


class GivenView(APIView):
    """What a policy is given to: taking it away again."""

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        row = get_object_or_404(GivenPolicy.objects.select_related("policy"), pk=pk)
        with transaction.atomic():
            row.delete()
            people_said("policy", row.policy_id)
        tell(request, f"policy {row.policy.name}", str(row), None)
        return Response(status=status.HTTP_204_NO_CONTENT)


class ExportView(APIView):
    """All policies as YAML, to be kept elsewhere."""

    @extend_schema(responses={(200, "application/yaml"): OpenApiTypes.STR})
    def get(self, request: Request) -> HttpResponse:
        shown = {"Content-Disposition": 'attachment; filename="policies.yaml"'}
        return HttpResponse(as_yaml(), content_type="application/yaml; charset=utf-8", headers=shown)


class ImportView(APIView):
    """Policies from a file: what each would do, and with ``dry_run`` false done, all or none."""

    @extend_schema(request=ImportForm, responses=ImportedSerializer(many=True))
    def post(self, request: Request) -> Response:
        values = _read(ImportForm, request)
        found = take_in(read_yaml(values["text"]), person(request).username, values["dry_run"])
        told = {each.name: each.does for each in found if each.does != "same" and not values["dry_run"]}
        tell(request, "policies from a file", None, told or "nothing, as it was tried only")
        return Response(ImportedSerializer(found, many=True).data)
