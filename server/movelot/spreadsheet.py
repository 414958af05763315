"""CSV that people open in a spreadsheet: no text of a device is taken for a formula there."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence


def csv_text(heads: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A header line and the rows."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(heads)
    writer.writerows([_harmless(value) for value in row] for row in rows)
    return out.getvalue()


def _harmless(value: object) -> object:
    """A spreadsheet takes text that begins so for a formula."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@") else value
