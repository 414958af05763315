"""The default datastore of a cluster: set on every host at once, kept from being taken away, and put back."""

from __future__ import annotations

from typing import Any

from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.inventory.models import Datastore, Device, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from server.tests.conftest import drafted, run_to_end
from server.tests.test_lots import attach

QUAYS = ("quay-01", "quay-02", "quay-03")


def defaults(standins: StandIns) -> dict[str, str]:
    names = {store["id"]: store["name"] for store in standins.world()["datastores"]}
    return {h["name"]: names.get(h["default_datastore"], "") for h in standins.world()["hosts"] if h["name"] in QUAYS}


def make_default(user: User, name: str) -> Lot:
    return drafted("default_store", user, datastore=Datastore.objects.get(name=name).pk)


def stops(lot: Lot) -> list[str]:
    return [check["text"] for check in lot.checks if check["level"] == "stop"]


def test_it_is_set_on_every_host_and_put_back(estate: StandIns, ines: User, api: APIClient) -> None:
    assert defaults(estate) == dict.fromkeys(QUAYS, "berth-d")
    lot = run_to_end(make_default(ines, "berth-c"))
    assert defaults(estate) == dict.fromkeys(QUAYS, "berth-c")
    (row,) = lot.outcome["rows"]
    assert (row["before"], row["predicted"], row["measured"]) == (0, 3, 3)
    trace: dict[str, Any] = api.get(f"/api/trace/datastore/{Datastore.objects.get(name='berth-c').pk}/").json()
    told = {figure["label"]: figure["text"] for figure in trace["figures"]}
    assert told["new machines go here from"] == "quay-01, quay-02, quay-03"
    assert run_to_end(actions.undo(lot, ines)).state == Lot.State.DONE
    assert defaults(estate) == dict.fromkeys(QUAYS, "berth-d")


def test_only_what_every_host_mounts_can_be_the_default_and_only_a_change_is_a_lot(
    estate: StandIns, ines: User
) -> None:
    assert stops(make_default(ines, "berth-f"))[0] == "quay-02 does not mount berth-f: let all hosts see it first."
    assert stops(make_default(ines, "berth-d"))[0] == "berth-d is the default of every host of quayside already."
    assert stops(drafted("default_store", ines, datastore=0))[0] == "No host mounts it any more."


def test_a_default_is_not_taken_away(estate: StandIns, ines: User) -> None:
    run_to_end(attach(ines))
    run_to_end(make_default(ines, "berth-e"))
    volume = Volume.objects.get(name="berth-e")
    assert stops(drafted("detach", ines, volume=volume.pk, keep=True))[0] == (
        "berth-e is used by new machines of quay-01, quay-02, quay-03, whose default it is. Move or remove them first."
    )
    run_to_end(make_default(ines, "berth-c"))
    assert run_to_end(drafted("detach", ines, volume=volume.pk, confirm="berth-e")).state == Lot.State.DONE
    assert not Device.objects.filter(default_datastore=volume.serial).exists()
