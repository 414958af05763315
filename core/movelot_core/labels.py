"""Labels: ``key=value`` on a datastore, pool, machine or disk, for policies and rules to name."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from movelot_core.errors import LabelError

KEY_MAX: Final = 32
VALUE_MAX: Final = 64
LABELS_MAX: Final = 30
_KEY = re.compile(r"[a-z][a-z0-9._-]*")
_VALUE = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]*")


@dataclass(frozen=True, slots=True, order=True)
class Label:
    """A key with its value."""

    key: str
    value: str

    def __str__(self) -> str:
        return f"{self.key}={self.value}"


def parse_label(text: str) -> Label:
    """The label meant by ``text``. Raises LabelError for what is none.

    >>> str(parse_label(" tier = gold "))
    'tier=gold'
    """
    key, mark, value = (part.strip() for part in text.partition("="))
    if not mark or not key or not value:
        raise LabelError("label_unreadable", f"“{text.strip()}” is no key=value.", "Write it as team=berths.")
    if len(key) > KEY_MAX or not _KEY.fullmatch(key):
        hint = f"Small letters, digits, dot, dash and underline, a letter first, at most {KEY_MAX}."
        raise LabelError("label_key", f"“{key}” cannot be a label's key.", hint)
    if len(value) > VALUE_MAX or not _VALUE.fullmatch(value):
        hint = f"Letters, digits, dot, dash and underline, at most {VALUE_MAX}."
        raise LabelError("label_value", f"“{value}” cannot be a label's value.", hint)
    return Label(key, value)


def parse_labels(texts: Iterable[str]) -> list[Label]:
    """All labels of a thing, by key; a key has one value. Raises LabelError, as ``parse_label``."""
    found: dict[str, Label] = {}
    for text in texts:
        label = parse_label(text)
        if label.key in found and found[label.key] != label:
            both = f"{found[label.key]} and {label}"
            raise LabelError("label_twice", f"{both}: a key has one value.", "Leave one of them.")
        found[label.key] = label
    if len(found) > LABELS_MAX:
        raise LabelError("labels_many", f"{len(found)} labels are more than {LABELS_MAX}.", "Leave some out.")
    return sorted(found.values())
