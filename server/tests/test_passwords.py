"""New passwords for devices by a lot: set, proven, remembered, taken back, and shown to nobody."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import accounts
from movelot.devices.errors import DeviceError
from movelot.devices.reading import reread
from movelot.devices.sealing import seal, unseal
from movelot.devices.session import session_with
from movelot.inventory.models import Device
from movelot.lots import actions
from movelot.lots.models import Lot, Step
from movelot.lots.runner import Driver
from movelot.lots.steps.base import StepRun
from movelot.lots.steps.passwords import SetPassword
from movelot.lots.stored import step_of
from server.tests.conftest import drafted, run_to_end


def test_a_new_password_is_proven_used_and_shown_to_nobody(estate: StandIns, ines: User, api: APIClient) -> None:
    granite = Device.objects.get(name="granite")
    before = unseal(granite.sealed_password)
    lot = drafted("passwords", ines, device="granite")
    assert run_to_end(lot).state == Lot.State.DONE
    granite.refresh_from_db()
    now = unseal(granite.sealed_password)
    assert now != before
    assert reread([granite]) == {}
    session = session_with(granite)
    assert (accounts.takes(session, now), accounts.takes(session, before)) == (True, False)
    shown = api.get(f"/api/lots/{lot.pk}/").content + api.get(f"/api/lots/{lot.pk}/sheet/").content
    assert not [text for text in (now, before, "gAAAA") if text.encode() in shown]
    undo = run_to_end(actions.undo(lot, lot.created_by))
    assert undo.state == Lot.State.DONE
    assert unseal(Device.objects.get(name="granite").sealed_password) == before
    assert reread(Device.objects.filter(name="granite")) == {}


def test_a_password_taken_just_before_the_worker_died_is_used_from_then_on(estate: StandIns, ines: User) -> None:
    lot = drafted("passwords", ines, device="quay-02")
    actions.run(lot)
    step = lot.steps.select_related("device").get()
    # As the death leaves it: the device took the new one, the step is marked running, the old one is kept still.
    step_of(step, {}).begin(StepRun(step.key, session_with(step.device)))
    lot.steps.update(state=Step.State.RUNNING)
    assert "quay-02" in reread(Device.objects.filter(name="quay-02"))
    Driver(Lot.objects.get(pk=lot.pk)).run()
    lot.refresh_from_db()
    assert lot.state == Lot.State.DONE
    assert reread(Device.objects.filter(name="quay-02")) == {}


def test_a_password_that_the_device_refuses_changes_nothing(estate: StandIns) -> None:
    device = Device.objects.get(name="quay-02")
    step = SetPassword(user="movelot", wanted=seal("short").decode(), before=bytes(device.sealed_password).decode())
    with pytest.raises(DeviceError, match="12 to 40 characters"):
        step.begin(StepRun("a key", session_with(device)))
    assert reread([device]) == {}


def test_all_devices_of_a_kind_get_one_each(estate: StandIns, ines: User) -> None:
    arrays = set(Device.objects.filter(kind=Device.Kind.ARRAY).values_list("name", flat=True))
    lot = drafted("passwords", ines, which="array")
    assert set(lot.steps.values_list("device__name", flat=True)) == arrays
    assert lot.title == f"New password for {len(arrays)} devices"
    wanted = [unseal(step.params["wanted"].encode()) for step in lot.steps.all()]
    assert len(set(wanted)) == len(arrays)
    assert {len(password) for password in wanted} == {20}
