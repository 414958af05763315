"""The large estate out as a Data Package, and in again into an empty database."""

from __future__ import annotations

import io
import time
from collections.abc import Callable
from typing import TypeVar

from bench.databases import fresh

T = TypeVar("T")


def report() -> None:
    """Has to follow ``pages.report``, which builds the estate."""
    from django.core.management import call_command
    from django.db import connection

    from bench.large import DISKS, HOSTS
    from movelot.exchange.checking import check_meaning
    from movelot.exchange.reading import read_package
    from movelot.exchange.storing import store
    from movelot.exchange.writing import package
    from movelot.inventory.models import Disk

    print(f"Data Package of {DISKS:,} disks on {HOSTS} hosts, seconds")
    content = _timed("written", package)
    print(f"{'size':8} {len(content) / 1024**2:6.1f} MiB")
    for what, dropped in (("all of it", ()), ("without devices as hosts see them", ("host_devices",))):
        connection.close()
        fresh("movelot_bench")
        call_command("migrate", verbosity=0)
        print(what)
        found = _timed("read", lambda: read_package(io.BytesIO(content)))
        found.rows |= {table: [] for table in dropped}
        _timed("checked", lambda found=found: check_meaning(found))  # type: ignore[misc]
        assert not found.faults.count, found.faults.first[:3]
        _timed("stored", lambda found=found: store(found, "ines.marrow"))  # type: ignore[misc]
        assert Disk.objects.count() == DISKS


def _timed(name: str, work: Callable[[], T]) -> T:
    start = time.perf_counter()
    found = work()
    print(f"{name:8} {time.perf_counter() - start:6.1f}")
    return found
