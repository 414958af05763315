"""Jobs of open formats: files are read, checked, taken in and written by a worker."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from movelot.accounts.models import User
from movelot.devices.sealing import seal, unseal
from movelot.devices.tasks import collect_telemetry
from movelot.exchange.checking import check_meaning
from movelot.exchange.importing import Outcome, import_rows
from movelot.exchange.metrics import Taken, take_in
from movelot.exchange.reading import Fault, read_package
from movelot.exchange.rows import Row, rows_in
from movelot.exchange.storing import store
from movelot.exchange.writing import package
from movelot.jobs.models import Job
from movelot.jobs.sending import give
from movelot.jobs.work import JobKind, Running, start

CHUNK_BYTES = 1024**2


@dataclass
class TableCount:
    """Rows of a table that can be taken in."""

    table: str
    rows: int


@dataclass
class PackageAnswer:
    """What a package holds and all that is wrong with it; ``imported`` says whether it was taken in.

    ``faults`` are the first 500 of ``fault_count``. ``grants_left_out`` are rows for the storage team alone.
    """

    imported: bool
    tables: list[TableCount]
    faults: list[Fault]
    fault_count: int
    grants_left_out: int


@dataclass
class ImportAnswer:
    """Every row's outcome; ``done`` counts rows that were, ``wrong`` those that were not or could not be."""

    dry_run: bool
    rows: list[Outcome]
    done: int
    wrong: int


@dataclass
class PackageMade:
    """Where the package that was written can be fetched, and its size."""

    file: str
    size_bytes: int


def start_with(kind: str, content: bytes, person: User, kept_as: bytes | None = None, **params: Any) -> Job:
    """Start a job on a file, kept as it is or as ``kept_as``; the same file asked for in the same way is one job."""
    digest = hashlib.sha256(content).hexdigest()
    return start(kind, {**params, "sha256": digest}, person, [content if kept_as is None else kept_as])


class ImportPackage(JobKind[PackageAnswer]):
    """Checks a Data Package whole, and takes it in whole or not at all."""

    name = "import_package"
    result = PackageAnswer
    personal = True

    def do(self, running: Running) -> PackageAnswer:
        running.progress("reading the package")
        with running.brought() as file:
            found = read_package(file)
        if not found.faults.count:
            running.progress("checking what it says")
            check_meaning(found)
        taken = not running.params["dry_run"] and not found.faults.count
        if taken:
            running.progress("storing it")
            store(found, running.person)
        left_out = 0 if running.person.grants_pools else len(found.rows.get("grants", []))
        tables = [TableCount(table, len(rows)) for table, rows in found.rows.items() if rows]
        return PackageAnswer(taken, tables, found.faults.first, found.faults.count, left_out)


class ExportPackage(JobKind[PackageMade]):
    """Writes the whole inventory as a Data Package."""

    name = "export_package"
    result = PackageMade
    makes = ("estate.zip", "application/zip")

    def do(self, running: Running) -> PackageMade:
        running.progress("writing the package")
        content = package()
        running.made(content[first : first + CHUNK_BYTES] for first in range(0, len(content), CHUNK_BYTES))
        return PackageMade(f"/api/jobs/{running.job.pk}/file/", len(content))


class ImportMetrics(JobKind[Taken]):
    """Takes samples that were measured elsewhere, all of them or none."""

    name = "import_metrics"
    result = Taken
    personal = True

    def do(self, running: Running) -> Taken:
        running.progress("reading the samples")
        with running.brought() as file:
            return take_in(file.read().decode(), running.params["written_as"])


class ImportRows(JobKind[ImportAnswer]):
    """Links devices and grants pools row by row; the file has passwords, so that it is sealed while it waits."""

    name = "import_rows"
    result = ImportAnswer
    personal = True
    queue = "checks"

    def do(self, running: Running) -> ImportAnswer:
        with running.brought() as file:
            rows = rows_in(unseal(file.read()), running.params["written_as"])
        dry = running.params["dry_run"]
        outcomes = list(self._outcomes(running, rows, dry))
        done = sum(row.outcome == "done" for row in outcomes)
        if any(row.outcome == "done" and row.kind == "link" for row in outcomes):
            give(collect_telemetry)
        return ImportAnswer(dry, outcomes, done, sum(row.outcome == "wrong" for row in outcomes))

    def _outcomes(self, running: Running, rows: list[Row], dry: bool) -> Iterator[Outcome]:
        for n, row in enumerate(rows):
            running.progress(f"row {n + 1}", n, len(rows))
            yield from import_rows([row], running.person, dry)


def start_rows(text: str, written_as: str, dry_run: bool, person: User) -> Job:
    """Start the import of links and grants. Problem 422 for text of another form: then there is nothing to start."""
    rows_in(text, written_as)
    return start_with(ImportRows.name, text.encode(), person, seal(text), written_as=written_as, dry_run=dry_run)
