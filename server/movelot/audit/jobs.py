"""Proving the audit trail: computed anew over every entry, which takes as long as there are entries."""

from __future__ import annotations

from movelot.audit.models import Entry
from movelot.audit.trail import Proof, prove
from movelot.jobs.work import JobKind, Running


class ProveJob(JobKind[Proof]):
    """Whether every entry is as it was written, and none is missing: how many there are, and the first that is not."""

    name, result = "prove_trail", Proof

    def do(self, running: Running) -> Proof:
        total = Entry.objects.count()
        return prove(lambda done: running.progress("entries proven", done, total))
