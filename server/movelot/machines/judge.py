"""Keeps a row of figures for each machine, so that lists of thousands are sorted and filtered by the database."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np
from django.db.models import Count, Sum
from numpy.typing import NDArray

from movelot.findings.base import Found
from movelot.findings.judging import Judge
from movelot.inventory.bulk import insert
from movelot.inventory.changes import Aspect
from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import Compliance, Disk, Machine, MachineSnapshot, MachineSummary, SnapshotPart
from movelot.inventory.placement import pools_by_store
from movelot.inventory.profiles import hourly_iops
from movelot.placement.places import pool_peaks
from movelot_core.latency import HOURS

WORST_FIRST = (Compliance.State.OUT, Compliance.State.UNKNOWN, Compliance.State.IN)
TEXT_MAX = 200
COLUMNS = tuple(
    each.attname for each in MachineSummary._meta.concrete_fields if each.attname not in ("id", "machine_id")
)


class MachineJudge(Judge):
    """One scope: a machine may be anywhere."""

    name = "machines"
    aspects = frozenset({Aspect.SPACE, Aspect.LOAD, Aspect.SAID, Aspect.PEAKS, Aspect.POLICY})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        keep_summaries()
        return []


@dataclass
class _Sums:
    """What is added up over the disks of a machine."""

    disks: int = 0
    provisioned: int = 0
    written: int | None = 0
    load: NDArray[np.float64] = field(default_factory=lambda: np.zeros(HOURS))
    latency_ms: float | None = None


def keep_summaries() -> None:
    """Write the figures of all machines; only what is another one now is written."""
    sums, policies = _over_disks(), _policies()
    snapshots = dict(MachineSnapshot.objects.values_list("machine_id").annotate(n=Count("pk")).order_by())
    held = SnapshotPart.objects.values_list("snapshot__machine_id").annotate(held=Sum("held_bytes")).order_by()
    held_by = dict(held)
    labels = labels_by_thing("machine")
    before = {machine: told for machine, *told in MachineSummary.objects.values_list("machine_id", *COLUMNS)}
    rows = []
    for machine in Machine.objects.order_by("pk").values_list("pk", flat=True):
        told = {
            **_figures(sums.get(machine) or _Sums()),
            **_standing(policies.get(machine, {})),
            "snapshots": snapshots.get(machine, 0),
            "snapshot_bytes": held_by.get(machine, 0),
            "labels": ", ".join(f"{key}={value}" for key, value in sorted(labels.get(machine, {}).items()))[:TEXT_MAX],
        }
        if before.pop(machine, None) != [told[name] for name in COLUMNS]:
            rows.append({"machine_id": machine, **told})
    MachineSummary.objects.filter(machine__in=before).delete()
    insert(MachineSummary, rows, COLUMNS)


def _over_disks() -> dict[int, _Sums]:
    pools, peaks = pools_by_store(), pool_peaks()
    found: dict[int, _Sums] = defaultdict(_Sums)
    columns = "machine_id", "size_bytes", "written_bytes", "placement__datastore_id", "weekday_profile"
    for machine, size, written, store, profile in Disk.objects.values_list(*columns).iterator(chunk_size=5000):
        mine = found[machine]
        mine.disks += 1
        mine.provisioned += size
        mine.written = None if written is None or mine.written is None else mine.written + written
        mine.load += hourly_iops(profile)
        peak = peaks.get(pools.get(store, 0))
        if peak is not None:
            mine.latency_ms = max(peak, mine.latency_ms or 0.0)
    return found


def _figures(mine: _Sums) -> dict[str, Any]:
    busiest = int(np.argmax(mine.load))
    iops = round(float(mine.load[busiest]), 1)
    return {
        "disks": mine.disks,
        "provisioned_bytes": mine.provisioned,
        "written_bytes": mine.written,
        "peak_iops": iops,
        "peak_hour": busiest if iops else None,
        "latency_ms": None if mine.latency_ms is None else round(mine.latency_ms, 2),
    }


def _policies() -> dict[int, dict[str, list[str]]]:
    """By machine and state, the policies of its disks."""
    found: dict[int, dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
    rows = Compliance.objects.order_by("policy__name").values_list("disk__machine_id", "state", "policy__name")
    for machine, state, policy in rows:
        found[machine][state].append(policy)
    return found


def _standing(by_state: Mapping[str, list[str]]) -> dict[str, Any]:
    named = sorted({policy for policies in by_state.values() for policy in policies})
    return {
        "state": str(next((state for state in WORST_FIRST if by_state.get(state)), "")),
        "out": len(by_state.get(Compliance.State.OUT, [])),
        "policies": ", ".join(named)[:TEXT_MAX],
    }
