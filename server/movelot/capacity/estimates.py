"""What compression and deduplication would save of volumes, estimated from blocks that their array samples.

The job asks for samples piece by piece, and keeps only what they come to: for each volume apart, for all together, and
which volumes hold the same blocks.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Q
from django.utils.timezone import now
from pydantic import TypeAdapter

from movelot.devices.errors import DeviceError
from movelot.devices.reducing import PIECE_BYTES, sample
from movelot.devices.session import session_with
from movelot.findings.judging import keep, kept, kept_of
from movelot.inventory.models import Pool, Volume
from movelot.jobs.work import JobKind, Running
from movelot.problems import Problem
from movelot_core.capacity.duplicates import BlockSample, Estimate, estimate, shared_between
from movelot_core.units import count_of

GIB = 2**30
# One block in so many is sampled; of more than this many bytes fewer, so that what is kept in memory stays alike.
ONE_IN, SAMPLED_WHOLE = 512, 32 * 2**40
VOLUMES_MAX = 100
PAIRS_MAX = 50
# What two volumes share is worth telling from this share of the smaller on.
WORTH_SHARE = 0.01


@dataclass
class WayLeft:
    """Ways of reducing data, with what they leave of it in bytes, and the standard error of that."""

    ways: list[str]
    left_bytes: int
    error_bytes: int


@dataclass
class EstimatedVolume:
    """A volume as it was sampled: all its bytes, those of zeros among them, and what each way would leave alone."""

    serial: str
    name: str
    logical_bytes: int
    zero_bytes: int
    left: list[WayLeft]


@dataclass
class SharedPair:
    """Two volumes, by their names, and the bytes that both hold."""

    one: str
    other: str
    size_bytes: int


@dataclass
class PoolEstimate:
    """Of volumes of a pool, apart and together, at a moment (ISO)."""

    pool: int
    made_at: str
    one_in: int
    volumes: list[EstimatedVolume]
    left: list[WayLeft]
    shared: list[SharedPair]


KEPT = TypeAdapter(PoolEstimate)
# What has data of its own: of volumes in a set those of disks.
REDUCIBLE = Q(kind__in=[Volume.Kind.BLOCK, Volume.Kind.FILE]) | Q(kind=Volume.Kind.MEMBER, purpose="disk")


def kept_estimate(pool: int) -> PoolEstimate | None:
    """The last estimate of a pool's volumes; None without one."""
    found = kept(_name(pool))
    return KEPT.validate_json(found.document) if found else None


def kept_estimates(pools: Iterable[int]) -> dict[int, PoolEstimate]:
    """The last estimates of several pools, by one query; left out are those without one."""
    names = {_name(pool): pool for pool in pools}
    return {names[name]: KEPT.validate_json(row.document) for name, row in kept_of(names).items()}


def _name(pool: int) -> str:
    return f"estimate-{pool}"


def ways_of(pool: Pool) -> list[list[str]]:
    """All ways of reducing data, alone and together, that a pool can do."""
    can = sorted(way for way in pool.reduces if way in ("compression", "deduplication"))
    return [[way] for way in can] + ([can] if len(can) > 1 else [])


def reducible(pool: Pool) -> list[Volume]:
    """Its volumes whose data can be reduced, by name: those of disks in a volume set too."""
    rows = Volume.objects.filter(REDUCIBLE, pool=pool, thin=True)
    return list(rows.select_related("device").order_by("name", "pk"))


@dataclass
class Estimated:
    """The pool whose estimate was made, and of how many volumes."""

    pool: int
    volumes: int


class EstimateJob(JobKind[Estimated]):
    """Samples volumes of one pool; nothing is changed on the array."""

    name = "estimate_reduction"
    result = Estimated

    def do(self, running: Running) -> Estimated:
        pool = Pool.objects.select_related("device").filter(pk=running.params["pool"]).first()
        wanted = set(running.params["volumes"])
        volumes = [each for each in reducible(pool) if each.pk in wanted][:VOLUMES_MAX] if pool else []
        if pool is None or not volumes:
            raise Problem(404, "not_found", "None of these volumes is there any more.", "Nothing was sampled.")
        samples = list(_sampled(volumes, running))
        made = _estimated(pool, volumes, samples)
        keep(_name(pool.pk), "", KEPT.dump_python(made, mode="json"))
        return Estimated(pool.pk, len(volumes))


def _sampled(volumes: Sequence[Volume], running: Running) -> Iterable[BlockSample]:
    total, done = sum(volume.size_bytes for volume in volumes), 0
    one_in = ONE_IN * max(1, -(-total // SAMPLED_WHOLE))
    for volume in volumes:
        parts = []
        for begin in range(0, volume.size_bytes, PIECE_BYTES):
            running.progress(f"sampling {volume.name}", done // GIB, total // GIB)
            length = min(PIECE_BYTES, volume.size_bytes - begin)
            try:
                parts.append(sample(session_with(volume.device), volume.uri, begin, length, one_in))
            except DeviceError as error:
                text = f"{volume.name} could not be sampled: {error}"
                raise Problem(502, "not_sampled", text, "The last estimate stays as it is.") from error
            done += length
        yield _joined(parts)
    running.progress(f"comparing {count_of(len(volumes), 'volume')}", total // GIB, total // GIB)


def _joined(parts: Sequence[BlockSample]) -> BlockSample:
    return BlockSample(
        np.concatenate([part.fingerprints for part in parts]),
        np.concatenate([part.kept_bytes for part in parts]),
        sum(part.blocks for part in parts),
        sum(part.zero_blocks for part in parts),
        parts[0].block_bytes,
        parts[0].one_in,
    )


def _estimated(pool: Pool, volumes: Sequence[Volume], samples: Sequence[BlockSample]) -> PoolEstimate:
    ways, alone = ways_of(pool), [estimate([each]) for each in samples]
    together = estimate(samples)
    rows = [
        EstimatedVolume(
            volume.serial, volume.name, found.logical_bytes, found.zero_bytes, [_left(found, way) for way in ways]
        )
        for volume, found in zip(volumes, alone, strict=True)
    ]
    worth = [
        SharedPair(volumes[pair.one].name, volumes[pair.other].name, round(pair.size_bytes))
        for pair in shared_between(samples)
        if pair.size_bytes
        >= WORTH_SHARE * min(alone[each].deduplicated_bytes or 1.0 for each in (pair.one, pair.other))
    ]
    left = [_left(together, way) for way in ways]
    return PoolEstimate(pool.pk, now().isoformat(), samples[0].one_in, rows, left, worth[:PAIRS_MAX])


def _left(found: Estimate, ways: Sequence[str]) -> WayLeft:
    left, error = found.left(ways)
    return WayLeft(list(ways), round(left), round(error))


@dataclass(frozen=True)
class Foreseen:
    """What ways leave of volumes: bytes and their standard error; ``apart`` where they were not sampled together."""

    left_bytes: int
    error_bytes: int
    apart: bool


def foreseen(pool: int, serials: Iterable[str], ways: Sequence[str]) -> Foreseen | None:
    """By the last estimate; None where that does not know all of the volumes, or not these ways."""
    found, wanted = kept_estimate(pool), set(serials)
    if found is None or not wanted:
        return None
    if {volume.serial for volume in found.volumes} == wanted:
        whole = _of(found.left, ways)
        return Foreseen(whole.left_bytes, whole.error_bytes, False) if whole else None
    parts = [_of(volume.left, ways) for volume in found.volumes if volume.serial in wanted]
    known = [part for part in parts if part is not None]
    if len(known) < len(wanted):
        return None
    error = float(np.sqrt(sum(part.error_bytes**2 for part in known)))
    return Foreseen(sum(part.left_bytes for part in known), round(error), len(known) > 1)


def _of(left: Sequence[WayLeft], ways: Sequence[str]) -> WayLeft | None:
    return next((each for each in left if sorted(each.ways) == sorted(ways)), None)
