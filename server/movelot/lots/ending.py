"""Lots whose work lasts for a while only: once that is over, the lot that undoes them is drafted and run by itself.

It is a lot like any other, of the person who ran the first: checked on a fresh reading, held up by whatever stops an
undo, seen among lots. What holds it up is said on the first lot's page, and it is tried again.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from movelot.jobs.models import Job
from movelot.jobs.work import start
from movelot.lots.actions import undone_by
from movelot.lots.jobs import TakeBackJob
from movelot.lots.models import Lot

# After what stopped it nothing is tried again for so long.
TRIED_AGAIN = timedelta(minutes=10)


def past_their_end(moment: datetime) -> list[Lot]:
    """Lots whose work should have been taken back by ``moment``, and was not begun to be."""
    begun = Lot.objects.filter(undoes__isnull=False).exclude(state=Lot.State.DRAFT).values("undoes")
    lasting = Lot.objects.filter(state=Lot.State.DONE, lasts_hours__isnull=False).exclude(pk__in=begun)
    found = lasting.select_related("created_by")
    return [lot for lot in found if lot.lasts_until is not None and lot.lasts_until <= moment]


def take_back(moment: datetime) -> list[int]:
    """Begin to take back what lasts no longer. Returns the lots that this is asked of."""
    begun = []
    for lot in past_their_end(moment):
        last = last_try(lot)
        if last is None or not (last.open or (last.ended_at or moment) > moment - TRIED_AGAIN):
            start(TakeBackJob.name, {"lot": lot.pk}, lot.created_by)
            begun.append(lot.pk)
    return begun


def last_try(lot: Lot) -> Job | None:
    """The last job that was to take a lot back."""
    return Job.objects.filter(kind=TakeBackJob.name, params__lot=lot.pk).order_by("pk").last()


def why_not_taken_back(lot: Lot, moment: datetime) -> str:
    """What held up taking back a lot whose work lasts no longer; empty where nothing did."""
    if lot.lasts_until is None or lot.lasts_until > moment or undone_by(lot) is not None:
        return ""
    last = last_try(lot)
    problem = (last.problem if last else None) or {}
    return " ".join(text for text in (problem.get("title", ""), problem.get("detail", "")) if text)
