"""Machines that have been off for long: their disks asked for nothing."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

from django.db.models import Exists, Max, Min, OuterRef, Sum

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import Disk, DiskDay, Machine
from movelot.lots.kinds import Remedy
from movelot_core.units import count_of

OFF_DAYS = 30


class MachinesOff(Reclaimer):
    """Off now, and none of their disks asked for anything in the last days that are kept."""

    name, title = "machines_off", "Machines long off"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        since = (moment - timedelta(days=OFF_DAYS)).date()
        begun = DiskDay.objects.aggregate(first=Min("day"))["first"]
        if begun is None or begun > since:
            # What is off may have run a week ago: nobody can tell yet.
            return
        asked = DiskDay.objects.filter(disk__machine=OuterRef("pk"), day__gte=since)
        rows = Machine.objects.filter(power="Off", placement__isnull=False).exclude(Exists(asked))
        last = dict(
            DiskDay.objects.filter(disk__machine__in=rows).values_list("disk__machine").annotate(Max("day")).order_by()
        )
        sizes = dict(
            Disk.objects.filter(machine__in=rows, placement__isnull=False)
            .values_list("machine")
            .annotate(Sum("size_bytes"))
            .order_by()
        )
        places: dict[int, set[str]] = {}
        lying = Disk.objects.filter(machine__in=rows, placement__isnull=False)
        for key, store in lying.values_list("machine_id", "placement__datastore__name"):
            places.setdefault(key, set()).add(store)
        for machine in rows.order_by("name"):
            if sizes.get(machine.pk):
                ago = "for longer than is known"
                if machine.pk in last:
                    ago = f"for {count_of((moment.date() - last[machine.pk]).days, 'day')}"
                yield Gain(
                    what=f"{machine.name} is off, and asked for nothing {ago}",
                    place=", ".join(sorted(places[machine.pk])),
                    size_bytes=sizes[machine.pk],
                    cost="its name is typed, as nothing brings it back",
                    remedy=Remedy("delete_machine", {"machine": machine.pk}, f"Delete {machine.name}, by name"),
                )
