"""Transactions that the database ends, as two waited for one another, are begun again."""

from __future__ import annotations

import logging
import random
import time
from collections.abc import Callable

from django.db import OperationalError, connection

from movelot.jobs.locks import held

log = logging.getLogger(__name__)
# MariaDB's numbers of a transaction that it ended, as two waited for one another, or one waited for too long.
ENDED_BY_DATABASE = (1213, 1205)
ATTEMPTS = 8
# Who begins again waits a little, and not as long as the other.
WAIT_SECONDS = 0.05
# Who was ended this often takes the turn: nobody else begins meanwhile, and only those at it already are in the way.
ENDED_TWICE = 2
TURN_SECONDS = 30


def begun_again(work: Callable[[], None], what: str) -> None:
    """Do ``work``, which is one transaction, again while the database ends it; ``what`` it is, for the log.

    Within somebody's transaction it is that one which would have to begin again: the error is theirs, as is the one
    of the last attempt.
    """
    if connection.in_atomic_block:
        work()
        return
    for attempt in range(1, ATTEMPTS + 1):
        try:
            _in_turn(work, alone=attempt > ENDED_TWICE)
        except OperationalError as error:
            if attempt == ATTEMPTS or error.args[0] not in ENDED_BY_DATABASE:
                raise
            log.info("%s begins again: %s", what, error.args[1])
            time.sleep(random.uniform(0, WAIT_SECONDS * attempt))
        else:
            return


def _in_turn(work: Callable[[], None], *, alone: bool) -> None:
    """Do ``work`` once nobody has the turn; ``alone``, keep the turn until it is done."""
    with held("turn", wait_seconds=TURN_SECONDS):
        if alone:
            work()
    if not alone:
        work()
