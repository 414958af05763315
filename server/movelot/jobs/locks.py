"""Locks that only their owner may release: for work that must not be done twice at the same time."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache

from django.conf import settings
from redis import Redis
from redis.exceptions import LockError, LockNotOwnedError
from redis.lock import Lock

HELD_SECONDS = 30.0


@lru_cache(maxsize=1)
def _redis(url: str) -> Redis:
    return Redis.from_url(url)


@contextmanager
def held(name: str, seconds: float = HELD_SECONDS) -> Iterator[bool]:
    """Whether this caller now holds the lock ``name``; extended while the block runs, released at its end.

    A holder that dies loses it after ``seconds``. It is never waited for: who does not get it, leaves the work to
    whoever has it.
    """
    database = settings.DATABASES["default"]["NAME"]
    lock = Lock(_redis(settings.CELERY_BROKER_URL), f"lock-{database}-{name}", timeout=seconds, thread_local=False)
    if not lock.acquire(blocking=False):
        yield False
        return
    over = threading.Event()
    keeper = threading.Thread(target=_keep, args=(lock, seconds, over), daemon=True)
    keeper.start()
    try:
        yield True
    finally:
        over.set()
        keeper.join()
        # Not owned: it ran out, as Redis was away or restarted; whoever has it now keeps it.
        with suppress(LockNotOwnedError):
            lock.release()


def _keep(lock: Lock, seconds: float, over: threading.Event) -> None:
    while not over.wait(seconds / 3):
        try:
            lock.extend(seconds, replace_ttl=True)
        except LockError:
            return
