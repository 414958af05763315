"""Steps on a host: scan, format, wipe, mount, unmount, settings of devices, uplinks of an interface."""

from __future__ import annotations

from movelot.devices import host
from movelot.lots.steps.base import Progress, StepKind, StepRun, StepSpec, Values, demand

EMPTY = "None"


class Scan(StepKind):
    """Params: serials, present (whether the devices have to be there afterwards). Waits for them, not for time.

    Older lots have one serial.
    """

    name = "scan"
    proof = "the host lists the devices by their serials (or no longer does, if they are to go)"

    def begin(self, run: StepRun) -> Progress:
        if not self._unlike(run):
            return Progress(True)
        _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
        return Progress(False, {}, monitor)

    def _unlike(self, run: StepRun) -> list[str]:
        """The serials that are there though they should not, or not though they should."""
        there = host.serials_seen(run.session)
        return [serial for serial in serials_of(run.params) if (serial in there) != run.params["present"]]

    def verify(self, run: StepRun) -> None:
        unlike = self._unlike(run)
        word = "does not see" if run.params["present"] else "still sees"
        demand(
            not unlike,
            "scan_result",
            f"After the scan {run.session.name} {word} {', '.join(unlike)}.",
            "The scan changed nothing else.",
            "Check the paths of this host.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec | None:
        if not params["present"]:
            # The device can only come back once it is offered again: what is mounted again scans for it then.
            return None
        many = len(serials_of(params)) > 1
        return StepSpec(
            self.name,
            "",
            f"Scan again, so that the {'devices go' if many else 'device goes'}",
            "",
            {"serials": serials_of(params), "present": False},
            # What the host should no longer see is gone only once all else is taken back.
            last=True,
        )


def serials_of(params: Values) -> list[str]:
    """The serials that a scan is for."""
    found: list[str] = params["serials"] if "serials" in params else [params["serial"]]
    return found


class FormatDevice(StepKind):
    """Params: serial, name. Formats only a device that carries nothing. Result: identity."""

    name = "format_device"
    proof = "the device carries a datastore of this name"

    def begin(self, run: StepRun) -> Progress:
        found = host.find_device(run.session, run.params["serial"])
        demand(found is not None, "device_missing", f"{run.session.name} does not see device {run.params['serial']}.")
        # The host repeats its answer for the key that made the datastore; it refuses any other that is not empty.
        _status, body, _monitor = host.act(
            run.session, "Format", Serial=run.params["serial"], Name=run.params["name"], Key=run.key
        )
        return Progress(True, {"identity": body["Id"]})

    def verify(self, run: StepRun) -> None:
        found = host.find_device(run.session, run.params["serial"])
        demand(
            found is not None and found["signature_kind"] == "datastore",
            "not_formatted",
            "The device carries no datastore.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            WipeDevice.name,
            "",
            f"Take the format of {params['name']} off",
            "only if no disk is on it",
            {"serial": params["serial"], "name": params["name"]},
        )


class WipeDevice(StepKind):
    """Params: serial, carries (optional: what may be wiped). The host refuses while anything uses or mounts it."""

    name = "wipe_device"
    proof = "the device carries nothing"
    reversible = False

    def begin(self, run: StepRun) -> Progress:
        found = host.find_device(run.session, run.params["serial"])
        there = (found or {}).get("signature_kind", EMPTY)
        meant = run.params.get("carries", there)
        message = f"The device carries a {there} now, not a {meant}."
        demand(there in (meant, EMPTY), "other_content", message, hint="Draft the lot again from a fresh reading.")
        if there != EMPTY or found is None:
            host.act(run.session, "Wipe", Serial=run.params["serial"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        found = host.find_device(run.session, run.params["serial"])
        demand(
            found is None or found["signature_kind"] == EMPTY,
            "still_formatted",
            "The device still carries a datastore.",
        )

    def undo(self, params: Values, result: Values) -> None:
        """Nothing brings back what was on it; a lot with this step cannot be undone."""


class Mount(StepKind):
    """Params: serial, name, identity (optional), and as_found: then a device without a datastore is left as it is."""

    name = "mount"
    proof = "the host lists the datastore"

    def begin(self, run: StepRun) -> Progress:
        if run.params.get("as_found"):
            found = host.find_device(run.session, run.params["serial"])
            if found is not None and found["signature_kind"] != "datastore":
                return Progress(True, {"left": found["signature_kind"]})
        _status, body, _monitor = host.act(run.session, "Mount", Serial=run.params["serial"])
        return Progress(True, {"identity": body["Id"]})

    def verify(self, run: StepRun) -> None:
        if run.result.get("left"):
            return
        found = host.find_datastore(run.session, run.params["serial"])
        demand(found is not None, "not_mounted", f"{run.session.name} does not list the datastore.")
        wanted = run.params.get("identity")
        demand(
            not wanted or (found or {})["identity"] == wanted,
            "other_identity",
            "The host mounted a datastore of another identity.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec | None:
        if result.get("left"):
            return None
        return StepSpec(
            Unmount.name, "", f"Unmount {params['name']}", "", {"serial": params["serial"], "name": params["name"]}
        )


class Unmount(StepKind):
    """Params: serial, name. The host refuses while one of its machines uses the datastore."""

    name = "unmount"
    proof = "the host no longer lists the datastore"

    def begin(self, run: StepRun) -> Progress:
        if host.find_datastore(run.session, run.params["serial"]) is not None:
            host.act(run.session, "Unmount", Serial=run.params["serial"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        demand(
            host.find_datastore(run.session, run.params["serial"]) is None,
            "still_mounted",
            f"{run.session.name} still mounts it.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            Remount.name, "", f"Mount {params['name']} again", "", {"serial": params["serial"], "name": params["name"]}
        )


class Remount(Mount):
    """As Mount, after a scan where the host does not see the device yet. Params: serial, name."""

    name = "remount"

    def begin(self, run: StepRun) -> Progress:
        if host.find_device(run.session, run.params["serial"]) is None:
            _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
            return Progress(False, {}, monitor)
        return super().begin(run)

    def follow(self, run: StepRun) -> Progress:
        scanned = super().follow(run)
        return super().begin(run) if scanned.done else scanned


class SetPathPolicy(StepKind):
    """Params: serial, policy. Result: before."""

    name = "set_path_policy"
    proof = "the device shows this path policy"

    def begin(self, run: StepRun) -> Progress:
        found = host.find_device(run.session, run.params["serial"])
        demand(found is not None, "device_missing", f"{run.session.name} does not see device {run.params['serial']}.")
        before = run.result.get("before") or (found or {})["path_policy"]
        host.set_device(run.session, run.params["serial"], "path_policy", run.params["policy"])
        return Progress(True, {"before": before})

    def verify(self, run: StepRun) -> None:
        found = host.find_device(run.session, run.params["serial"]) or {}
        demand(
            found.get("path_policy") == run.params["policy"],
            "policy_differs",
            f"The path policy is {found.get('path_policy')}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec | None:
        # A device that goes away with the lot takes its policy along.
        return None


class SetDevices(StepKind):
    """Params: setting, and wanted and before, each its value by serial, for many devices of one host.

    What was there before is part of the draft, so that an answer lost on the way loses nothing of the undo.
    """

    name = "set_devices"
    piecewise = True
    proof = "each of the devices shows this value"

    def begin(self, run: StepRun) -> Progress:
        setting, wanted, before = (run.params[name] for name in ("setting", "wanted", "before"))
        now = host.device_settings(run.session, setting)
        gone = sorted(set(wanted) - set(now))
        message = f"{run.session.name} does not see {len(gone)} of the devices, first {gone[:1]}."
        demand(not gone, "device_missing", message)
        other = [serial for serial in wanted if now[serial] not in (wanted[serial], before[serial])]
        message = f"{len(other)} devices of {run.session.name} were given another value meanwhile."
        demand(not other, "setting_changed", message, hint="Draft the lot again from a fresh reading.")
        for serial, value in wanted.items():
            if now[serial] != value:
                host.set_device(run.session, serial, setting, value)
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = host.device_settings(run.session, run.params["setting"])
        differ = [serial for serial, value in run.params["wanted"].items() if now.get(serial) != value]
        demand(not differ, "setting_differs", f"{len(differ)} devices of {run.session.name} have another value.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Give {len(params['before'])} devices their former values back"
        back = {"setting": params["setting"], "wanted": params["before"], "before": params["wanted"]}
        return StepSpec(self.name, "", title, "", back)


class BindUplink(StepKind):
    """Params: interface, and wanted and before, each {active, standby} uplinks."""

    name = "bind_uplink"
    proof = "the interface has this one active uplink and no other"

    def begin(self, run: StepRun) -> Progress:
        found = host.find_interface(run.session, run.params["interface"])
        now = {"active": found["active_uplinks"], "standby": found["standby_uplinks"]}
        wanted = run.params["wanted"]
        demand(
            now in (wanted, run.params["before"]),
            "uplinks_changed",
            f"{run.params['interface']} was given other uplinks meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if now != wanted:
            body = {"Oem": {"Kestrel": {"ActiveUplinks": wanted["active"], "StandbyUplinks": wanted["standby"]}}}
            run.session.patch(found["uri"], body, found["etag"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = host.find_interface(run.session, run.params["interface"])
        wanted = run.params["wanted"]
        demand(
            (now["active_uplinks"], now["standby_uplinks"]) == (wanted["active"], wanted["standby"]),
            "uplinks_differ",
            f"{run.params['interface']} has uplinks {now['active_uplinks']}, standby {now['standby_uplinks']}.",
        )

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(
            self.name,
            "",
            f"Give {params['interface']} its former uplinks back",
            "",
            {"interface": params["interface"], "wanted": params["before"], "before": params["wanted"]},
        )


class SetFrameSize(StepKind):
    """Params: interface, and wanted and before, each the largest frame in bytes."""

    name = "set_frame_size"
    proof = "the interface has this frame size (MTU)"

    def begin(self, run: StepRun) -> Progress:
        found = host.find_interface(run.session, run.params["interface"])
        now, wanted = found["frame_bytes"], run.params["wanted"]
        demand(
            now in (wanted, run.params["before"]),
            "frame_changed",
            f"{run.params['interface']} was given frames of {now} bytes meanwhile.",
            hint="Draft the lot again from a fresh reading.",
        )
        if now != wanted:
            run.session.patch(found["uri"], {"MTUSize": wanted}, found["etag"])
        return Progress(True)

    def verify(self, run: StepRun) -> None:
        now = host.find_interface(run.session, run.params["interface"])["frame_bytes"]
        demand(now == run.params["wanted"], "frame_differs", f"{run.params['interface']} has frames of {now} bytes.")

    def undo(self, params: Values, result: Values) -> StepSpec:
        title = f"Give {params['interface']} its former frame size back"
        return StepSpec(self.name, "", title, "", {**params, "wanted": params["before"], "before": params["wanted"]})


class Rescan(StepKind):
    """No params. One scan, whatever it finds."""

    name = "rescan"
    proof = "the scan has ended"

    def begin(self, run: StepRun) -> Progress:
        _status, _body, monitor = host.act(run.session, "Scan", Key=run.key)
        return Progress(False, {}, monitor)

    def verify(self, run: StepRun) -> None:
        """A scan has no effect of its own to prove; that it ended well is what ``follow`` saw."""

    def undo(self, params: Values, result: Values) -> StepSpec:
        return StepSpec(self.name, "", "Rescan", "", {})
