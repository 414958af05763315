"""Tiers of a pool: what it is made of, where a new volume's pages are to lie, and what is refused with its reason."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import array
from movelot.devices.errors import DeviceFault
from movelot.devices.session import session_with
from movelot.inventory.models import Device, Grant, Pool, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import drafted, run_to_end
from server.tests.test_lots import outside

TIB = 1024**4


@pytest.fixture
def granted(estate: StandIns) -> StandIns:
    """basalt-bulk, which has tiers, granted whole."""
    Grant.objects.filter(pool__name="basalt-bulk").update(quota_bytes=None)
    return estate


def attach(user: User, tiering: str, **more: Any) -> Lot:
    form = {"cluster": "quayside", "name": "slate-07", "size": "1 TiB", "tiering": tiering, **more}
    return drafted("attach", user, **form)


def test_a_pool_tells_its_tiers_and_when_pages_move(estate: StandIns, api: APIClient) -> None:
    pool = Pool.objects.get(name="basalt-bulk")
    assert (pool.tiers, pool.relocation) == ([["SSD", 4 * TIB], ["HDD", 36 * TIB]], "22:00-04:00")
    figures = {f["label"]: f["text"] for f in api.get(f"/api/trace/pool/{pool.pk}/").json()["figures"]}
    assert "tiers: 4.00 TiB of SSD and 36.0 TiB of HDD, pages move 22:00-04:00 UTC" in figures["made of"]


def test_a_pool_of_one_tier_is_refused_where_a_tier_is_asked_for(granted: StandIns, ines: User) -> None:
    lot = attach(ines, "fastest")
    pools = {row["name"]: row for row in lot.plan["pools"]}
    assert (pools["granite-mixed"]["verdict"], pools["granite-mixed"]["text"]) == ("refused", "it has one tier only")
    # Without a choice the one that can is taken.
    assert lot.plan["pools_chosen"] == [Pool.objects.get(name="basalt-bulk").pk]
    assert {row["text"] for row in attach(ines, "").plan["pools"]} & {"it has one tier only"} == set()


@pytest.mark.parametrize("tiering", ["by use", "fastest", "slowest"])
def test_a_volume_is_made_on_the_tier_asked_for_verified_and_taken_back(
    granted: StandIns, ines: User, api: APIClient, tiering: str
) -> None:
    before = outside(granted)
    lot = run_to_end(attach(ines, tiering))
    assert lot.state == Lot.State.DONE
    volume = Volume.objects.get(name="slate-07")
    assert volume.tiering == tiering
    figures = {f["label"]: f["text"] for f in api.get(f"/api/trace/volume/{volume.pk}/").json()["figures"]}
    assert figures["tier of its pages"] == tiering
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert outside(granted) == before


def test_a_volume_that_nobody_asked_a_tier_for_goes_by_use_where_there_are_tiers(granted: StandIns, ines: User) -> None:
    run_to_end(attach(ines, "", pools=["basalt-bulk"]))
    assert Volume.objects.get(name="slate-07").tiering == "by use"
    assert Volume.objects.get(name="berth-a").tiering == ""


def test_the_array_itself_refuses_a_tier_that_a_pool_has_not(estate: StandIns) -> None:
    pool = Pool.objects.get(name="granite-mixed")
    wanted = {"name": "x", "size_bytes": TIB, "pool_uri": pool.uri, "tiering": "fastest"}
    with pytest.raises(DeviceFault, match="cannot keep pages"):
        array.create_volume(session_with(Device.objects.get(name="granite")), wanted, "k")
