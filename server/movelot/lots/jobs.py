"""Jobs on lots: what asks devices, and so takes as long as they do, and drafts that take long to compute."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.jobs.work import JobKind, Running
from movelot.lots import actions
from movelot.lots.documents import dumped
from movelot.lots.drafting import new_draft, read_form
from movelot.lots.kinds import kind_of
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
    """Drafts a lot of a kind that takes long to compute. Asked to end early, it drafts what there is by then."""

    name, result, personal = "draft", LotReached, True

    def do(self, running: Running) -> LotReached:
        running.progress("computing the plan")
        kind = kind_of(running.params["kind"])
        typed = read_form(kind.name, running.params["form"])
        computed = kind.computed(typed, running.asked_to_end)
        lot = new_draft(kind.name, dumped(computed), running.person, begun_from=dumped(typed))
        return LotReached(lot.pk, lot.state)


class TakeBackJob(JobKind[LotReached]):
    """Drafts the undo of a lot whose work lasts no longer, and runs it."""

    name, queue, result = "take_back", "checks", LotReached

    def do(self, running: Running) -> LotReached:
        undo = actions.run(actions.undo(_lot(running), running.person), running.progress)
        return LotReached(undo.pk, undo.state)


class RunJob(JobKind[LotReached]):
    """Checks a lot on a fresh reading, and starts it."""

    name, queue, result = "run", "checks", LotReached

    def do(self, running: Running) -> LotReached:
        lot = actions.run(actions.taken_on(_lot(running)), running.progress, running.params.get("seen"))
        return LotReached(lot.pk, lot.state)
