"""Moves of disks, and what each is for."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Gain:
    """What one move is for: a datastore brought nearer its ceiling (``kind`` fill), a pool (latency), or a rule.

    Of a rule ``before`` and ``after`` count the disks that would have to lie elsewhere for it to be kept.
    """

    kind: str
    subject: str
    before: float
    after: float
    hour: int | None = None


@dataclass(frozen=True, slots=True)
class Move:
    """A disk's move, by index. ``offloaded``: the array copies, as both ends are its own."""

    disk: int
    source: int
    target: int
    size_bytes: int
    offloaded: bool
    gains: tuple[Gain, ...] = ()
