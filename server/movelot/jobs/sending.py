"""How work is given to the workers."""

from __future__ import annotations

import logging
from typing import Any

from celery import Task
from kombu.exceptions import OperationalError

log = logging.getLogger(__name__)


def give(task: Task[..., Any], *args: Any, **options: Any) -> None:
    """Give a task to the workers.

    Only for what the schedule takes up by itself (lots, jobs, readings): while Redis is away the work waits for that.
    """
    try:
        task.apply_async(args, **options)
    except OperationalError as error:
        log.warning("%s waits for the schedule, as Redis is away: %s", task.name, error)
