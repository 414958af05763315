"""Which machines hosts run, and where their disks are: things that stay, placements that change."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime
from operator import itemgetter

from movelot.inventory.bulk import insert
from movelot.inventory.follow.rows import PROVISIONAL
from movelot.inventory.follow.snapshots import follow_snapshots
from movelot.inventory.follow.wishes import take_up_wishes
from movelot.inventory.models import Datastore, Device, Disk, DiskPlacement, Machine, MachineListing, MachinePlacement
from movelot.inventory.readings import HostReading, Row

# What is known of a machine by its name alone: it came from a file, or was labelled before machines had identities.
BY_NAME = "name:"
MACHINE_FIELDS = (
    *("name", "os", "address", "power", "processors", "memory_bytes", "home", "swap_bytes", "off_since"),
    "gone_at",
)
# What files and older hosts do not tell of a machine.
UNTOLD = {"processors": 0, "memory_bytes": 0, "home": "", "swap_bytes": 0, "off_since": None}
# What not every host tells of a disk, and then is empty.
DISK_WORDS = ("limited_by", "filled_from")
DISK_FIELDS = (
    *("name", "machine_id", "size_bytes", "written_bytes", "thin"),
    *("cap_iops", "floor_iops", *DISK_WORDS, "raw_serial", "shared", "gone_at"),
)


def follow_machines(told: Sequence[tuple[Device, HostReading]], moment: datetime) -> None:
    """Make machines, disks and their placements be those ``told`` by hosts.

    A machine that two of them list is where the later one by name has it: it is on its way, and one will drop it. That
    holds whichever of them was read last, and by whom.
    """
    in_order = sorted(told, key=lambda each: each[0].name)
    told_of = {row["identity"]: (device.pk, row) for device, reading in in_order for row in reading.machines}
    # In one order, whoever stores: two workers that write the same rows then wait for one another, and do not cross.
    rows = dict(sorted(told_of.items()))
    _adopt({identity: (host, row) for identity, (host, row) in rows.items()})
    machines = _keep_machines({identity: row for identity, (_, row) in rows.items()})
    listed = {(machines[row["identity"]], device.pk): row for device, reading in told for row in reading.machines}
    place_machines(_list_machines(listed, [device.pk for device, _ in told]), moment)
    disks = [(machines[identity], disk) for identity, (_, row) in rows.items() for disk in row["disks"]]
    _follow_disks(disks, machines.values(), moment)
    follow_snapshots({machines[identity]: row.get("snapshots", []) for identity, (_, row) in rows.items()})


def _adopt(rows: Mapping[str, tuple[int, Row]]) -> None:
    """Give machines that were known by place or name alone the identity that their host tells now."""
    known = set(Machine.known.filter(identity__in=rows).values_list("identity", flat=True))
    news = {identity: row for identity, row in rows.items() if identity not in known}
    if not news:
        return
    listed = MachineListing.objects.filter(machine__identity__startswith=PROVISIONAL)
    by_place = {(host, uri): key for host, uri, key in listed.values_list("host_id", "uri", "machine_id")}
    gone = Machine.known.filter(gone_at__isnull=False, identity__startswith=BY_NAME)
    by_name = dict(gone.values_list("identity", "pk"))
    for identity, (host, row) in news.items():
        key = by_place.get((host, row["uri"])) or by_name.pop(f"{BY_NAME}{row['name']}", None)
        if key is not None:
            Machine.known.filter(pk=key).update(identity=identity)


def _keep_machines(rows: Mapping[str, Row]) -> dict[str, int]:
    """Store what differs. Returns primary keys by identity."""
    there = Machine.known.filter(identity__in=rows)
    known = {identity: values for identity, *values in there.values_list("identity", *MACHINE_FIELDS)}
    news = []
    for identity, row in rows.items():
        row = {**UNTOLD, **row}
        told = {"gone_at": None, **{name: row[name] for name in MACHINE_FIELDS if name != "gone_at"}}
        if known.get(identity) != [told[name] for name in MACHINE_FIELDS]:
            news.append({"identity": identity, **told})
    insert(Machine, news, MACHINE_FIELDS)
    return dict(there.values_list("identity", "pk"))


def _list_machines(listed: Mapping[tuple[int, int], Row], hosts: Sequence[int]) -> set[int]:
    """Make the listings of ``hosts`` be those told, by machine and host. Returns machines whose are other ones."""
    fields = ("uri", "etag")
    rows = MachineListing.objects.filter(host__in=hosts)
    known = {(machine, host): values for machine, host, *values in rows.values_list("machine_id", "host_id", *fields)}
    dropped = known.keys() - listed.keys()
    for host in {host for _, host in dropped}:
        rows.filter(host=host, machine__in=[machine for machine, each in dropped if each == host]).delete()
    news = [
        {"machine_id": machine, "host_id": host, **{name: row[name] for name in fields}}
        for (machine, host), row in sorted(listed.items(), key=itemgetter(0))
        if known.get((machine, host)) != [row[name] for name in fields]
    ]
    insert(MachineListing, news, fields)
    return {machine for machine, _ in dropped} | {row["machine_id"] for row in news}


def place_machines(machines: Collection[int], moment: datetime) -> None:
    """Put each machine on the last host by name of those that list it; one that none lists is gone, with its disks."""
    # Two workers may each have changed one of its listings: the second waits here, and then sees both.
    list(Machine.known.select_for_update().filter(pk__in=machines).order_by("pk").values_list("pk"))
    fields = ("host_id", "uri", "etag")
    listings = MachineListing.objects.filter(machine__in=machines).order_by("host__name")
    wanted = {machine: where for machine, *where in listings.values_list("machine_id", *fields)}
    placed = MachinePlacement.objects.filter(machine__in=machines)
    known = {machine: where for machine, *where in placed.values_list("machine_id", *fields, "since")}
    rows = []
    for machine, where in sorted(wanted.items()):
        before = known.get(machine)
        if before is None or before[:3] != where:
            since = before[3] if before and before[0] == where[0] else moment
            rows.append({"machine_id": machine, **dict(zip(fields, where, strict=True)), "since": since})
    insert(MachinePlacement, rows, (*fields, "since"))
    gone = [machine for machine in machines if machine not in wanted]
    if gone:
        placed.filter(machine__in=gone).delete()
        Machine.objects.filter(pk__in=gone).update(gone_at=moment)
        disks = list(Disk.objects.filter(machine__in=gone).values_list("pk", flat=True))
        Disk.objects.filter(pk__in=disks).update(gone_at=moment)
        DiskPlacement.objects.filter(disk__in=disks).delete()


def _follow_disks(told: Sequence[tuple[int, Row]], machines: Iterable[int], moment: datetime) -> None:
    """Make the disks of ``machines`` be those ``told``, each with its machine's primary key."""
    identities = [row["identity"] for _, row in told]
    there = Disk.known.filter(identity__in=identities)
    known = {identity: values for identity, *values in there.values_list("identity", *DISK_FIELDS)}
    news = []
    for machine, row in told:
        now = {name: row.get(name) for name in DISK_FIELDS}
        now |= {**{word: row.get(word, "") for word in DISK_WORDS}, "thin": bool(row.get("thin"))}
        now |= {"machine_id": machine, "gone_at": None}
        if known.get(row["identity"]) != [now[name] for name in DISK_FIELDS]:
            news.append({"identity": row["identity"], **now})
    insert(Disk, news, DISK_FIELDS)
    keys = dict(there.values_list("identity", "pk"))
    said = set(keys.values())
    gone = [
        key for key in Disk.objects.filter(machine__in=list(machines)).values_list("pk", flat=True) if key not in said
    ]
    Disk.objects.filter(pk__in=gone).update(gone_at=moment)
    _place_disks({keys[row["identity"]]: row["datastore"] for _, row in told}, gone, moment)
    take_up_wishes({row["key"]: keys[row["identity"]] for _, row in told if row.get("key")})


def _place_disks(told: Mapping[int, str], gone: Sequence[int], moment: datetime) -> None:
    """Put each disk on the datastore of that identity, and those that are gone nowhere."""
    # A disk may lie on a datastore that only other hosts tell of.
    stores = dict(Datastore.known.filter(identity__in=set(told.values())).values_list("identity", "pk"))
    wanted = {key: stores[name] for key, name in told.items() if name in stores}
    known = dict(DiskPlacement.objects.filter(disk__in=told).values_list("disk_id", "datastore_id"))
    rows = [
        {"disk_id": key, "datastore_id": store, "since": moment}
        for key, store in sorted(wanted.items())
        if known.get(key) != store
    ]
    insert(DiskPlacement, rows, ("datastore", "since"))
    nowhere = [key for key in known if key not in wanted]
    DiskPlacement.objects.filter(disk__in=[*nowhere, *gone]).delete()
