"""Jobs on lots: what asks devices, and so takes as long as they do, and drafts that take long to compute."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.jobs.work import JobKind, Running
from movelot.lots import actions
from movelot.lots.drafting import new_draft
from movelot.lots.models import Lot
from movelot.problems import Problem


@dataclass
class LotReached:
    """The lot that was worked on, and its state then."""

    lot: int
    state: str


def _lot(running: Running) -> Lot:
    lot = Lot.objects.filter(pk=running.params["lot"]).first()
    if lot is None:
        raise Problem(404, "not_found", "The lot was dropped meanwhile.", hint="Draft it anew.")
    return lot


class CheckJob(JobKind[LotReached]):
    name, queue, result = "check", "checks", LotReached

    def do(self, running: Running) -> LotReached:
        lot = actions.check(_lot(running), running.progress)
        return LotReached(lot.pk, lot.state)


class DraftJob(JobKind[LotReached]):
    """Drafts a lot of a kind that takes long to compute."""

    name, result, personal = "draft", LotReached, True

    def do(self, running: Running) -> LotReached:
        running.progress("computing the plan")
        lot = new_draft(running.params["kind"], running.params["form"], running.person)
        return LotReached(lot.pk, lot.state)


class RunJob(JobKind[LotReached]):
    """Checks a lot on a fresh reading, and starts it."""

    name, queue, result = "run", "checks", LotReached

    def do(self, running: Running) -> LotReached:
        lot = actions.run(_lot(running), running.progress, running.params.get("seen"))
        return LotReached(lot.pk, lot.state)
