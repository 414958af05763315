"""Machines on the large estate: the list by any column, its figures, and places for a hundred new machines.

``python -m bench.machines`` builds the estate by itself.
"""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable

CALLS = 40
NEW = 100
ORDERS = ("name", "-peak_iops", "-provisioned_bytes", "latency_ms", "state", "-host")


def report() -> None:
    """Figures on the estate that ``bench.pages`` has built in this database."""
    from rest_framework.test import APIClient

    from movelot.accounts.models import User
    from movelot.inventory.models import BalanceGroup, Disk, Machine
    from movelot.machines.judge import keep_summaries
    from movelot.placement.new_disks import WantedDisk, propose

    print(f"machines: {Machine.objects.count():,} with {Disk.objects.count():,} disks")
    first = _ms(keep_summaries)
    print(f"  their figures kept {first:.0f} ms, again with nothing changed {_ms(keep_summaries):.0f} ms")
    client = APIClient(SERVER_NAME="127.0.0.1")
    client.force_authenticate(User.objects.order_by("pk").first())
    for ordering in ORDERS:
        took = [_ms(lambda: client.get(f"/api/machines/?page_size=100&ordering={ordering}")) for _ in range(CALLS)]  # noqa: B023
        print(f"  list by {ordering}: {_said(took)} (aim p95 100, first rows 200)")
    took = [_ms(lambda: client.get("/api/machines/?page_size=100&text=1&power=On")) for _ in range(CALLS)]
    print(f"  list filtered: {_said(took)}")
    for things in ("hosts", "datastores", "volumes"):
        took = [_ms(lambda: client.get(f"/api/machines/{things}/?page_size=100")) for _ in range(CALLS)]  # noqa: B023
        print(f"  {things}: {_said(took)}")
    key = Machine.objects.order_by("pk").values_list("pk", flat=True)[0]
    took = [_ms(lambda: client.get(f"/api/machines/{key}/")) for _ in range(CALLS)]
    print(f"  a machine: {_said(took)}")
    group = max(BalanceGroup.objects.filter(cluster__isnull=False), key=lambda each: each.datastores.count())
    cluster = group.cluster
    assert cluster is not None
    gib = 1024**3
    disks = [WantedDisk(size * gib, iops=iops) for size, iops in ((60, 20.0), (200, 60.0), (40, 5.0))]
    propose(cluster, disks, group, 1)
    took = [_ms(lambda: propose(cluster, disks * NEW, group, len(disks))) for _ in range(3)]
    print(
        f"  places for {NEW} new machines of 3 disks on {group.datastores.count()} datastores: "
        f"{max(took):.0f} ms at worst (aim 2,000)"
    )


def _said(took: list[float]) -> str:
    ordered = sorted(took)
    return f"first {took[0]:.0f} ms, p50 {statistics.median(took):.0f}, p95 {ordered[int(0.95 * len(ordered)) - 1]:.0f}"


def _ms(act: Callable[[], object]) -> float:
    start = time.perf_counter()
    act()
    return 1000 * (time.perf_counter() - start)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "movelot.settings")
    os.environ.setdefault("MOVELOT_DB_NAME", "movelot_bench")
    os.environ.setdefault("MOVELOT_REDIS_DB", "13")
    from bench import pages

    pages.report()
    report()
