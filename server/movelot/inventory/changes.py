"""What a reading changed: told to whoever judges, so that only that is judged anew."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from django.db import transaction

from movelot.inventory.readings import ArrayReading, HostReading, Row
from movelot.inventory.versions import EVERYTHING, renew


class Aspect(StrEnum):
    """A part of what is known: what is judged by one must not be judged anew for another."""

    # Ports, portals, masking, devices, mounts: all that paths are judged by.
    FABRIC = "fabric"
    # Sizes, and where machines and disks are.
    SPACE = "space"
    # How file storage is mounted and set.
    FILES = "files"
    # Whether a device answers, and its clock.
    STATE = "state"
    # What was measured.
    LOAD = "load"
    # What people said: labels, policies. No reading changes it.
    SAID = "said"
    # The latency of pools at their slowest hours, as judged from the groups on them.
    PEAKS = "peaks"
    # Which disks may be where by their policies, as judged from all others.
    POLICY = "policy"


# What is told of the whole and of no device.
OF_THE_WHOLE = (Aspect.SAID, Aspect.PEAKS, Aspect.POLICY)


@dataclass(frozen=True)
class Change:
    """An aspect of a device that is another one now: its kind, primary key, and a host's cluster."""

    aspect: Aspect
    kind: str
    device: int
    cluster: int | None = None

    @property
    def parts(self) -> list[str]:
        """The versions that it outdates."""
        if self.aspect in OF_THE_WHOLE:
            return [str(self.aspect)]
        owner = f"cluster-{self.cluster}" if self.kind == "host" else "arrays"
        return [str(self.aspect), f"{self.aspect}-{owner}"]


# It is given None where everything may have changed.
Listener = Callable[[Sequence[Change] | None], None]
_LISTENERS: list[Listener] = []


def listen(listener: Listener) -> None:
    """Have ``listener`` told of all changes, inside the transaction that stores them."""
    _LISTENERS.append(listener)


def tell(changes: Sequence[Change]) -> None:
    """Tell those who judge, inside the transaction that stores what changed.

    What rests on it is let go once that is stored, and before anybody judges: who judges must not find what was
    computed from before.
    """
    if not changes:
        return
    transaction.on_commit(lambda: outdate(changes))
    for listener in _LISTENERS:
        listener(changes)


def people_said(what: str, key: int) -> None:
    """Tell that people said something else of a thing: its kind and primary key."""
    tell([Change(Aspect.SAID, what, key)])


def outdate(changes: Sequence[Change]) -> None:
    """Let go what rests on ``changes``."""
    renew({part for change in changes for part in change.parts})


def outdate_within(changes: Sequence[Change]) -> None:
    """Let it go for what a transaction around this one still computes itself."""
    if changes and transaction.get_connection().in_atomic_block:
        outdate(changes)


def everything_changed() -> None:
    """Let go all that was computed and have it judged anew, as after an upgrade or an import."""
    renew([EVERYTHING])
    for listener in _LISTENERS:
        listener(None)


SIZES = {"capacity_bytes", "allocated_bytes", "subscribed_bytes", "reduced_bytes", "free_bytes", "other_bytes"}
# A resource's tag changes with whatever is in it.
FLEETING = {*SIZES, "etag"}


def digests(reading: ArrayReading | HostReading) -> dict[str, str]:
    """A digest of each aspect that a reading has, equal where it says the same."""
    parts = _of_array(reading) if isinstance(reading, ArrayReading) else _of_host(reading)
    return {str(aspect): hashlib.sha256(repr(values).encode()).hexdigest()[:16] for aspect, values in parts.items()}


def _lasting(rows: Iterable[Row]) -> list[list[tuple[str, Any]]]:
    return [sorted((name, value) for name, value in row.items() if name not in FLEETING) for row in rows]


def _of_array(reading: ArrayReading) -> dict[Aspect, Any]:
    volumes = _lasting(reading.volumes)
    ends = _lasting(reading.portals), _lasting(reading.initiators), _lasting(reading.zones)
    masking = _lasting(reading.offers), _lasting(reading.exports)
    return {
        Aspect.FABRIC: [reading.nqn, reading.target, ends, volumes, masking],
        Aspect.SPACE: [reading.pools, reading.volumes, reading.drive_groups, reading.copy_bytes_per_second],
        Aspect.FILES: [reading.file_client, volumes, masking[1]],
    }


def _of_host(reading: HostReading) -> dict[Aspect, Any]:
    mounts = [
        (row["identity"], [each["serial"] for each in row["extents"]], row["name"], row["mount"])
        for row in reading.datastores
    ]
    raw = [(disk["raw_serial"], row["name"]) for row in reading.machines for disk in row["disks"] if disk["raw_serial"]]
    names = reading.cluster, reading.initiator, reading.nqn, reading.subsystems, reading.sessions, reading.chap
    stores = [{**row, "mount": None} for row in reading.datastores]
    return {
        Aspect.FABRIC: [names, _lasting(reading.ports), _lasting(reading.devices), mounts, raw],
        Aspect.SPACE: [
            stores,
            reading.machines,
            reading.images,
            reading.loose_disks,
            [row["identity"] for row in stores],
            reading.cluster,
        ],
        Aspect.FILES: [reading.file_client, mounts],
    }
