"""Findings on volume sets: those that hold nearly as many volumes as they allow."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from movelot.inventory.models import Volume
from movelot_core.rounds import Finding
from movelot_core.volume_sets import nearly_full


def set_findings() -> Iterator[Finding]:
    """All of them."""
    sets = list(Volume.objects.filter(kind=Volume.Kind.SET).order_by("name"))
    if not sets:
        return
    held = Counter(Volume.objects.filter(kind=Volume.Kind.MEMBER).values_list("set_serial", flat=True))
    for volume in sets:
        if finding := nearly_full(volume.name, volume.volumes_max, held[volume.serial]):
            yield finding
