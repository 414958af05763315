"""Lots that switch machines on and off, many at once."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

from movelot.inventory.models import Machine
from movelot.lots.documents import LotForm, LotPlan
from movelot.lots.kinds import PASS, STOP, WARN, Check, Draft, LotKind, MeasuredRow
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import StepSpec
from movelot.lots.steps.power import PowerOff, PowerOn
from movelot_core.units import count_of

NAMED_MAX = 6
# What the host gives a guest to shut down in.
OFF_SECONDS, ON_SECONDS = 40.0, 5.0


@dataclass(frozen=True)
class PowerForm(LotForm):
    """Machines by their primary keys, and what they are to be."""

    machines: list[int] = field(default_factory=list)
    to: Literal["on", "off"] = "off"


@dataclass
class PowerPlan(LotPlan):
    """The machines that are switched, by identity, and how many of them are on before."""

    to: str
    machines: list[str]
    before: int


class PowerKind(LotKind[PowerForm, PowerPlan]):
    """Switches machines on, or off: there the guest is asked first."""

    name, form, plan = "power", PowerForm, PowerPlan

    def drafted(self, form: PowerForm, lot: Lot) -> Draft[PowerForm, PowerPlan]:
        rows = Machine.objects.filter(pk__in=form.machines).select_related("placement__host").order_by("name", "pk")
        chosen = list(rows)
        power = form.to.capitalize()
        others = [machine for machine in chosen if machine.power != power]
        title = _title(form.to, others or chosen)
        if not chosen:
            return Draft(title, checks=[Check("machines are chosen", STOP, "None of them is there any more.")])
        if not others:
            text = f"{_named(chosen)} {'is' if len(chosen) == 1 else 'are'} {form.to} already."
            return Draft(title, checks=[Check("something to change", STOP, text)])
        steps = StepPlan()
        steps.add_all(_step(machine, form.to) for machine in others)
        before = sum(machine.power == "On" for machine in others)
        plan = PowerPlan(form.to, [machine.identity for machine in others], before)
        facts = {f"power of {machine.name}": machine.power for machine in others}
        return Draft(title, steps, plan, [_check(form.to, others)], facts)

    def outcome(self, lot: Lot, plan: PowerPlan) -> list[MeasuredRow]:
        """How many of the machines are on, before and after; and which had to be switched off without their guests."""
        on = Machine.objects.filter(identity__in=plan.machines, power="On").count()
        wanted = len(plan.machines) if plan.to == "on" else 0
        forced = [step.params["machine"] for step in lot.steps.all() if step.result.get("forced")]
        note = f"without its guest, which did not answer: {', '.join(forced)}" if forced else ""
        subject = count_of(len(plan.machines), "machine")
        return [MeasuredRow("machine", subject, "machines that are on", plan.before, wanted, on, note)]


def _title(to: str, machines: list[Machine]) -> str:
    return f"Switch {to} {_named(machines) or 'machines'}"


def _named(machines: list[Machine]) -> str:
    if len(machines) > NAMED_MAX:
        return count_of(len(machines), "machine")
    return ", ".join(machine.name for machine in machines)


def _step(machine: Machine, to: str) -> StepSpec[Any]:
    which = {"machine": machine.name, "identity": machine.identity}
    if to == "on":
        return PowerOn(**which).on(machine.host.name, f"Switch {machine.name} on", seconds=ON_SECONDS)
    detail = "its guest is asked; switched off hard if it does not answer"
    return PowerOff(**which).on(machine.host.name, f"Switch {machine.name} off", detail, seconds=OFF_SECONDS)


def _check(to: str, machines: list[Machine]) -> Check:
    if to == "on":
        return Check("what stops", PASS, f"nothing: {count_of(len(machines), 'machine')} will run")
    return Check("what stops", WARN, f"{_named(machines)}: what runs there ends, and so does what needs it.")
