"""Timeouts and limits of NFS clients: what arrays recommend, which hosts differ, the lot that sets them together."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from movelot.inventory.files import wanted_settings
from movelot.inventory.models import Device
from movelot.lots.drafting import PASS, STOP, WARN, Check, Draft, DraftKind
from movelot.lots.models import Lot
from movelot.lots.steps.base import StepSpec
from movelot_core.files import SETTINGS, Difference, differing


@dataclass
class LimitRow:
    """A setting of a host that differs from what is recommended."""

    host: str
    setting: str
    label: str
    unit: str
    now: int
    wanted: int


@dataclass
class LimitsPlan:
    """What a lot would set on how many hosts."""

    hosts: list[str]
    rows: list[LimitRow]


def limit_rows(hosts: list[Device]) -> list[LimitRow]:
    """Every setting of ``hosts`` that differs."""
    return [_row(difference) for difference in _differences(hosts)]


def _differences(hosts: list[Device]) -> list[Difference]:
    wanted = {name: value for name, (value, _array) in wanted_settings().items()}
    return differing({host.name: host.file_client for host in hosts}, wanted)


def _row(found: Difference) -> LimitRow:
    label, unit = SETTINGS[found.setting]
    return LimitRow(found.host, found.setting, label, unit, found.now, found.wanted)


def limit_steps(hosts: list[Device]) -> dict[str, StepSpec]:
    """The step that sets what differs, by host."""
    steps: dict[str, StepSpec] = {}
    for host in hosts:
        rows = limit_rows([host])
        if rows:
            detail = ", ".join(
                f"{row.label} {row.now} → {row.wanted}{' ' + row.unit if row.unit else ''}" for row in rows
            )
            params = {
                "wanted": {row.setting: row.wanted for row in rows},
                "before": {row.setting: row.now for row in rows},
            }
            title = f"Set {len(rows)} NFS settings of {host.name}"
            steps[host.name] = StepSpec("set_file_client", host.name, title, detail, params)
    return steps


class FileLimitsKind(DraftKind):
    """Form: cluster (all hosts without one). One step a host sets all that differs."""

    name = "file_limits"

    def drafted(self, form: dict[str, Any], lot: Lot) -> Draft:
        hosts = Device.objects.filter(kind=Device.Kind.HOST).order_by("name")
        if form.get("cluster"):
            hosts = hosts.filter(cluster__name=str(form["cluster"]))
        chosen = list(hosts)
        steps, rows = limit_steps(chosen), limit_rows(chosen)
        plan = LimitsPlan(sorted(steps), rows)
        if not rows:
            check = Check("something to change", STOP, "Every host has the timeouts and limits that are recommended.")
            return Draft("Set NFS timeouts and limits", checks=[check])
        checks = [Check("something to change", PASS, f"{len(rows)} settings on {len(steps)} hosts")]
        lowered = sorted({row.host for row in rows if row.now > row.wanted})
        if lowered:
            text = f"{', '.join(lowered)} get a lower value than now; mounts stay, machines go on."
            checks.append(Check("values that fall", WARN, text))
        facts = {f"{row.label} of {row.host}": str(row.now) for row in rows}
        title = f"Set NFS timeouts and limits of {len(steps)} hosts"
        return Draft(title, list(steps.values()), asdict(plan), checks, facts)

    def outcome(self, lot: Lot) -> dict[str, Any]:
        """Settings that differ, before and after."""
        hosts = list(Device.objects.filter(name__in=lot.plan["hosts"]))
        row = {
            "subject_kind": "cluster",
            "subject": ", ".join(lot.plan["hosts"]),
            "figure": "NFS settings that differ",
            "before": len(lot.plan["rows"]),
            "predicted": 0,
            "measured": len(limit_rows(hosts)),
            "note": "",
        }
        return {"rows": [row]}
