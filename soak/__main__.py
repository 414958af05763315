"""``python -m soak [minutes] [seed]``: rounds of lots of every kind, each beside a calm run, until time is up."""

from __future__ import annotations

import logging
import os
import random
import sys
import time

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
os.environ["MOVELOT_DB_NAME"] = "movelot_bench"
os.environ.setdefault("MOVELOT_REDIS_DB", "12")
os.environ.setdefault("MOVELOT_AWAY_PATIENCE", "0.5")
os.environ.setdefault("MOVELOT_DEVICE_TIMEOUT", "2")
os.environ.setdefault("MOVELOT_LOT_POLL", "0.05")
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bench.sites import fresh_site
from conftest import StandIns
from soak.tally import Tally

MINUTES = 15.0
# Slow enough that a lot is killed several times on its way.
PACE = 1500.0


def main(minutes: float, seed: int) -> int:
    """How many rounds lost something."""
    with fresh_site(pace=PACE, size="small") as standins:
        logging.disable(logging.WARNING)
        return _soak(standins, minutes, seed)


def _soak(standins: StandIns, minutes: float, seed: int) -> int:
    # Only now that Django is set up.
    from server.tests.test_faults import CASES
    from soak.rounds import Lost, Round
    from soak.site import linked

    people = linked(standins)
    calm = {case.what: Round(case, standins, people, random.Random(0)).calm() for case in CASES}
    total, end = Tally(), time.monotonic() + 60 * minutes
    while time.monotonic() < end:
        chance = random.Random(seed + total.rounds)
        one = Round(chance.choice(CASES), standins, people, chance)
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
    sys.exit(main(*chosen) > 0)
