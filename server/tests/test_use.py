"""A datastore made of a volume that is there already; what is on it goes only once its name was typed."""

from __future__ import annotations

from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.reading import reread
from movelot.inventory.models import Datastore, Device, HostDevice, Volume
from movelot.lots import actions
from movelot.lots.models import Lot
from movelot.problems import Problem
from server.tests.conftest import drafted, refused, run_to_end, signed_in
from server.tests.test_lots import outside


def use(user: User, volume: str = "slate-09", **more: Any) -> Lot:
    return drafted("use_volume", user, volume=Volume.objects.get(name=volume).pk, cluster="quayside", **more)


def signed(standins: StandIns, kind: str, user: User) -> None:
    """Let slate-09 be seen by all hosts, with something on it."""
    run_to_end(drafted("spread", user, volume=Volume.objects.get(name="slate-09").pk, cluster="quayside"))
    standins.control("sign", volume="slate-09", kind=kind)
    reread(Device.objects.all())


def test_an_idle_volume_becomes_a_datastore_on_every_host_and_back(estate: StandIns, ines: User) -> None:
    before = outside(estate)
    lot = use(ines, name="slate-store")
    assert lot.plan["carries"] is None
    assert "wipe_device" not in set(lot.steps.values_list("kind", flat=True))
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    assert Datastore.objects.get(name="slate-store").mounts.count() == 3
    assert lot.outcome["rows"][0]["measured"] == 3
    run_to_end(actions.undo(lot, ines))
    assert outside(estate) == before


def test_a_volume_that_proves_not_empty_is_left_as_it_is(estate: StandIns, ines: User) -> None:
    lot = use(ines)
    estate.control("sign", volume="slate-09", kind="filesystem")
    run_to_end(lot)
    assert lot.state == Lot.State.FAILED
    assert next(v for v in estate.world()["volumes"] if v["name"] == "slate-09")["signature_kind"] == "filesystem"


def test_what_is_on_it_is_wiped_only_once_the_name_was_typed(estate: StandIns, ines: User) -> None:
    signed(estate, "filesystem", ines)
    refused = use(ines)
    assert (refused.plan["carries"], refused.plan["seen_by"]) == ("filesystem", ["quay-01", "quay-02", "quay-03"])
    assert any(c["level"] == "stop" and "Type the volume's name, slate-09" in c["text"] for c in refused.checks)
    with pytest.raises(Problem):
        actions.run(refused)
    lot = use(ines, confirm="slate-09")
    kinds = list(lot.steps.values_list("kind", flat=True))
    assert kinds.index("wipe_device") < kinds.index("format_device")
    run_to_end(lot)
    assert lot.state == Lot.State.DONE
    assert set(
        HostDevice.objects.filter(serial=Volume.objects.get(name="slate-09").serial).values_list("signature_kind")
    )
    assert Datastore.objects.get(name="slate-09").mounts.count() == 3
    with pytest.raises(Problem) as gone:
        actions.undo(lot, ines)
    assert gone.value.code == "irreversible"


def test_something_else_than_was_shown_is_not_wiped(estate: StandIns, ines: User) -> None:
    signed(estate, "filesystem", ines)
    lot = use(ines, confirm="slate-09")
    actions.run(lot)
    estate.control("sign", volume="slate-09", kind="partition")
    from movelot.lots.runner import Driver

    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.FAILED
    failed = lot.steps.exclude(problem={}).get()
    assert "carries a partition now, not a filesystem" in failed.problem["message"]


def test_a_volume_in_use_and_a_name_in_use_are_refused(estate: StandIns, ines: User) -> None:
    in_use = use(ines, "berth-a")
    assert (in_use.steps.count(), in_use.checks[0]["level"]) == (0, "stop")
    taken = use(ines, name="berth-a")
    assert taken.plan["problems"][0]["field"] == "name"
    assert taken.steps.count() == 0
    assert "volume" in refused("use_volume", ines, volume="nothing")


def test_the_page_keeps_what_is_typed(estate: StandIns, ines: User) -> None:
    lot = use(ines)
    api = signed_in("ines.marrow")
    form = {**lot.form, "name": "slate-store", "confirm": "x"}
    answer = api.put(f"/api/attach/use-drafts/{lot.pk}/", form, format="json").json()
    assert answer["form"] == form
    assert (answer["plan"]["name"], answer["plan"]["confirmed"]) == ("slate-store", False)
    assert api.get(f"/api/attach/use-drafts/{lot.pk}/").json()["form"]["name"] == "slate-store"
