"""LUN numbers under which hosts have a volume."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import F, Max, Min

from movelot.inventory.models import Cluster, HostDevice, Volume


@dataclass(frozen=True)
class NumbersApart:
    """A volume (primary key and name) that hosts of one cluster have under different LUN numbers, by host."""

    volume: int
    name: str
    numbers: dict[str, int]


def numbers_apart(volume: Volume | None = None, cluster: Cluster | None = None) -> Iterator[NumbersApart]:
    """Each such volume of ``cluster``, or whether ``volume`` is one in any; two clusters may well differ."""
    # What an array withdrew stays known to hosts without a path, and has no number.
    rows = HostDevice.objects.filter(device__cluster__isnull=False).exclude(path_set=None)
    if volume is not None:
        rows = rows.filter(serial=volume.serial)
    if cluster is not None:
        rows = rows.filter(device__cluster=cluster)
    apart = (
        rows.values("device__cluster", "serial")
        .annotate(least=Min("lun"), most=Max("lun"))
        .filter(least__lt=F("most"))
        .order_by("serial", "device__cluster__name")
    )
    pairs = list(apart.values_list("device__cluster", "serial"))
    known = Volume.objects.filter(serial__in=[serial for _, serial in pairs])
    things = {serial: (key, name) for serial, key, name in known.values_list("serial", "pk", "name")}
    numbers: dict[tuple[int, str], dict[str, int]] = {pair: {} for pair in pairs}
    there = rows.filter(serial__in=things).order_by("device__name")
    for owner, serial, host, lun in there.values_list("device__cluster", "serial", "device__name", "lun"):
        if (owner, serial) in numbers:
            numbers[owner, serial][host] = lun
    # What is on no array that we know has no name to be found under.
    return (NumbersApart(*things[s], numbers[c, s]) for c, s in pairs if s in things)
