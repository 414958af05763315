"""Machines that have been off for long: their disks asked for nothing."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

from django.db.models import Exists, Max, Min, OuterRef, Q

from movelot.capacity.known import Uses
from movelot.capacity.reclaim.base import Gain, Reclaimer
from movelot.inventory.models import TAKEN_BYTES, Disk, DiskDay, Machine
from movelot.lots.kinds import Remedy
from movelot_core.units import count_of

OFF_DAYS = 30


class MachinesOff(Reclaimer):
    """Off for a month, as their hosts tell, or as none of their disks asked for anything in the days that are kept."""

    name, title = "machines_off", "Machines long off"

    def gains(self, known: Uses, moment: datetime) -> Iterator[Gain]:
        since = moment - timedelta(days=OFF_DAYS)
        told = Q(off_since__lte=since)
        begun = DiskDay.objects.aggregate(first=Min("day"))["first"]
        if begun is not None and begun <= since.date():
            # Otherwise what is off may have run a week ago: nobody can tell yet.
            asked = DiskDay.objects.filter(disk__machine=OuterRef("pk"), day__gte=since.date())
            told |= Q(~Exists(asked), off_since=None)
        rows = Machine.objects.filter(told, power="Off", placement__isnull=False)
        last = dict(
            DiskDay.objects.filter(disk__machine__in=rows).values_list("disk__machine").annotate(Max("day")).order_by()
        )
        places: dict[int, set[str]] = {}
        frees: dict[int, dict[str, int]] = {}
        lying = Disk.objects.filter(machine__in=rows, placement__isnull=False)
        columns = "machine_id", "placement__datastore_id", "placement__datastore__name"
        for key, store, name, size in lying.values_list(*columns, TAKEN_BYTES):
            places.setdefault(key, set()).add(name)
            mine = frees.setdefault(key, {})
            mine[f"datastore-{store}"] = mine.get(f"datastore-{store}", 0) + size
        for machine in rows.order_by("name"):
            if machine.pk in frees:
                asked_on = machine.off_since.date() if machine.off_since else last.get(machine.pk)
                ago = f"for {count_of((moment.date() - asked_on).days, 'day')}" if asked_on else "longer than is known"
                yield Gain(
                    what=f"{machine.name} has been off {ago}",
                    place=", ".join(sorted(places[machine.pk])),
                    size_bytes=sum(frees[machine.pk].values()),
                    cost="its name is typed, as nothing brings it back",
                    remedy=Remedy("delete_machine", {"machine": machine.pk}, f"Delete {machine.name}, by name"),
                    typed=machine.name,
                    deletes=True,
                    frees=frees[machine.pk],
                )
