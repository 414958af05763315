"""The API of rules: keep disks apart, or together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

from django.db import IntegrityError, transaction
from django.shortcuts import get_object_or_404
from django.utils.timezone import now
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
from movelot.inventory.models import Datastore, Disk, Machine, PlacementRule
from movelot.inventory.rule_kinds import RULE_KIND_NAMES, RULE_KINDS
from movelot.inventory.rule_kinds.parts import PAIRS_MAX
from movelot.inventory.rules import rules_in_force
from movelot.preconditions import IF_MATCH, ChangedSince, demand, etag, seen_by
from movelot.problems import Problem
from movelot_core.errors import CoreError
from movelot_core.labels import parse_label

UNCHANGED = "Nothing was stored."
MACHINES_MAX = 500
Thing = TypeVar("Thing", Machine, Disk, Datastore)


class RuleSerializer(DataclassSerializer[RuleAnswer]):
    class Meta:
        dataclass = RuleAnswer


class RuleForm(serializers.Serializer[Any]):
    """A rule as it is typed: machines, disks and the datastore by their names, or their primary keys where two are
    called alike."""

    name = serializers.CharField(max_length=64)
    kind = serializers.ChoiceField(choices=RULE_KIND_NAMES)
    among = serializers.ChoiceField(choices=PlacementRule.Among.values)
    apart_by = serializers.ChoiceField(choices=PlacementRule.ApartBy.values, default="datastore")
    labelled = serializers.CharField(max_length=100, allow_blank=True, default="")
    machines = serializers.ListField(child=serializers.CharField(max_length=100), max_length=MACHINES_MAX, default=list)
    disks = serializers.ListField(child=serializers.CharField(max_length=100), max_length=MACHINES_MAX, default=list)
    datastore = serializers.CharField(max_length=100, allow_blank=True, default="")
    until = serializers.DateTimeField(allow_null=True, default=None)


class RuleListView(APIView):
    """All rules with how they stand, and writing a new one."""

    @extend_schema(operation_id="rules", responses=RuleSerializer(many=True))
    def get(self, request: Request) -> Response:
        found = rule_answers(rules_in_force())
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
    kind = RULE_KINDS[values["kind"]]
    machines, label = _named(Machine, "machine", values["machines"]), _label(values["labelled"])
    disks = _named(Disk, "disk", values["disks"])
    if not machines and not disks and not label:
        raise Problem(422, "rule_of_nothing", "The rule names no disks.", UNCHANGED, "Name a label, machines or disks.")
    among = values["among"] if len(kind.amongs) > 1 else kind.amongs[0]
    if among not in kind.amongs:
        hint = "Keep all disks together, or those of each machine."
        raise Problem(422, "rule_meaningless", "Together are disks, not machines.", UNCHANGED, hint)
    stores = _named(Datastore, "datastore", [values["datastore"]] if kind.has_datastore else [])
    if kind.has_datastore and not stores:
        raise Problem(422, "rule_of_nowhere", "The rule names no datastore.", UNCHANGED, "Name the one to keep off.")
    if values["until"] is not None and values["until"] <= now():
        raise Problem(422, "rule_ended", "The rule would have ended already.", UNCHANGED, "Let it end later.")
    try:
        with transaction.atomic():
            stored = _locked(rule.pk, request) if rule.pk else rule
            before = _sentence(stored) if rule.pk else None
            rule.number, rule.by = stored.number + 1, person(request).username
            rule.name, rule.label = values["name"].strip(), label
            rule.kind, rule.among = kind.name, among
            rule.apart_by = values["apart_by"] if kind.has_sites else PlacementRule.ApartBy.DATASTORE
            rule.datastore, rule.until = stores[0] if stores else None, values["until"]
            rule.save()
            rule.machines.set(machines)
            rule.disks.set(disks)
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
    found = what_collides(list(rules_in_force()), rule.name)
    if found:
        hint = "Name fewer disks, keep them apart by less, or change what they may lie on."
        raise Problem(422, "rule_cannot_hold", "The rule cannot hold. " + " ".join(found), UNCHANGED, hint)


def _locked(pk: int, request: Request) -> PlacementRule:
    """The rule as it is stored, locked; Problem 412 where it is not the one that was seen."""
    found = get_object_or_404(PlacementRule.objects.select_for_update(), pk=pk)
    since = ChangedSince([f"it says: {_sentence(found).rstrip('.')}"], [found.by], found.at)
    demand(seen_by(request), str(found.number), f"Rule {found.name}", lambda _seen: since)
    return found


def _named(model: type[Thing], thing: str, names: Sequence[str]) -> list[Thing]:
    """Problem 422 for a name that none has, or several."""
    found: list[Thing] = []
    for name in dict.fromkeys(each.strip() for each in names if each.strip()):
        rows = list(model.objects.filter(name=name)[:2])
        if not rows and name.isdecimal():
            rows = list(model.objects.filter(pk=name))
        if len(rows) != 1:
            message = f"There is no {thing} named {name}." if not rows else f"Several {thing}s are named {name}."
            raise Problem(422, f"{thing}_unknown", message, UNCHANGED, "Name it as its page does, or by its number.")
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
    named = [list(of.order_by("name").values_list("name", flat=True)) for of in (rule.machines, rule.disks)]
    return sentence(rule, [*named[0], *named[1]])


def _told(rule: PlacementRule, code: int = 200) -> Response:
    fresh = PlacementRule.objects.get(pk=rule.pk)
    return Response(RuleSerializer(rule_answers([fresh])[0]).data, code, headers=etag(str(fresh.number)))
