"""Who uses what: bytes of disks by host, cluster, label, policy and datastore, of each pool apart."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from pydantic import TypeAdapter

from movelot.capacity.known import Uses
from movelot.inventory.bulk import insert
from movelot.inventory.labels import labels_by_thing
from movelot.inventory.models import Disk, ShareDay

NAME = "capacity-shares"
NOBODY = "none"
# As ShareDay has room for.
NAME_MAX = 160


@dataclass
class ShareRow:
    """What one of a kind (``by`` host, cluster, label, policy or datastore) has of a pool, in bytes.

    ``written_bytes`` counts disks whose host does not tell whole; the pool is empty for what lies on none.
    """

    by: str
    name: str
    pool: str
    disks: int
    provisioned_bytes: int
    written_bytes: int


SHARES = TypeAdapter(list[ShareRow])


def shares(known: Uses) -> list[ShareRow]:
    """All of them, by kind and name; a disk with several labels counts under each."""
    labels = labels_by_thing("machine")
    of_disks = labels_by_thing("disk")
    found: dict[tuple[str, str, str], ShareRow] = {}
    columns = (
        *("pk", "machine_id", "placement__datastore_id", "placement__datastore__name", "size_bytes", "written_bytes"),
        *("machine__placement__host__name", "machine__placement__host__cluster__name", "compliance__policy__name"),
    )
    rows = Disk.objects.filter(placement__isnull=False).values_list(*columns)
    for disk, machine, store, store_name, size, written, host, cluster, policy in rows:
        pool = known.pools.get(known.pool_of.get(store, 0))
        said = {**labels.get(machine, {}), **of_disks.get(disk, {})}
        for by, name in _whose(store_name, host, cluster, policy, said):
            key = (by, name, pool.name if pool else "")
            row = found.setdefault(key, ShareRow(*key, 0, 0, 0))
            row.disks += 1
            row.provisioned_bytes += size
            row.written_bytes += size if written is None else written
    return [found[key] for key in sorted(found)]


def keep_days(rows: Sequence[ShareRow], day: date) -> None:
    """Write a day's figures, of all pools together, unless it has them: a day is what it began with."""
    if ShareDay.objects.filter(day=day).exists():
        return
    sums: dict[tuple[str, str], list[int]] = {}
    for row in rows:
        of_one = sums.setdefault((row.by, row.name[:NAME_MAX]), [0, 0])
        of_one[0] += row.provisioned_bytes
        of_one[1] += row.written_bytes
    insert(
        ShareDay,
        (
            {"day": day, "by": by, "name": name, "provisioned_bytes": provisioned, "written_bytes": written}
            for (by, name), (provisioned, written) in sums.items()
        ),
        keep=True,
    )


def share_days(by: str, since: date) -> dict[str, list[tuple[date, int]]]:
    """Of each by name, bytes written day by day."""
    found: dict[str, list[tuple[date, int]]] = {}
    rows = ShareDay.objects.filter(by=by, day__gte=since).order_by("day", "pk")
    for name, day, written in rows.values_list("name", "day", "written_bytes"):
        found.setdefault(name, []).append((day, written))
    return found


def _whose(
    store: str, host: str | None, cluster: str | None, policy: str | None, labels: dict[str, str]
) -> Iterator[tuple[str, str]]:
    yield "datastore", store
    yield "host", host or NOBODY
    yield "cluster", cluster or NOBODY
    yield "policy", policy or NOBODY
    for key, value in labels.items() or ((NOBODY, ""),):
        yield "label", f"{key}={value}" if value else key
