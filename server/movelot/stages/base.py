"""The contract of a stage: a folder that brings its routes, kinds of lots, findings and jobs, and judges.

A stage is found by one line in ``settings.STAGES``, the module that has its ``STAGE``. Nothing else names it: the API,
Rounds, the lots and the counts of the top strip take what all stages bring.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from importlib import import_module
from typing import Any

from django.conf import settings
from django.urls import URLPattern

from movelot.findings.base import FindingKind
from movelot.findings.judging import Judge
from movelot.jobs.work import AnyJobKind
from movelot.lots.kinds import AnyLotKind

# What a stage does by the clock, every half a minute, told which time it is; quick, as work goes to jobs.
Chore = Callable[[datetime], None]


def nothing() -> list[Any]:
    return []


@dataclass(frozen=True)
class Waiting:
    """What waits for people: open findings by the stage that settles them, and lots under way."""

    findings: Mapping[str, int]
    lots: int


@dataclass(frozen=True)
class Stage:
    """What a stage brings, asked for once the models are there."""

    name: str
    routes: Callable[[], Sequence[URLPattern]] = nothing
    lot_kinds: Callable[[], Sequence[AnyLotKind]] = nothing
    finding_kinds: Callable[[], Sequence[FindingKind[Any]]] = nothing
    judges: Callable[[], Sequence[Judge]] = nothing
    # How many things wait there for people, which the top strip shows at its page; else its findings.
    waits: Callable[[Waiting], int] | None = None
    jobs: Callable[[], Sequence[AnyJobKind]] = nothing
    chores: Callable[[], Sequence[Chore]] = nothing

    def count(self, waiting: Waiting) -> int:
        """How many things wait in this stage."""
        return waiting.findings.get(self.name, 0) if self.waits is None else self.waits(waiting)


@lru_cache(maxsize=1)
def stages() -> tuple[Stage, ...]:
    """All stages, in the order of the settings."""
    return tuple(import_module(name).STAGE for name in settings.STAGES)


def bring(stage: Stage) -> None:
    """Make known what a stage brings."""
    from movelot.findings import judging
    from movelot.findings.base import REGISTRY
    from movelot.jobs import work
    from movelot.lots.kinds import register

    for kind in stage.lot_kinds():
        register(kind)
    REGISTRY.add(stage.finding_kinds())
    judging.register(stage.judges())
    work.register(*stage.jobs())


def routes() -> list[URLPattern]:
    """The addresses of all stages, beneath /api/."""
    return [route for stage in stages() for route in stage.routes()]
