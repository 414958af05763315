"""Locks of the database, for work that must not be done twice at the same time."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress

from django.db import InterfaceError, OperationalError, connection


@contextmanager
def held(name: str, wait_seconds: int = 0) -> Iterator[bool]:
    """Whether this connection now holds the lock ``name``; released at the end of the block.

    It goes with the connection: a holder that dies, also by SIGKILL, holds it no longer. It is waited for only where
    asked: who does not get it, leaves the work to whoever has it.
    """
    whole = f"{connection.settings_dict['NAME']}-{name}"
    with connection.cursor() as cursor:
        # A connection would get its own lock once more.
        cursor.execute(
            "SELECT IF(IS_USED_LOCK(%s) <=> CONNECTION_ID(), 0, GET_LOCK(%s, %s))", [whole, whole, wait_seconds]
        )
        got = bool(cursor.fetchone()[0] == 1)
    try:
        yield got
    finally:
        if got:
            # A connection that was lost has released it.
            with suppress(OperationalError, InterfaceError), connection.cursor() as cursor:
                cursor.execute("SELECT RELEASE_LOCK(%s)", [whole])
