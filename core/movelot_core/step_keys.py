"""Keys of steps: a lot writes them into what it makes, so that a repeat is harmless and it is known again."""

from __future__ import annotations

import re

# Of random hexadecimal digits.
MARK_LENGTH = 8
_KEY = re.compile(rf"lot-(\d+)-\d+-[0-9a-f]{{{MARK_LENGTH}}}")


def step_key(lot: int, position: int, mark: str) -> str:
    """The key of a lot's step; ``mark`` are MARK_LENGTH random digits, as numbers come again after a restore.

    Example: ``step_key(7, 0, "0a1b2c3d")`` is ``lot-7-0-0a1b2c3d``.
    """
    return f"lot-{lot}-{position}-{mark}"


def lot_of_key(text: str) -> int | None:
    """The number of the lot whose step has this key; None for any other text."""
    found = _KEY.fullmatch(text)
    return int(found[1]) if found else None
