"""One round: a lot of some kind from its draft to its end and back, with everything in its way that may be."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.devices.sealing import seal
from movelot.inventory.changes import everything_changed
from movelot.inventory.models import Device
from movelot.lots import actions
from movelot.lots.models import Lot, Step
from movelot.lots.tasks import ask_about_unknown_steps
from movelot.problems import Problem
from server.tests.conftest import drafted
from server.tests.test_faults import Case, whole
from soak.driver import driver_of
from soak.tally import Tally

# What a device may do for a while, with how many of its actions or milliseconds it is about.
FAULTS = (
    ("drop", 4),
    ("fail_nth", 4),
    ("refuse", 1),
    ("slow", 60),
    ("cut", 6),
    ("expire", 1),
    ("lost", 4),
    ("html", 1),
)
LONGEST_LIFE_SECONDS = 0.6
TRIES = 400


class Lost(Exception):
    """The world is not as it has to be."""


class Round:
    """A lot on a world as at its first start."""

    def __init__(self, case: Case, standins: StandIns, people: tuple[User, User], chance: random.Random) -> None:
        self.case, self.standins, self.people, self.chance = case, standins, people, chance
        self.tally = Tally()

    def calm(self) -> set[str]:
        """The world once the lot has run with nothing in its way."""
        self._begin()
        lot = self._run(self._draft(), wild=False)
        if lot.state != Lot.State.DONE:
            raise Lost(f"{self.case.what} ends {lot.state} with nothing in its way")
        return whole(self.standins)

    def wild(self, after: set[str]) -> None:
        """Run and undo with everything in the way; Lost where the world is another one than after a calm run."""
        self._begin()
        before = whole(self.standins)
        lot = self._run(self._draft(), wild=True)
        self._compare(lot, after if lot.state == Lot.State.DONE else None, "run")
        if lot.steps.filter(state=Step.State.DONE).exists() or lot.steps.filter(state=Step.State.UNKNOWN).exists():
            undo = self._run(actions.undo(lot, self.people[1]), wild=True, undo=True)
            if undo.state != Lot.State.DONE:
                raise Lost(f"{self.case.what}: its undo ends {undo.state}")
        self._compare(lot, before, "undone")

    def _compare(self, lot: Lot, wanted: set[str] | None, when: str) -> None:
        self.tally.ends[self.case.kind, f"{when} {lot.state}"] += 1
        if wanted is None:
            return
        found = whole(self.standins)
        if found != wanted:
            much, little = sorted(found - wanted)[:4], sorted(wanted - found)[:4]
            raise Lost(f"{self.case.what}, {when}: too much {much}, missing {little}")

    def _begin(self) -> None:
        self.standins.control("reset")
        self.standins.control("pace", pace=self.standins.pace)
        # A lot of the last round may have given devices other passwords, of which they know no more.
        for name, card in self.standins.cards.items():
            Device.objects.filter(name=name).update(sealed_password=seal(card["password"]))
        everything_changed()
        self._read()
        self.case.prepare(self.standins, self.people[0])

    def _read(self) -> None:
        reread(Device.objects.all())

    def _draft(self) -> Lot:
        return drafted(self.case.kind, self.people[0], **self.case.form())

    def _run(self, lot: Lot, wild: bool, undo: bool = False) -> Lot:
        """Until it is done; a wild lot that is halted or failed may also stay so, as then it is undone."""
        for _ in range(TRIES):
            self._try(lambda: actions.run(lot), keep=not wild)
            lot.refresh_from_db()
            while lot.active:
                self._drive(lot, wild)
            self._clear()
            ask_about_unknown_steps()
            lot.refresh_from_db()
            unknown = lot.steps.filter(state=Step.State.UNKNOWN).exists()
            gives_up = wild and not undo and self.chance.random() < 0.3
            if lot.state == Lot.State.DONE or (gives_up and not unknown and lot.state != Lot.State.DRAFT):
                return lot
        raise Lost(f"{self.case.what}: lot {lot.pk} is {lot.state} after {TRIES} tries")

    def _drive(self, lot: Lot, wild: bool) -> None:
        """A driver for a while; what may happen meanwhile, happens."""
        driver = driver_of(lot.pk)
        if not wild:
            driver.join()
        else:
            self._fate(lot)
            driver.join(self.chance.uniform(0, LONGEST_LIFE_SECONDS))
            if driver.is_alive():
                driver.kill()
                driver.join()
                self.tally.kills += 1
        driver.close()
        if wild and self.chance.random() < 0.5:
            self._clear()
        lot.refresh_from_db()

    def _fate(self, lot: Lot) -> None:
        luck = self.chance.random()
        if luck < 0.25:
            kind, most = self.chance.choice(FAULTS)
            devices = sorted(set(lot.steps.values_list("device__name", flat=True)))
            self.standins.fault(self.chance.choice(devices), kind, n=self.chance.randint(1, most))
            self.tally.faults[kind] += 1
        elif luck < 0.30:
            self._try(lambda: actions.halt(lot))
            self.tally.halts += 1
        elif luck < 0.40:
            # The other person does what may not be done now; that it is refused is part of what is tested.
            other = self.people[1]
            acts: list[Callable[[], Any]] = [lambda: actions.undo(lot, other), lambda: actions.drop(lot)]
            self._try(self.chance.choice(acts))

    def _clear(self) -> None:
        for name in self.standins.cards:
            self.standins.fault(name)

    def _try(self, act: Callable[[], Any], keep: bool = False) -> None:
        try:
            act()
        except Problem as problem:
            if keep:
                raise
            self.tally.refusals[problem.code] += 1
            self._clear()
