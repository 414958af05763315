"""The contract of step kinds, kept by every step of every kind of lot and of its undo, on devices as they are.

A step that is refused changes nothing. Begun, with its answer lost, and begun again it acts once. Begun once more, as
by a worker that was killed before it could prove anything, it changes nothing and tells the same. Taken back, the world
is as it was; taken back twice too.
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices import host
from movelot.devices.errors import DeviceAway, DeviceFault
from movelot.devices.reading import reread
from movelot.devices.session import DeviceSession, session_with
from movelot.inventory.models import Device, Disk, Initiator, Volume
from movelot.lots import actions
from movelot.lots.models import Lot, Step
from movelot.lots.steps import KINDS
from movelot.lots.steps.base import StepKind, StepRun
from movelot.lots.stored import step_of
from server.tests.conftest import drafted, run_to_end
from server.tests.test_faults import CASES, QUAYSIDE, Case, granted, outside, volume, whole

# What goes on once begun, or may be done in any case: begun again it is followed, or done once more without harm.
BEGUN_AGAIN = {
    "fill_disk",
    "merge_snapshot",
    "move_disk",
    "provision_disk",
    "reduce_volume",
    "remount",
    "rescan",
    "return_blocks",
    "scan",
    "see_size",
}
# What a lot that undoes another leaves to its end: what it needs to be taken back is gone by then.
LEFT_TO_THE_END = {"disconnect_subsystem", "log_out"}


# Kinds of lots whose undo can be undone: nothing is deleted by it.
UNDONE_TWICE = {
    "balance",
    "chap",
    "default_store",
    "detach",
    "device_settings",
    "file_limits",
    "find_paths",
    "frames",
    "interfaces",
    "limits",
    "make_thin",
    "mount_alike",
    "migrate",
    "move_files",
    "power",
    "retire",
    "spread",
    "uplinks",
}
COVERS = {
    "over iSCSI": {"create_volume", "delete_volume", "format_device", "mount", "set_path_policy", "wipe_device"},
    "over NVMe/TCP": {"add_initiator", "connect_subsystem", "disconnect_subsystem", "drop_initiator"},
    "raw": {"give_volume", "take_volume"},
    "over NFS": {
        "create_file_system",
        "delete_file_system",
        "export_file_system",
        "set_file_client",
        "withdraw_export",
    },
    "a volume set": {"create_volume_set", "delete_volume_set", "mount_set", "unmount_set"},
    "uplinks": {"bind_uplink"},
    "frames": {"set_frame_size"},
    "sessions": {"log_in", "log_out", "rescan"},
    "interfaces": {"create_interface", "drop_interface"},
    "shown to all": {"let_in"},
    "CHAP": {"log_in_again", "set_array_chap", "set_host_chap"},
    "CHAP set by hand": {"replace_array_chap", "replace_host_chap"},
    "a default": {"set_default_store"},
    "detached": {"offer_volume", "remount", "scan", "unmount", "withdraw_volume"},
    "mounted alike": {"mount_export", "unmount_export"},
    "a client list": {"set_clients"},
    "device settings": {"set_devices"},
    "new passwords": {"set_password"},
    "moves": {"move_disk"},
    "grown": {"grow_datastore", "grow_volume", "see_size"},
    "an export shrunk": {"resize_file_system", "see_export"},
    "a pool grown": {"add_drives"},
    "a pool retired": {"delete_pool"},
    "a disk made thin": {"provision_disk"},
    "left swap": {"delete_swap"},
    "an export with a quota": {"set_quota"},
    "loose disks": {"delete_loose_disk"},
    "given back": {"hold_less", "return_blocks"},
    "reduced": {"reduce_volume"},
    "switched off": {"power_off", "power_on"},
    "a snapshot": {"merge_snapshot", "take_snapshot"},
    "back to a snapshot": {"go_back"},
    "a disk": {"add_disk", "remove_disk"},
    "a disk enlarged": {"enlarge_disk"},
    "a cap": {"cap_disk"},
    "limits of a volume": {"limit_volume", "see_limits"},
    "own files": {"move_files"},
    "another host": {"migrate_machine", "see_machine"},
    "a new machine": {"delete_machine", "make_machine"},
    "a machine from an image": {"fill_disk"},
    "a linked machine": {"link_disk"},
    "an image kept": {"delete_image", "make_image", "write_image"},
}


def chap_by_hand(standins: StandIns, user: User) -> None:
    """A secret on both sides that no lot set."""
    for device, act in (("granite", ask_by_hand), ("quay-01", give_by_hand)):
        act(session_with(Device.objects.get(name=device)))
    reread(Device.objects.all())


def ask_by_hand(session: DeviceSession) -> None:
    (uri,) = Initiator.objects.filter(device__name="granite", name="quay-01").values_list("uri", flat=True)
    session.patch(uri, {"Oem": {"Kestrel": {"Chap": BY_HAND}}}, str(session.get(uri).get("@odata.etag", "")))


def give_by_hand(session: DeviceSession) -> None:
    host.act(session, "SetChap", Target=Device.objects.get(name="granite").target, Chap=BY_HAND)


def not_in_the_client_list(standins: StandIns, user: User) -> None:
    """The export nobody mounts lets in one host alone."""
    export = Volume.objects.get(name="sand-04").exports.get()
    clients = [{"Network": "10.40.10.101/32", "Access": "ReadWrite"}]
    session_with(export.device).patch(export.uri, {"Oem": {"Kestrel": {"Clients": clients}}}, "")
    reread([export.device])


def disk_on_a_set(standins: StandIns, user: User) -> None:
    """A machine whose disk is a volume of its own on chalk."""
    granted(standins, user)
    run_to_end(drafted("attach_set", user, **QUAYSIDE, name="chalk-vd"))
    disks = {"disks": [100 * 1024**3], "datastore": "chalk-vd"}
    standins.control("machine", act="create", name="tug-log", host="quay-01", **disks)
    reread(Device.objects.all())


def limited() -> dict[str, Any]:
    return {"disks": [Disk.objects.get(name="tug-log disk 1").pk], "cap": "400", "floor": "100"}


BY_HAND = {"Method": "CHAP", "UserName": "x", "Secret": "typed-by-hand-long-ago"}
MORE = [
    Case("CHAP set by hand", "chap", lambda: {**QUAYSIDE, "array": "granite", "method": "mutual"}, "", 0, chap_by_hand),
    Case("limits of a volume", "limits", limited, "", 0, disk_on_a_set),
    Case("a client list", "spread", lambda: {"volume": volume("sand-04")}, "", 0, not_in_the_client_list),
]


@dataclass
class Walk:
    """Goes through a lot step by step, and notes which kinds it met."""

    standins: StandIns
    met: set[str]

    def world(self) -> set[str]:
        return outside(self.standins)

    def through(self, lot: Lot) -> None:
        lot.steps.update(state=Step.State.WAITING, result={})
        steps = {str(step.position): step for step in lot.steps.order_by("position").select_related("device")}
        for step in steps.values():
            kind = step_of(step, steps)
            step.result = self.contract(step, kind)
            kind.remember(step.device)
            step.state = Step.State.DONE
            step.save()
        reread(Device.objects.filter(step__lot=lot).distinct())
        lot.state = Lot.State.DONE
        lot.save()

    def contract(self, step: Step, kind: StepKind[Any]) -> dict[str, Any]:
        """Hold one step to the contract; what it told."""
        self.met.add(kind.kind)
        self.refused(step, kind)
        before = self.world()
        self.looks_without_acting(step, kind)
        told = self.lost_and_begun_again(step, kind)
        after = self.world()
        assert self.done(step, kind, step.key) == told
        assert self.world() == after, f"{step} acted twice"
        spec = kind.undo(kind.told(told)) if kind.reversible else None
        if spec is None or spec.last or (step.lot.undoes and kind.kind in LEFT_TO_THE_END):
            return told
        # What went to another device comes back from there.
        there = Device.objects.get(name=spec.device) if spec.device else None
        for _ in range(2):
            undone = self.done(step, spec.step, f"{step.key}-undo", there)
            assert self.world() == before, f"{step} is not taken back"
        # Things that are made anew have other addresses: the undo of the undo knows them.
        back = spec.step.undo(spec.step.told(undone)) if spec.step.reversible else None
        again = self.done(step, back.step if back else kind, f"{step.key}-again")
        return again if back is None or back.step.kind == kind.kind else told

    def refused(self, step: Step, kind: StepKind[Any]) -> None:
        """The device fails on the first action: nothing is changed, and the step says so or was done already."""
        before = self.world()
        self.standins.fault(step.device.name, "fail_nth", n=1)
        with contextlib.suppress(DeviceFault):
            kind.begin(StepRun(step.key, session_with(step.device)))
        self.standins.fault(step.device.name)
        assert self.world() == before, f"{step} was refused and changed something"

    def lost_and_begun_again(self, step: Step, kind: StepKind[Any]) -> dict[str, Any]:
        """The first action is done, its answer lost; the step is begun again as the driver does."""
        self.standins.fault(step.device.name, "drop", n=1)
        with contextlib.suppress(DeviceAway):
            kind.begin(StepRun(step.key, session_with(step.device)))
        self.standins.fault(step.device.name)
        seen = self.looked(step, kind)
        told = self.done(step, kind, step.key)
        # What was done is seen without the answer; work that goes on, and what goes on being done, by beginning again.
        assert seen == told or (seen is None and (kind.piecewise or kind.kind in BEGUN_AGAIN)), (
            f"{step} was done, and is not seen to be"
        )
        return told

    def looks_without_acting(self, step: Step, kind: StepKind[Any]) -> None:
        before = self.world()
        self.standins.fault(step.device.name, "fail_nth", n=1)
        seen = self.looked(step, kind)
        self.standins.fault(step.device.name)
        assert self.world() == before
        if seen is not None:
            # It has nothing to do: what it would bring about is there already.
            self.done(step, kind, step.key)
            assert self.world() == before, f"{step} is seen to be done, and was not"

    def looked(self, step: Step, kind: StepKind[Any]) -> dict[str, Any] | None:
        """What the step told, as its device is asked without doing anything; None where it is not seen to be done."""
        progress = kind.look(StepRun(step.key, session_with(step.device)))
        if progress is None or not progress.done:
            return None
        return dict((progress.result or kind.told({})).model_dump(mode="json"))

    def done(self, step: Step, kind: StepKind[Any], key: str, there: Device | None = None) -> dict[str, Any]:
        """Begin it, follow its work to the end, and prove it."""
        session = session_with(there or step.device)
        progress = kind.begin(StepRun(key, session))
        while not progress.done:
            progress = kind.follow(StepRun(key, session, progress.task_uri, progress.result))
        result = progress.result or kind.told({})
        kind.verify(StepRun(key, session, progress.task_uri, result), result)
        return dict(result.model_dump(mode="json"))


@pytest.mark.parametrize("case", [*CASES, *MORE], ids=lambda case: case.what)
def test_every_step_keeps_the_contract(estate: StandIns, ines: User, case: Case) -> None:
    estate.control("pace", pace=3000)
    case.prepare(estate, ines)
    before = whole(estate)
    walk = Walk(estate, set())
    lot = drafted(case.kind, ines, **case.form())
    walk.through(lot)
    assert whole(estate) != before
    if all(KINDS[kind].reversible for kind in walk.met):
        walk.through(actions.undo(lot, ines))
        assert whole(estate) == before
    assert walk.met >= COVERS.get(case.what, set())


def test_every_kind_of_step_is_met() -> None:
    assert {kind for kinds in COVERS.values() for kind in kinds} == KINDS.keys()


@pytest.mark.parametrize(
    "case", [case for case in CASES if case.kind in UNDONE_TWICE and not case.final], ids=lambda case: case.what
)
def test_what_was_undone_comes_back_by_undoing_the_undo(estate: StandIns, ines: User, case: Case) -> None:
    estate.control("pace", pace=3000)
    case.prepare(estate, ines)
    lot = run_to_end(drafted(case.kind, ines, **case.form()))
    after = whole(estate)
    undo = run_to_end(actions.undo(lot, ines))
    assert whole(estate) != after
    again = run_to_end(actions.undo(undo, ines))
    assert again.state == Lot.State.DONE
    assert whole(estate) == after
