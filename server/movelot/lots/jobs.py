"""Jobs on lots: what asks devices, and so takes as long as they do."""

from __future__ import annotations

from typing import Any

from movelot.jobs.work import JobKind, Running
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.problems import Problem


def _lot(running: Running) -> Lot:
    lot = Lot.objects.filter(pk=running.params["lot"]).first()
    if lot is None:
        raise Problem(404, "not_found", "The lot was dropped meanwhile.", hint="Draft it anew.")
    return lot


class CheckJob(JobKind):
    name, queue = "check", "checks"

    def do(self, running: Running) -> dict[str, Any]:
        lot = actions.check(_lot(running), running.progress)
        return {"lot": lot.pk}


class RunJob(JobKind):
    """Checks a lot on a fresh reading, and starts it."""

    name, queue = "run", "checks"

    def do(self, running: Running) -> dict[str, Any]:
        lot = actions.run(_lot(running), running.progress, running.params.get("seen"))
        return {"lot": lot.pk, "state": lot.state}
