"""What wants attention, from the stored readings, in the words of core."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from django.core.cache import cache
from django.utils.timezone import now

from movelot.inventory.estates import estate_of, growth_of, hour_name
from movelot.inventory.models import BalanceGroup, Datastore, Device, Pool, Volume
from movelot.inventory.plans import clear_plan
from movelot.inventory.sentences import cause_text
from movelot.inventory.store import inventory_version
from movelot.lots.drafting import Remedy
from movelot.rounds.files import file_findings
from movelot.rounds.paths import path_findings
from movelot.rounds.sets import set_findings
from movelot_core.fabric.paths import Cause
from movelot_core.files import SETTINGS
from movelot_core.rounds import (
    Finding,
    clock_off,
    device_trouble,
    growth_bytes_per_day,
    in_order,
    over_fill,
    slow_pools,
)

CACHE_SECONDS = 120
# The kind of lot that settles a finding, the field of its form that names the subject, and what it does.
SETTLED_BY = {
    "seen_by_some": ("spread", "volume", "Let all hosts see it"),
    "idle_volume": ("detach", "volume", "Delete the volume"),
    "spelled_apart": ("mount_alike", "volume", "Mount it alike"),
    "versions_apart": ("mount_alike", "volume", "Mount it alike"),
    "leftover_initiator": ("initiator", "initiator", "Remove the initiator"),
}


def findings() -> list[dict[str, Any]]:
    """All findings as plain values, most urgent first; computed once per change of the inventory."""
    key = f"findings-{inventory_version()}"
    rows = cache.get(key)
    if rows is None:
        found = [*_devices(), *_groups(), *path_findings(), *file_findings(), *set_findings()]
        rows = [_row(finding) for finding in in_order(found)]
        cache.set(key, rows, CACHE_SECONDS)
    return list(rows)


def _devices() -> list[Finding]:
    age = now()
    away = [
        device_trouble(
            device.name, device.state, device.detail, (age - device.read_at).total_seconds() if device.read_at else None
        )
        for device in Device.objects.exclude(state__in=[Device.State.LINKED, Device.State.IMPORTED])
    ]
    clocks = Device.objects.order_by("name").values_list("name", "clock_offset_seconds")
    return away + [found for name, offset in clocks if (found := clock_off(name, offset))]


def _groups() -> list[Finding]:
    found = []
    for group in BalanceGroup.objects.filter(datastores__isnull=False).distinct().order_by("name"):
        estate = estate_of(group)
        history = growth_of(estate.store_keys)
        growth = {
            name: growth_bytes_per_day(*history[key])
            for name, key in zip(estate.estate.datastores, estate.store_keys, strict=True)
        }
        judged = [*over_fill(estate.estate, estate.state, growth), *slow_pools(estate.estate, estate.state)]
        # Two groups may share a pool, and each is over its own ceiling.
        found += [replace(finding, scope=group.name) for finding in judged]
    return found


def _row(finding: Finding) -> dict[str, Any]:
    figures = dict(finding.figures)
    reasons = list(finding.reasons)
    draft: Remedy | None = None
    if finding.kind in ("over_fill", "slow_pool"):
        group = BalanceGroup.objects.get(name=finding.scope)
        plan = clear_plan(group)
        figures |= {"plan_moves": len(plan.moves), "plan_bytes": plan.moved_bytes}
        draft = Remedy("balance", {"group": group.name}, "Move disks")
    if finding.kind == "slow_pool":
        figures["peak_hour"], figures["peak_day"] = hour_name(int(figures["peak_hour"] or 0))
    if finding.kind in ("missing_paths", "seen_by_some"):
        pairs = [reason.rsplit(":", 1) for reason in finding.reasons]
        reasons = list(dict.fromkeys(cause_text(Cause(cause), port) for cause, port in pairs))
        if finding.kind == "seen_by_some":
            reasons = [f"{host}: {cause_text(Cause(cause), 'its interface')}" for cause, host in pairs]
        if finding.kind == "missing_paths":
            draft = _path_draft(finding, {cause for cause, _ in pairs})
    if finding.kind == "no_interface" and figures["what"] == "interface":
        form = {part: figures[part] for part in ("cluster", "array")}
        draft = Remedy("interfaces", form, "Make the interface")
    if finding.kind == "file_limits":
        reasons = _limit_texts(finding.reasons)
        draft = Remedy("file_limits", {}, "Set them together")
    if finding.kind in SETTLED_BY:
        kind, field, action = SETTLED_BY[finding.kind]
        named = finding.subject if field == "initiator" else _subject_id(finding)
        other = {"file": "Delete the export", "set": "Delete the volume set"}
        draft = Remedy(kind, {field: named}, other.get(str(finding.figures.get("kind")), action))
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


def _path_draft(finding: Finding, causes: set[str]) -> Remedy | None:
    """The lot that brings paths back, where the host's own settings or nothing stands in their way."""
    if causes & {Cause.TWO_UPLINKS, Cause.STANDBY_UPLINK}:
        return Remedy("uplinks", {"host": finding.subject}, "Bind one uplink")
    if Cause.FRAME in causes:
        return Remedy("frames", {"host": finding.subject, "array": finding.scope}, "Set the frame size")
    if Cause.CHAP in causes:
        form = {"cluster": finding.figures["cluster"], "array": finding.scope, "host": finding.subject}
        return Remedy("chap", form, "Set CHAP on both sides")
    found_by = {
        Cause.NOT_LOGGED_IN: "Log in to the array",
        Cause.NOT_RESCANNED: "Rescan the host",
        Cause.NOT_CONNECTED: "Connect the host",
    }
    for cause, action in found_by.items():
        if cause in causes:
            return Remedy("find_paths", {"host": finding.subject, "array": finding.scope}, action)
    return None


def _limit_texts(reasons: tuple[str, ...]) -> list[str]:
    """One text a host: each setting that differs as it is, and as it should be."""
    texts: dict[str, list[str]] = {}
    for reason in reasons:
        host, setting, now_, wanted = reason.rsplit(":", 3)
        label, unit = SETTINGS[setting]
        texts.setdefault(host, []).append(f"{label} {now_} for {wanted} {unit}".strip())
    return [f"{host}: {', '.join(each)}" for host, each in texts.items()]


def _subject_id(finding: Finding) -> int | None:
    models: dict[str, Any] = {
        "datastore": Datastore,
        "pool": Pool,
        "volume": Volume,
        "host": Device,
        "array": Device,
        "device": Device,
    }
    if finding.subject_kind not in models:
        return None
    # A name that two devices share names neither: a lot must not be drafted on the wrong one.
    keys = list(models[finding.subject_kind].objects.filter(name=finding.subject).values_list("pk", flat=True)[:2])
    return keys[0] if len(keys) == 1 else None
