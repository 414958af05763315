"""Pools of which no more is known than was seen: as found they are not over for that, but they get no more."""

from __future__ import annotations

import numpy as np
import pytest

from core.tests.builders import small
from movelot_core.balance.clear import clear
from movelot_core.balance.group import broken_musts
from movelot_core.balance.place import Ledger, Refusal
from movelot_core.latency import ServiceCurve

# Bears 800 by its curve within 5 ms; of the second no more than 200 is known.
KNOWN, HARDLY = ServiceCurve(1.0, 1000.0), ServiceCurve(1.0, 1000.0, known_max=200.0)


def test_a_pool_with_more_load_than_is_known_of_it_is_not_over_its_ceiling() -> None:
    group = small([10, 20], [0, 1], [100, 100], iops=[100, 300], pool_of=[0, 1], curves=(KNOWN, HARDLY))
    assert group.found.clear
    assert clear(group).moves == ()


def test_nothing_comes_to_a_pool_beyond_what_is_known_of_it() -> None:
    disks = ([10, 20, 10], [0, 0, 1], [100, 100])
    loads = [450, 400, 150]
    group = small(*disks, iops=loads, pool_of=[0, 1], curves=(KNOWN, HARDLY))
    assert group.found.over_latency[0].all()
    plan = clear(group)
    assert plan.moves == ()
    (stays,) = plan.unresolved
    assert stays.refusals == (("unknown", 2),)
    # 850 where 800 are borne.
    assert stays.over == pytest.approx(50 / 850)
    assert Ledger.found(group).refusals(0) == [None, Refusal.UNKNOWN]
    wish = np.array([0, 1, 1])
    assert any("pool-1 would be too slow" in broken for broken in broken_musts(group, wish))


def test_what_people_allow_is_as_good_as_what_was_seen() -> None:
    allowed = ServiceCurve(1.0, 1000.0, known_max=620.0)
    group = small([10, 20, 10], [0, 0, 1], [100, 100], iops=[450, 400, 150], pool_of=[0, 1], curves=(KNOWN, allowed))
    plan = clear(group)
    assert [move.disk for move in plan.moves] == [0]
    assert plan.after.clear
