"""Rounds in which the product's own workers drive, and any process of it is killed, database and schedule too."""

from __future__ import annotations

import random
import time

from django.db import OperationalError, connections
from django.db.utils import InterfaceError

from conftest import StandIns, until
from movelot.accounts.models import User
from movelot.lots.models import Lot
from server.tests.test_faults import Case
from soak.product import Product
from soak.rounds import Round

LONGEST_LIFE_SECONDS = 6.0


class WholeRound(Round):
    """A round on a product that runs whole, with a process killed every few seconds."""

    def __init__(
        self,
        case: Case,
        standins: StandIns,
        people: tuple[User, User],
        chance: random.Random,
        product: Product,
    ) -> None:
        super().__init__(case, standins, people, chance)
        self.product = product

    def _drive(self, lot: Lot, wild: bool) -> None:
        if wild and self.chance.random() < 0.5:
            self._fate(lot)
        end = time.monotonic() + self.chance.uniform(0.2, LONGEST_LIFE_SECONDS)
        while lot.active and time.monotonic() < end:
            time.sleep(0.1)
            lot.refresh_from_db()
        if wild:
            name = self.chance.choice(self.product.names)
            self.product.kill(name)
            self.tally.kills += 1
            self.tally.processes[name] += 1
            until(_answers, "the database")
            if self.chance.random() < 0.5:
                self._clear()
        lot.refresh_from_db()


def _answers() -> bool:
    """Whether the database does, over a connection made anew."""
    connections.close_all()
    try:
        return Lot.objects.exists() or True
    except (OperationalError, InterfaceError):
        return False
