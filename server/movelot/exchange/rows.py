"""Device links and grants written as CSV or YAML, as rows, each with what is wrong with it.

CSV has a header line: ``address,user,password,fingerprint`` for links, ``array,pool,quota`` for grants. YAML has lists
of the same names under ``links`` and ``grants``. See docs/formats.md.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any

import yaml

from movelot.problems import Problem

LINK, GRANT = "link", "grant"
COLUMNS = {LINK: ("address", "user", "password", "fingerprint"), GRANT: ("array", "pool", "quota")}
MAY_BE_EMPTY = {"quota"}
ROWS_MAX = 2000
UNCHANGED = "Nothing was imported."


@dataclass(frozen=True)
class Row:
    """One link or grant: its place (line of the CSV, or position in its YAML list) and its values as text."""

    place: str
    kind: str
    values: dict[str, str]

    @property
    def missing(self) -> list[str]:
        """Columns that may not be empty and are."""
        return [name for name in COLUMNS[self.kind] if name not in MAY_BE_EMPTY and not self.values[name]]

    def __repr__(self) -> str:
        # Values hold passwords: they are never shown.
        return f"<Row {self.place}, {self.kind}>"


def rows_in(text: str, written_as: str) -> list[Row]:
    """All rows of ``text``. Problem for a text that cannot be read as a whole."""
    found = _from_yaml(text) if written_as == "yaml" else _from_csv(text)
    if not found:
        raise Problem(422, "nothing_to_import", "There is no row to import.", UNCHANGED, "See the form of the file.")
    if len(found) > ROWS_MAX:
        message = f"{len(found)} rows are more than {ROWS_MAX}."
        raise Problem(422, "too_many_rows", message, UNCHANGED, "Import the file in parts.")
    return found


def _from_csv(text: str) -> list[Row]:
    reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff"), newline=""), skipinitialspace=True)
    try:
        return _records(reader)
    except csv.Error as error:
        # Not what the line says: it may be a password.
        message = f"Line {reader.line_num} is not CSV: {error}."
        raise Problem(422, "csv_unreadable", message, UNCHANGED, "Check its quotes.") from None


def _records(reader: csv.DictReader[str]) -> list[Row]:
    heads = {head.strip().lower() for head in reader.fieldnames or []}
    kind = next((kind for kind, columns in COLUMNS.items() if set(columns) <= heads), None)
    if kind is None:
        raise Problem(
            422,
            "header_unknown",
            f"Line 1 has the columns {', '.join(sorted(heads)) or 'of nothing'}.",
            UNCHANGED,
            " or ".join(",".join(columns) for columns in COLUMNS.values()) + " was expected.",
        )
    rows = []
    for record in reader:
        given = {str(name).strip().lower(): value for name, value in record.items() if name is not None}
        rows.append(Row(f"line {reader.line_num}", kind, _values(kind, given)))
    return rows


def _from_yaml(text: str) -> list[Row]:
    try:
        # As it is written: 012345 is a password, not a number.
        document = yaml.load(text, Loader=yaml.BaseLoader)
    except (yaml.YAMLError, RecursionError) as error:
        mark = getattr(error, "problem_mark", None)
        where = f"Line {mark.line + 1}, column {mark.column + 1}" if mark else "The text"
        raise Problem(422, "yaml_unreadable", f"{where} is not YAML.", UNCHANGED, "Check indents and quotes.") from None
    lists = {kind: document.get(f"{kind}s") for kind in COLUMNS} if isinstance(document, dict) else {}
    if not any(isinstance(rows, list) for rows in lists.values()):
        message = "The YAML has neither a list “links” nor a list “grants”."
        raise Problem(422, "lists_missing", message, UNCHANGED, "Write links: or grants: with a list below it.")
    return [
        Row(f"{kind}s, entry {n}", kind, _values(kind, entry if isinstance(entry, dict) else {}))
        for kind, rows in lists.items()
        for n, entry in enumerate(rows if isinstance(rows, list) else [], start=1)
    ]


def _values(kind: str, given: dict[Any, Any]) -> dict[str, str]:
    """The columns of ``kind`` as text. Only plain values count: nested ones could be written to grow without end."""
    plain = {name: given.get(name) for name in COLUMNS[kind]}
    return {name: value.strip() if isinstance(value, str) else "" for name, value in plain.items()}
