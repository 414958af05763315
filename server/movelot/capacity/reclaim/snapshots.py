"""Snapshots that are old, many, or large: merged, they hold nothing any more."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

from django.db.models import Count, Max, Min, Sum

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer, hours_at
from movelot.inventory.models import MachineSnapshot
from movelot.lots.kinds import Remedy
from movelot_core.units import count_of

OLD_DAYS = 30
DEEP = 3
# Bytes a second that a host usually merges.
MERGED_A_SECOND = 200 * 2**20


class Snapshots(Reclaimer):
    """Of machines whose oldest snapshot is older than a month, or that have a chain of more than three."""

    name, title = "snapshots", "Snapshots that are old or many"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        rows = MachineSnapshot.objects.filter(machine__gone_at=None).values("machine_id", "machine__name").order_by()
        told = rows.annotate(
            held=Sum("parts__held_bytes"),
            count=Count("pk", distinct=True),
            first=Min("taken_at"),
            most=Max("parts__disk__placement__datastore__name"),
            where=Max("parts__disk__placement__datastore"),
        )
        for row in told.order_by("-held", "machine__name"):
            old = row["first"] is not None and row["first"] < moment - timedelta(days=OLD_DAYS)
            if not row["held"] or not (old or row["count"] > DEEP):
                continue
            age = f", the oldest of {count_of((moment - row['first']).days, 'day')}" if row["first"] else ""
            form = {"machine": row["machine_id"], "act": "merge all"}
            yield Gain(
                what=f"{count_of(row['count'], 'snapshot')} of {row['machine__name']}{age}",
                place=row["most"] or "",
                size_bytes=row["held"],
                cost=f"{row['machine__name']} runs on and is slower while they merge; nothing goes back to them after",
                frees={f"datastore-{row['where']}": row["held"]} if row["where"] else {},
                hours=hours_at(row["held"], MERGED_A_SECOND),
                remedy=Remedy("snapshot", form, "Merge them"),
            )
