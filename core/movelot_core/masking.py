"""Who is let into a volume, who sees it, who uses it; and the evidence where these disagree."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from movelot_core.fabric.causes import Cause


@dataclass(frozen=True, slots=True)
class VolumeAccess:
    """A volume as its cluster has it: hosts let in, hosts that see a path to it, hosts that mount what is on it."""

    size_bytes: int
    admitted: frozenset[str]
    seen_by: frozenset[str]
    mounted_by: frozenset[str]

    @property
    def used(self) -> bool:
        """Whether any host mounts what is on it."""
        return bool(self.mounted_by)


@dataclass(frozen=True, slots=True)
class SeenBySome:
    """A volume that ``seen`` of a cluster's ``hosts`` see; why each of the others does not, by host."""

    seen: int
    hosts: int
    mounted: int
    blind: tuple[tuple[str, Cause], ...]


def seen_by_some(access: VolumeAccess, hosts: Collection[str], why: Mapping[str, Cause]) -> SeenBySome | None:
    """Evidence for a volume that some hosts of a cluster see and others do not.

    Machines on the hosts that do not see it cannot be restarted elsewhere, nor moved onto it. ``why`` has the first
    failing condition of each host that sees nothing; without one the host has not rescanned.
    """
    blind = sorted(set(hosts) - access.seen_by)
    if not access.seen_by or not blind:
        return None
    causes = tuple((host, why.get(host, Cause.NOT_RESCANNED)) for host in blind)
    return SeenBySome(len(access.seen_by & set(hosts)), len(hosts), len(access.mounted_by), causes)


@dataclass(frozen=True, slots=True)
class NumberedApart:
    """LUN numbers of one volume with the hosts that use each, the number of most hosts first."""

    numbers: tuple[tuple[int, tuple[str, ...]], ...]


def numbered_apart(numbers: Mapping[str, int]) -> NumberedApart | None:
    """Evidence for a volume that the hosts of a cluster have under different LUN numbers, by host.

    Who tells volumes apart by their number on one host takes another for it on the next.

    >>> numbered_apart({"quay-01": 16, "quay-02": 40, "quay-03": 16})
    NumberedApart(numbers=((16, ('quay-01', 'quay-03')), (40, ('quay-02',))))
    """
    hosts: dict[int, list[str]] = {}
    for host in sorted(numbers):
        hosts.setdefault(numbers[host], []).append(host)
    if len(hosts) < 2:
        return None
    usual_first = sorted(hosts.items(), key=lambda item: (-len(item[1]), item[0]))
    return NumberedApart(tuple((number, tuple(named)) for number, named in usual_first))


@dataclass(frozen=True, slots=True)
class Idle:
    """A volume that no host uses: its size, and to how many it is offered all the same."""

    size_bytes: int
    offered: int


def idle(access: VolumeAccess) -> Idle | None:
    """Evidence for a volume that no host uses: offered to nobody, or offered and mounted nowhere.

    Of a file system what is offered are the rules of its exports' client lists.
    """
    return None if access.used else Idle(access.size_bytes, len(access.admitted))


@dataclass(frozen=True, slots=True)
class Leftover:
    """The volumes that an initiator of no linked host is still let into, by name."""

    volumes: tuple[str, ...]


def leftover(initiator: str, known: Collection[str], volumes: Sequence[str]) -> Leftover | None:
    """Evidence for an initiator that an array still knows though it is no linked host's."""
    return None if initiator in known else Leftover(tuple(sorted(volumes)))
