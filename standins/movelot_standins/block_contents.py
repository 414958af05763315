"""What is in the blocks of disks: streams of made-up blocks, each the same wherever it is, and zeros.

A stream is known by its name: block n of it has the same fingerprint on every volume. Disks made from one image begin
with the same stream. Of a stream nobody keeps the blocks: which of them a sample has follows from its name.
"""

from __future__ import annotations

import hashlib
import math
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from movelot_standins.model import Disk

BLOCK_BYTES = 16 * 1024
# Blocks are sampled in pieces, so that a stream's beginning has the same sample wherever it ends.
PIECE_BLOCKS = 4096
SECTOR_BYTES = 512
SECTORS = BLOCK_BYTES // SECTOR_BYTES
# Samples are those blocks whose fingerprint is small: one in so many, or fewer.
ONE_IN_LEAST = 128
ZEROS = ""
# How much of a block compression leaves: of what an image brings, of pictures, and of the rest between two shares.
IMAGE_LEFT, PICTURES_LEFT, LEFT_LEAST, LEFT_MOST = 0.55, 0.97, 0.45, 0.9
SPREAD = 0.12


@dataclass(frozen=True)
class Item:
    """The first ``size`` bytes of a stream; of no name they are zeros."""

    stream: str
    size: int


def parts_of(disk: Disk) -> Iterator[Item]:
    """What a disk holds: what it shares with others, what its guest wrote itself, and what it never wrote."""
    left = disk.written_bytes
    for stream, size in disk.content:
        yield Item(stream, min(left, size))
        left -= min(left, size)
    yield Item(f"disk {disk.id}", left)
    yield Item(ZEROS, disk.taken_bytes - disk.written_bytes)


def shared_with_copy(disk: Disk) -> list[tuple[str, int]]:
    """What a copy of a disk holds as it is made."""
    return [(item.stream, item.size) for item in parts_of(disk) if item.stream != ZEROS and item.size]


def left_share(stream: str) -> float:
    """How much of a stream's blocks compression leaves, on average."""
    if stream.startswith("image"):
        return IMAGE_LEFT
    if "cctv" in stream:
        return PICTURES_LEFT
    return LEFT_LEAST + (LEFT_MOST - LEFT_LEAST) * (_seed(stream) % 1000) / 1000


@lru_cache(maxsize=4096)
def _kept_share(stream: str) -> float:
    """The same once each block takes whole sectors, one at least: the mean of what a sample draws."""
    mean = left_share(stream)
    over = [0.5 * math.erfc((sector / SECTORS - mean) / (SPREAD * math.sqrt(2))) for sector in range(1, SECTORS)]
    return (1 + sum(over)) / SECTORS


def _seed(stream: str) -> int:
    return int.from_bytes(hashlib.blake2b(stream.encode(), digest_size=8).digest(), "big")


def kept_bytes(own: Sequence[Item], others: Iterable[Sequence[Item]], compressed: bool, deduplicated: bool) -> int:
    """What is left of a volume's items once they are reduced, among ``others`` that are deduplicated with them."""
    lengths: dict[str, list[int]] = defaultdict(list)
    for items in (own, *others) if deduplicated else ():
        for item in items:
            lengths[item.stream].append(item.size)
    kept = 0.0
    for item in own:
        if item.stream == ZEROS:
            continue
        share = _kept_share(item.stream) if compressed else 1.0
        kept += share * (_part_of(item.size, lengths[item.stream]) if deduplicated else item.size)
    return round(kept)


def _part_of(size: int, lengths: list[int]) -> float:
    """Of the first ``size`` bytes of a stream, which beginnings of these lengths hold too, the part of one of them."""
    part, begin = 0.0, 0
    for number, end in enumerate(sorted(lengths)):
        until = min(end, size)
        part += max(0, until - begin) / (len(lengths) - number)
        begin = max(begin, until)
    return part


@dataclass(frozen=True)
class Sample:
    """Blocks of which the fingerprint is small: fingerprints, and the sectors each takes once it is compressed."""

    blocks: int
    zero_blocks: int
    fingerprints: NDArray[np.uint64]
    sectors: NDArray[np.uint8]


def sample(items: Sequence[Item], offset: int, length: int, one_in: int) -> Sample:
    """One block in ``one_in`` of a range of bytes of ``items`` that lie one after the other."""
    at, blocks, zeros = 0, 0, 0
    found: list[tuple[NDArray[np.uint64], NDArray[np.uint8]]] = []
    for item in items:
        begin, end = (max(0, edge - at) // BLOCK_BYTES for edge in (offset, offset + length))
        end = min(end, item.size // BLOCK_BYTES)
        at += item.size // BLOCK_BYTES * BLOCK_BYTES
        if begin >= end:
            continue
        blocks += end - begin
        zeros += end - begin if item.stream == ZEROS else 0
        if item.stream != ZEROS:
            found.append(_between(item.stream, begin, end, one_in))
    prints = np.concatenate([each[0] for each in found] or [np.zeros(0, np.uint64)])
    sectors = np.concatenate([each[1] for each in found] or [np.zeros(0, np.uint8)])
    return Sample(blocks, zeros, prints, sectors)


def _between(stream: str, begin: int, end: int, one_in: int) -> tuple[NDArray[np.uint64], NDArray[np.uint8]]:
    places, prints, sectors = _sampled(stream, -(-end // PIECE_BLOCKS))
    chosen = (places >= begin) & (places < end) & (prints < np.uint64(2**64 // one_in))
    return prints[chosen], sectors[chosen]


@lru_cache(maxsize=64)
def _sampled(stream: str, pieces: int) -> tuple[NDArray[np.int64], NDArray[np.uint64], NDArray[np.uint8]]:
    """Of the first pieces of a stream: which blocks have a small fingerprint, that, and the sectors of each.

    Drawn in order, so that fewer pieces have the same blocks in them.
    """
    draws = [np.random.default_rng([_seed(stream), number]) for number in range(4)]
    counts = draws[0].binomial(PIECE_BLOCKS, 1 / ONE_IN_LEAST, pieces)
    total = int(counts.sum())
    places = np.repeat(np.arange(pieces), counts) * PIECE_BLOCKS + draws[1].integers(0, PIECE_BLOCKS, total)
    prints = draws[2].integers(0, 2**64 // ONE_IN_LEAST, total, dtype=np.uint64)
    shares = np.clip(draws[3].normal(left_share(stream), SPREAD, total), 1 / SECTORS, 1)
    return places, prints, np.ceil(shares * SECTORS).astype(np.uint8)
