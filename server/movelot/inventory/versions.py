"""Which state of the inventory an answer rests on: a text for each part, another one whenever that part changes."""

from __future__ import annotations

import uuid
from collections.abc import Iterable

from django.core.cache import cache

# What nothing more exact was said of.
EVERYTHING = "everything"


def version(*parts: str) -> str:
    """Another text whenever any of ``parts`` has changed. It never comes back, not even after the cache was emptied."""
    names = {part: f"version-{part}" for part in (EVERYTHING, *parts)}
    known = cache.get_many(names.values())
    missing = {name: uuid.uuid4().hex for name in names.values() if name not in known}
    for name, fresh in missing.items():
        # Another process may have been first.
        known[name] = cache.get_or_set(name, fresh, None)
    return "-".join(str(known[name]) for name in names.values())


def renew(parts: Iterable[str]) -> None:
    """Say that ``parts`` changed."""
    cache.set_many({f"version-{part}": uuid.uuid4().hex for part in parts}, None)
