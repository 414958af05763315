"""The API of rules: keep disks apart, or together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import IntegrityError, transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.rules import RuleAnswer, rule_answers, sentence, too_many_pairs, what_collides
from movelot.inventory.changes import people_said
from movelot.inventory.models import Machine, PlacementRule
from movelot.inventory.rules import PAIRS_MAX
from movelot.preconditions import IF_MATCH, ChangedSince, demand, etag, seen_by
from movelot.problems import Problem
from movelot_core.errors import CoreError
from movelot_core.labels import parse_label

UNCHANGED = "Nothing was stored."
MACHINES_MAX = 500


class RuleSerializer(DataclassSerializer[RuleAnswer]):
    class Meta:
        dataclass = RuleAnswer


class RuleForm(serializers.Serializer[Any]):
    """A rule as it is typed: machines by their names, or their primary keys where two are called alike."""

    name = serializers.CharField(max_length=64)
    kind = serializers.ChoiceField(choices=PlacementRule.Kind.values)
    among = serializers.ChoiceField(choices=PlacementRule.Among.values)
    apart_by = serializers.ChoiceField(choices=PlacementRule.ApartBy.values, default="datastore")
    labelled = serializers.CharField(max_length=100, allow_blank=True, default="")
    machines = serializers.ListField(child=serializers.CharField(max_length=100), max_length=MACHINES_MAX, default=list)


class RuleListView(APIView):
    """All rules with how they stand, and writing a new one."""

    @extend_schema(operation_id="rules", responses=RuleSerializer(many=True))
    def get(self, request: Request) -> Response:
        found = rule_answers(PlacementRule.objects.prefetch_related("machines"))
        return Response(RuleSerializer(found, many=True).data)

    @extend_schema(request=RuleForm, responses={201: RuleSerializer})
    def post(self, request: Request) -> Response:
        rule = PlacementRule(number=0)
        _store(rule, request)
        return _told(rule, status.HTTP_201_CREATED)


class RuleView(APIView):
    """A rule: writing it anew, or taking it back."""

    @extend_schema(responses=RuleSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return _told(get_object_or_404(PlacementRule, pk=pk))

    @extend_schema(request=RuleForm, responses=RuleSerializer, parameters=[IF_MATCH])
    def put(self, request: Request, pk: int) -> Response:
        rule = get_object_or_404(PlacementRule, pk=pk)
        _store(rule, request)
        return _told(rule)

    @extend_schema(responses={204: None}, parameters=[IF_MATCH])
    def delete(self, request: Request, pk: int) -> Response:
        with transaction.atomic():
            rule = _locked(pk, request)
            said = _sentence(rule)
            rule.delete()
            people_said("rule", pk)
        tell(request, f"rule {rule.name}", said, None)
        return Response(status=status.HTTP_204_NO_CONTENT)


def _store(rule: PlacementRule, request: Request) -> None:
    """Store what was typed. Problem 422 for what cannot be meant or cannot hold, 409 for a name that is taken."""
    given = RuleForm(data=request.data)
    given.is_valid(raise_exception=True)
    values = given.validated_data
    machines, label = _machines(values["machines"]), _label(values["labelled"])
    if not machines and not label:
        raise Problem(422, "rule_of_nothing", "The rule names no disks.", UNCHANGED, "Name a label or machines.")
    pin = values["kind"] == PlacementRule.Kind.PIN
    if values["kind"] == PlacementRule.Kind.BOND and values["among"] == PlacementRule.Among.MACHINES:
        hint = "Keep all disks together, or those of each machine."
        raise Problem(422, "rule_meaningless", "Together are disks, not machines.", UNCHANGED, hint)
    try:
        with transaction.atomic():
            stored = _locked(rule.pk, request) if rule.pk else rule
            before = _sentence(stored) if rule.pk else None
            rule.number, rule.by = stored.number + 1, person(request).username
            rule.name, rule.label = values["name"].strip(), label
            rule.kind, rule.among = values["kind"], PlacementRule.Among.DISKS if pin else values["among"]
            rule.apart_by = values["apart_by"] if rule.kind == PlacementRule.Kind.SPLIT else "datastore"
            rule.save()
            rule.machines.set(machines)
            _demand_it_holds(rule)
            people_said("rule", rule.pk)
    except IntegrityError as error:
        message = f"There is a rule named {rule.name} already."
        raise Problem(409, "name_taken", message, UNCHANGED, "Choose another name.") from error
    tell(request, f"rule {rule.name}", before, _sentence(rule))


def _demand_it_holds(rule: PlacementRule) -> None:
    """Problem 422, which rolls it back, with what collides."""
    group = too_many_pairs(rule)
    if group is not None:
        message = f"The rule is about {PAIRS_MAX:,} pairs of disks or more in {group}."
        raise Problem(422, "rule_too_large", message, UNCHANGED, "Name fewer machines, or keep all disks apart.")
    found = what_collides(list(PlacementRule.objects.prefetch_related("machines")), rule.name)
    if found:
        hint = "Name fewer disks, keep them apart by less, or change what they may lie on."
        raise Problem(422, "rule_cannot_hold", "The rule cannot hold. " + " ".join(found), UNCHANGED, hint)


def _locked(pk: int, request: Request) -> PlacementRule:
    """The rule as it is stored, locked; Problem 412 where it is not the one that was seen."""
    found = get_object_or_404(PlacementRule.objects.select_for_update(), pk=pk)
    since = ChangedSince([f"it says: {_sentence(found).rstrip('.')}"], [found.by], found.at)
    demand(seen_by(request), str(found.number), f"Rule {found.name}", lambda _seen: since)
    return found


def _machines(names: Sequence[str]) -> list[Machine]:
    """Problem 422 for a name that no machine has, or several."""
    found = []
    for name in dict.fromkeys(each.strip() for each in names if each.strip()):
        rows = list(Machine.objects.filter(name=name)[:2])
        if not rows and name.isdecimal():
            rows = list(Machine.objects.filter(pk=name))
        if len(rows) != 1:
            message = f"There is no machine named {name}." if not rows else f"Several machines are named {name}."
            raise Problem(422, "machine_unknown", message, UNCHANGED, "Name it as its page does, or give it a label.")
        found += rows
    return found


def _label(text: str) -> str:
    if not text.strip():
        return ""
    try:
        return str(parse_label(text))
    except CoreError as error:
        raise Problem(422, error.code, error.message, UNCHANGED, error.hint) from error


def _sentence(rule: PlacementRule) -> str:
    return sentence(rule, list(rule.machines.order_by("name").values_list("name", flat=True)))


def _told(rule: PlacementRule, code: int = 200) -> Response:
    fresh = PlacementRule.objects.get(pk=rule.pk)
    return Response(RuleSerializer(rule_answers([fresh])[0]).data, code, headers=etag(str(fresh.number)))
