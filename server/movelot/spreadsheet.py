"""CSV that people open in a spreadsheet: no text of a device is taken for a formula there."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

# What a spreadsheet takes for a formula; or such a text with marks before it, so that one mark too many is never taken.
FORMULA = re.compile(r"'*[=+\-@\t\r]")


def csv_text(heads: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A header line and the rows."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(heads)
    writer.writerows([harmless(value) for value in row] for row in rows)
    return out.getvalue()


def harmless(value: object) -> object:
    """A text that would be a formula, with a mark before it; anything else as it is."""
    return f"'{value}" if isinstance(value, str) and FORMULA.match(value) else value


def as_meant(cell: str) -> str:
    """What ``harmless`` made a cell of."""
    return cell[1:] if cell.startswith("'") and FORMULA.match(cell[1:]) else cell
