"""A worker killed in the middle of a lot loses nothing and doubles nothing."""

from __future__ import annotations

import pytest

from conftest import until
from e2e.conftest import Caller, Stack

BALANCE = {"kind": "balance", "form": {"group": "quayside"}}


def test_a_killed_worker_leaves_a_balance_lot_that_goes_on(fresh: Stack, caller: Caller) -> None:
    fresh.standins.control("pace", pace=60)
    lot = caller.call("POST", "lots/", BALANCE).json()["summary"]["id"]
    assert caller.call("POST", f"lots/{lot}/run/").ok
    until(lambda: any(step["done_amount"] > 0 for step in caller.lot(lot)["steps"]), "a copy under way")
    fresh.kill_workers()
    begun = [t["disk"] for t in fresh.standins.world()["tasks"] if t["kind"] == "MoveDisk"]
    assert begun
    assert caller.lot(lot)["summary"]["state"] == "running"
    fresh.standins.control("pace", pace=3000)
    fresh.start_workers()
    assert caller.ended(lot) == "done"
    # Each disk was copied once: the copies begun before the death were taken up, not begun again.
    copied = [t["disk"] for t in fresh.standins.world()["tasks"] if t["kind"] == "MoveDisk"]
    assert copied[: len(begun)] == begun
    assert len(copied) == len(set(copied)) == len(caller.lot(lot)["steps"])


@pytest.mark.parametrize("done", [1, 4])
def test_a_killed_worker_makes_no_second_volume(fresh: Stack, caller: Caller, done: int) -> None:
    name = f"berth-k{done}"
    # Scans take a while, so that the death comes in the middle.
    fresh.standins.control("pace", pace=60)
    # With the pool that has most room, as none is chosen.
    form = {"cluster": "quayside", "name": name, "size": "1 TiB"}
    lot = caller.call("POST", "lots/", {"kind": "attach", "form": form}).json()["summary"]["id"]
    assert caller.call("POST", f"lots/{lot}/run/").ok
    until(lambda: caller.lot(lot)["summary"]["steps_done"] >= done, "the first steps")
    fresh.kill_workers()
    fresh.start_workers()
    assert caller.ended(lot) == "done"
    world = fresh.standins.world()
    volumes = [v for v in world["volumes"] if v["name"] == name]
    assert len(volumes) == 1
    assert sum(c["volume"] == volumes[0]["id"] for c in world["connections"]) == 1
    assert sum(d["name"] == name for d in world["datastores"]) == 1
