"""Data reduction: what pools can, what a volume is made with, and what is refused with its reason."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import array
from movelot.devices.errors import DeviceFault
from movelot.devices.session import session_with
from movelot.inventory.models import Device, Pool, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import drafted, run_to_end
from server.tests.test_lots import outside

TIB = 1024**4


def attach(user: User, *reduced: str, **more: Any) -> Lot:
    form = {"cluster": "quayside", "name": "berth-e", "size": "1 TiB", "reduced": list(reduced), **more}
    return drafted("attach", user, **form)


def test_pools_tell_what_they_are_made_of_and_how_they_reduce(estate: StandIns, api: APIClient) -> None:
    fast, chalk = (Pool.objects.get(name=name) for name in ("granite-fast", "chalk-one"))
    assert (fast.drives, fast.spares, fast.page_bytes, fast.reduces) == (13, 1, 32 * 1024**2, ["compression"])
    assert chalk.reduces == ["compression", "deduplication"]
    figures = {f["label"]: f["text"] for f in api.get(f"/api/trace/pool/{fast.pk}/").json()["figures"]}
    assert figures["made of"] == "RAID6 on SSD, 13 drives, 1 spare, pages of 32.0 MiB"
    assert figures["can make data smaller by"] == "compression"


def test_a_pool_that_cannot_reduce_is_refused_with_the_reason(estate: StandIns, ines: User) -> None:
    pools = {row["name"]: row for row in attach(ines, "compression").plan["pools"]}
    # It is slow at its peak, which does not refuse it.
    assert pools["granite-fast"]["verdict"] == "tight"
    assert (pools["granite-mixed"]["verdict"], pools["granite-mixed"]["text"]) == ("refused", "it has no compression")
    # Asked for a pool that cannot, the lot is stopped; without a choice it takes one that can.
    lot = attach(ines, "compression", pools=["granite-mixed"])
    assert [check["text"] for check in lot.checks if check["level"] == "stop"] == [
        "granite-mixed: it has no compression"
    ]
    assert attach(ines, "compression").plan["pools_chosen"] == [Pool.objects.get(name="granite-fast").pk]


def test_a_compressed_volume_is_made_verified_and_taken_back(estate: StandIns, ines: User, api: APIClient) -> None:
    before = outside(estate)
    lot = run_to_end(attach(ines, "compression"))
    assert lot.state == Lot.State.DONE
    volume = Volume.objects.get(name="berth-e")
    assert volume.reduced == ["compression"]
    assert next(v for v in estate.world()["volumes"] if v["name"] == "berth-e")["compressed"]
    figures = {f["label"]: f["text"] for f in api.get(f"/api/trace/volume/{volume.pk}/").json()["figures"]}
    assert figures["data reduction"] == "compression"
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(estate) == before


def test_the_array_itself_refuses_what_its_pool_cannot(estate: StandIns) -> None:
    pool = Pool.objects.get(name="granite-mixed")
    wanted = {"name": "berth-e", "size_bytes": TIB, "pool_uri": pool.uri, "reduced": ["compression"]}
    with pytest.raises(DeviceFault) as refused:
        array.create_volume(session_with(Device.objects.get(name="granite")), wanted, "k")
    assert "cannot reduce data" in refused.value.message
    assert "berth-e" not in {v["name"] for v in estate.world()["volumes"]}


@pytest.mark.parametrize("asked", [["teapot"], "compression", ["compression", None]])
def test_what_is_no_reduction_is_refused_by_the_form(estate: StandIns, api: APIClient, asked: Any) -> None:
    lot = api.post("/api/lots/", {"kind": "attach", "form": {}}, format="json").json()["summary"]["id"]
    answer = api.put(f"/api/attach/drafts/{lot}/", {"reduced": asked}, format="json")
    assert answer.status_code == 422
