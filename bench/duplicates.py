"""How far the estimate of deduplication is off, and how long it takes: 10 TiB, each block hashed, one in 512 sampled.

``python -m bench.duplicates``
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from core.tests.capacity.test_duplicates import kept, mixed
from movelot_core.capacity.duplicates import BlockSample, estimate

BLOCK = 16 * 1024
ONE_IN = 512
BLOCKS = 10 * 2**40 // BLOCK
CHUNK = 2**24
SEEDS = 3

Blocks = NDArray[np.uint64]
# A run of blocks: number of the first, how many, and how often it is there; the same numbers are the same blocks.
Run = tuple[int, int, int]


def desktops(rng: np.random.Generator) -> Iterator[Run]:
    """Made from one image of 24 GiB, of which each keeps 70 to 100 %, with as much of their own."""
    image, own = 24 * 2**30 // BLOCK, 2**32
    for _ in range(BLOCKS // (2 * image)):
        yield 0, int(image * rng.uniform(0.7, 1.0)), 1
        yield own, image, 1
        own += image


def servers(rng: np.random.Generator) -> Iterator[Run]:
    """Of six images, small beside what they hold themselves: little is saved."""
    own, each = 2**34, 96 * 2**30 // BLOCK
    for n in range(BLOCKS // each):
        yield (n % 6) * 2**20, int(8 * 2**30 / BLOCK * rng.uniform(0.5, 1.0)), 1
        yield own, each, 1
        own += each


def generations(rng: np.random.Generator) -> Iterator[Run]:
    """Ten copies of one archive of 1 TiB, each with 4 % written anew."""
    size, own = 2**40 // BLOCK, 2**36
    for _ in range(10):
        cut, new = int(rng.integers(0, size * 9 // 10)), size // 25
        yield 0, cut, 1
        yield own, new, 1
        yield cut + new, size - cut - new, 1
        own += new


def popular(rng: np.random.Generator) -> Iterator[Run]:
    """A hundred blocks are a fifth of all, each there a million times: the sample hardly ever has one of them."""
    often = BLOCKS // 500
    yield int(rng.integers(0, 2**30)), 100, often
    yield 2**38, BLOCKS - 100 * often, 1


def skewed(rng: np.random.Generator) -> Iterator[Run]:
    """Blocks that are there once, twice, four times, and so on up to two thousand times, as many bytes of each."""
    begin = 2**39
    for n in range(12):
        size = BLOCKS // 16 // 2**n
        yield begin, size, 2**n
        begin += size
    yield begin, BLOCKS // 4, 1


CASES: dict[str, Callable[[np.random.Generator], Iterator[Run]]] = {
    "desktops of one image": desktops,
    "servers of six images": servers,
    "generations of an archive": generations,
    "few blocks a million times": popular,
    "some blocks twice, some thousands of times": skewed,
}


def told(runs: list[Run], salt: int) -> tuple[BlockSample, int, int]:
    """A sample of all blocks, with the truth: how many blocks, and how many that are different."""
    found, total = list[Blocks](), 0
    for first, count, times in runs:
        total += count * times
        for begin in range(0, count, CHUNK):
            numbers = np.arange(first + begin, first + min(count, begin + CHUNK), dtype=np.uint64)
            prints = mixed(numbers + np.uint64(salt))
            found.append(np.repeat(prints[prints < np.uint64(2**64 // ONE_IN)], times))
    prints = np.concatenate(found)
    return BlockSample(prints, kept(prints), total, 0, BLOCK, ONE_IN), total, distinct(runs)


def distinct(runs: list[Run]) -> int:
    """How many numbers the runs hold, each counted once."""
    end = count = 0
    for first, size, _times in sorted(runs):
        count += max(0, first + size - max(first, end))
        end = max(end, first + size)
    return count


def report() -> None:
    """Print for each case how far the saving is off, by seeds, and the time of the slowest estimate."""
    worst, slowest = 0.0, 0.0
    print(f"deduplication of 10 TiB, one block of {BLOCK // 1024} KiB in {ONE_IN}")
    for name, case in CASES.items():
        off, saved = list[float](), 0.0
        for seed in range(SEEDS):
            sample, total, different = told(list(case(np.random.default_rng([51, seed]))), seed << 45)
            begun = time.perf_counter()
            found = estimate([sample])
            slowest = max(slowest, time.perf_counter() - begun)
            saved = (total - different) * BLOCK
            off.append(abs(found.deduplicated_bytes - different * BLOCK) / saved)
        worst = max(worst, *off)
        print(f"  {name}: saves {saved / 2**40:.2f} TiB; off by {max(off):.2%} of that at most")
    print(f"  worst {worst:.2%} (aim 5); slowest estimate {slowest:.1f} s (aim 10)")


if __name__ == "__main__":
    report()
