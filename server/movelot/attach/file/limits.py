"""Timeouts and limits of NFS clients: what arrays recommend, which hosts differ, the lot that sets them together."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from movelot.inventory.exports import wanted_settings
from movelot.inventory.models import Device
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.file_systems import SetFileClient
from movelot_core.nfs import SETTINGS, Difference, differing
from movelot_core.units import count_of


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
class LimitsPlan(LotPlan):
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


def limit_steps(hosts: list[Device]) -> dict[str, StepSpec[Any]]:
    """The step that sets what differs, by host."""
    steps: dict[str, StepSpec[Any]] = {}
    for host in hosts:
        rows = limit_rows([host])
        if rows:
            detail = ", ".join(
                f"{row.label} {row.now} → {row.wanted}{' ' + row.unit if row.unit else ''}" for row in rows
            )
            set_them = SetFileClient(
                wanted={row.setting: row.wanted for row in rows}, before={row.setting: row.now for row in rows}
            )
            title = f"Set {count_of(len(rows), 'NFS setting')} of {host.name}"
            steps[host.name] = set_them.on(host.name, title, detail)
    return steps


@dataclass(frozen=True)
class LimitsForm(LotForm):
    """The hosts of a cluster; without one all hosts."""

    cluster: str = names("cluster")


class FileLimitsKind(LotKind[LimitsForm, LimitsPlan]):
    """One step a host sets all that differs."""

    name, form, plan = "file_limits", LimitsForm, LimitsPlan

    def drafted(self, form: LimitsForm, lot: Lot) -> Draft[LimitsForm, LimitsPlan]:
        hosts = Device.objects.filter(kind=Device.Kind.HOST).order_by("name")
        if form.cluster:
            hosts = hosts.filter(cluster__name=form.cluster)
        chosen = list(hosts)
        steps, rows = limit_steps(chosen), limit_rows(chosen)
        plan = LimitsPlan(sorted(steps), rows)
        if not rows:
            check = Check("something to change", STOP, "Every host has the timeouts and limits that are recommended.")
            return Draft("Set NFS timeouts and limits", checks=[check])
        checks = [
            Check("something to change", PASS, f"{count_of(len(rows), 'setting')} on {count_of(len(steps), 'host')}")
        ]
        lowered = sorted({row.host for row in rows if row.now > row.wanted})
        if lowered:
            text = f"{', '.join(lowered)} get a lower value than now; mounts stay, machines go on."
            checks.append(Check("values that fall", WARN, text))
        facts = {f"{row.label} of {row.host}": str(row.now) for row in rows}
        title = f"Set NFS timeouts and limits of {count_of(len(steps), 'host')}"
        plan_of_steps = StepPlan()
        plan_of_steps.add_all(steps.values())
        return Draft(title, plan_of_steps, plan, checks, facts)

    def outcome(self, lot: Lot, plan: LimitsPlan) -> list[MeasuredRow]:
        """Settings that differ, before and after."""
        hosts = list(Device.objects.filter(name__in=plan.hosts))
        figure, left = "NFS settings that differ", len(limit_rows(hosts))
        return [MeasuredRow("cluster", ", ".join(plan.hosts), figure, len(plan.rows), 0, left)]
