"""Proving the audit trail: computed anew over every entry, which takes as long as there are entries."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from movelot.audit.models import Entry
from movelot.audit.trail import prove
from movelot.jobs.work import JobKind, Running


class ProveJob(JobKind):
    """Whether every entry is as it was written, and none is missing: how many there are, and the first that is not."""

    name = "prove_trail"

    def do(self, running: Running) -> dict[str, Any]:
        total = Entry.objects.count()
        return asdict(prove(lambda done: running.progress("entries proven", done, total)))
