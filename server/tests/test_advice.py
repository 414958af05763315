"""Advice on how many datastores a space is cut into, from the demo's own disks, hosts and pools."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.findings.judging import judge_due
from movelot.inventory.changes import everything_changed
from movelot.inventory.known_groups import known_group
from movelot.inventory.models import BalanceGroup, Device, Disk
from movelot.lots.models import Lot
from movelot_core.units import GIB, TIB
from server.tests.conftest import drafted, run_to_end


def advice(user: User, size: str, **more: str) -> dict[str, object]:
    form = {"cluster": "quayside", "name": "berth-1#", "pools": ["granite-mixed"], **more}
    found: dict[str, object] = drafted("attach", user, size=size, **form).plan["advice"]
    return found


def reason(found: dict[str, object], code: str) -> str:
    return next(text for text in found["reasons"] if text.startswith(f"{code}:"))  # type: ignore[attr-defined,no-any-return]


def test_a_small_space_is_left_whole(estate: StandIns, ines: User) -> None:
    found = advice(ines, "2 TiB")
    assert (found["count"], found["size"]) == (1, "2 TiB")
    assert reason(found, "largest disk").endswith("needs 4.53 TiB: this space is smaller")


def test_the_number_follows_from_the_queues_of_the_hosts(estate: StandIns, ines: User) -> None:
    assert set(Device.objects.filter(kind="host").values_list("queue_depth", flat=True)) == {40}
    group = known_group(BalanceGroup.objects.get(name="quayside"))
    text = reason(advice(ines, "18 TiB"), "queue")
    iops, latency, outstanding, planned, least = map(float, re.findall(r"[\d,]+\.?\d*", text.replace(",", "")))
    peak = float(np.max(group.group.features[:2].sum(axis=(0, 1))))
    assert iops == pytest.approx(peak / group.group.size_bytes.sum() * 0.82 * 18 * TIB, rel=0.01)
    assert outstanding == pytest.approx(iops * latency / 1000, abs=1)
    # Three hosts that plan half of the 40 I/Os that each may keep outstanding.
    assert planned == 60
    assert least == max(1, math.ceil(outstanding / 60))


def test_slow_hosts_ask_for_more_and_smaller_ones_and_a_large_disk_for_fewer(estate: StandIns, ines: User) -> None:
    Device.objects.filter(kind="host").update(queue_depth=2)
    many = advice(ines, "18 TiB")
    assert many["count"] > 2  # type: ignore[operator]
    Disk.objects.filter(name="berth-plan-db disk 1").update(size_bytes=3 * TIB)
    everything_changed()
    judge_due()
    few = advice(ines, "18 TiB")
    # Two disks of 3 TiB need 7.3 TiB under 82 %.
    assert (few["count"], few["size"]) == (2, "9 TiB")
    assert few["reasons"][0].startswith("largest disk")  # type: ignore[index]


def test_what_is_advised_can_be_typed_and_run(estate: StandIns, ines: User) -> None:
    Device.objects.filter(kind="host").update(queue_depth=2)
    found = advice(ines, "12 TiB")
    lot = drafted(
        "attach",
        ines,
        cluster="quayside",
        name="berth-1#",
        pools=["granite-mixed"],
        size=found["size"],
        count=str(found["count"]),
    )
    assert lot.plan["problems"] == []
    assert len(lot.plan["volumes"]) == found["count"]
    assert lot.plan["total_bytes"] - 12 * TIB < found["count"] * GIB  # type: ignore[operator]
    assert run_to_end(lot).state == Lot.State.DONE


def test_growth_says_how_long_it_lasts(estate: StandIns, ines: User) -> None:
    text = reason(advice(ines, "2 TiB"), "growth")
    assert "the cluster grows" in text
    assert int(text.split("lasts ")[1].split(" days")[0]) > 30


def test_without_a_size_there_is_nothing_to_advise(estate: StandIns, ines: User) -> None:
    assert drafted("attach", ines, cluster="quayside").plan["advice"] is None
