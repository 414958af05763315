"""Stand-ins of the benchmarks' own beside an empty database."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import django

from bench.databases import fresh

CONTROL_PORT, STANDIN_PORT = 35_000, 35_003


@contextmanager
def fresh_site(**more: Any) -> Iterator[Any]:
    """Stand-ins that run while the block does, made with ``more``; nothing is linked yet."""
    fresh("movelot_bench")
    django.setup()
    from django.core.cache import cache
    from django.core.management import call_command

    from conftest import StandIns

    logging.disable(logging.INFO)
    call_command("migrate", verbosity=0)
    cache.clear()
    with tempfile.TemporaryDirectory() as folder:
        standins = StandIns(Path(folder) / "state", STANDIN_PORT, CONTROL_PORT, **more)
        standins.folder.mkdir()
        standins.start()
        try:
            yield standins
        finally:
            standins.stop()
