"""Judging capacity: the ledger and runway of everything, and what of it wants attention."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

from movelot.capacity.findings import DIFFERENCE, LEFT_BEHIND, OVERSUBSCRIBED, RUNS_OUT
from movelot.capacity.findings.difference import DifferenceEvidence
from movelot.capacity.findings.left_behind import LeftBehindEvidence
from movelot.capacity.findings.oversubscribed import OversubscribedEvidence
from movelot.capacity.findings.runs_out import RunsOutEvidence
from movelot.capacity.known import Uses, uses
from movelot.capacity.left_behind import left_behind
from movelot.capacity.reclaim import RECLAIMERS
from movelot.capacity.rows import (
    CURVES,
    KEPT_CURVES,
    KEPT_MEMBERS,
    KEPT_PASTS,
    KEPT_RECLAIMS,
    MEMBERS,
    NAME,
    PASTS,
    RECLAIMS,
    ROWS,
    CapacityRow,
    ReclaimRow,
    all_rows,
)
from movelot.capacity.shares import NAME as SHARES_NAME
from movelot.capacity.shares import SHARES, keep_days, shares
from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge, keep
from movelot.inventory.changes import Aspect
from movelot.inventory.models import RoomWatch
from movelot.inventory.versions import version

# As many as a page shows.
RECLAIMS_MAX = 500
# Smaller differences are readings of different moments.
DIFFERENCE_SHARE, DIFFERENCE_BYTES = 0.01, 2**30


class CapacityJudge(Judge):
    """One scope: what is summed up over arrays and policies is told of all at once."""

    name = "capacity"
    aspects = frozenset({Aspect.SPACE, Aspect.LOAD, Aspect.SAID, Aspect.POLICY})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        rests_on = version(*map(str, sorted(self.aspects)))
        known = uses()
        told = all_rows(known)
        keep(NAME, rests_on, ROWS.dump_python(told.rows, mode="json"))
        keep(CURVES, rests_on, KEPT_CURVES.dump_python(told.curves, mode="json"))
        keep(PASTS, rests_on, KEPT_PASTS.dump_python(told.pasts, mode="json"))
        keep(MEMBERS, rests_on, KEPT_MEMBERS.dump_python(told.members, mode="json"))
        keep(RECLAIMS, rests_on, KEPT_RECLAIMS.dump_python(_reclaims(known, moment), mode="json"))
        shared = shares(known)
        keep(SHARES_NAME, rests_on, SHARES.dump_python(shared, mode="json"))
        keep_days(shared, moment.astimezone(UTC).date())
        watch = RoomWatch.now()
        return [
            *_runs_out(told.rows, watch.runway_days),
            *_oversubscribed(told.rows, watch.promised_percent / 100),
            *_differences(told.rows),
            *_left_behind(known),
        ]


def _reclaims(known: Uses, moment: datetime) -> list[ReclaimRow]:
    """What could come back, the most bytes first."""
    found = [
        ReclaimRow(
            kind=reclaimer.name,
            title=reclaimer.title,
            what=gain.what,
            place=gain.place,
            size_bytes=gain.size_bytes,
            certainty=gain.certainty,
            cost=gain.cost,
            draft=gain.remedy,
            look=gain.look,
            typed=gain.typed,
            frees=dict(gain.frees),
            hours=gain.hours,
            deletes=gain.deletes,
        )
        for reclaimer in RECLAIMERS
        for gain in reclaimer.gains(known, moment)
    ]
    return sorted(found, key=lambda row: (-row.size_bytes, row.what))[:RECLAIMS_MAX]


def _subject(row: CapacityRow) -> Subject:
    return Subject(row.kind, row.id, row.name)


def _runs_out(rows: Sequence[CapacityRow], warned_days: int) -> Iterator[Found[RunsOutEvidence]]:
    for row in rows:
        # A datastore that is over its ceiling is told of by its group, with the moves that clear it.
        watched = row.kind == "pool" or (row.kind == "datastore" and row.early != 0)
        if watched and row.early is not None and row.early <= warned_days:
            evidence = RunsOutEvidence(
                row.kind, row.of, row.early, row.likely, row.late, row.ceiling, row.growth_bytes or 0
            )
            yield Found(RUNS_OUT, _subject(row), evidence)


def _oversubscribed(rows: Sequence[CapacityRow], most: float) -> Iterator[Found[OversubscribedEvidence]]:
    for row in rows:
        if row.kind == "pool" and (row.subscribed_bytes or 0) > most * row.capacity_bytes:
            evidence = OversubscribedEvidence(row.of, row.subscribed_bytes or 0, row.capacity_bytes, row.early)
            yield Found(OVERSUBSCRIBED, _subject(row), evidence)


def _differences(rows: Sequence[CapacityRow]) -> Iterator[Found[DifferenceEvidence]]:
    for row in rows:
        least = max(DIFFERENCE_BYTES, DIFFERENCE_SHARE * row.capacity_bytes)
        if row.kind in ("pool", "datastore") and abs(row.difference_bytes) > least:
            yield Found(DIFFERENCE, _subject(row), DifferenceEvidence(row.kind, row.of, row.difference_bytes))


def _left_behind(known: Uses) -> Iterator[Found[LeftBehindEvidence]]:
    for each in left_behind(known):
        volume, store = each.volume, each.datastore
        evidence = LeftBehindEvidence(store.name, volume.size_bytes, each.missing_bytes, volume.pk)
        yield Found(LEFT_BEHIND, Subject("datastore", store.pk, store.name), evidence)
