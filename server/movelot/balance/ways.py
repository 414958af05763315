"""A group's ways of working as stored: its week, what is in force, and how the clock puts that in force.

Journey: quayside's people are at work from five to eight, and copies slow what they do. *Night* acts from 20:00 on, up
to 2 TiB and under a lower ceiling; *Day* advises; on Friday evening, when the ferries leave, nothing moves. Each of
these is laid over the hours of the week, at the site's clock. Month-end is an exception that goes back by itself.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import datetime
from zoneinfo import ZoneInfo

from django.db import transaction

from movelot.inventory.changes import people_said
from movelot.inventory.models import ActsHalted, BalanceGroup, WayBar, WayException, WayOfWorking
from movelot_core.balance.week import Bar, Once, Week


@dataclass(frozen=True)
class Ways:
    """A group's ways by primary key, and when each is in force."""

    by_key: dict[int, WayOfWorking]
    week: Week

    @property
    def act(self) -> bool:
        """Whether any of them, laid anywhere, acts by itself."""
        laid = {bar.way for bar in self.week.bars} | {once.way for once in self.week.exceptions}
        return any(self.by_key[key].does == WayOfWorking.Does.ACT for key in laid)


def ways_of(group: BalanceGroup) -> Ways:
    """A group's ways and week."""
    ways = {way.pk: way for way in group.ways.all()}
    bars = WayBar.objects.filter(way__group=group)
    exceptions = WayException.objects.filter(way__group=group)
    week = Week(
        ZoneInfo(group.zone),
        tuple(Bar(bar.way_id, bar.begins, bar.hours) for bar in bars),
        tuple(Once(each.way_id, each.begins, each.ends) for each in exceptions),
    )
    return Ways(ways, week)


def digest_of(group: BalanceGroup, ways: Ways) -> str:
    """Another one whenever a rehearsal may come to something else: ways, week, time zone and the group's ceilings.

    Exceptions are not in it: what was is rehearsed without them.
    """
    by_hour = ways.week.by_hour()
    laid = [[hour for hour, key in enumerate(by_hour) if key == way] for way in ways.by_key]
    told = [
        (way.does, way.most_bytes, way.most_copies, way.fill_ceiling, way.latency_ceiling_ms, hours)
        for way, hours in zip(ways.by_key.values(), laid, strict=True)
    ]
    own = group.zone, group.own_fill_ceiling, group.own_latency_ceiling_ms
    return hashlib.blake2b(json.dumps([own, told]).encode(), digest_size=16).hexdigest()


def may_act(group: BalanceGroup, ways: Ways) -> bool:
    """Whether somebody let it act, as its ways are now."""
    return bool(group.acts_by) and group.acts_as == digest_of(group, ways)


def in_force_text(group: BalanceGroup) -> str:
    """Which way holds, what the group does by it, and until when at the site's clock; empty where it has none."""
    way = group.in_force
    if way is None:
        return ""
    ends = f" until {group.until_text}" if group.until_text else ""
    return f"{way.name}: {_does_now(group, way)}{ends}"


def _does_now(group: BalanceGroup, way: WayOfWorking) -> str:
    match way.does:
        case WayOfWorking.Does.ADVISE:
            return "advises"
        case WayOfWorking.Does.STILL:
            return "keeps still"
    if ActsHalted.objects.exists():
        return "would act, all are halted"
    return "acts by itself" if may_act(group, ways_of(group)) else "would act, nobody let it"


def follow(moment: datetime) -> None:
    """Put in force what the clock says, for every group that has ways."""
    for key in BalanceGroup.objects.filter(ways__isnull=False).distinct().values_list("pk", flat=True):
        with transaction.atomic():
            group = BalanceGroup.objects.select_for_update().get(pk=key)
            put_in_force(group, moment)


def put_in_force(group: BalanceGroup, moment: datetime) -> None:
    """Store what holds of a locked group at ``moment``; judges are told where its ceilings are other ones."""
    ways = ways_of(group)
    found = ways.week.in_force(moment)
    before = group.in_force_id, group.in_force_until
    group.in_force = ways.by_key.get(found.way) if found.way is not None else None
    group.in_force_until = found.until
    if group.in_force_id != before[0] or group.in_force_since is None:
        group.in_force_since = moment
    other = group.set_ceilings()
    if other or before != (group.in_force_id, group.in_force_until):
        fields = "in_force", "in_force_since", "in_force_until", "fill_ceiling", "latency_ceiling_ms"
        group.save(update_fields=fields)
    if other or before[0] != group.in_force_id:
        people_said("group", group.pk)
