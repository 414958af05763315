"""A worker's driver in a process of its own, which may be killed at any instant.

The process is forked from one that has Django loaded and no connection yet, so that it takes milliseconds to be there.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
from multiprocessing.process import BaseProcess

import django

# Also in the server that drivers are forked from, and so in each of them.
django.setup()
logging.disable(logging.WARNING)

CONTEXT = multiprocessing.get_context("forkserver")
CONTEXT.set_forkserver_preload(["soak.driver"])


def _drive(lot: int) -> None:
    from movelot.lots.tasks import run_lot

    run_lot(lot)
    os._exit(0)


def driver_of(lot: int) -> BaseProcess:
    """A driver that has begun on the lot with this key."""
    process = CONTEXT.Process(target=_drive, args=(lot,))
    process.start()
    return process
