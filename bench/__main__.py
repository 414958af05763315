"""``python -m bench``: the planner, the API's pages on a large estate, and the demo's second start."""

from __future__ import annotations

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
os.environ.setdefault("MOVELOT_DB_NAME", "movelot_bench")
os.environ.setdefault("MOVELOT_REDIS_DB", "13")
os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from bench import (
    browser,
    capacity,
    curves,
    duplicates,
    estimates,
    exchange,
    fabric,
    images,
    instances,
    load,
    lots,
    machines,
    pages,
    planner,
    policies,
    readings,
    rehearsals,
    start,
)


def main() -> None:
    print("planner (24 hours, slowest of three seeds)")
    planner.report()
    print()
    instances.print_table()
    print()
    curves.print_table()
    print()
    rehearsals.print_table()
    print()
    print(f"paths ({fabric.HOSTS} hosts, {fabric.LEGS} ports each, {fabric.PORTALS} portals, {fabric.VOLUMES} volumes)")
    fabric.report()
    print()
    lots.schedules()
    print()
    pages.report()
    print()
    policies.report()
    print()
    capacity.report()
    print()
    duplicates.report()
    print()
    machines.report()
    print()
    load.report()
    print()
    browser.report()
    print()
    exchange.report()
    print()
    estimates.report()
    print()
    images.report()
    print()
    readings.report()
    print()
    start.report()


if __name__ == "__main__":
    main()
