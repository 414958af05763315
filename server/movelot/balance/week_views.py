"""The API of ways of working: a group's week, as a calendar too; whether it acts; and the switch for all groups."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import available_timezones

from django.db import transaction
from django.http import HttpResponse
from django.utils.timezone import now
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.accounts.roles import person
from movelot.audit.trail import tell
from movelot.balance.group_views import UNCHANGED, group_named, locked_as_seen
from movelot.balance.views import FILL_LEAST, LATENCY_LEAST_MS, LATENCY_MOST_MS
from movelot.balance.ways import digest_of, put_in_force, ways_of
from movelot.balance.week_answers import GroupWeek, week_answer
from movelot.balance.week_calendar import CALENDAR_MOST, CalendarWeek, read_calendar, written_calendar
from movelot.inventory.changes import people_said
from movelot.inventory.models import BalanceGroup, Rehearsal, WayBar, WayException, WayOfWorking
from movelot.preconditions import IF_MATCH, etag
from movelot.problems import Problem
from movelot_core.balance.week import WEEK_HOURS
from movelot_core.errors import CoreError
from movelot_core.units import count_of, format_size

WAYS_MAX, EXCEPTIONS_MAX = 12, 100
MOST_BYTES = 2**50
COPIES_MAX = 64


class GroupWeekSerializer(DataclassSerializer[GroupWeek]):
    class Meta:
        dataclass = GroupWeek


class CalendarWeekSerializer(DataclassSerializer[CalendarWeek]):
    class Meta:
        dataclass = CalendarWeek


class WayForm(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=32)
    does = serializers.ChoiceField(choices=WayOfWorking.Does.values)
    most_bytes = serializers.IntegerField(min_value=1, max_value=MOST_BYTES, allow_null=True, default=None)
    most_copies = serializers.IntegerField(min_value=1, max_value=COPIES_MAX, allow_null=True, default=None)
    fill_ceiling = serializers.FloatField(min_value=FILL_LEAST, max_value=1, allow_null=True, default=None)
    latency_ceiling_ms = serializers.FloatField(
        min_value=LATENCY_LEAST_MS, max_value=LATENCY_MOST_MS, allow_null=True, default=None
    )


class BarForm(serializers.Serializer[Any]):
    way = serializers.CharField(max_length=32)
    begins = serializers.IntegerField(min_value=0, max_value=WEEK_HOURS - 1)
    hours = serializers.IntegerField(min_value=1, max_value=WEEK_HOURS)


class ExceptionForm(serializers.Serializer[Any]):
    way = serializers.CharField(max_length=32)
    begins = serializers.DateTimeField()
    ends = serializers.DateTimeField()
    reason = serializers.CharField(max_length=100, allow_blank=True, default="")


class WeekForm(serializers.Serializer[Any]):
    """The ways of a group, when each is in force in a week, and exceptions."""

    zone = serializers.CharField(max_length=64)
    ways = serializers.ListField(child=WayForm(), max_length=WAYS_MAX)
    bars = serializers.ListField(child=BarForm(), max_length=WEEK_HOURS)
    exceptions = serializers.ListField(child=ExceptionForm(), max_length=EXCEPTIONS_MAX, default=list)


class GroupWeekView(APIView):
    """A group's week: looking, and laying it out."""

    @extend_schema(responses=GroupWeekSerializer)
    def get(self, request: Request, name: str) -> Response:
        return _answer(group_named(name))

    @extend_schema(request=WeekForm, responses=GroupWeekSerializer, parameters=[IF_MATCH])
    def put(self, request: Request, name: str) -> Response:
        given = WeekForm(data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            group = locked_as_seen(name, request)
            before = _said(group)
            _store(group, given.validated_data)
            group.number, group.by, group.at = group.number + 1, person(request).username, now()
            group.save()
            put_in_force(group, now())
        tell(request, f"ways of {group.name}", before, _said(group))
        return _answer(group)


class WeekCalendarView(APIView):
    """A group's week as a calendar (RFC 5545)."""

    @extend_schema(responses={(200, "text/calendar"): OpenApiTypes.STR})
    def get(self, request: Request, name: str) -> HttpResponse:
        group = group_named(name)
        answer = HttpResponse(written_calendar(group.name, week_answer(group, now())), content_type="text/calendar")
        answer["Content-Disposition"] = 'attachment; filename="week.ics"'
        return answer


class CalendarForm(serializers.Serializer[Any]):
    calendar = serializers.CharField(max_length=CALENDAR_MOST)


class WeekFromCalendarView(APIView):
    """The week that a calendar describes, for the ways that a group has; nothing is stored."""

    @extend_schema(request=CalendarForm, responses=CalendarWeekSerializer)
    def post(self, request: Request, name: str) -> Response:
        given = CalendarForm(data=request.data)
        given.is_valid(raise_exception=True)
        group = group_named(name)
        found = read_calendar(given.validated_data["calendar"], [way.name for way in group.ways.all()], group.zone)
        return Response(CalendarWeekSerializer(found).data)


class LetActForm(serializers.Serializer[Any]):
    """Whether a group acts by itself where its ways say so."""

    acts = serializers.BooleanField()


class LetActView(APIView):
    """Let a group act by itself as its ways are now, or no more."""

    @extend_schema(request=LetActForm, responses=GroupWeekSerializer, parameters=[IF_MATCH])
    def put(self, request: Request, name: str) -> Response:
        given = LetActForm(data=request.data)
        given.is_valid(raise_exception=True)
        with transaction.atomic():
            group = locked_as_seen(name, request)
            before = f"let act by {group.acts_by}" if group.acts_by else "advises only"
            if given.validated_data["acts"]:
                group.acts_by, group.acts_as = person(request).username, _demand_rehearsed(group)
            else:
                group.acts_by = group.acts_as = ""
            group.save(update_fields=["acts_by", "acts_as"])
            # Whether it acts is announced.
            people_said("group", group.pk)
        after = f"let act by {group.acts_by}" if group.acts_by else "advises only"
        tell(request, f"group {group.name}", before, after)
        return _answer(group)


def _demand_rehearsed(group: BalanceGroup) -> str:
    """The digest of the group's ways. Problem 409 unless somebody looked at a rehearsal of just these."""
    ways = ways_of(group)
    of = digest_of(group, ways)
    if not ways.act:
        title = f"No way of {group.name} that is laid over the week acts by itself."
        raise Problem(409, "nothing_acts", title, UNCHANGED, "Lay one that acts over some hours, and rehearse it.")
    if not Rehearsal.objects.filter(group=group, of=of).exclude(seen_by="").exists():
        title = f"Nobody looked at a rehearsal of {group.name} as its ways are now."
        raise Problem(409, "not_rehearsed", title, UNCHANGED, "Rehearse it, and look at what would have been.")
    return of


def _store(group: BalanceGroup, values: dict[str, Any]) -> None:
    """Make a locked group's ways and week what was typed. Problem 422 for what cannot be meant."""
    if values["zone"] not in available_timezones():
        title = f"There is no time zone “{values['zone']}”."
        raise Problem(422, "zone_unknown", title, UNCHANGED, "Name one as Europe/Oslo.")
    names = [way["name"].strip() for way in values["ways"]]
    if len({name.casefold() for name in names}) < len(names):
        raise Problem(422, "way_twice", "Two ways have the same name.", UNCHANGED, "Give each its own.")
    named = [*(bar["way"] for bar in values["bars"]), *(each["way"] for each in values["exceptions"])]
    unknown = next((name for name in named if name not in names), None)
    if unknown is not None:
        title = f"“{unknown}” is laid over the week and is no way of this group."
        raise Problem(422, "way_unknown", title, UNCHANGED)
    group.zone = values["zone"]
    WayException.objects.filter(way__group=group).delete()
    WayBar.objects.filter(way__group=group).delete()
    kept = _ways(group, values["ways"], names)
    WayBar.objects.bulk_create(
        [WayBar(way=kept[bar["way"]], begins=bar["begins"], hours=bar["hours"]) for bar in values["bars"]]
    )
    WayException.objects.bulk_create(
        [WayException(way=kept[each["way"]], **_once(each)) for each in values["exceptions"]]
    )
    try:
        ways_of(group)
    except CoreError as error:
        raise Problem(422, "week_impossible", str(error), UNCHANGED, "Give each hour one way.") from error


def _once(each: dict[str, Any]) -> dict[str, Any]:
    if each["ends"] <= each["begins"]:
        raise Problem(422, "exception_ends_first", "An exception ends after it begins.", UNCHANGED)
    return {"begins": each["begins"], "ends": each["ends"], "reason": each["reason"]}


def _ways(group: BalanceGroup, typed: list[dict[str, Any]], names: list[str]) -> dict[str, WayOfWorking]:
    """The group's ways by name: one that is still there stays the same row, so that what is in force stays so."""
    there = {way.name.casefold(): way for way in group.ways.all()}
    gone = there.keys() - {name.casefold() for name in names}
    if group.in_force_id in {there[name].pk for name in gone}:
        group.in_force = None
    group.ways.filter(pk__in=[there[name].pk for name in gone]).delete()
    found = {}
    for position, (name, values) in enumerate(zip(names, typed, strict=True)):
        way = there.get(name.casefold()) or WayOfWorking(group=group)
        way.name = name
        acts = values["does"] == WayOfWorking.Does.ACT
        way.does, way.position = values["does"], position
        way.most_bytes = values["most_bytes"] if acts else None
        way.most_copies = values["most_copies"] if acts else None
        way.fill_ceiling, way.latency_ceiling_ms = values["fill_ceiling"], values["latency_ceiling_ms"]
        way.save()
        found[name] = way
    return found


def _said(group: BalanceGroup) -> str:
    """A group's ways, for records."""
    ways = ways_of(group)
    by_hour = ways.week.by_hour()
    said = []
    for key, way in ways.by_key.items():
        most = [format_size(way.most_bytes)] if way.most_bytes else []
        most += [count_of(way.most_copies, "copy", "copies") + " at once"] if way.most_copies else []
        most += [f"{way.fill_ceiling:.0%} full"] if way.fill_ceiling else []
        most += [f"{way.latency_ceiling_ms:g} ms"] if way.latency_ceiling_ms else []
        hours = count_of(sum(each == key for each in by_hour), "hour")
        said.append(f"{way.name} ({', '.join([way.does, *most])}) for {hours} a week")
    exceptions = count_of(len(ways.week.exceptions), "exception")
    return f"{'; '.join(said) or 'none'}; {exceptions}; {group.zone}"


def _answer(group: BalanceGroup, moment: datetime | None = None) -> Response:
    fresh = BalanceGroup.objects.get(pk=group.pk)
    shown = week_answer(fresh, moment or now())
    return Response(GroupWeekSerializer(shown).data, headers=etag(str(fresh.number)))
