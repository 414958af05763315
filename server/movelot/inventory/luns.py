"""LUN numbers under which hosts have a volume."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import F, Max, Min

from movelot.inventory.models import HostDevice, Volume


@dataclass(frozen=True)
class NumbersApart:
    """A volume that hosts of one cluster have under different LUN numbers, and the number by host."""

    cluster: str
    volume: str
    numbers: dict[str, int]


def numbers_apart(volume: Volume | None = None) -> Iterator[NumbersApart]:
    """Each such volume, or whether ``volume`` is one; a cluster each. Two clusters may well number it differently."""
    # What an array withdrew stays known to hosts without a path, and has no number.
    rows = HostDevice.objects.filter(device__cluster__isnull=False).exclude(paths=[])
    if volume is not None:
        rows = rows.filter(serial=volume.serial)
    apart = (
        rows.values("device__cluster__name", "serial")
        .annotate(least=Min("lun"), most=Max("lun"))
        .filter(least__lt=F("most"))
        .order_by("serial", "device__cluster__name")
    )
    pairs = list(apart.values_list("device__cluster__name", "serial"))
    names = dict(Volume.objects.filter(serial__in=[serial for _, serial in pairs]).values_list("serial", "name"))
    numbers: dict[tuple[str, str], dict[str, int]] = {pair: {} for pair in pairs}
    there = rows.filter(serial__in=names).order_by("device__name")
    for cluster, serial, host, lun in there.values_list("device__cluster__name", "serial", "device__name", "lun"):
        if (cluster, serial) in numbers:
            numbers[cluster, serial][host] = lun
    # What is on no array that we know has no name to be found under.
    return (NumbersApart(c, names[serial], numbers[c, serial]) for c, serial in pairs if serial in names)
