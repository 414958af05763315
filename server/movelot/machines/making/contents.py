"""What new disks are made from: an image that a datastore keeps, or a disk of a machine that is off.

From a disk in a volume set another one there may be linked, where its array can: nothing is copied.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from movelot.inventory.capabilities import LINKED_CLONES
from movelot.inventory.models import Device, Disk, Extent, Mount, StoredImage, Volume
from movelot.lots.kinds import PASS, STOP, Check
from movelot_core.errors import SizeError
from movelot_core.units import format_size


@dataclass(frozen=True)
class Contents:
    """Where a new disk's data comes from: its identity and size, the datastore, and the machine that must be off.

    ``linked`` to it a disk shares its blocks, if nothing is ``in_the_way``, which says what is in a sentence.
    """

    identity: str
    name: str
    size_bytes: int
    data_bytes: int
    datastore: int
    datastore_name: str
    machine: str = ""
    runs: bool = False
    linked: bool = False
    in_the_way: str = ""


def contents_of(text: str) -> Contents:
    """What ``image:…``, ``disk:…`` or ``linked:…``, by primary key, means. SizeError for what is not there."""
    kind, _, key = text.partition(":")
    found = SOURCES[kind](int(key)) if kind in SOURCES and key.isdecimal() else None
    if found is None:
        raise SizeError("contents_unknown", "What it is to be made from is not there.", "Choose another one.")
    return found


def _image(key: int) -> Contents | None:
    row = StoredImage.objects.select_related("datastore").filter(pk=key).first()
    if row is None:
        return None
    return Contents(
        row.identity, f"image {row.name}", row.size_bytes, row.written_bytes, row.datastore_id, row.datastore.name
    )


def _disk(key: int) -> Contents | None:
    rows = Disk.objects.select_related("machine", "placement__datastore").filter(placement__isnull=False)
    row = rows.filter(pk=key).first()
    store = row.datastore if row else None
    if row is None or store is None:
        return None
    written = row.size_bytes if row.written_bytes is None else row.written_bytes
    runs = row.machine.power != "Off"
    return Contents(
        row.identity, row.name, row.size_bytes, written, store.pk, store.name, machine=row.machine.name, runs=runs
    )


def _linked(key: int) -> Contents | None:
    found = _disk(key)
    return replace(found, linked=True, in_the_way=_not_linked(found)) if found else None


def _not_linked(found: Contents) -> str:
    """Why nothing is linked to a disk, in a sentence; empty where its array can do it."""
    serials = Extent.objects.filter(datastore=found.datastore).values("serial")
    volume_set = Volume.objects.filter(serial__in=serials, kind=Volume.Kind.SET).select_related("device").first()
    if volume_set is None:
        return f"{found.name} is on {found.datastore_name}, and not in a volume set: have it copied."
    able = volume_set.device.capabilities.filter(code=LINKED_CLONES, able=True).exists()
    return "" if able else f"{volume_set.device.name} does not link disks in its volume sets: have it copied."


SOURCES = {"image": _image, "disk": _disk, "linked": _linked}


def fitting(size: int, contents: Contents | None) -> int:
    """The size as typed; SizeError where what the disk is made from does not fit into it."""
    if contents is not None and size < contents.size_bytes:
        text = f"{contents.name} has {format_size(contents.size_bytes)}, which do not fit into it."
        raise SizeError("size_small", text, "Make the disk as large at least.")
    return size


def checks_of(wanted: Iterable[Contents | None], hosts: Iterable[Device]) -> list[Check]:
    """Whether what disks are made from can be copied by the hosts that are to run their machines."""
    from_them = {each.identity: each for each in wanted if each is not None}.values()
    chosen = {host.pk: host for host in hosts}
    seen = set(Mount.objects.filter(host__in=chosen).values_list("host_id", "datastore_id"))
    checks = []
    for each in from_them:
        if each.in_the_way:
            checks.append(Check("it can be linked", STOP, each.in_the_way))
        if each.runs:
            text = f"{each.machine} is on: a copy of {each.name} would be of no one moment. Switch it off first."
            checks.append(Check("what is copied stands still", STOP, text))
        blind = sorted(host.name for key, host in chosen.items() if (key, each.datastore) not in seen)
        if blind:
            text = f"{each.name} is on {each.datastore_name}, which is not mounted by {', '.join(blind)}."
            checks.append(Check("hosts see what is copied", STOP, text))
    if from_them and not checks:
        names = ", ".join(sorted(each.name for each in from_them))
        checks.append(Check("hosts see what is copied", PASS, f"{names}: mounted, and nobody writes to it"))
    return checks
