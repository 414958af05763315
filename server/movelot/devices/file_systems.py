"""Reading and changing file storage: file systems and exports of an array, mounts and client settings of a host."""

from __future__ import annotations

from typing import Any

from movelot.devices.host import act, datastore_row, system_uri
from movelot.devices.reducing import REDUCED
from movelot.devices.session import DeviceSession, Resource
from movelot.devices.set_rows import made_by
from movelot.inventory.readings import Row


def file_system_row(member: Resource) -> Row:
    data, oem = member["Capacity"]["Data"], member["Oem"]["Kestrel"]
    return {
        "name": member["Name"],
        "uri": member["@odata.id"],
        "etag": member.get("@odata.etag", ""),
        "kind": "file",
        "pool_uri": member["CapacitySources"][0]["ProvidingPools"][0]["@odata.id"],
        "serial": member["Identifiers"][0]["DurableName"],
        "size_bytes": data["AllocatedBytes"],
        "allocated_bytes": data["ConsumedBytes"],
        "controller": oem["Controller"],
        "thin": oem["Thin"],
        "reduced": [way for way, name in REDUCED.items() if oem.get(name)],
        "reduced_bytes": oem.get("ReducedBytes"),
        "target": "",
        "tiering": "",
        "made_by": made_by(member),
    }


def _export_row(member: Resource, volume_uri: str) -> Row:
    return {
        "name": member["Name"],
        "uri": member["@odata.id"],
        "etag": member.get("@odata.etag", ""),
        "volume_uri": volume_uri,
        "path": member["FileSharePath"],
        "versions": list(member["FileSharingProtocols"]),
        "clients": [[rule["Network"], rule["Access"]] for rule in member["Oem"]["Kestrel"]["Clients"]],
        "root": bool(member["RootAccess"]),
        "quota_bytes": quota_of(member),
    }


def exports_of(session: DeviceSession, file_system: Resource) -> list[Row]:
    """The exports of a file system, read now."""
    shares = session.members(file_system["ExportedShares"]["@odata.id"])
    return [_export_row(member, file_system["@odata.id"]) for member in shares]


def find_file_system(session: DeviceSession, base: str, name: str) -> tuple[Row, str] | None:
    """The file system of this name and its description, read now; None if there is none."""
    members = session.get(f"{base}/FileSystems?$expand=.&$filter=Name eq '{name}'")["Members"]
    return (file_system_row(members[0]), str(members[0].get("Description", ""))) if members else None


def create_file_system(session: DeviceSession, base: str, wanted: dict[str, Any]) -> Row:
    """Create a file system of ``wanted`` name, size_bytes, pool_uri, controller; ``key`` is how it is known again."""
    body: dict[str, Any] = {
        "Name": wanted["name"],
        "Description": wanted["key"],
        "Capacity": {"Data": {"AllocatedBytes": wanted["size_bytes"]}},
        "CapacitySources": [{"ProvidingPools": [{"@odata.id": wanted["pool_uri"]}]}],
        "Oem": {"Kestrel": {"Controller": wanted["controller"]}},
    }
    return file_system_row(session.post(f"{base}/FileSystems", body).dict)


def resize(session: DeviceSession, file_system: Resource, size_bytes: int) -> None:
    """Give a file system, as it was just read, another size. DeviceStale where it changed since."""
    body = {"Capacity": {"Data": {"AllocatedBytes": size_bytes}}}
    session.patch(str(file_system["@odata.id"]), body, str(file_system.get("@odata.etag", "")))


def create_export(session: DeviceSession, volume_uri: str, export: Row) -> Row:
    """Offer a file system to NFS clients under ``export``'s path; the same again is answered as the first time."""
    body = {
        "Name": export["name"],
        "FileSharePath": export["path"],
        "FileSharingProtocols": export["versions"],
        "RootAccess": export["root"],
        **clients_body(export["clients"]),
    }
    return _export_row(session.post(f"{volume_uri}/ExportedFileShares", body).dict, volume_uri)


def quota_of(export: Resource) -> int | None:
    """What clients get of a file system at most, by an export as it was just read; None for all of it."""
    quota = export.get("FileShareTotalQuotaBytes")
    return None if quota is None else int(quota)


def set_quota(session: DeviceSession, export: Resource, quota_bytes: int) -> None:
    """Give clients so much of a file system, by its export as it was just read. DeviceStale where it changed since."""
    etag = str(export.get("@odata.etag", ""))
    session.patch(str(export["@odata.id"]), {"FileShareTotalQuotaBytes": quota_bytes}, etag)


def clients_body(clients: list[list[str]]) -> dict[str, Any]:
    return {"Oem": {"Kestrel": {"Clients": [{"Network": network, "Access": access} for network, access in clients]}}}


def export_now(session: DeviceSession, uri: str) -> Row:
    """An export as it is now."""
    return _export_row(session.get(uri), uri.rsplit("/", 2)[0])


def mount_export(session: DeviceSession, server: str, path: str, version: str, name: str) -> Row:
    """Mount an export on a host; mounted already in the same way it stays."""
    _status, body, _task = act(session, "MountExport", Server=server, Path=path, Version=version, Name=name)
    return datastore_row(body)


def find_mount(session: DeviceSession, server: str, path: str) -> Row | None:
    """The datastore that a host has of this spelling now."""
    members = session.members(f"{system_uri(session)}/Oem/Kestrel/Datastores")
    rows = (datastore_row(member) for member in members)
    return next((row for row in rows if (row["mount"]["server"], row["mount"]["path"]) == (server, path)), None)


def client_settings(session: DeviceSession) -> dict[str, int]:
    """Timeouts and limits of a host's NFS client now."""
    system = session.get(system_uri(session))
    return {name: int(value) for name, value in system["Oem"]["Kestrel"].get("FileClient", {}).items()}
