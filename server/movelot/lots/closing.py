"""How a lot ends: its devices are read anew, and its last state follows from its steps."""

from __future__ import annotations

import logging
from collections import Counter
from contextlib import AbstractContextManager
from dataclasses import asdict
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils.timezone import now

from movelot.devices.reading import reread
from movelot.inventory.models import Device, Extent, Volume
from movelot.jobs.locks import held
from movelot.lots.holding import let_go
from movelot.lots.kinds import MeasuredRow, kind_of
from movelot.lots.models import Lot, Step
from movelot.lots.steps import KINDS
from movelot.problems import Problem

log = logging.getLogger(__name__)


def sole_driver(lot_key: int) -> AbstractContextManager[bool]:
    """Whether this connection now is the lot's only driver; held until the block ends or the connection dies."""
    return held(f"lot-{lot_key}")


def close(lot: Lot) -> None:
    """Read the lot's devices again, measure, and set its last state. It keeps the devices of unknown steps."""
    reread(_changed(lot))
    lot.refresh_from_db()
    states = Counter(lot.steps.values_list("state", flat=True))
    lot.state = _end_of(lot.state, states)
    if lot.state == Lot.State.DONE:
        _carry_over(lot)
    lot.outcome = {"rows": _outcome(lot) if lot.state == Lot.State.DONE else []}
    lot.ended_at = now()
    with transaction.atomic():
        lot.save()
        let_go(lot)
    log.info("lot %s: %s, %s of %s steps done", lot.pk, lot.state, states[Step.State.DONE], states.total())


def _changed(lot: Lot) -> QuerySet[Device]:
    """The devices of its steps, and arrays whose volume sets have other volumes by what hosts did."""
    steps = Q(step__lot=lot)
    acting = [name for name, kind in KINDS.items() if kind.changes_sets]
    hosts = lot.steps.filter(kind__in=acting).values("device")
    mounted = Extent.objects.filter(datastore__mounts__host__in=hosts).values("serial")
    sets = Volume.objects.filter(kind=Volume.Kind.SET, serial__in=mounted)
    return Device.objects.filter(steps | Q(pk__in=sets.values("device"))).distinct()


def _end_of(before: str, states: Counter[str]) -> str:
    """Done with all steps done; failed where one failed, or is unknown though nobody halted the lot; else halted."""
    if set(states) <= {Step.State.DONE}:
        return Lot.State.DONE
    halted = before in (Lot.State.HALTING, Lot.State.HALTED)
    if states[Step.State.FAILED] or (states[Step.State.UNKNOWN] and not halted):
        return Lot.State.FAILED
    return Lot.State.HALTED


def _carry_over(lot: Lot) -> None:
    kind = kind_of(lot.kind)
    try:
        plan = kind.plan_of(lot)
    except Problem as problem:
        log.warning("lot %s: nothing is carried over: %s", lot.pk, problem.title)
        return
    if plan:
        kind.carry_over(plan)


def _outcome(lot: Lot) -> list[dict[str, Any]]:
    """What was predicted beside what is measured now."""
    kind = kind_of(lot.kind)
    try:
        plan = kind.plan_of(lot)
        rows = kind.outcome(lot, plan) if plan else []
    except Problem as problem:
        # What ran has run, whether or not it can be said what was expected of it.
        log.warning("lot %s: its outcome is not measured: %s", lot.pk, problem.title)
        rows = [MeasuredRow("lot", str(lot.pk), "outcome", None, None, None, f"not measured: {problem.title}")]
    return [asdict(row) for row in rows]
