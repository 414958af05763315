"""Transactions that the database ends, as two waited for one another, are begun again."""

from __future__ import annotations

import logging
import random
import time
from collections.abc import Callable

from django.db import OperationalError, connection

log = logging.getLogger(__name__)
# MariaDB's numbers of a transaction that it ended, as two waited for one another, or one waited for too long.
ENDED_BY_DATABASE = (1213, 1205)
ATTEMPTS = 8
# Who begins again waits a little, and not as long as the other.
WAIT_SECONDS = 0.05


def begun_again(work: Callable[[], None], what: str) -> None:
    """Do ``work``, which is one transaction, again while the database ends it; ``what`` it is, for the log.

    Within somebody's transaction it is that one which would have to begin again: the error is theirs, as is the one
    of the last attempt.
    """
    for attempt in range(1, ATTEMPTS + 1):
        last = attempt == ATTEMPTS or connection.in_atomic_block
        try:
            work()
        except OperationalError as error:
            if last or error.args[0] not in ENDED_BY_DATABASE:
                raise
            log.info("%s begins again: %s", what, error.args[1])
            time.sleep(random.uniform(0, WAIT_SECONDS * attempt))
        else:
            return
