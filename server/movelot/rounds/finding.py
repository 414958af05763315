"""What wants attention, from the stored readings, in the words of core."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from django.core.cache import cache
from django.utils.timezone import now

from movelot.inventory.estates import estate_of, growth_of, hour_name
from movelot.inventory.models import BalanceGroup, Cluster, Datastore, Device, Pool, Volume
from movelot.inventory.paths import seen_paths
from movelot.inventory.plans import clear_plan
from movelot.inventory.sentences import cause_text
from movelot.inventory.store import inventory_version
from movelot_core.fabric.paths import Cause, PathVerdict
from movelot_core.rounds import (
    Finding,
    device_trouble,
    growth_bytes_per_day,
    in_order,
    missing_paths,
    over_fill,
    slow_pools,
)

CACHE_SECONDS = 120


@dataclass
class FoundDraft:
    """The lot that would settle a finding: a kind and a form for the lots API, and what it would do."""

    kind: str
    form: dict[str, Any]
    action: str


def findings() -> list[dict[str, Any]]:
    """All findings as plain values, most urgent first; computed once per change of the inventory."""
    key = f"findings-{inventory_version()}"
    rows = cache.get(key)
    if rows is None:
        rows = [_row(finding) for finding in in_order([*_devices(), *_groups(), *_paths()])]
        cache.set(key, rows, CACHE_SECONDS)
    return list(rows)


def _devices() -> list[Finding]:
    age = now()
    return [
        device_trouble(
            device.name, device.state, device.detail, (age - device.read_at).total_seconds() if device.read_at else None
        )
        for device in Device.objects.exclude(state=Device.State.LINKED)
    ]


def _groups() -> list[Finding]:
    found = []
    for group in BalanceGroup.objects.order_by("name"):
        estate = estate_of(group)
        history = growth_of(estate.store_keys)
        growth = {
            name: growth_bytes_per_day(*history[key])
            for name, key in zip(estate.estate.datastores, estate.store_keys, strict=True)
        }
        found += over_fill(estate.estate, estate.state, growth)
        found += slow_pools(estate.estate, estate.state)
    return found


def _paths() -> list[Finding]:
    """One finding a host: its paths to all volumes offered to it."""
    found = []
    arrays = list(Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"))
    for cluster in Cluster.objects.order_by("name"):
        hosts = list(cluster.devices.filter(kind=Device.Kind.HOST).order_by("name"))
        by_host: dict[str, dict[tuple[str, str, str], PathVerdict]] = {host.name: {} for host in hosts}
        for array in arrays:
            for path in (path for paths in seen_paths(hosts, array) for path in paths):
                # A pair counts once, and as missing if it is missing for any volume.
                key = (array.name, path.port, path.portal)
                if path.missing or key not in by_host[path.host]:
                    by_host[path.host][key] = path
        found += [f for host in hosts if (f := missing_paths(host.name, by_host[host.name].values()))]
    return found


def _row(finding: Finding) -> dict[str, Any]:
    figures = dict(finding.figures)
    reasons = list(finding.reasons)
    draft: FoundDraft | None = None
    if finding.kind in ("over_fill", "slow_pool"):
        group = _group_of(finding)
        plan = clear_plan(group)
        figures |= {"plan_moves": len(plan.moves), "plan_bytes": plan.moved_bytes}
        draft = FoundDraft("balance", {"group": group.name}, "Move disks")
    if finding.kind == "slow_pool":
        figures["peak_hour"], figures["peak_day"] = hour_name(int(figures["peak_hour"] or 0))
    if finding.kind == "missing_paths":
        pairs = [reason.rsplit(":", 1) for reason in finding.reasons]
        reasons = [cause_text(Cause(cause), port) for cause, port in pairs]
        bindable = any(cause in (Cause.TWO_UPLINKS, Cause.STANDBY_UPLINK) for cause, _ in pairs)
        draft = FoundDraft("uplinks", {"host": finding.subject}, "Bind one uplink") if bindable else None
    return {
        "key": finding.key,
        "kind": finding.kind,
        "urgency": str(finding.urgency),
        "subject_kind": finding.subject_kind,
        "subject": finding.subject,
        "subject_id": _subject_id(finding),
        "stage": finding.stage,
        "figures": figures,
        "reasons": reasons,
        "draft": asdict(draft) if draft else None,
    }


def _group_of(finding: Finding) -> BalanceGroup:
    field = "datastores__name" if finding.subject_kind == "datastore" else "datastores__serial__in"
    value: Any = finding.subject
    if finding.subject_kind == "pool":
        value = Volume.objects.filter(pool__name=finding.subject).values("serial")
    return BalanceGroup.objects.filter(**{field: value}).distinct().get()


def _subject_id(finding: Finding) -> int | None:
    models: dict[str, Any] = {"datastore": Datastore, "pool": Pool, "host": Device, "device": Device}
    key: int | None = (
        models[finding.subject_kind].objects.filter(name=finding.subject).values_list("pk", flat=True).first()
    )
    return key
