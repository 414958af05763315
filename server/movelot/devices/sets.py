"""Volume sets of an array, and how a host mounts one."""

from __future__ import annotations

from movelot.devices.array import storage_uri
from movelot.devices.host import act, datastore_row
from movelot.devices.session import DeviceSession
from movelot.devices.set_rows import set_row
from movelot.inventory.readings import Row


def sets_uri(session: DeviceSession) -> str:
    """Where the array keeps its volume sets."""
    return str(session.get(storage_uri(session))["Oem"]["Kestrel"]["VolumeSets"]["@odata.id"])


def find_set(session: DeviceSession, name: str) -> tuple[Row, str] | None:
    """The set of this name and its description, read now; None if there is none."""
    found = next((member for member in session.members(sets_uri(session)) if member["Name"] == name), None)
    return (set_row(found), str(found.get("Description", ""))) if found else None


def create_set(session: DeviceSession, name: str, pool_uri: str, key: str) -> Row:
    """Make a volume set in a pool; ``key`` goes into its description, so that it is known again."""
    body = {"Name": name, "Description": key, "CapacitySources": [{"ProvidingPools": [{"@odata.id": pool_uri}]}]}
    return set_row(session.post(sets_uri(session), body).dict)


def mount_set(session: DeviceSession, serial: str, name: str) -> Row:
    """Mount a volume set on a host; mounted already it stays."""
    _status, body, _task = act(session, "MountSet", Serial=serial, Name=name)
    return datastore_row(body)
