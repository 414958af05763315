"""A stage that is made up: all that a stage may bring, in one file, known by one line in the settings."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from movelot.findings.base import FindingKind, Found, Subject, Words
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect
from movelot.inventory.models import Device
from movelot.lots.documents import LotForm, LotPlan, names
from movelot.lots.kinds import Draft, LotKind, MeasuredRow, Remedy
from movelot.lots.models import Lot
from movelot.lots.step_plan import StepPlan
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec
from movelot.lots.steps.values import Result
from movelot.stages.base import Stage
from movelot_core.rounds import Urgency


class Rung(Result):
    times: int


class RingBell(StepKind[Rung]):
    """Ring the bell of a host so many times."""

    kind = "ring_bell"
    proof = "the bell was heard"

    times: int

    def begin(self, run: StepRun[Rung]) -> Progress[Rung]:
        run.session.get("/redfish/v1/Systems")
        return Progress(True, Rung(times=self.times))

    def verify(self, run: StepRun[Rung], result: Rung) -> None:
        """It was heard."""

    def undo(self, result: Rung) -> StepSpec[Any]:
        return RingBell(times=-result.times).on("", "Unring it")


@dataclass(frozen=True)
class BellForm(LotForm):
    """The host whose bell is rung."""

    host: str = names("host")


@dataclass
class BellPlan(LotPlan):
    """The host, and how often its bell is rung."""

    host: str
    times: int


class BellKind(LotKind[BellForm, BellPlan]):
    """Rings a bell."""

    name, form, plan = "bell", BellForm, BellPlan

    def drafted(self, form: BellForm, lot: Lot) -> Draft[BellForm, BellPlan]:
        steps = StepPlan()
        steps.add(RingBell(times=2).on(form.host, f"Ring the bell of {form.host}"))
        return Draft(f"Ring at {form.host}", steps, BellPlan(form.host, 2))

    def outcome(self, lot: Lot, plan: BellPlan) -> list[MeasuredRow]:
        rung = [step.result["times"] for step in lot.steps.all()]
        return [MeasuredRow("host", plan.host, "bells", 0, plan.times, sum(rung))]


@dataclass(frozen=True)
class SilentEvidence:
    """A bell that was not rung for so many hours."""

    host: str
    hours: int


class SilentKind(FindingKind[SilentEvidence]):
    name, stage = "bell_silent", "bells"
    evidence = SilentEvidence
    examples = (SilentEvidence("quay-01", 4),)

    def urgency(self, evidence: SilentEvidence) -> Urgency:
        return Urgency.NOTE

    def title(self, evidence: SilentEvidence) -> str:
        return "The bell is silent"

    def text(self, evidence: SilentEvidence) -> Words:
        return [f"{evidence.host} was not heard for {evidence.hours} hours"]

    def remedy(self, subject: Subject, evidence: SilentEvidence) -> Remedy:
        return Remedy("bell", {"host": evidence.host}, "Ring it")


class BellJudge(Judge):
    name, aspects = "bells", frozenset({Aspect.STATE})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        host = Device.objects.get(name="quay-01")
        yield Found(SilentKind(), Subject("host", host.pk, host.name), SilentEvidence(host.name, 4))


def _lot_kinds() -> Sequence[LotKind[Any, Any]]:
    return [BellKind()]


STAGE = Stage(
    "bells",
    lot_kinds=_lot_kinds,
    finding_kinds=lambda: [SilentKind()],
    judges=lambda: [BellJudge()],
)
