"""What compression and deduplication would save, from a sample of block fingerprints, before they are switched on.

A block is in the sample if its fingerprint is below a threshold, one in n: the same blocks are sampled on every volume,
so that samples of several can be put together. Of the sampled fingerprints, m[i] is how often each was seen. The sum of
any value y over all distinct blocks is estimated by regression on the number of blocks, which is known: with p = 1/n,

    Y = sum(y)/p + b * (N - sum(m)/p),   b = sum(y*m) / sum(m*m)

with the standard error sqrt((1 - p) * sum((y - b*m)^2)) / p (Poisson sampling; Sarndal, Swensson and Wretman, *Model
Assisted Survey Sampling*, chapter 6). Where no block is there twice, b is 1 and the error 0. Where chance does not
explain N - sum(m)/p, a few blocks that are there very often were missed: then b is 0, as these count once each.

Worked example: 1,000 blocks, one in 10 sampled. 60 fingerprints were seen once, 20 twice: 100 in all, as 1,000 blocks
let expect. Distinct are 80/0.1 = 800 blocks, so 200 of 1,000 are saved.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from movelot_core.errors import CapacityError

# Beyond so many standard errors it is not chance.
SURE = 4.0


@dataclass(frozen=True)
class BlockSample:
    """Of one volume: ``fingerprints`` of the sampled blocks, each as often as it was seen, and for each of these the
    ``kept_bytes`` that compression leaves; ``blocks`` are all that hold data, ``zero_blocks`` those of zeros.
    """

    fingerprints: NDArray[np.uint64]
    kept_bytes: NDArray[np.int64]
    blocks: int
    zero_blocks: int
    block_bytes: int
    one_in: int


@dataclass(frozen=True)
class Estimate:
    """Bytes, with the standard error of those that are estimated.

    ``deduplicated_bytes`` is what is left once each block is kept once, ``compressed_bytes`` once each is compressed,
    ``both_bytes`` once both is done. Blocks of zeros are not kept by any of them.
    """

    logical_bytes: int
    zero_bytes: int
    deduplicated_bytes: float
    deduplicated_error: float
    compressed_bytes: float
    compressed_error: float
    both_bytes: float
    both_error: float
    sampled: int

    def left(self, ways: Sequence[str]) -> tuple[float, float]:
        """What is left once it is reduced in these ways, of compression and deduplication, with its error."""
        match sorted(ways):
            case ["compression"]:
                return self.compressed_bytes, self.compressed_error
            case ["deduplication"]:
                return self.deduplicated_bytes, self.deduplicated_error
            case ["compression", "deduplication"]:
                return self.both_bytes, self.both_error
        return float(self.logical_bytes), 0.0


def estimate(samples: Sequence[BlockSample]) -> Estimate:
    """What reducing these volumes together would leave. CapacityError where they were not sampled alike."""
    kinds = {(sample.block_bytes, sample.one_in) for sample in samples}
    if len(kinds) != 1:
        raise CapacityError("samples_differ", "Samples of different blocks cannot be put together.")
    block, one_in = kinds.pop()
    blocks, zeros = sum(sample.blocks for sample in samples), sum(sample.zero_blocks for sample in samples)
    prints = np.concatenate([sample.fingerprints for sample in samples])
    kept = np.concatenate([sample.kept_bytes for sample in samples]).astype(np.float64)
    _, first, times = np.unique(prints, return_index=True, return_counts=True)
    many = times.astype(np.float64)
    if not len(many):
        return Estimate((blocks + zeros) * block, zeros * block, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0)
    seen = _Sampled(many, blocks, one_in)
    distinct = seen.once(np.full(len(many), float(block)))
    # The same block is compressed to the same bytes, wherever it is.
    compressed, both = seen.each(kept[first] * many), seen.once(kept[first])
    return Estimate((blocks + zeros) * block, zeros * block, *distinct, *compressed, *both, len(prints))


@dataclass(frozen=True)
class _Sampled:
    """How often each sampled fingerprint was seen, of so many blocks; ``gap`` is how many that does not explain.

    ``hidden`` says that chance does not either: a few blocks are there so often that the sample must have missed them.
    """

    times: NDArray[np.float64]
    blocks: int
    one_in: int

    @property
    def gap(self) -> float:
        return self.blocks - float(self.times.sum()) * self.one_in

    @property
    def hidden(self) -> bool:
        return abs(self.gap) > SURE * self.spread(self.times)

    def spread(self, values: NDArray[np.float64]) -> float:
        """The standard error of the sum of ``values`` over all distinct blocks, taken from the sample alone."""
        return float(np.sqrt((1 - 1 / self.one_in) * np.square(values).sum())) * self.one_in

    def once(self, values: NDArray[np.float64]) -> tuple[float, float]:
        """The sum of ``values`` over all distinct blocks, and its standard error.

        What was missed is few blocks, each counted once: the number of all blocks then tells nothing of them.
        """
        slope = 0.0 if self.hidden else self._slope(values)
        total = float(values.sum()) * self.one_in + slope * self.gap
        return max(0.0, total), self.spread(values - slope * self.times)

    def each(self, values: NDArray[np.float64]) -> tuple[float, float]:
        """The same of values that count as often as a block is there.

        Nobody knows those of what was missed: the mean of all others is taken, and may be all wrong.
        """
        slope = float(values.sum() / self.times.sum()) if self.hidden else self._slope(values)
        total = float(values.sum()) * self.one_in + slope * self.gap
        unknown = abs(self.gap) * slope if self.hidden else 0.0
        return max(0.0, total), self.spread(values - slope * self.times) + unknown

    def _slope(self, values: NDArray[np.float64]) -> float:
        return float(values @ self.times / (self.times @ self.times))


@dataclass(frozen=True)
class Shared:
    """Two volumes, by their places among the samples, and the bytes that both hold."""

    one: int
    other: int
    size_bytes: float


def shared_between(samples: Sequence[BlockSample], least_bytes: float = 0.0) -> list[Shared]:
    """Which volumes hold the same blocks, most first: these are worth keeping in one pool.

    Bytes are counted once for each pair, however often a volume has them.
    """
    if len(samples) < 2:
        return []
    distinct = [np.unique(sample.fingerprints) for sample in samples]
    _, where = np.unique(np.concatenate(distinct), return_inverse=True)
    rows = np.repeat(np.arange(len(samples)), [len(each) for each in distinct])
    held = sparse.csr_matrix((np.ones(len(where)), (rows, where)))
    both = sparse.triu(held @ held.T, k=1).tocoo()
    scale = samples[0].block_bytes * samples[0].one_in
    found = [
        Shared(int(one), int(other), float(count) * scale)
        for one, other, count in zip(both.row, both.col, both.data, strict=True)
        if count * scale >= max(least_bytes, 1.0)
    ]
    return sorted(found, key=lambda pair: (-pair.size_bytes, pair.one, pair.other))
