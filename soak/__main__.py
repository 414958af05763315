"""``python -m soak [minutes] [seed]``: rounds of lots of every kind, each beside a calm run, until time is up."""

from __future__ import annotations

import os
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

MINUTES = 15.0
# Slow enough that a lot is killed several times on its way.
PACE = 1500.0


def main(minutes: float, seed: int) -> int:
    """How many rounds lost something."""
    import logging

    with fresh_site(pace=PACE, size="small") as standins:
        logging.disable(logging.WARNING)
        return _soak(standins, minutes, seed)


def _soak(standins: object, minutes: float, seed: int) -> int:
    import random

    from conftest import StandIns
    from server.tests.test_faults import CASES
    from soak.rounds import Lost, Round, Tally
    from soak.site import linked

    assert isinstance(standins, StandIns)
    people = linked(standins)
    calm = {case.what: Round(case, standins, people, random.Random(0)).calm() for case in CASES}
    total, lost, rounds, end = Tally(), 0, 0, time.monotonic() + 60 * minutes
    while time.monotonic() < end:
        chance = random.Random(seed + rounds)
        one = Round(chance.choice(CASES), standins, people, chance)
        try:
            one.wild(calm[one.case.what])
        except Lost as error:
            lost += 1
            print(f"LOST with seed {seed + rounds}: {error}", flush=True)
        rounds += 1
        _add(total, one.tally)
    _print(total, rounds, lost, seed)
    return lost


def _add(total: object, one: object) -> None:
    for name, value in vars(one).items():
        setattr(total, name, getattr(total, name) + value)


def _print(total: object, rounds: int, lost: int, seed: int) -> None:
    told = vars(total)
    print(f"{rounds} rounds from seed {seed}: {told['kills']} kills, {told['halts']} halts, {lost} with something lost")
    print("faults:", ", ".join(f"{kind} {count}" for kind, count in sorted(told["faults"].items())))
    print("refused:", ", ".join(f"{code} {count}" for code, count in sorted(told["refusals"].items())))
    for (kind, end), count in sorted(told["ends"].items()):
        print(f"  {kind:16} {end:14} {count}")


if __name__ == "__main__":
    sys.exit(
        main(
            float(sys.argv[1]) if len(sys.argv) > 1 else MINUTES,
            int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time()),
        )
        > 0
    )
