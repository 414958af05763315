"""p50 and p95 of the calls behind the pages, on 20,000 disks, through the whole request stack."""

from __future__ import annotations

import time

import django
import numpy as np

from bench.databases import fresh

CALLS = 40
PATHS = {
    "Rounds": ("/api/rounds/", "/api/status/"),
    "Balance": ("/api/balance/groups/", "/api/balance/groups/quayside/"),
    "Attach": (
        "/api/attach/paths/",
        "/api/attach/grants/",
        "/api/attach/components/?q=switch",
        "/api/attach/device-settings/",
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
    client = APIClient(SERVER_NAME="127.0.0.1")
    client.force_authenticate(User.objects.get())
    some_disk, some_store = (model.objects.values_list("pk", flat=True)[0] for model in (Disk, Datastore))
    names = {"disk": some_disk, "store": some_store}
    print(f"{'page':8} {'call':34} {'first ms':>9} {'p50 ms':>7} {'p95 ms':>7} {'KiB':>6}")
    for page, paths in PATHS.items():
        for path in paths:
            _time(client, page, path.format(**names))


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
