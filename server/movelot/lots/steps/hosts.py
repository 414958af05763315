"""Steps on a host: scan, format, wipe, mount, unmount, settings of devices, uplinks of an interface."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any, Self

from movelot.devices import host
from movelot.inventory.models import Device, Disk
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, demand
from movelot.lots.steps.swapping import Swap
from movelot.lots.steps.touches import Touched, datastore_name, volume
from movelot.lots.steps.values import Document, Later, Nothing, Result
from movelot_core.units import count_of

EMPTY = "None"


class Scan(StepKind[Nothing]):
    """Scan until the devices are there, or gone if they are not to be ``present``: it waits for them, not for time."""

    kind = "scan"
    params_version = 2
    proof = "the host lists the devices by their serials (or no longer does, if they are to go)"

    serials: list[Later[str]]
    present: bool

    @classmethod
    def upgraded(cls, params: dict[str, Any], version: int) -> dict[str, Any]:
        """The first version was for one device."""
        return {"serials": [params["serial"]], "present": params["present"]} if "serial" in params else params

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if not self._unlike(run):
            return Progress(True)
        _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
        return Progress(False, task_uri=monitor)

    def _unlike(self, run: StepRun[Nothing]) -> list[str]:
        """The serials that are there though they should not, or not though they should."""
        there = host.serials_seen(run.session)
        return [serial for serial in self.serials if (serial in there) != self.present]

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        unlike = self._unlike(run)
        word = "does not see" if self.present else "still sees"
        demand(
            not unlike,
            "scan_result",
            f"After the scan {run.session.name} {word} {', '.join(unlike)}.",
            "The scan changed nothing else.",
            "Check the paths of this host.",
        )

    def undo(self, result: Nothing) -> StepSpec[Any] | None:
        if not self.present:
            # The device can only come back once it is offered again: what is mounted again scans for it then.
            return None
        go = "devices go" if len(self.serials) > 1 else "device goes"
        # What the host should no longer see is gone only once all else is taken back.
        return Scan(serials=[*self.serials], present=False).on("", f"Scan again, so that the {go}", last=True)


class Formatted(Result):
    """The identity of a datastore."""

    identity: str


class FormatDevice(StepKind[Formatted]):
    """Format a device that carries nothing, and no other, as a datastore of a name."""

    kind = "format_device"
    proof = "the device carries a datastore of this name"

    serial: Later[str]
    name: str

    def touches(self, device: Device) -> list[Touched]:
        return [*volume(self.serial, self.name), datastore_name(device, self.name)]

    def begin(self, run: StepRun[Formatted]) -> Progress[Formatted]:
        found = host.find_device(run.session, self.serial)
        demand(found is not None, "device_missing", f"{run.session.name} does not see device {self.serial}.")
        # The host repeats its answer for the key that made the datastore; it refuses any other that is not empty.
        _status, body, _monitor = host.act(run.session, "Format", Serial=self.serial, Name=self.name, Key=run.key)
        return Progress(True, Formatted(identity=body["Id"]))

    def look(self, run: StepRun[Formatted]) -> Progress[Formatted] | None:
        carries, identity = host.signature_of(run.session, self.serial)
        return Progress(True, Formatted(identity=identity)) if carries == "datastore" else None

    def verify(self, run: StepRun[Formatted], result: Formatted) -> None:
        found = host.find_device(run.session, self.serial)
        demand(
            found is not None and found["signature_kind"] == "datastore",
            "not_formatted",
            "The device carries no datastore.",
        )

    def undo(self, result: Formatted) -> StepSpec[Any]:
        wipe = WipeDevice(serial=self.serial, name=self.name)
        return wipe.on("", f"Take the format of {self.name} off", "only if no disk is on it")


class WipeDevice(StepKind[Nothing]):
    """Wipe what a device ``carries``, or anything where that is empty; the host refuses while it is used or mounted.

    ``name`` is the datastore's where there was one.
    """

    kind = "wipe_device"
    proof = "the device carries nothing"
    reversible = False

    serial: Later[str]
    carries: str = ""
    name: str = ""

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = host.find_device(run.session, self.serial)
        there = (found or {}).get("signature_kind", EMPTY)
        meant = self.carries or there
        message = f"The device carries a {there} now, not a {meant}."
        demand(there in (meant, EMPTY), "other_content", message, hint="Draft the lot again from a fresh reading.")
        if there != EMPTY or found is None:
            host.act(run.session, "Wipe", Serial=self.serial)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        found = host.find_device(run.session, self.serial)
        demand(
            found is None or found["signature_kind"] == EMPTY,
            "still_formatted",
            "The device still carries a datastore.",
        )

    def undo(self, result: Nothing) -> None:
        """Nothing brings back what was on it; a lot with this step cannot be undone."""


class Mounted(Result):
    """The identity of the datastore; or what the device carries instead, and so was ``left`` as it is."""

    identity: str = ""
    left: str = ""


class Mount(StepKind[Mounted]):
    """Mount the datastore on a device, of an ``identity`` if given.

    With ``as_found`` a device that carries no datastore is left as it is.
    """

    kind = "mount"
    proof = "the host lists the datastore"

    serial: Later[str]
    name: str
    identity: Later[str] = ""
    as_found: bool = False

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name, alone=False)

    def begin(self, run: StepRun[Mounted]) -> Progress[Mounted]:
        if self.as_found:
            found = host.find_device(run.session, self.serial)
            if found is not None and found["signature_kind"] != "datastore":
                return Progress(True, Mounted(left=found["signature_kind"]))
        there = host.find_datastore(run.session, self.serial)
        if there is not None:
            return Progress(True, Mounted(identity=there["identity"]))
        _status, body, _monitor = host.act(run.session, "Mount", Serial=self.serial)
        return Progress(True, Mounted(identity=body["Id"]))

    def verify(self, run: StepRun[Mounted], result: Mounted) -> None:
        if result.left:
            return
        found = host.find_datastore(run.session, self.serial)
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        demand(
            self.identity in ("", (found or {})["identity"]),
            "other_identity",
            "The host mounted a datastore of another identity.",
        )

    def undo(self, result: Mounted) -> StepSpec[Any] | None:
        return None if result.left else Unmount(serial=self.serial, name=self.name).on("", f"Unmount {self.name}")


class Unmount(StepKind[Nothing]):
    """The host refuses while one of its machines uses the datastore."""

    kind = "unmount"
    proof = "the host no longer lists the datastore"

    serial: str
    name: str

    @classmethod
    def in_the_way(cls, steps: Sequence[tuple[str, Self]], touched: Collection[str]) -> list[str]:
        """A host does not let go of what one of its machines uses, unless the lot itself brings that elsewhere."""
        hosts = {(step.serial, host) for host, step in steps}
        disks = Disk.objects.filter(placement__datastore__extents__serial__in={step.serial for _host, step in steps})
        store = "placement__datastore"
        columns = ("name", "identity", "machine__placement__host__name", f"{store}__name", f"{store}__extents__serial")
        return [
            f"{disk} is on {store}, which {host} keeps mounted for it."
            for disk, identity, host, store, serial in disks.order_by("name").values_list(*columns)
            if (serial, host) in hosts and f"disk {identity}" not in touched
        ]

    def touches(self, device: Device) -> list[Touched]:
        return volume(self.serial, self.name)

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        if host.find_datastore(run.session, self.serial) is not None:
            host.act(run.session, "Unmount", Serial=self.serial)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        demand(
            host.find_datastore(run.session, self.serial) is None,
            "still_mounted",
            f"{run.session.name} still mounts it.",
        )

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return Remount(serial=self.serial, name=self.name).on("", f"Mount {self.name} again")


class Remount(Mount):
    """As Mount, after a scan where the host does not see the device yet."""

    kind = "remount"

    def begin(self, run: StepRun[Mounted]) -> Progress[Mounted]:
        if host.find_device(run.session, self.serial) is None:
            _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
            return Progress(False, task_uri=monitor)
        return super().begin(run)

    def follow(self, run: StepRun[Mounted]) -> Progress[Mounted]:
        scanned = super().follow(run)
        return super().begin(run) if scanned.done else scanned


class FormerPolicy(Result):
    before: str


class SetPathPolicy(StepKind[FormerPolicy]):
    """Set the path policy of a device that is new to the host."""

    kind = "set_path_policy"
    proof = "the device shows this path policy"

    serial: Later[str]
    policy: str

    def begin(self, run: StepRun[FormerPolicy]) -> Progress[FormerPolicy]:
        found = host.find_device(run.session, self.serial)
        demand(found is not None, "device_missing", f"{run.session.name} does not see device {self.serial}.")
        now = (found or {})["path_policy"]
        if now != self.policy:
            host.set_device(run.session, self.serial, "path_policy", self.policy)
        return Progress(True, run.result or FormerPolicy(before=now))

    def verify(self, run: StepRun[FormerPolicy], result: FormerPolicy) -> None:
        found = host.find_device(run.session, self.serial) or {}
        now = found.get("path_policy")
        demand(now == self.policy, "policy_differs", f"The path policy is {now}.")

    def undo(self, result: FormerPolicy) -> StepSpec[Any] | None:
        # A device that goes away with the lot takes its policy along.
        return None


class SetDevices(Swap):
    """Give many devices of a host a ``setting``, each its value by serial."""

    kind = "set_devices"
    piecewise = True
    proof = "each of the devices shows this value"

    setting: str
    wanted: dict[str, str | int]
    before: dict[str, str | int]

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        now = host.device_settings(run.session, self.setting)
        gone = sorted(set(self.wanted) - set(now))
        message = f"{run.session.name} does not see {len(gone)} of the devices, first {gone[:1]}."
        demand(not gone, "device_missing", message)
        other = [serial for serial, value in self.wanted.items() if now[serial] not in (value, self.before[serial])]
        message = f"Meanwhile another value was given to {count_of(len(other), 'device')} of {run.session.name}."
        self.demand_known(not other, "setting_changed", message)
        for serial, value in self.wanted.items():
            if now[serial] != value:
                host.set_device(run.session, serial, self.setting, value)
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = host.device_settings(run.session, self.setting)
        differ = [serial for serial, value in self.wanted.items() if now.get(serial) != value]
        demand(
            not differ,
            "setting_differs",
            f"Another value is on {count_of(len(differ), 'device')} of {run.session.name}.",
        )

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", f"Give {count_of(len(self.before), 'device')} the former value back")


class Uplinks(Document):
    """The uplinks of an interface."""

    active: list[str]
    standby: list[str]


class BindUplink(Swap):
    """Give an interface other uplinks."""

    kind = "bind_uplink"
    proof = "the interface has this one active uplink and no other"

    interface: str
    wanted: Uplinks
    before: Uplinks

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found, now = self._now(run)
        message = f"{self.interface} was given other uplinks meanwhile."
        self.demand_known(now in (self.wanted, self.before), "uplinks_changed", message)
        if now != self.wanted:
            uplinks = {"ActiveUplinks": self.wanted.active, "StandbyUplinks": self.wanted.standby}
            run.session.patch(found["uri"], {"Oem": {"Kestrel": uplinks}}, found["etag"])
        return Progress(True)

    def _now(self, run: StepRun[Nothing]) -> tuple[dict[str, Any], Uplinks]:
        found = host.find_interface(run.session, self.interface)
        return found, Uplinks(active=[*found["active_uplinks"]], standby=[*found["standby_uplinks"]])

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        _, now = self._now(run)
        message = f"{self.interface} has uplinks {now.active}, standby {now.standby}."
        demand(now == self.wanted, "uplinks_differ", message)

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", f"Give {self.interface} its former uplinks back")


class SetFrameSize(Swap):
    """Set the largest frame of an interface, in bytes."""

    kind = "set_frame_size"
    proof = "the interface has this frame size (MTU)"

    interface: str
    wanted: int
    before: int

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        found = host.find_interface(run.session, self.interface)
        now = found["frame_bytes"]
        message = f"{self.interface} was given frames of {now} bytes meanwhile."
        self.demand_known(now in (self.wanted, self.before), "frame_changed", message)
        if now != self.wanted:
            run.session.patch(found["uri"], {"MTUSize": self.wanted}, found["etag"])
        return Progress(True)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        now = host.find_interface(run.session, self.interface)["frame_bytes"]
        demand(now == self.wanted, "frame_differs", f"{self.interface} has frames of {now} bytes.")

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return self.swapped().on("", f"Give {self.interface} its former frame size back")


class Rescan(StepKind[Nothing]):
    """One scan, whatever it finds."""

    kind = "rescan"
    proof = "the scan has ended"

    def begin(self, run: StepRun[Nothing]) -> Progress[Nothing]:
        _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
        return Progress(False, task_uri=monitor)

    def verify(self, run: StepRun[Nothing], result: Nothing) -> None:
        """A scan has no effect of its own to prove; that it ended well is what ``follow`` saw."""

    def undo(self, result: Nothing) -> StepSpec[Any]:
        return Rescan().on("", "Rescan")
