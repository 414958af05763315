"""Transactions that the database ends are begun again. That it really ends some is shown by ``test_shares.py``."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from django.db import OperationalError, connection, transaction

from movelot.inventory.again import ATTEMPTS, begun_again


@pytest.fixture
def at_work(django_db_setup: None, django_db_blocker: Any) -> Iterator[None]:
    """The database, outside a transaction, as a worker has it; nothing is stored."""
    with django_db_blocker.unblock():
        yield


def turn_is_taken() -> bool:
    """Whether any connection has the turn."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT IS_USED_LOCK(%s)", [f"{connection.settings_dict['NAME']}-turn"])
        return cursor.fetchone()[0] is not None


class Ended:
    """Work that fails ``times`` times with an error of this number before it is done."""

    def __init__(self, times: int, number: int = 1213) -> None:
        self.times, self.number, self.tries = times, number, 0
        self.alone: list[bool] = []

    def __call__(self) -> None:
        self.tries += 1
        self.alone.append(turn_is_taken())
        if self.tries <= self.times:
            raise OperationalError(self.number, "Deadlock found when trying to get lock")


def test_what_the_database_ends_is_begun_again_until_it_is_done(at_work: None) -> None:
    work = Ended(3)
    begun_again(work, "it")
    assert work.tries == 4


def test_who_was_ended_twice_takes_the_turn_so_that_nobody_begins_meanwhile(at_work: None) -> None:
    work = Ended(4)
    begun_again(work, "it")
    assert work.alone == [False, False, True, True, True]
    assert not turn_is_taken()


def test_it_gives_up_after_some_attempts(at_work: None) -> None:
    work = Ended(ATTEMPTS)
    with pytest.raises(OperationalError):
        begun_again(work, "it")
    assert work.tries == ATTEMPTS


def test_another_error_is_nobodys_to_begin_again(at_work: None) -> None:
    work = Ended(1, 1054)
    with pytest.raises(OperationalError):
        begun_again(work, "it")
    assert work.tries == 1


def test_within_anothers_transaction_it_is_theirs_to_begin_again(db: None) -> None:
    work = Ended(1)
    within = transaction.atomic(begun_again)
    with pytest.raises(OperationalError):
        within(work, "it")
    assert work.tries == 1
