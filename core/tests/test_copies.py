"""How long copies take, and how many at once pools bear beside their own load."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from bench.instances import family
from core.tests.builders import small
from movelot_core.balance.clear import clear
from movelot_core.balance.copies import PIECE_BYTES, CopyRates, beside_copies
from movelot_core.balance.group import Group
from movelot_core.balance.moves import Move
from movelot_core.balance.order import OrderedMove, order_moves
from movelot_core.balance.plan import plan_for
from movelot_core.units import GIB

# 100 pieces a second.
RATES = CopyRates(float(GIB), float(GIB), offloaded_iops=100.0, over_hosts_iops=100.0)


def busy_by_day(night: float, day: float) -> Group:
    """Eight small disks on four datastores of a pool that bears 800, and a calm one; the pool's load is of others."""
    group = small([10] * 8, [0, 0, 1, 1, 2, 2, 3, 3], [1000] * 8, None, [0] * 4 + [1] * 4)
    other = np.zeros((2, 24))
    other[0] = night
    other[0, 8:16] = day
    return dataclasses.replace(group, other_load=other)


def away(group: Group) -> tuple[Move, ...]:
    return plan_for(group, group.place + 4, 0.0).moves


def together(ordered: list[OrderedMove], at: float) -> int:
    return sum(step.slot.start <= at < step.slot.end for step in ordered)


def most_together(ordered: list[OrderedMove]) -> int:
    return max(together(ordered, step.slot.start) for step in ordered)


@pytest.mark.parametrize(
    ("night", "day", "at_once", "loud"),
    [
        (300.0, 750.0, 4, 8),  # Four at night; by day one alone is too much.
        (450.0, 650.0, 1, 0),  # By day one fits, so that no more than one runs at any hour.
        (450.0, 550.0, 2, 0),
        (750.0, 750.0, 1, 24),
    ],
)
def test_as_many_copies_run_at_once_as_the_pool_bears_when_one_fits(
    night: float, day: float, at_once: int, loud: int
) -> None:
    group = busy_by_day(night, day)
    borne = beside_copies(group, away(group), RATES)
    assert (borne[0].at_once, int(borne[0].loud.sum())) == (at_once, loud)
    assert not borne[0].over.any()
    assert most_together(order_moves(group, away(group), RATES)) == at_once


def test_hours_at_which_a_pool_is_over_by_itself_are_told_apart() -> None:
    group = busy_by_day(300.0, 900.0)
    borne = beside_copies(group, away(group), RATES)[0]
    assert list(np.flatnonzero(borne.over)) == list(np.flatnonzero(borne.loud)) == list(range(8, 16))


def test_pieces_are_of_256_kib_where_a_device_does_not_say_how_many() -> None:
    move = Move(0, 0, 1, GIB, offloaded=True)
    assert CopyRates(float(GIB), 1.0).iops(move) == GIB / PIECE_BYTES
    assert RATES.iops(move) == 100


def test_writes_weigh_more_than_reads_at_the_target() -> None:
    group = busy_by_day(300.0, 300.0)
    curves = (group.curves[0], dataclasses.replace(group.curves[1], beta=4.0))
    group = dataclasses.replace(group, curves=curves, other_load=np.full((2, 24), 350.0))
    borne = beside_copies(group, away(group), RATES)
    # 450 are free in both: four reads of 100, one write of 400.
    assert (borne[0].at_once, borne[1].at_once) == (4, 1)


@pytest.mark.parametrize("name", ["loose", "shared", "tight"])
@pytest.mark.parametrize("seed", range(3))
def test_at_no_instant_do_copies_bring_a_pool_over_at_hours_that_bear_one(name: str, seed: int) -> None:
    """Checked move by move with what is running: loads of disks where they lie then, and of each copy."""
    group = family(name, seed, 120, 8, 3)
    moves, rates = clear(group).moves, CopyRates(4e8, 1e8)
    ordered, borne = order_moves(group, moves, rates), beside_copies(group, moves, rates)
    for step in ordered:
        running = [each for each in ordered if each.slot.start <= step.slot.start < each.slot.end]
        for pool in map(int, np.unique(group.pool_of)):
            count = sum(pool in (group.pool_of[each.move.source], group.pool_of[each.move.target]) for each in running)
            if pool not in borne:
                assert count == 0
            else:
                assert count <= borne[pool].at_once
                copies = _load_of(group, pool, [each.move for each in running], rates)
                own = np.maximum(group.found.load[pool], group.pool_load(_after(group, moves))[pool])
                quiet = ~borne[pool].loud
                assert (own[quiet] + copies <= group.load_limit[pool] * (1 + 1e-9)).all() or count <= 1


def _after(group: Group, moves: tuple[Move, ...]) -> np.ndarray:
    place = group.place.copy()
    for move in moves:
        place[move.disk] = move.target
    return place


def _load_of(group: Group, pool: int, moves: list[Move], rates: CopyRates) -> float:
    curve, total = group.curves[pool], 0.0
    for move in moves:
        pieces = rates.iops(move)
        total += pieces * (group.pool_of[move.source] == pool)
        total += curve.beta * pieces * (group.pool_of[move.target] == pool)
    return float(total)
