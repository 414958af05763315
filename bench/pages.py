"""p50 and p95 of the calls behind the pages, on 20,000 disks, through the whole request stack."""

from __future__ import annotations

import time

import django
import numpy as np

from bench import history, lots
from bench.databases import fresh

CALLS = 40
PATHS = {
    "Rounds": ("/api/rounds/", "/api/status/"),
    "Balance": ("/api/balance/groups/", "/api/balance/groups/quayside/"),
    "Attach": (
        "/api/network/paths/",
        "/api/attach/grants/",
        "/api/network/components/?q=switch",
        "/api/network/device-settings/",
    ),
    "Capacity": (
        "/api/capacity/?by=datastore",
        "/api/capacity/?by=pool",
        "/api/capacity/what-if/?by=datastore&asked=%7B%22growth%22%3A1.5%7D",
        "/api/capacity/datastore/{store}/course/",
        "/api/capacity/reclaim/",
    ),
    "Lots": ("/api/lots/?page_size=50",),
    "Trace": ("/api/trace/disk/{disk}/", "/api/trace/datastore/{store}/", "/api/find/?q=machine-0123"),
}


def report() -> None:
    """Builds the estate anew, then times each call after one that warms the caches."""
    fresh("movelot_bench")
    django.setup()
    from django.core.cache import cache
    from django.core.management import call_command
    from rest_framework.test import APIClient

    from bench import large
    from movelot.accounts.models import User
    from movelot.inventory.models import Datastore, Disk

    call_command("migrate", verbosity=0)
    cache.clear()
    start = time.perf_counter()
    large.build()
    built = time.perf_counter() - start
    print(f"API on {large.DISKS:,} disks, {large.STORES} datastores, {large.HOSTS} hosts (built in {built:.0f} s)")
    _judge()
    client = APIClient(SERVER_NAME="127.0.0.1")
    client.force_authenticate(User.objects.get())
    some_disk, some_store = (model.objects.values_list("pk", flat=True)[0] for model in (Disk, Datastore))
    names = {"disk": some_disk, "store": some_store}
    print(f"{'page':8} {'call':34} {'first ms':>9} {'p50 ms':>7} {'p95 ms':>7} {'KiB':>6}")
    for page, paths in PATHS.items():
        for path in paths:
            _time(client, page, path.format(**names))
    _while_readings_come_in(client)
    lots.attach_to_all(client, User.objects.get())
    history.report()


def _judge() -> None:
    """Judge the whole estate, as after its first reading, and once more as after one that changed sizes alone."""
    from movelot.findings.judging import judge_due, mark_due
    from movelot.inventory.changes import Aspect, Change, outdate

    start = time.perf_counter()
    judge_due()
    print(f"judged whole {time.perf_counter() - start:.1f} s", end="; ")
    change = Change(Aspect.SPACE, "host", 1, 1)
    mark_due([change])
    outdate([change])
    start = time.perf_counter()
    judge_due()
    print(f"after a reading that changed sizes {time.perf_counter() - start:.1f} s")


def _while_readings_come_in(client: object) -> None:
    """What the frame and Rounds take when everything has just been outdated."""
    from movelot.inventory.changes import everything_changed

    for path in ("/api/status/", "/api/rounds/"):
        times = []
        for _ in range(CALLS):
            everything_changed()
            start = time.perf_counter()
            assert client.get(path).status_code == 200  # type: ignore[attr-defined]
            times.append((time.perf_counter() - start) * 1000)
        print(f"{path} right after a reading: p95 {np.percentile(times, 95):.0f} ms")


def _time(client: object, page: str, path: str) -> None:
    times, size = [], 0
    for _ in range(CALLS + 1):
        start = time.perf_counter()
        answer = client.get(path)  # type: ignore[attr-defined]
        times.append((time.perf_counter() - start) * 1000)
        assert answer.status_code == 200, answer.content
        size = len(answer.content)
    warm = np.array(times[1:])
    middle, slow = np.percentile(warm, [50, 95])
    print(f"{page:8} {path:34} {times[0]:>9.0f} {middle:>7.0f} {slow:>7.0f} {size / 1024:>6.0f}")
