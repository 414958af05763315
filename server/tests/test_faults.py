"""Every kind of lot with a fault in its middle: undone the world is as before, run on it is as it should be.

The whole worlds are compared, volume by volume and host by host, with names in place of what is counted up.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

import pytest

from conftest import StandIns
from movelot.accounts.models import User
from movelot.devices.file_systems import set_quota
from movelot.devices.reading import reread
from movelot.devices.session import session_with
from movelot.images.models import Image, ImageDisk
from movelot.inventory.image_copies import copy_of
from movelot.inventory.models import (
    Datastore,
    Device,
    Disk,
    Export,
    GivenPolicy,
    Grant,
    HostDevice,
    LooseDisk,
    Machine,
    Policy,
    PolicyPlace,
    PolicyVersion,
    Pool,
    StoredImage,
    Volume,
)
from movelot.lots import actions
from movelot.lots.kinds import REGISTRY
from movelot.lots.models import Lot, Step
from movelot_core.placement.requirements.base import Answer
from server.tests.conftest import drafted, run_to_end
from server.tests.test_files import act
from server.tests.test_masking import RETIRED, run_with_fault

TIB = {"size": "1 TiB"}
# What differs from lot to lot: numbers and keys (a namespace's is its LUN), and whose turn among controllers it was;
# then what a host keeps of devices beyond what it tells of them.
COUNTED = {"tasks", "counter", "started", "pace", "id", "mac", "controller", "description", "key", "digest"}
COUNTED |= {"uuid", "taken", "off_since", "family"}
# Of a disk's limits counts what they are now, not since when.
LAST_ONLY = {"places", "limits"}
TOLD_OF_DEVICES = {"known", "path_policy", "limits"}


def whole(standins: StandIns) -> set[str]:
    """The outside world, and what was read of hosts' devices, a line each thing."""
    return {*outside(standins), *devices()}


def outside(standins: StandIns) -> set[str]:
    """The outside world, a line each thing, without times, counters and secrets; volumes and datastores by name."""
    world = standins.world()
    chalk = {volume["id"] for volume in world["volumes"] if volume["pool"] == "chalk-one"}
    for connection in world["connections"]:
        if connection["volume"] in chalk:
            del connection["lun"]
    for volume in world["volumes"]:
        # Blocks that were written stay held, whatever is taken back; of what has dead ones from the start they count.
        if volume["name"] != "slate-02":
            del volume["held_bytes"]
    text = json.dumps(world)
    for thing in (*world["volumes"], *world["datastores"]):
        for key in {thing["id"], thing["serial"]}:
            text = text.replace(json.dumps(key), json.dumps(f"that of {thing['name']}"))
    return set(_lines(json.loads(text), ""))


def devices() -> Iterator[str]:
    """What hosts tell of their devices."""
    names = dict(Volume.objects.values_list("serial", "name"))
    for row in HostDevice.objects.select_related("device", "path_set").prefetch_related("path_set__paths"):
        paths = sorted((port, portal) for port, portal, _state in row.paths)
        told = (row.signature_kind, row.path_policy, row.queue_depth, row.turn_ios, paths)
        yield f"{row.device} sees {names[row.serial]}: {told}"


def _lines(value: Any, path: str) -> Iterator[str]:
    if isinstance(value, dict):
        for key, each in value.items():
            if key in LAST_ONLY and isinstance(each, list):
                yield from _lines(each[-1][1:] if each and any(each[-1][1:]) else [], f"{path} {key}")
            elif key not in COUNTED | TOLD_OF_DEVICES and "Secret" not in key:
                yield from _lines(each, f"{path} {key}")
    elif isinstance(value, list):
        for each in value:
            name = each.get("name", each.get("volume", "")) if isinstance(each, dict) else "one"
            yield from _lines(each, f"{path} {name}")
    else:
        yield f"{path}: {value}"


# Where the plan decides, which another day may decide otherwise: the device of the first step.
FIRST = "that of the first step"


@dataclass(frozen=True)
class Case:
    """A lot, and at which of the actions of which device the fault strikes; ``final`` where nothing undoes it."""

    what: str
    kind: str
    form: Callable[[], dict[str, Any]]
    device: str
    nth: int
    prepare: Callable[[StandIns, User], object] = field(default=lambda standins, user: None)
    final: bool = False


def loose(name: str) -> dict[str, Any]:
    return {"disks": [LooseDisk.objects.get(name=name).pk], "confirm": name}


def volume(name: str) -> int:
    return Volume.objects.get(name=name).pk


def disk(name: str) -> int:
    return Disk.objects.get(name=name).pk


def store(name: str) -> int:
    return Datastore.objects.get(name=name).pk


def granted(standins: StandIns, user: User) -> None:
    Grant.objects.get_or_create(pool=Pool.objects.get(name="chalk-one"), defaults={"granted_by": "tobias.wren"})


def switched_off(standins: StandIns, user: User) -> None:
    """A volume is taken from a machine only while it is off."""
    standins.control("machine", act="off", name="payroll")
    reread(Device.objects.all())


def on_a_set(standins: StandIns, user: User) -> None:
    """A machine with two disks on a volume set, each a volume of its own."""
    granted(standins, user)
    assert run_to_end(drafted("attach_set", user, **QUAYSIDE, name="chalk-vd")).state == Lot.State.DONE
    disks = [100 * 2**30, 40 * 2**30]
    standins.control("machine", act="create", name="tug-log", host="quay-01", datastore="chalk-vd", disks=disks)
    reread(Device.objects.all())


def crashed(standins: StandIns, user: User) -> None:
    """It leaves its swap."""
    standins.control("machine", act="crash", name="payroll")
    reread(Device.objects.all())


def quota_given(standins: StandIns, user: User) -> None:
    """The export of sand-01 gives all of its file system, and no more when that grows."""
    export = Export.objects.get(volume__name="sand-01")
    session = session_with(Device.objects.get(name="shale"))
    set_quota(session, session.get(export.uri), export.volume.size_bytes)
    reread(Device.objects.all())


def snapshot_taken(standins: StandIns, user: User) -> None:
    standins.control("machine", act="snapshot", name="payroll", snapshot="before the upgrade")
    reread(Device.objects.all())


def payroll() -> int:
    return Machine.objects.get(name="payroll").pk


def neighbour() -> int:
    """Another machine of payroll's host."""
    return Machine.objects.filter(placement__host__name="quay-02").exclude(name="payroll").order_by("name")[0].pk


def snapshots_on_drives(standins: StandIns, user: User) -> None:
    """The snapshots of payroll have a policy that berth-c serves, and the datastore of its disks does not."""
    policy = Policy.objects.create(name="Drives")
    asked = [{"kind": "media", "value": "HDD"}]
    PolicyVersion.objects.create(policy=policy, number=1, requirements=asked, by=user.username)
    GivenPolicy.objects.create(policy=policy, snapshots_of=Machine.objects.get(name="payroll"), by=user.username)
    PolicyPlace.objects.create(policy=policy, datastore=Datastore.objects.get(name="berth-c"), answer=Answer.HAS)


def not_mounted(standins: StandIns, user: User) -> None:
    """quay-03 runs nothing on the datastore of payroll, and does not mount it."""
    store = Datastore.objects.get(disk_placements__disk__name="payroll disk 1")
    for machine in Machine.objects.filter(placement__host__name="quay-03"):
        if machine.home == store.identity or machine.disks.filter(placement__datastore=store).exists():
            standins.control("machine", act="delete", name=machine.name)
    reread(Device.objects.all())
    act("quay-03", "Unmount", Serial=store.serials[0])
    reread(Device.objects.all())


def logged_out(standins: StandIns, user: User) -> None:
    standins.control("session", host="quay-01", array="granite", keep=[["storage-a", "A1"]])
    reread(Device.objects.all())


def attached(standins: StandIns, user: User) -> None:
    run_to_end(drafted("attach", user, cluster="quayside", name="berth-g", **TIB))


def mounted_apart(standins: StandIns, user: User) -> None:
    """quay-02 has no machine on sand-01, and mounts it by the server's address."""
    for machine in Machine.objects.filter(disks__placement__datastore__name="sand-01", placement__host__name="quay-02"):
        standins.control("machine", act="delete", name=machine.name)
    reread(Device.objects.all())
    act("quay-02", "UnmountExport", Identity=Datastore.objects.get(name="sand-01").identity)
    act("quay-02", "MountExport", Server="10.40.10.11", Path="/exports/sand-01", Version="NFSv4_1", Name="sand-01-ip")


QUAYSIDE = {"cluster": "quayside"}


PIECES = {0: b"boot " * 20_000, 3 * 1024**2: b"end " * 1000}
RAW_BYTES = 4 * 1024**2


def image_checked(standins: StandIns, user: User) -> None:
    """An image of 4 MiB, of which two pieces are data, as it is once it was checked."""
    raw = bytearray(RAW_BYTES)
    for offset, data in PIECES.items():
        raw[offset : offset + len(data)] = data
    image = Image.objects.create(name="harbour", source="harbour.raw", state=Image.State.CHECKED, by=user.username)
    digest, written = hashlib.sha256(raw).hexdigest(), sum(map(len, PIECES.values()))
    ImageDisk.objects.create(image=image, number=1, size_bytes=RAW_BYTES, data_bytes=written, sha256=digest)


def keeping() -> dict[str, Any]:
    """With a copy of the image here, as when it was brought in; a lot that kept it has taken that away."""
    with copy_of(ImageDisk.objects.get().content).open("wb") as file:
        file.truncate(RAW_BYTES)
        for offset, data in PIECES.items():
            file.seek(offset)
            file.write(data)
    return {"image": Image.objects.get().pk, "datastore": Datastore.objects.get(name="berth-b").pk}


def image_kept(standins: StandIns, user: User) -> None:
    """The same, on a datastore."""
    image_checked(standins, user)
    run_to_end(drafted("keep_image", user, **keeping()))


CASES = [
    Case("over iSCSI", "attach", lambda: {**QUAYSIDE, "name": "berth-e", **TIB}, "quay-02", 2),
    Case(
        "over FC",
        "attach",
        lambda: {"cluster": "gatehouse", "name": "berth-n", "pools": ["granite-mixed"], **TIB},
        "gate-02",
        2,
    ),
    Case(
        "over NVMe/TCP",
        "attach",
        lambda: {**QUAYSIDE, "name": "chalk-01", "pools": ["chalk-one"], **TIB},
        "chalk",
        3,
        granted,
    ),
    Case(
        "raw",
        "attach",
        lambda: {
            "name": "raw-01",
            "pools": ["granite-mixed"],
            "raw": True,
            "machines": [Machine.objects.get(name="payroll").pk],
            **TIB,
        },
        "quay-02",
        2,
        switched_off,
    ),
    Case(
        "targets of their own",
        "attach",
        lambda: {**QUAYSIDE, "name": "own-01", "pools": ["granite-mixed"], "own_target": True, **TIB},
        "quay-02",
        2,
    ),
    Case("over NFS", "attach_file", lambda: {**QUAYSIDE, "name": "sand-05", **TIB}, "shale", 2),
    Case("a volume set", "attach_set", lambda: {**QUAYSIDE, "name": "chalk-vd"}, "quay-02", 2, granted),
    Case("NFS settings", "file_limits", dict, "quay-02", 1),
    Case("uplinks", "uplinks", lambda: {"host": "quay-03"}, "quay-03", 2),
    Case("frames", "frames", lambda: {"host": "quay-03", "array": "chalk"}, "quay-03", 2),
    Case("sessions", "find_paths", lambda: {"host": "quay-01", "array": "granite"}, "quay-01", 2, logged_out),
    Case("interfaces", "interfaces", lambda: {**QUAYSIDE, "array": "chalk"}, "quay-02", 1),
    Case("an idle volume", "use_volume", lambda: {**QUAYSIDE, "volume": volume("slate-09")}, "quay-02", 2),
    Case("shown to all", "spread", lambda: {"volume": volume("berth-f")}, "quay-02", 2),
    Case("a leftover initiator", "initiator", lambda: {"initiator": RETIRED}, "granite", 1),
    Case("CHAP", "chap", lambda: {**QUAYSIDE, "array": "granite", "method": "mutual"}, "quay-02", 1),
    Case(
        "a default",
        "default_store",
        lambda: {"datastore": Datastore.objects.get(name="berth-c").pk},
        "quay-02",
        1,
    ),
    Case("detached", "detach", lambda: {"volume": volume("berth-g"), "keep": True}, "quay-03", 2, attached),
    Case("mounted alike", "mount_alike", lambda: {"volume": volume("sand-01")}, "quay-02", 2, mounted_apart),
    Case(
        "device settings",
        "device_settings",
        lambda: {"setting": "path_policy", "value": "ShortestQueue", "filter": QUAYSIDE},
        "quay-02",
        2,
    ),
    Case("new passwords", "passwords", lambda: {"device": "granite"}, "granite", 1),
    Case("moves", "balance", lambda: {"group": "quayside"}, FIRST, 1),
    Case(
        "grown",
        "grow",
        lambda: {"datastores": [store("berth-b"), store("berth-c")], "how": "by", "amount": "1 TiB"},
        "granite",
        1,
        final=True,
    ),
    Case(
        "an export shrunk",
        "shrink",
        lambda: {"datastores": [store("sand-01")], "how": "fill", "amount": "75 %"},
        "shale",
        1,
    ),
    Case(
        "a pool grown",
        "grow_pool",
        lambda: {"pool": "basalt-deep", "drives": 6},
        "basalt",
        1,
        final=True,
    ),
    Case(
        "a pool retired",
        "retire",
        lambda: {"pools": [Pool.objects.get(name="basalt-bulk").pk], "confirm": "basalt-bulk"},
        "basalt",
        1,
        final=True,
    ),
    Case(
        "a pool emptied",
        "retire",
        lambda: {"pools": [Pool.objects.get(name="basalt-bulk").pk], "keep": True},
        "quay-02",
        1,
    ),
    Case(
        "made anew",
        "remake",
        lambda: {"datastore": store("slate-03"), "size": "2 TiB", "confirm": "slate-03"},
        "basalt",
        3,
        final=True,
    ),
    Case("loose disks", "delete_disks", lambda: loose("customs-test disk 1"), "quay-01", 1, final=True),
    Case("a disk made thin", "make_thin", lambda: {"disks": [disk("payroll disk 1")]}, "quay-02", 1),
    Case("left swap", "delete_swap", lambda: {"machines": [payroll()]}, "quay-02", 1, crashed, final=True),
    Case(
        "an export with a quota",
        "grow",
        lambda: {"datastores": [store("sand-01")], "how": "by", "amount": "1 TiB"},
        "shale",
        2,
        quota_given,
    ),
    Case("given back", "return_blocks", lambda: {"datastores": [store("slate-02")]}, "quay-01", 1, final=True),
    Case(
        "reduced",
        "reduce",
        lambda: {"volumes": [volume("sand-02")], "ways": ["compression", "deduplication"]},
        "shale",
        1,
    ),
    Case("switched off", "power", lambda: {"machines": [payroll()], "to": "off"}, "quay-02", 1),
    Case("switched on", "power", lambda: {"machines": [payroll()], "to": "on"}, "quay-02", 1, switched_off),
    Case("a snapshot", "snapshot", lambda: {"machine": payroll(), "snapshot": "before-upgrade"}, "quay-02", 1),
    Case(
        "back to a snapshot",
        "snapshot",
        lambda: {"machine": payroll(), "act": "go back", "snapshot": "before the upgrade"},
        "quay-02",
        2,
        snapshot_taken,
    ),
    Case(
        "a snapshot merged",
        "snapshot",
        lambda: {"machine": payroll(), "act": "merge", "snapshot": "before the upgrade"},
        "quay-02",
        1,
        snapshot_taken,
        final=True,
    ),
    Case("a disk", "machine_disk", lambda: {"machine": payroll(), "size": "40"}, "quay-02", 1),
    Case(
        "a disk enlarged",
        "machine_disk",
        lambda: {
            "machine": payroll(),
            "act": "enlarge",
            "size": "100",
            "disk": Disk.objects.get(name="payroll disk 2").pk,
        },
        "quay-02",
        1,
        final=True,
    ),
    Case(
        "a disk deleted",
        "machine_disk",
        lambda: {
            "machine": payroll(),
            "act": "delete",
            "disk": Disk.objects.get(name="payroll disk 2").pk,
            "confirm": "payroll disk 2",
        },
        "quay-02",
        1,
        switched_off,
        final=True,
    ),
    Case(
        "a cap",
        "limits",
        lambda: {"disks": [Disk.objects.get(name="payroll disk 1").pk], "cap": "60"},
        "quay-02",
        1,
    ),
    # Its one disk that gives way is berth-plan-db's.
    Case("fair caps", "fair_caps", lambda: {"pool": "granite-fast"}, "quay-01", 1),
    Case(
        "own files",
        "move_files",
        lambda: {
            "machines": [payroll(), neighbour()],
            "datastore": Datastore.objects.get(name="berth-b").pk,
        },
        "quay-02",
        1,
    ),
    Case(
        "a snapshot kept apart",
        "snapshot",
        lambda: {"machine": payroll(), "snapshot": "before-upgrade"},
        "quay-02",
        1,
        snapshots_on_drives,
    ),
    Case(
        "a host that does not mount all",
        "migrate",
        lambda: {"machine": payroll(), "host": "quay-03"},
        "quay-02",
        2,
        not_mounted,
    ),
    Case("another host", "migrate", lambda: {"machine": payroll(), "host": "quay-03"}, "quay-02", 1),
    Case(
        "a new machine",
        "new_machine",
        lambda: {
            **QUAYSIDE,
            "name": "crane-plan-01",
            "host": "quay-02",
            "disks": [{"size": "60"}, {"size": "200", "iops": "200"}],
        },
        "quay-02",
        3,
    ),
    Case(
        "a machine from an image",
        "new_machine",
        lambda: {
            **QUAYSIDE,
            "name": "crane-plan-02",
            "host": "quay-02",
            "disks": [{"size": "60", "contents": f"image:{StoredImage.objects.get().pk}"}],
        },
        "quay-02",
        2,
        image_kept,
    ),
    Case(
        "a linked machine",
        "new_machine",
        lambda: {
            **QUAYSIDE,
            "name": "tug-log-02",
            "host": "quay-02",
            "disks": [{"contents": f"linked:{disk('tug-log disk 1')}"}],
        },
        "quay-02",
        3,
        on_a_set,
    ),
    Case("an image kept", "keep_image", keeping, "quay-01", 2, image_checked),
    Case(
        "an image deleted",
        "delete_image",
        lambda: {"image": Image.objects.get().pk, "confirm": "harbour"},
        "quay-01",
        1,
        image_kept,
        final=True,
    ),
    Case(
        "a machine deleted",
        "delete_machine",
        lambda: {"machine": payroll(), "confirm": "payroll"},
        "quay-02",
        2,
        final=True,
    ),
]


def test_there_is_a_case_for_every_kind() -> None:
    assert {case.kind for case in CASES} == REGISTRY.keys() - {"undo"}


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.what)
def test_a_fault_in_the_middle_leaves_the_world_as_it_has_to_be(estate: StandIns, ines: User, case: Case) -> None:
    case.prepare(estate, ines)

    def lot() -> Lot:
        return drafted(case.kind, ines, **case.form())

    if case.final:
        failed = run_with_fault(lot(), estate, case.device, "fail_nth", case.nth)
        assert failed.state == Lot.State.FAILED
        assert run_to_end(failed).state == Lot.State.DONE
        return

    def undone(done: Lot) -> None:
        if done.steps.filter(state=Step.State.DONE).exists():
            assert run_to_end(actions.undo(done, ines)).state == Lot.State.DONE
        assert whole(estate) == before

    before = whole(estate)
    drafted_first = lot()
    device = str(drafted_first.steps.order_by("position")[0].device) if case.device == FIRST else case.device
    failed = run_with_fault(drafted_first, estate, device, "fail_nth", case.nth)
    assert failed.state == Lot.State.FAILED
    undone(failed)

    # An answer lost on the way is asked again: no other step ends differently.
    cut = run_with_fault(lot(), estate, device, "drop", case.nth)
    assert cut.state == Lot.State.DONE
    after = whole(estate)
    assert after != before
    # An undo that fails in its middle is run on to its end.
    undo = run_with_fault(actions.undo(cut, ines), estate, device, "fail_nth", 1)
    assert undo.state in (Lot.State.FAILED, Lot.State.DONE)
    if undo.state == Lot.State.FAILED:
        assert run_to_end(undo).state == Lot.State.DONE
    assert whole(estate) == before

    failed = run_with_fault(lot(), estate, device, "fail_nth", case.nth)
    assert run_to_end(failed).state == Lot.State.DONE
    assert whole(estate) == after
