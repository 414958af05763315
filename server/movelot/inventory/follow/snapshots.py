"""Which snapshots machines have, and what these hold of their disks: rows that come and go with readings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from movelot.inventory.bulk import insert
from movelot.inventory.models import Disk, MachineSnapshot, SnapshotPart
from movelot.inventory.readings import Row

FIELDS = ("parent", "taken_at", "standing", "place")
# What older hosts do not tell: there they lie beside the disks.
UNTOLD = {"place": ""}


def follow_snapshots(told: Mapping[int, Sequence[Row]]) -> None:
    """Make the snapshots of machines, by primary key, be those ``told``."""
    rows = MachineSnapshot.objects.filter(machine__in=told)
    columns = "machine_id", "name", "pk", *FIELDS
    known = {(machine, name): values for machine, name, *values in rows.values_list(*columns)}
    wanted = {(machine, row["name"]): {**UNTOLD, **row} for machine, each in sorted(told.items()) for row in each}
    gone = [values[0] for which, values in known.items() if which not in wanted]
    if gone:
        rows.filter(pk__in=gone).delete()
    news = [
        {"machine_id": machine, "name": name, **{field: row[field] for field in FIELDS}}
        for (machine, name), row in wanted.items()
        if known.get((machine, name), [])[1:] != [row[field] for field in FIELDS]
    ]
    insert(MachineSnapshot, news, FIELDS)
    if wanted:
        _follow_parts(told, wanted)


def _follow_parts(told: Mapping[int, Sequence[Row]], wanted: Mapping[tuple[int, str], Row]) -> None:
    rows = MachineSnapshot.objects.filter(machine__in=told)
    keys = {(machine, name): key for key, machine, name in rows.values_list("pk", "machine_id", "name")}
    disks = dict(Disk.objects.filter(machine__in=told).values_list("identity", "pk"))
    there = SnapshotPart.objects.filter(snapshot__machine__in=told)
    columns = "snapshot_id", "disk_id", "pk", "held_bytes"
    known = {(snapshot, disk): values for snapshot, disk, *values in there.values_list(*columns)}
    parts = {
        (keys[which], disks[identity]): held
        for which, row in wanted.items()
        for identity, held in row["held"].items()
        if identity in disks
    }
    gone = [values[0] for which, values in known.items() if which not in parts]
    if gone:
        there.filter(pk__in=gone).delete()
    news = [
        {"snapshot_id": snapshot, "disk_id": disk, "held_bytes": held}
        for (snapshot, disk), held in parts.items()
        if known.get((snapshot, disk), [])[1:] != [held]
    ]
    insert(SnapshotPart, news, ("held_bytes",))
