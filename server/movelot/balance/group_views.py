"""The API of balance groups and their members: make, rename, change, retire."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import F
from django.utils.timezone import now
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.members import AllMembers, GroupMembers, MembersEffect, all_members, effect_of, members_of
from movelot.inventory import changes
from movelot.inventory.changes import Aspect, Change, people_said
from movelot.inventory.models import BalanceGroup, Cluster, Datastore, FormerGroupName, GroupMember
from movelot.preconditions import IF_MATCH, ChangedSince, demand, etag, seen_by
from movelot.problems import Problem
from movelot_core.units import count_of

UNCHANGED = "Nothing was stored."
STORES_MAX = 2000
# Words of addresses beside which groups have theirs.
RESERVED = ("rules", "groups", "neighbours", "week")


class AllMembersSerializer(DataclassSerializer[AllMembers]):
    class Meta:
        dataclass = AllMembers


class GroupMembersSerializer(DataclassSerializer[GroupMembers]):
    class Meta:
        dataclass = GroupMembers


class MembersEffectSerializer(DataclassSerializer[MembersEffect]):
    class Meta:
        dataclass = MembersEffect


class GroupForm(serializers.Serializer[Any]):
    """A group as it is typed: its name, the cluster whose new datastores join it, and its datastores by their ids."""

    # It is part of addresses.
    name = serializers.RegexField(
        r"^(?!\.+$)[^/\\?#%\x00-\x1f]+$",
        max_length=64,
        error_messages={"invalid": "A name is in one line, not of dots alone, and has no /, \\, ?, # or %%."},
    )
    joins = serializers.CharField(max_length=100, allow_blank=True, default="")
    datastores = serializers.ListField(child=serializers.IntegerField(min_value=1), max_length=STORES_MAX)


def group_named(name: str) -> BalanceGroup:
    """The group that has a name, or had it last. Problem 404 without one."""
    found = BalanceGroup.named(name)
    if found is None:
        hint = "It may have been retired: see all groups."
        raise Problem(404, "not_found", f"There is no group “{name}”.", hint=hint)
    return found


class MembersView(APIView):
    """All groups with their members, and what is in none."""

    @extend_schema(operation_id="members", responses=AllMembersSerializer)
    def get(self, request: Request) -> Response:
        return Response(AllMembersSerializer(all_members()).data)


class MembersEffectView(APIView):
    """What a choice of datastores would mean; nothing is stored.

    Asked for with every tick: so it is a read, and no act that the audit trail tells of.
    """

    @extend_schema(
        parameters=[
            OpenApiParameter("group", str, description="Its name; empty for a new one."),
            OpenApiParameter("datastores", str, required=True, description="Ids, separated by commas."),
        ],
        responses=MembersEffectSerializer,
    )
    def get(self, request: Request) -> Response:
        name = request.query_params.get("group", "")
        texts = [text for text in request.query_params.get("datastores", "").split(",") if text]
        if not all(text.isdecimal() and len(text) < 19 for text in texts):
            raise Problem(422, "datastores_unreadable", "Datastores are named by their ids.", UNCHANGED)
        group = group_named(name) if name else None
        return Response(MembersEffectSerializer(effect_of(group, map(int, texts))).data)


def make_group(request: Request) -> Response:
    """Make a group of what was typed."""
    values = _typed(request)
    with transaction.atomic():
        group = BalanceGroup(number=0)
        _store(group, values, request)
    tell(request, f"group {group.name}", None, _said(group))
    return _answer(group, status.HTTP_201_CREATED)


def retire_group(request: Request, name: str) -> Response:
    """Retire a group: no plan touches its datastores any more, which stay as they are."""
    with transaction.atomic():
        group = locked_as_seen(name, request)
        said, key = _said(group), group.pk
        group.delete()
        members_changed([key])
    tell(request, f"group {group.name}", said, None)
    return Response(status=status.HTTP_204_NO_CONTENT)


class GroupMembersView(APIView):
    """A group's name and members: looking, and changing them."""

    @extend_schema(responses=GroupMembersSerializer)
    def get(self, request: Request, name: str) -> Response:
        return _answer(group_named(name))

    @extend_schema(request=GroupForm, responses=GroupMembersSerializer, parameters=[IF_MATCH])
    def put(self, request: Request, name: str) -> Response:
        values = _typed(request)
        with transaction.atomic():
            group = locked_as_seen(name, request)
            before = _said(group)
            _store(group, values, request)
        tell(request, f"group {group.name}", before, _said(group))
        return _answer(group)


def _typed(request: Request) -> dict[str, Any]:
    given = GroupForm(data=request.data)
    given.is_valid(raise_exception=True)
    values: dict[str, Any] = given.validated_data
    if values["name"].lower() in RESERVED:
        raise Problem(422, "name_reserved", f"A group may not be named {values['name']}.", UNCHANGED)
    if not values["datastores"]:
        hint = "Tick the datastores that may trade disks. One that is not wanted any more is retired."
        raise Problem(422, "group_empty", "A group has at least one datastore.", UNCHANGED, hint)
    return values


def _store(group: BalanceGroup, values: dict[str, Any], request: Request) -> None:
    """Store what was typed, inside a transaction. Problem 409 for a name that is taken, 422 for what is not there."""
    stores = list(Datastore.objects.filter(pk__in=values["datastores"]))
    if len(stores) < len(set(values["datastores"])):
        hint = "Look at the datastores as they are now."
        raise Problem(422, "datastore_unknown", "A datastore of these is gone.", UNCHANGED, hint)
    former, group.name = group.name, values["name"]
    group.cluster = _joined(group, values["joins"])
    group.number, group.by, group.at = group.number + 1, person(request).username, now()
    try:
        with transaction.atomic():
            group.save()
    except IntegrityError as error:
        message = f"There is a group named {group.name} already."
        raise Problem(409, "name_taken", message, UNCHANGED, "Choose another name.") from error
    # Who has the name now has it from here on.
    FormerGroupName.objects.filter(name=group.name).delete()
    if former and former != group.name:
        # A group that came with a new cluster may have had a name that another one had before.
        FormerGroupName.objects.update_or_create(name=former, defaults={"group": group})
    left = _fill(group, stores)
    # Those that lose datastores are other groups than whoever looks at them sees.
    BalanceGroup.objects.filter(pk__in=left).update(number=F("number") + 1, by=group.by, at=group.at)
    members_changed([group.pk, *left])


def _joined(group: BalanceGroup, name: str) -> Cluster | None:
    """The cluster whose new datastores join, which then join no other group. Problem 422 for one that is not there."""
    if not name:
        return None
    cluster = Cluster.objects.filter(name=name).first()
    if cluster is None:
        raise Problem(422, "cluster_unknown", f"There is no cluster “{name}”.", UNCHANGED)
    BalanceGroup.objects.filter(cluster=cluster).exclude(pk=group.pk).update(cluster=None, number=F("number") + 1)
    return cluster


def _fill(group: BalanceGroup, stores: Sequence[Datastore]) -> list[int]:
    """Make ``stores`` the group's members. Returns the primary keys of other groups that some of them leave."""
    members = GroupMember.objects.select_for_update().filter(datastore__in=stores)
    left = set(members.exclude(group=group).values_list("group_id", flat=True))
    group.members.exclude(datastore__in=stores).delete()
    there = set(members.filter(group=group).values_list("datastore_id", flat=True))
    members.exclude(group=group).delete()
    GroupMember.objects.bulk_create(
        [GroupMember(group=group, datastore=store) for store in stores if store.pk not in there]
    )
    return sorted(left)


def members_changed(groups: Iterable[int]) -> None:
    """Whoever judges groups, and all who ask where disks may go, judge anew."""
    for key in groups:
        people_said("group", key)
        changes.tell([Change(Aspect.SPACE, "group", key)])


def locked_as_seen(name: str, request: Request) -> BalanceGroup:
    """The group, locked; Problem 412 where it is not the one that was seen."""
    group = BalanceGroup.objects.select_for_update().get(pk=group_named(name).pk)
    since = ChangedSince([f"it is {_said(group)}"], [group.by] if group.by else [], group.at)
    demand(seen_by(request), str(group.number), f"Group {group.name}", lambda _seen: since)
    return group


def _said(group: BalanceGroup) -> str:
    """What a group is, for records."""
    names = group.datastores.order_by("name").values_list("name", flat=True)
    joins = f"; new ones of {group.cluster.name} join" if group.cluster else ""
    return f"{group.name} with {count_of(len(names), 'datastore')}: {', '.join(names)}{joins}"


def _answer(group: BalanceGroup, code: int = 200) -> Response:
    fresh = BalanceGroup.objects.select_related("cluster").get(pk=group.pk)
    return Response(GroupMembersSerializer(members_of(fresh)).data, code, headers=etag(str(fresh.number)))
