"""Judgements: what is computed from readings by jobs, kept as findings, and made anew only where something changed.

A stage registers a ``Judge``. A reading marks what is due in the transaction that stores it, so that nothing is
forgotten when a worker dies; whoever is free makes it, one at a time under a lock.
"""

from __future__ import annotations

import json
import logging
import secrets
from abc import ABC, abstractmethod
from collections.abc import Iterable, Sequence
from datetime import datetime
from functools import partial
from typing import Any, ClassVar

from django.db import transaction
from django.utils.timezone import now

from movelot.findings.base import Found
from movelot.findings.models import Due, Finding, Judged
from movelot.inventory.again import begun_again
from movelot.inventory.bulk import insert
from movelot.inventory.changes import Aspect, Change
from movelot.inventory.versions import renew
from movelot.jobs.locks import held

log = logging.getLogger(__name__)
# The version of all that was judged, for pages to follow.
JUDGED = "judged"
WHOLE = "all"


class Judge(ABC):
    """Makes the judgements of one name, each on a scope: a cluster, a group, or all."""

    name: ClassVar[str]
    aspects: ClassVar[frozenset[Aspect]]

    def scopes(self) -> set[str]:
        """All scopes there are now."""
        return {WHOLE}

    def touched(self, changes: Sequence[Change]) -> set[str]:
        """The scopes that changes of its aspects touch."""
        return self.scopes()

    @abstractmethod
    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        """What wants attention in a scope; what it makes beside is kept by ``keep``."""


JUDGES: dict[str, Judge] = {}


def register(judges: Iterable[Judge]) -> None:
    """Make judges known; called by each stage when the application starts."""
    for judge in judges:
        JUDGES[judge.name] = judge


def mark_due(changes: Sequence[Change] | None) -> None:
    """Mark what rests on ``changes`` as due, all there is for None; the worker is told once they are stored."""
    wanted: set[str] = set()
    for judge in JUDGES.values():
        mine = None if changes is None else [change for change in changes if change.aspect in judge.aspects]
        if mine is None or mine:
            wanted |= {f"{judge.name}:{scope}" for scope in (judge.scopes() if mine is None else judge.touched(mine))}
    if changes is None:
        # Those whose scope is gone are judged once more, so that what they found is over.
        wanted |= set(Finding.objects.filter(gone_at=None).values_list("judged_by", flat=True))
    rows = [{"judgement": name, "ticket": secrets.token_hex(8), "since": now()} for name in sorted(wanted)]
    insert(Due, rows, ("ticket",))
    if rows:
        from movelot.findings.tasks import judge_what_is_due

        transaction.on_commit(judge_what_is_due.delay)


def judge_due() -> int:
    """Make what is due, each once whoever else is at it. Returns how many judgements were made."""
    return sum(
        _make_until_done(name) for name in Due.objects.order_by("since", "pk").values_list("judgement", flat=True)
    )


def _make_until_done(judgement: str) -> int:
    """Make a judgement, and again while it became due meanwhile: whoever wanted to then left it to this holder.

    It is looked at once more after the lock is free, as who came a moment before that went away too.
    """
    made = 0
    while due := Due.objects.filter(judgement=judgement).first():
        with held(f"judging-{judgement}") as mine:
            if mine:
                made += _make(due)
        if not mine:
            break
    return made


def _make(due: Due) -> bool:
    """Make one judgement. One that fails is logged and left out until what it rests on changes again."""
    name, _, scope = due.judgement.partition(":")
    if not Due.objects.filter(pk=due.pk, ticket=due.ticket).exists():
        return False
    judge, moment = JUDGES.get(name), now()
    try:
        found = list(judge.judge(scope, moment)) if judge else []
    except Exception:
        log.exception("judgement %s failed", due.judgement)
        Due.objects.filter(pk=due.pk, ticket=due.ticket).delete()
        return False
    begun_again(partial(_store_made, due, found, moment), f"storing {due.judgement}")
    renew([JUDGED])
    return True


@transaction.atomic
def _store_made(due: Due, found: Sequence[Found[Any]], moment: datetime) -> None:
    _store(due.judgement, found, moment)
    # What changed meanwhile gave it another ticket, and it is made once more.
    Due.objects.filter(pk=due.pk, ticket=due.ticket).delete()


FIELDS = ("stage", "urgency", "rank", "evidence", "judged_by", "first_seen", "last_seen", "gone_at")
WHICH = ("kind", "subject_kind", "subject_id", "subject_name", "scope")


def _store(judgement: str, found: Sequence[Found[Any]], moment: datetime) -> None:
    """Make the judgement's rows be what was found; the others of it are over."""
    rows = {}
    for each in found:
        which = (each.kind.name, each.subject.kind, each.subject.id or 0, each.subject.name[:223], each.scope[:100])
        rows[which] = {
            **dict(zip(WHICH, which, strict=True)),
            "stage": each.kind.stage,
            "urgency": str(each.kind.urgency(each.evidence)),
            "rank": each.kind.rank,
            "evidence": each.kind.stored(each.evidence),
            "judged_by": judgement,
            "first_seen": moment,
            "last_seen": moment,
            "gone_at": None,
        }
    there = Finding.objects.filter(judged_by=judgement, gone_at=None)
    since = {tuple(which): first for *which, first in there.values_list(*WHICH, "first_seen")}
    for which, row in rows.items():
        row["first_seen"] = since.get(which, moment)
    insert(Finding, rows.values(), FIELDS)
    there.filter(last_seen__lt=moment).update(gone_at=moment, acknowledged_until=None)


def keep(name: str, rests_on: str, document: Any) -> None:
    """Keep what a judgement made beside findings, for pages to show."""
    row = {"name": name, "rests_on": rests_on[:200], "document": json.dumps(document), "made_at": now()}
    insert(Judged, [row], ("rests_on", "document", "made_at"))


def let_go(*names: str) -> None:
    """Forget what was kept under ``names``, as there is nothing to show of it."""
    Judged.objects.filter(name__in=names).delete()


def kept(name: str) -> Judged | None:
    """What was kept last under ``name``."""
    return Judged.objects.filter(name=name).first()


def kept_version(name: str) -> str:
    """Another text whenever something else is kept under ``name``, told without reading that; empty for nothing."""
    found = Judged.objects.filter(name=name).values_list("made_at", "rests_on").first()
    return f"{found[0].isoformat()} {found[1]}" if found else ""


def kept_of(names: Iterable[str]) -> dict[str, Judged]:
    """What was kept last under each of several names, by one query."""
    return {row.name: row for row in Judged.objects.filter(name__in=list(names))}
