"""A Data Package read into typed rows, with all that is wrong with it: file, row, column, value, what was expected.

Nothing is stored here. Rows are numbered as in the file: the header is row 1.
"""

from __future__ import annotations

import csv
import io
import json
import lzma
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import IO, Any

from movelot.exchange.tables import TABLE, TABLES, Column, Table
from movelot.problems import Problem
from movelot.spreadsheet import as_meant
from movelot_core.units import count_of

# A cell that is longer is a fault of its row.
csv.field_size_limit(1024**2)
UNPACKED_MAX = 512 * 1024**2
# Tables of real estates shrink to a tenth or so; what shrinks to less than this was made to fill our memory.
SHRUNK_MAX = 250
SMALL_BYTES = 1024**2
DESCRIPTOR_MAX = 1024**2
ROWS_MAX = 4_000_000
FAULTS_KEPT = 500
# With so many, nobody reads on, and nor do we.
FAULTS_MAX = 20_000
UNCHANGED = "Nothing was imported."
TRUE, FALSE = {"true", "yes", "1"}, {"false", "no", "0"}
WHOLE_MAX = 2**63 - 1
TEXT_MAX = 200
LONG = {"paths", "ways", "contents", "initiators", "subsystems", "sessions", "chap", "clients", "detail"}

Row = dict[str, Any]
CsvReader = Any  # the csv module has no public name for it


@dataclass(frozen=True)
class Fault:
    """What is wrong in a place; ``row`` is null for a whole file."""

    file: str
    row: int | None
    column: str
    value: str
    expected: str


@dataclass
class Faults:
    """Faults as they are found: the first 500 whole, all of them counted."""

    first: list[Fault] = field(default_factory=list)
    count: int = 0

    def add(self, table: Table, row: int | None, column: str, value: str, expected: str) -> None:
        self.count += 1
        if self.count > FAULTS_MAX:
            message = f"More than {FAULTS_MAX} values are wrong, so the rest was not looked at."
            first = self.first[0]
            where = first.file if first.row is None else f"{first.file}, row {first.row}, column {first.column}"
            hint = f"The first is in {where}: {first.expected} was expected."
            raise Problem(422, "too_many_faults", message, UNCHANGED, hint)
        if len(self.first) < FAULTS_KEPT:
            self.first.append(Fault(f"{table.name}.csv", row, column, value[:80], expected))


@dataclass
class Package:
    """The rows of each table that have no fault, each with its row number under ``row``; and the faults."""

    rows: dict[str, list[Row]]
    faults: Faults


def read_package(file: IO[bytes]) -> Package:
    """The tables of a zipped Data Package. Problem for a file that is none."""
    try:
        with zipfile.ZipFile(file) as archive:
            _demand_sane_sizes(archive.infolist())
            texts = _texts(archive)
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError, RuntimeError, NotImplementedError):
        message = "This file is no zip that can be read."
        raise Problem(422, "no_package", message, UNCHANGED, "Zip datapackage.json and its CSV files.") from None
    faults = Faults()
    rows = {table.name: list(_rows(table, texts.get(table.name), faults)) for table in TABLES}
    _check_keys(rows, faults)
    # What refers to a row with a fault is right all the same: only now are such rows left out.
    whole = {name: [row for row in found if not row["faulty"]] for name, found in rows.items()}
    return Package(whole, faults)


def _demand_sane_sizes(entries: list[zipfile.ZipInfo]) -> None:
    """Problem 422 for files that would not fit, or that were made to grow; no more is unpacked than is said here."""
    if sum(entry.file_size for entry in entries) > UNPACKED_MAX:
        message = "Unpacked, the package would be larger than 512 MiB."
        raise Problem(422, "package_too_large", message, UNCHANGED, "Leave loads or fills out.")
    for entry in entries:
        if entry.file_size > max(SMALL_BYTES, SHRUNK_MAX * entry.compress_size):
            message = f"{entry.filename[:80]} grows {entry.file_size // max(entry.compress_size, 1)} times unpacked."
            raise Problem(422, "package_too_large", message, UNCHANGED, "Zip the tables of an estate, nothing else.")


def _texts(archive: zipfile.ZipFile) -> dict[str, str]:
    """The text of each table, by the paths that datapackage.json names; without it by ``<table>.csv``."""
    names = {name.rsplit("/", 1)[-1]: name for name in archive.namelist()}
    paths = {table.name: f"{table.name}.csv" for table in TABLES}
    if "datapackage.json" in names:
        try:
            with archive.open(names["datapackage.json"]) as described:
                document = json.loads(described.read(DESCRIPTOR_MAX))
            listed = {str(each["name"]): str(each["path"]) for each in document["resources"]}
        except (ValueError, KeyError, TypeError, RecursionError):
            message = "datapackage.json names no resources."
            raise Problem(422, "descriptor_unreadable", message, UNCHANGED, "See docs/formats.md.") from None
        paths = {name: path for name, path in listed.items() if name in TABLE}
    found = {}
    for table, path in paths.items():
        inside = names.get(path.rsplit("/", 1)[-1])
        if inside:
            try:
                found[table] = archive.read(inside).decode("utf-8-sig")
            except UnicodeDecodeError as error:
                message = f"{path} is not UTF-8 at byte {error.start}."
                raise Problem(422, "not_utf8", message, UNCHANGED, "Save it as UTF-8.") from None
    return found


def _rows(table: Table, text: str | None, faults: Faults) -> Iterator[Row]:
    """The rows of a table as values, each with whether it has a fault."""
    if text is None:
        if table.needed:
            faults.add(table, None, "", "", f"a file with the columns {', '.join(table.heads)}")
        return
    reader = csv.reader(io.StringIO(text, newline=""))
    try:
        yield from _rows_of(table, reader, faults)
    except csv.Error as error:
        # What follows cannot be told apart any more.
        faults.add(table, reader.line_num, "", "", f"CSV ({error})")


def _rows_of(table: Table, reader: CsvReader, faults: Faults) -> Iterator[Row]:
    heads = [head.strip() for head in next(reader, [])]
    missing = [column.name for column in table.columns if column.required and column.name not in heads]
    for name in missing:
        faults.add(table, 1, name, ", ".join(heads), "a column of this name")
    if missing:
        return
    places = [(column, heads.index(column.name), _parser(column)) for column in table.columns if column.name in heads]
    absent = {column.name: None for column in table.columns if column.name not in heads}
    for n, cells in enumerate(reader):
        if n >= ROWS_MAX:
            message = f"{table.name}.csv has more than {ROWS_MAX} rows."
            raise Problem(422, "too_many_rows", message, UNCHANGED, "Leave loads or fills out.")
        if not any(cells):
            continue
        row: Row = {"row": reader.line_num, "faulty": False, **absent}
        for column, place, parse in places:
            cell = as_meant(cells[place].strip()) if place < len(cells) else ""
            try:
                row[column.name] = parse(cell)
            except ValueError:
                row[column.name], row["faulty"] = None, True
                faults.add(table, reader.line_num, column.name, cell, column.expected)
        yield row


def _parser(column: Column) -> Callable[[str], Any]:
    """What makes a cell the column's value, None for an empty one; ValueError where it cannot be.

    What is the same for every cell is looked up once: a large package has millions.
    """
    kind, required, choices, least = column.kind, column.required, column.choices, column.least
    longest = WHOLE_MAX if column.name in LONG else TEXT_MAX
    typed = TYPED[kind]

    def parse(cell: str) -> Any:
        if not cell:
            if required:
                raise ValueError
            return None
        value = typed(cell)
        if choices and value not in choices:
            raise ValueError
        if kind == "string":
            if len(cell) > longest:
                raise ValueError
        elif least is not None and not least <= value <= WHOLE_MAX:
            raise ValueError
        return value

    return parse


def _truth(cell: str) -> bool:
    word = cell.lower()
    if word not in TRUE | FALSE:
        raise ValueError
    return word in TRUE


TYPED: dict[str, Callable[[str], Any]] = {"string": str, "boolean": _truth, "integer": int, "number": float}


def _check_keys(rows: dict[str, list[Row]], faults: Faults) -> None:
    """Keys are used once, and what a column refers to is there."""
    for table in TABLES:
        seen: dict[tuple[Any, ...], int] = {}
        for row in rows[table.name]:
            key = tuple(row[name] for name in table.key)
            if None in key:
                continue
            first = seen.setdefault(key, row["row"])
            if first != row["row"]:
                shown = ", ".join(map(str, key))
                faults.add(table, row["row"], " + ".join(table.key), shown, f"one that row {first} does not have")
        for column in table.columns:
            if column.to:
                _check_reference(table, column, rows, faults)


def _check_reference(table: Table, column: Column, rows: dict[str, list[Row]], faults: Faults) -> None:
    target, name = column.to or ("", "")
    known = {row[name] for row in rows[target]}
    lost = [row for row in rows[table.name] if row[column.name] is not None and row[column.name] not in known]
    if lost and None in known:
        # Any of these may be the one whose row cannot be read: that is told, and what follows from it in one line.
        for row in lost:
            row["faulty"] = True
        missed = count_of(len(lost), "value is", "values are")
        expected = f"{target}.csv put right first: from here on {missed} not in it"
        faults.add(table, lost[0]["row"], column.name, str(lost[0][column.name]), expected)
        return
    for row in lost:
        faults.add(table, row["row"], column.name, str(row[column.name]), f"one that {target}.csv has as {name}")
