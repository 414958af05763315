"""Metrics from elsewhere, as CSV or OpenMetrics text: read as a whole, with all that is wrong, or not at all.

CSV: ``metric,subject,time,value``. OpenMetrics: the same metrics with a prefix and the subject as label ``id``, as
``movelot_disk_read_iops{id="db-1"} 120 1795500000``. Subjects are identities of disks and datastores, and
``array/pool``.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from prometheus_client.openmetrics.parser import text_string_to_metric_families

from movelot.exchange.reading import FAULTS_KEPT, Fault
from movelot.inventory.models import Datastore, Disk, Pool
from movelot.inventory.telemetry import DiskSample, PoolSample, UseSample, add_samples, learn
from movelot.problems import Problem

DISK = {"disk_read_iops": "read_iops", "disk_write_iops": "write_iops", "disk_io_kib": "kib"}
POOL, STORE = "pool_latency_ms", "datastore_used_bytes"
NAMES = (*DISK, POOL, STORE)
PREFIX = "movelot_"
HEADS = ["metric", "subject", "time", "value"]
UNCHANGED = "No sample was taken in."


@dataclass(frozen=True)
class Sample:
    """A value of a metric; ``row`` is its line in the file (null where the format has none)."""

    row: int | None
    metric: str
    subject: str
    time: str
    value: str


@dataclass
class Taken:
    """How many samples were taken in, or what was wrong."""

    samples: int
    faults: list[Fault]
    fault_count: int


def take_in(text: str, written_as: str) -> Taken:
    """Store the samples of ``text`` and learn from them, unless anything is wrong with any of them."""
    file = "metrics.csv" if written_as == "csv" else "metrics.txt"
    samples = list(_from_csv(text) if written_as == "csv" else _from_openmetrics(text))
    faults = [fault for sample in samples if (fault := _fault(file, sample))]
    faults += _unknown(file, samples, {fault.row for fault in faults})
    if faults or not samples:
        return Taken(0, faults[:FAULTS_KEPT], len(faults))
    learned = add_samples(_disks(samples), _pools(samples), _uses(samples))
    learn(learned, datetime.now(UTC))
    return Taken(learned.samples, [], 0)


def _from_csv(text: str) -> Iterator[Sample]:
    reader = csv.reader(io.StringIO(text.lstrip("\ufeff"), newline=""))
    try:
        yield from _samples_of(reader)
    except csv.Error as error:
        message = f"Line {reader.line_num} is not CSV: {error}."
        raise Problem(422, "csv_unreadable", message, UNCHANGED, "Check its quotes.") from None


def _samples_of(reader: Any) -> Iterator[Sample]:
    heads = [head.strip().lower() for head in next(reader, [])]
    if heads != HEADS:
        message = f"Line 1 has the columns {', '.join(heads) or 'of nothing'}."
        raise Problem(422, "header_unknown", message, UNCHANGED, f"{','.join(HEADS)} was expected.")
    for cells in reader:
        if any(cells):
            yield Sample(reader.line_num, *(cell.strip() for cell in [*cells, "", "", "", ""][:4]))


def _from_openmetrics(text: str) -> Iterator[Sample]:
    try:
        families = list(text_string_to_metric_families(text))  # type: ignore[no-untyped-call]  # the library has no types
    except ValueError as error:
        message = f"This is no OpenMetrics text: {error}."[:200]
        raise Problem(422, "metrics_unreadable", message, UNCHANGED, "It has to end with # EOF.") from None
    for family in families:
        for found in family.samples:
            moment = "" if found.timestamp is None else str(float(found.timestamp))
            name = found.name.removeprefix(PREFIX)
            yield Sample(None, name, str(found.labels.get("id", "")), moment, str(found.value))


def _fault(file: str, sample: Sample) -> Fault | None:
    """The first thing wrong with a sample by itself."""
    if sample.metric not in NAMES:
        return Fault(file, sample.row, "metric", sample.metric, f"one of {', '.join(NAMES)}")
    if _moment(sample.time) is None:
        return Fault(file, sample.row, "time", sample.time, "a time as 2026-11-24T10:00:00Z, or seconds since 1970")
    if _number(sample.value) is None:
        return Fault(file, sample.row, "value", sample.value, "a number of at least 0")
    return None


def _unknown(file: str, samples: list[Sample], told: set[int | None]) -> list[Fault]:
    """A fault for each sample of a subject that is not known."""
    known = {
        "disk": set(Disk.objects.values_list("identity", flat=True)),
        "pool": set(_pool_keys()),
        "datastore": set(Datastore.objects.values_list("identity", flat=True)),
    }
    found = []
    for sample in samples:
        kind = sample.metric.split("_")[0]
        if kind in known and sample.subject not in known[kind] and (sample.row is None or sample.row not in told):
            wanted = "array/pool of a known pool" if kind == "pool" else f"the identity of a known {kind}"
            found.append(Fault(file, sample.row, "subject", sample.subject[:80], wanted))
    return found


def _pool_keys() -> dict[str, int]:
    return {f"{array}/{name}": key for array, name, key in Pool.objects.values_list("device__name", "name", "pk")}


def _moment(text: str) -> datetime | None:
    number = _number(text)
    try:
        if number is not None:
            return datetime.fromtimestamp(number, UTC)
        found = datetime.fromisoformat(text)
    except (ValueError, OverflowError, OSError):
        return None
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if 0 <= value < 1e18 else None


def _hour(sample: Sample) -> datetime:
    moment = _moment(sample.time) or datetime.now(UTC)
    return moment.replace(minute=0, second=0, microsecond=0)


def _disks(samples: Iterable[Sample]) -> list[DiskSample]:
    """One sample a disk and hour, of the values that were given for it (the last one counts)."""
    found: dict[tuple[str, datetime], dict[str, float]] = {}
    for sample in samples:
        if sample.metric in DISK:
            found.setdefault((sample.subject, _hour(sample)), {})[DISK[sample.metric]] = float(sample.value)
    return [
        DiskSample(subject, hour, each.get("read_iops", 0.0), each.get("write_iops", 0.0), each.get("kib", 8.0))
        for (subject, hour), each in found.items()
    ]


def _pools(samples: Iterable[Sample]) -> list[PoolSample]:
    keys = _pool_keys()
    return [PoolSample(keys[s.subject], _hour(s), float(s.value)) for s in samples if s.metric == POOL]


def _uses(samples: Iterable[Sample]) -> list[UseSample]:
    return [UseSample(s.subject, _hour(s).date(), int(float(s.value))) for s in samples if s.metric == STORE]
