"""``python -m soak [minutes] [seed] [whole]``: rounds of lots of every kind, each beside a calm run, until time is up.

A driver of its own is killed at random instants, many times a minute. With ``whole`` the product runs under its
supervisor and any process of it is killed: fewer times, as each has to come back.
"""

from __future__ import annotations

import logging
import os
import random
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
os.environ["MOVELOT_DB_NAME"] = "movelot_bench"
os.environ.setdefault("MOVELOT_REDIS_DB", "12")
os.environ.setdefault("MOVELOT_AWAY_PATIENCE", "0.5")
os.environ.setdefault("MOVELOT_DEVICE_TIMEOUT", "2")
os.environ.setdefault("MOVELOT_LOT_POLL", "0.05")
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bench.sites import fresh_site
from soak.product import Product, processes
from soak.tally import Tally

if TYPE_CHECKING:
    from soak.rounds import Round

MINUTES = 15.0
PORT = 34_930
# Slow enough that a lot is killed several times on its way.
PACE = 1500.0


def main(minutes: float, seed: int, whole: bool) -> int:
    """How many rounds lost something."""
    with fresh_site(pace=PACE, size="small") as standins:
        logging.disable(logging.WARNING)
        # Only now that Django is set up.
        from soak.rounds import Round
        from soak.site import linked

        people = linked(standins)
        if not whole:
            return _soak(partial(Round, standins=standins, people=people), minutes, seed)
        with tempfile.TemporaryDirectory() as folder:
            product = Product(PORT, Path(folder), Path(folder) / "s", {**os.environ, **processes.environment()})
            try:
                from soak.whole import WholeRound

                made = partial(WholeRound, standins=standins, people=people, product=product)
                return _soak(made, minutes, seed)
            finally:
                product.end()


def _soak(made: Callable[..., Round], minutes: float, seed: int) -> int:
    from server.tests.test_faults import CASES
    from soak.rounds import Lost

    calm = {case.what: made(case, chance=random.Random(0)).calm() for case in CASES}
    total, end = Tally(), time.monotonic() + 60 * minutes
    while time.monotonic() < end:
        chance = random.Random(seed + total.rounds)
        one = made(chance.choice(CASES), chance=chance)
        one.tally.rounds = 1
        try:
            one.wild(calm[one.case.what])
        except Lost as error:
            one.tally.lost = 1
            print(f"LOST with seed {seed + total.rounds}: {error}", flush=True)
        total.add(one.tally)
    total.report(seed)
    return total.lost


if __name__ == "__main__":
    given = sys.argv[1:]
    chosen = float(given[0]) if given else MINUTES, int(given[1]) if len(given) > 1 else int(time.time())
    sys.exit(main(*chosen, whole="whole" in given[2:]) > 0)
