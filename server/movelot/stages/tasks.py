"""What stages do by the clock."""

from __future__ import annotations

import logging

from celery import shared_task
from django.utils.timezone import now

from movelot.stages.base import stages

log = logging.getLogger(__name__)


@shared_task
def do_chores() -> None:
    """Have each stage do what its clock asks for; one that fails keeps no other from it."""
    for stage in stages():
        for chore in stage.chores():
            try:
                chore(now())
            except Exception:
                # Said in the log, and tried again with the next round.
                log.exception("a chore of stage %s failed", stage.name)
