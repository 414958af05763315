"""The estimate of deduplication, against volumes whose blocks are all counted; it shares nothing with the sampling."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from movelot_core.capacity.duplicates import BlockSample, estimate, shared_between
from movelot_core.errors import CapacityError

BLOCK = 16 * 1024
ONE_IN = 64


def mixed(numbers: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """A fingerprint for each block's content: splitmix64."""
    with np.errstate(over="ignore"):
        z = numbers + np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(z ^ (z >> np.uint64(31)))


def kept(prints: NDArray[np.uint64]) -> NDArray[np.int64]:
    """Bytes that compression leaves of each: 20 to 100 %, by its content."""
    return np.asarray((0.2 + 0.8 * ((prints >> np.uint64(20)) % np.uint64(1000)) / 1000) * BLOCK, dtype=np.int64)


def sampled(contents: NDArray[np.uint64], zeros: int = 0, one_in: int = ONE_IN) -> BlockSample:
    prints = mixed(contents)
    chosen = prints[prints < np.uint64(2**64 // one_in)]
    return BlockSample(chosen, kept(chosen), len(contents), zeros, BLOCK, one_in)


def truth(*volumes: NDArray[np.uint64]) -> tuple[float, float, float]:
    """Bytes left once deduplicated, compressed, both; of all blocks."""
    everything = np.concatenate(volumes)
    distinct = np.unique(everything)
    return (
        len(distinct) * BLOCK,
        float(kept(mixed(everything)).sum()),
        float(kept(mixed(distinct)).sum()),
    )


def images(rng: np.random.Generator, machines: int, shared: int, own: int) -> list[NDArray[np.uint64]]:
    """Machines that begin with the same image, most of which they keep, and have blocks of their own."""
    return [
        np.concatenate(
            [
                np.arange(int(shared * rng.uniform(0.7, 1.0)), dtype=np.uint64),
                rng.integers(2**40, 2**62, own, dtype=np.uint64),
            ]
        )
        for _ in range(machines)
    ]


def test_the_worked_example() -> None:
    once, twice = np.arange(60, dtype=np.uint64), np.repeat(np.arange(60, 80, dtype=np.uint64), 2)
    prints = np.concatenate([once, twice])
    found = estimate([BlockSample(prints, np.full(100, BLOCK), 1000, 0, BLOCK, 10)])
    assert found.deduplicated_bytes == pytest.approx(800 * BLOCK)
    assert found.logical_bytes == 1000 * BLOCK


def test_blocks_that_are_all_different_save_nothing_and_that_is_sure() -> None:
    found = estimate([sampled(np.arange(200_000, dtype=np.uint64))])
    assert found.deduplicated_bytes == pytest.approx(found.logical_bytes)
    assert found.deduplicated_error == pytest.approx(0)


def test_blocks_of_zeros_are_not_kept() -> None:
    found = estimate([sampled(np.arange(1000, dtype=np.uint64), zeros=500)])
    assert (found.logical_bytes, found.zero_bytes) == (1500 * BLOCK, 500 * BLOCK)
    assert found.deduplicated_bytes == pytest.approx(1000 * BLOCK)


def test_a_volume_without_a_block_holds_nothing() -> None:
    found = estimate([sampled(np.zeros(0, dtype=np.uint64), zeros=10)])
    assert (found.deduplicated_bytes, found.both_bytes, found.sampled) == (0, 0, 0)


def test_samples_of_different_blocks_are_refused() -> None:
    blocks = np.arange(100, dtype=np.uint64)
    with pytest.raises(CapacityError, match="cannot be put together"):
        estimate([sampled(blocks), sampled(blocks, one_in=128)])


@pytest.mark.parametrize("machines", [1, 2, 10, 80])
@pytest.mark.parametrize("own", [500, 20_000])
def test_what_is_left_lies_within_three_errors_of_the_truth(machines: int, own: int) -> None:
    volumes = images(np.random.default_rng([machines, own]), machines, 30_000, own)
    found = estimate([sampled(each) for each in volumes])
    figures = zip(truth(*volumes), ("deduplicated", "compressed", "both"), strict=True)
    for true, name in figures:
        off = abs(getattr(found, f"{name}_bytes") - true)
        assert off <= 3 * getattr(found, f"{name}_error") + 1, name


def test_the_error_is_neither_too_small_nor_too_large() -> None:
    """Of 200 sets of volumes, about 95 % lie within two standard errors."""
    right = 0
    for number in range(200):
        rng = np.random.default_rng([7, number])
        volumes = images(rng, int(rng.integers(2, 12)), int(rng.integers(500, 8000)), int(rng.integers(100, 8000)))
        # Other contents for each set: their fingerprints are what chance decides by.
        volumes = [each + np.uint64(number << 33) for each in volumes]
        found = estimate([sampled(each) for each in volumes])
        right += abs(found.both_bytes - truth(*volumes)[2]) <= 2 * found.both_error
    assert 0.88 <= right / 200 <= 0.99


@pytest.mark.parametrize("seed", range(8))
def test_a_few_blocks_that_are_there_very_often_are_saved_though_the_sample_missed_them(seed: int) -> None:
    """Five blocks are 40 % of all, and one in 64 is sampled: hardly ever one of these."""
    often = np.repeat(np.arange(seed * 5, seed * 5 + 5, dtype=np.uint64), 20_000)
    own = np.arange(10**6, 10**6 + 150_000, dtype=np.uint64) + np.uint64(seed << 30)
    found = estimate([sampled(np.concatenate([often, own]))])
    true, compressed, both = truth(often, own)
    assert abs(found.deduplicated_bytes - true) <= 3 * found.deduplicated_error
    assert abs(found.both_bytes - both) <= 3 * found.both_error
    assert abs(found.compressed_bytes - compressed) <= found.compressed_error * 3


def test_volumes_that_hold_the_same_blocks_are_told_with_how_much() -> None:
    a, b = np.arange(50_000, dtype=np.uint64), np.arange(20_000, 90_000, dtype=np.uint64)
    apart = np.arange(10**6, 10**6 + 50_000, dtype=np.uint64)
    (pair,) = shared_between([sampled(a), sampled(apart), sampled(b)])
    assert (pair.one, pair.other) == (0, 2)
    assert pair.size_bytes == pytest.approx(30_000 * BLOCK, rel=0.15)
    assert shared_between([sampled(a)]) == []
