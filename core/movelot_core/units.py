"""Sizes in bytes and the two bases people write them in (IEC 80000-13: 1 KiB = 1024 B, 1 kB = 1000 B)."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation

from movelot_core.errors import DatastoreNameError, SizeError

KIB = 1024
MIB = 1024 * KIB
GIB = 1024 * MIB
TIB = 1024 * GIB
PIB = 1024 * TIB
GB, TB = 10**9, 10**12

_UNITS = {
    "b": 1,
    "kib": KIB,
    "mib": MIB,
    "gib": GIB,
    "tib": TIB,
    "pib": PIB,
    "kb": 10**3,
    "mb": 10**6,
    "gb": GB,
    "tb": TB,
    "pb": 10**15,
}
_SIZE = re.compile(r"^([+-]?[0-9.,\s]*[0-9][0-9.,]*)\s*([a-z]*)$", re.IGNORECASE)
_NAME = re.compile(r"^[a-z0-9]([a-z0-9-]*[a-z0-9])?$")
NAME_LENGTH_MAX = 32
ARRAY_BLOCK_BYTES = MIB


def parse_size(text: str, default_unit: str = "TiB") -> int:
    """Bytes meant by ``text``, rounded up to whole MiB, the grain in which arrays allocate.

    A bare number counts in ``default_unit``. TiB counts 1024, TB counts 1000. Raises SizeError for text that
    is no number, uses a comma, names an unknown unit, or is not above zero.

    >>> parse_size("2 TiB") == 2 * TIB
    True
    >>> parse_size("1 mib")
    1048576
    """
    found = _SIZE.match(text.strip())
    if not found:
        raise SizeError("size_unreadable", f"“{text.strip()}” is not a size.", "Write a number and a unit, as 2 TiB.")
    number, unit = found[1], (found[2] or default_unit)
    if "," in number:
        raise SizeError(
            "size_comma",
            f"“{text.strip()}” has a comma, which may mean a decimal or a thousand.",
            f"Write {number.replace(',', '.')} {unit} for the decimal.",
        )
    factor = _UNITS.get(unit.lower())
    if factor is None:
        raise SizeError("size_unit", f"“{unit}” is not a unit of size.", "Use GiB, TiB, GB or TB.")
    try:
        exact = Decimal(re.sub(r"\s", "", number)) * factor
    except InvalidOperation:
        raise SizeError("size_unreadable", f"“{number}” is not a number.", "Write it as 2 or 2.5.") from None
    if exact <= 0:
        raise SizeError("size_not_positive", "A volume needs a size above zero.", "Write a size such as 2 TiB.")
    if exact > 1024 * PIB:
        raise SizeError("size_huge", f"{number} {unit} is more than any array holds.", "Check the unit.")
    return math.ceil(exact / ARRAY_BLOCK_BYTES) * ARRAY_BLOCK_BYTES


def format_size(size_bytes: float, base: int = 1024) -> str:
    """``size_bytes`` with three significant digits in TiB/GiB/MiB, or TB/GB/MB with ``base`` 1000.

    >>> format_size(2 * TIB), format_size(2 * TIB, 1000), format_size(512 * GIB)
    ('2.00 TiB', '2.20 TB', '512 GiB')
    """
    names = ("B", "KiB", "MiB", "GiB", "TiB", "PiB") if base == 1024 else ("B", "kB", "MB", "GB", "TB", "PB")
    value, power = float(size_bytes), 0
    while abs(value) >= base and power < len(names) - 1:
        value, power = value / base, power + 1
    if power == 0:
        return f"{value:.0f} B"
    digits = 2 if abs(value) < 10 else 1 if abs(value) < 100 else 0
    return f"{value:.{digits}f} {names[power]}"


def format_share(share: float) -> str:
    """A share as whole percent.

    >>> format_share(0.948)
    '95 %'
    """
    return f"{share * 100:.0f} %"


def format_seconds(seconds: float) -> str:
    """Seconds as a duration a person says.

    >>> format_seconds(12), format_seconds(540), format_seconds(7200)
    ('12 s', '9 min', '2.0 h')
    """
    if seconds < 90:
        return f"{max(0, math.ceil(seconds - 0.001))} s"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h" if seconds < 172_800 else f"{seconds / 86_400:.0f} days"


def count_of(count: int, noun: str, many: str = "") -> str:
    """A number with its noun, in the plural where there is not one; ``many`` where that is not the noun with an s.

    >>> count_of(1, "device"), count_of(2, "device"), count_of(0, "entry", "entries")
    ('1 device', '2 devices', '0 entries')
    """
    return f"{count} {noun if count == 1 else many or noun + 's'}"


def listed(names: Sequence[str], most: int = 5) -> str:
    """Names in a sentence: the first ones, and how many more there are.

    >>> listed(["a"]), listed(["a", "b"]), listed(["a", "b", "c"], 2)
    ('a', 'a and b', 'a, b and 1 more')
    """
    more = len(names) - most
    if more > 0:
        return f"{', '.join(names[:most])} and {more} more"
    return " and ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else "".join(names)


def check_name(text: str, noun: str = "datastore") -> str:
    """``text`` if arrays and hosts alike take it as the name of such a thing, else DatastoreNameError."""
    name = text.strip()
    if not name:
        raise DatastoreNameError("name_missing", f"A {noun} needs a name.", "Type a name such as berth-e.")
    if len(name) > NAME_LENGTH_MAX:
        raise DatastoreNameError(
            "name_long", f"The name has {len(name)} characters; {NAME_LENGTH_MAX} is the most.", "Shorten it."
        )
    if not _NAME.match(name):
        raise DatastoreNameError(
            "name_illegal",
            f"“{name}” has characters that some host or array refuses.",
            "Use small letters, digits and hyphens, with a letter or digit at both ends.",
        )
    return name
