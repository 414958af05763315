"""How far a cluster reaches an array: paths seen of those expected, counted once for all volumes, and what is worst."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.matrix import MASKED, NOT_MOUNTED, PathMatrix
from movelot_core.rounds import MissingPaths, Urgency


class ReachState(StrEnum):
    """How a cluster stands towards an array."""

    # Every expected path is seen.
    WHOLE = "whole"
    # Some are missing, but more than half of each host's are there.
    PARTIAL = "partial"
    # A host has lost half of its paths or more.
    BROKEN = "broken"
    # Ports and portals share networks, and no volume is offered yet.
    UNUSED = "unused"
    # They share no network: nothing is meant to reach.
    APART = "apart"


@dataclass(frozen=True, slots=True)
class Reach:
    """Pairs of port and portal that are seen and expected, and ``possible`` ones, which share a network.

    ``worst`` is the host that misses the largest share of its paths, with its first cause and the port it is of;
    ``troubled`` counts all hosts that miss any.
    """

    state: ReachState
    seen: int
    expected: int
    possible: int
    troubled: int = 0
    worst: str = ""
    cause: Cause | None = None
    port: str = ""


def reach_of(paths: PathMatrix, missing: Sequence[tuple[str, MissingPaths]]) -> Reach:
    """The reach of all hosts of ``paths``; ``missing`` has the evidence of each host that misses any.

    Example: 6 hosts with 8 paths each, of which one sees 4: 44 of 48, broken, as that host is half gone.
    """
    judged = paths.expected & (paths.cause != MASKED) & (paths.cause != NOT_MOUNTED)
    expected = judged.any(axis=0)
    lost = (judged & paths.missing).any(axis=0)
    possible = int(np.count_nonzero(paths.fabric.wiring[0]))
    counted, seen = int(np.count_nonzero(expected)), int(np.count_nonzero(expected & ~lost))
    if not counted:
        return Reach(ReachState.UNUSED if possible else ReachState.APART, 0, 0, possible)
    if not missing:
        return Reach(ReachState.WHOLE, seen, counted, possible)
    worst, evidence = min(missing, key=lambda row: (row[1].seen / row[1].expected, row[0]))
    cause, port = evidence.causes[0]
    broken = any(each.urgency is Urgency.NOW for _, each in missing)
    state = ReachState.BROKEN if broken else ReachState.PARTIAL
    return Reach(state, seen, counted, possible, len(missing), worst, cause, port)
