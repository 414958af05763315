"""Transactions that the database ends are begun again. That it really ends some is shown by ``test_shares.py``."""

from __future__ import annotations

import pytest
from django.db import OperationalError, transaction

from movelot.inventory.again import ATTEMPTS, begun_again


class Ended:
    """Work that fails ``times`` times with an error of this number before it is done."""

    def __init__(self, times: int, number: int = 1213) -> None:
        self.times, self.number, self.tries = times, number, 0

    def __call__(self) -> None:
        self.tries += 1
        if self.tries <= self.times:
            raise OperationalError(self.number, "Deadlock found when trying to get lock")


def test_what_the_database_ends_is_begun_again_until_it_is_done() -> None:
    work = Ended(3)
    begun_again(work, "it")
    assert work.tries == 4


def test_it_gives_up_after_some_attempts() -> None:
    work = Ended(ATTEMPTS)
    with pytest.raises(OperationalError):
        begun_again(work, "it")
    assert work.tries == ATTEMPTS


def test_another_error_is_nobodys_to_begin_again() -> None:
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
