"""Who is let into a volume, who sees it, who uses it; and the findings where these disagree."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from movelot_core.fabric.paths import Cause
from movelot_core.rounds import Finding, Urgency


@dataclass(frozen=True, slots=True)
class Sight:
    """A volume as its cluster has it: hosts let in, hosts that see a path to it, hosts that mount what is on it."""

    volume: str
    size_bytes: int
    admitted: frozenset[str]
    seen_by: frozenset[str]
    mounted_by: frozenset[str]

    @property
    def used(self) -> bool:
        return bool(self.mounted_by)


def seen_by_some(sight: Sight, hosts: Collection[str], why: Mapping[str, Cause]) -> Finding | None:
    """A finding for a volume that some hosts of a cluster see and others do not, with the reason by host.

    Machines on the hosts that do not see it cannot be restarted elsewhere, nor moved onto it. ``why`` has the first
    failing condition of each host that sees nothing; without one the host has not rescanned.
    """
    blind = sorted(set(hosts) - sight.seen_by)
    if not sight.seen_by or not blind:
        return None
    figures: dict[str, float | int | str | None] = {
        "seen": len(sight.seen_by & set(hosts)),
        "hosts": len(hosts),
        "mounted": len(sight.mounted_by),
    }
    reasons = tuple(f"{why.get(host, Cause.NOT_RESCANNED)}:{host}" for host in blind)
    return Finding("seen_by_some", Urgency.SOON, "volume", sight.volume, "attach", figures, reasons)


def hosts_by_number(numbers: Mapping[str, int]) -> tuple[str, ...]:
    """LUN numbers with the hosts that use each, the one of most hosts first.

    >>> hosts_by_number({"quay-01": 16, "quay-02": 40, "quay-03": 16})
    ('16 on quay-01, quay-03', '40 on quay-02')
    """
    hosts: dict[int, list[str]] = {}
    for host in sorted(numbers):
        hosts.setdefault(numbers[host], []).append(host)
    usual_first = sorted(hosts.items(), key=lambda item: (-len(item[1]), item[0]))
    return tuple(f"{number} on {', '.join(named)}" for number, named in usual_first)


def numbered_apart(volume: str, cluster: str, numbers: Mapping[str, int]) -> Finding | None:
    """A finding for a volume that the hosts of a cluster have under different LUN numbers, by host.

    Who tells volumes apart by their number on one host takes another for it on the next.
    """
    if len(set(numbers.values())) < 2:
        return None
    figures: dict[str, float | int | str | None] = {"cluster": cluster, "numbers": len(set(numbers.values()))}
    reasons = hosts_by_number(numbers)
    return Finding("numbered_apart", Urgency.SOON, "volume", volume, "attach", figures, reasons, cluster)


def idle(sight: Sight, kind: str = "block") -> Finding | None:
    """A finding for a volume that no host uses: offered to nobody, or offered and mounted nowhere.

    Of ``kind`` file it is an export no one mounts; what is admitted then are the rules of its client list.
    """
    if sight.used:
        return None
    figures: dict[str, float | int | str | None] = {
        "size_bytes": sight.size_bytes,
        "kind": kind,
        "offered": len(sight.admitted),
        "seen": len(sight.seen_by),
    }
    return Finding("idle_volume", Urgency.NOTE, "volume", sight.volume, "attach", figures)


def leftover(initiator: str, array: str, known: Collection[str], volumes: Sequence[str]) -> Finding | None:
    """A finding for an initiator that an array still knows though it is no linked host's, with what it is let into."""
    if initiator in known:
        return None
    figures: dict[str, float | int | str | None] = {"array": array, "volumes": len(volumes)}
    return Finding(
        "leftover_initiator",
        Urgency.SOON if volumes else Urgency.NOTE,
        "initiator",
        initiator,
        "attach",
        figures,
        tuple(sorted(volumes)),
    )
