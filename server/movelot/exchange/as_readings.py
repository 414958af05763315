"""A package's rows as the readings of its devices, as if they had told of themselves."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any

from movelot.exchange.reading import Row
from movelot.inventory.capabilities import code_of
from movelot.inventory.follow.machines import BY_NAME
from movelot.inventory.readings import ArrayReading, HostReading

Groups = dict[Any, list[Row]]


def _uri(device: str, kind: str, name: str) -> str:
    """Where a linked device would have a URI: settled by names, so that the next import finds the same rows."""
    return f"imported/{device}/{kind}/{name}"[:255]


def _of(rows: list[Row], column: str) -> Groups:
    """Rows by the value of a column."""
    found: Groups = {}
    for row in rows:
        found.setdefault(row[column], []).append(row)
    return found


def _words(text: str | None) -> list[str]:
    return (text or "").split()


def pairs(text: str | None, mark: str) -> list[list[str]]:
    """``a=b c=d`` as pairs; what has no ``mark`` stands alone with nothing beside it."""
    return [[left, right] for left, _, right in (word.partition(mark) for word in _words(text))]


def _connections(text: str | None) -> dict[str, list[list[str]]]:
    found: dict[str, list[list[str]]] = {}
    for nqn, pair in pairs(text, "="):
        found.setdefault(nqn, []).append(pair.split(">", 1))
    return found


def _settings(text: str | None) -> dict[str, int]:
    return {name: int(value) for name, value in pairs(text, "=") if value.isdecimal()}


def _reading_of_array(name: str, **parts: Any) -> ArrayReading:
    empty: dict[str, Any] = {
        part: [] for part in ("capabilities", "pools", "portals", "initiators", "volumes", "offers")
    }
    return ArrayReading(**{"name": name, "copy_bytes_per_second": 0.0, "clock_offset_seconds": 0.0, **empty, **parts})


def array_reading(array: Row, rows: dict[str, list[Row]]) -> ArrayReading:
    """The reading of an array from its row and those of all tables."""
    name = array["name"]
    mine = {table: [row for row in rows[table] if row["array"] == name] for table in ARRAY_TABLES}
    return _reading_of_array(
        name,
        copy_bytes_per_second=array["copy_bytes_per_second"] or 0.0,
        capabilities=_capabilities(row for row in rows["capabilities"] if row["device"] == name),
        pools=[_pool(row) for row in mine["pools"]],
        drive_groups=[_drive_group(row) for row in mine["drive_groups"]],
        portals=[{**_wired(row, "array", "portals"), **_portal(row)} for row in mine["portals"]],
        initiators=[
            {**_head(row, "array", "initiators"), "identifier": row["identifier"], "chap": row["chap"] or ""}
            for row in mine["initiators"]
        ],
        zones=[_zone(row) for row in mine["zones"]],
        volumes=[_volume(row, array["target"] or "") for row in mine["volumes"]],
        offers=[_offer(row) for row in mine["offers"]],
        exports=[_export(row) for row in mine["exports"]],
        file_client=_settings(array["file_client"]),
        nqn=array["nqn"] or "",
        target=array["target"] or "",
        set_limits=_settings(array["set_limits"]),
    )


ARRAY_TABLES = ("pools", "drive_groups", "portals", "initiators", "zones", "volumes", "offers", "exports")


def _capabilities(rows: Iterable[Row]) -> list[Row]:
    return [{"code": code_of(row["name"]), "able": row["able"], "detail": row["detail"] or ""} for row in rows]


def _head(row: Row, owner: str, kind: str) -> Row:
    return {"name": row["name"], "uri": _uri(row[owner], kind, row["name"]), "etag": ""}


def _wired(row: Row, owner: str, kind: str) -> Row:
    return {
        **_head(row, owner, kind),
        "protocol": row["protocol"] or "iSCSI",
        "network": row["network"],
        "vlan": row["vlan"],
        "up": row["up"] is not False,
        "frame_bytes": row["frame_bytes"] or 9000,
        "switch": row["switch"] or "",
    }


def _portal(row: Row) -> Row:
    return {"controller": row["controller"], "host_name": row["host_name"] or ""}


def _pool(row: Row) -> Row:
    sizes = {name: row[name] for name in ("capacity_bytes", "allocated_bytes", "subscribed_bytes")}
    return {**_head(row, "array", "pools"), "identity": f"{BY_NAME}{row['name']}", **sizes, **_made_of(row)}


def _drive_group(row: Row) -> Row:
    pool = {"pool_uri": _uri(row["array"], "pools", row["pool"])}
    return {**_head(row, "array", "drive_groups"), **pool, "raid": row["raid"] or "", "drives": row["drives"]}


def _made_of(row: Row) -> Row:
    words = {name: row[name] or "" for name in ("raid", "media")}
    return {
        **words,
        **{name: row[name] or 0 for name in ("drives", "spares", "page_bytes")},
        # What packages do not tell.
        "drive_sets": [],
        "addable_drives": 0,
        "cache_bytes": 0,
        "cache_hit_share": None,
        "reduces": _words(row["reduces"]),
        "tiers": [[media, int(size)] for media, size in pairs(row["tiers"], "=")],
        "relocation": row["relocation"] or "",
    }


def _volume(row: Row, shared_target: str) -> Row:
    of_array = (row["kind"] or "block") == "block"
    return {
        **_head(row, "array", "volumes"),
        "pool_uri": _uri(row["array"], "pools", row["pool"]),
        "serial": row["serial"],
        "size_bytes": row["size_bytes"],
        "allocated_bytes": row["allocated_bytes"],
        "controller": row["controller"] or "",
        "thin": row["thin"] is not False,
        "reduced": _words(row["reduced"]),
        "reduced_bytes": None,
        "made_by": "",
        "kind": row["kind"] or "block",
        "volumes_max": row["volumes_max"] or 0,
        **{name: row[name] or "" for name in ("set_serial", "purpose", "disk_identity", "tiering")},
        "target": row["target"] or (shared_target if of_array else ""),
    }


def _zone(row: Row) -> Row:
    uri = _uri(row["array"], "zones", f"{row['fabric']}/{row['name']}")
    return {**_head(row, "array", "zones"), "uri": uri, "fabric": row["fabric"], "members": pairs(row["members"], "=")}


def _offer(row: Row) -> Row:
    return {
        **_head(row, "array", "offers"),
        "volume_uri": _uri(row["array"], "volumes", row["volume"]),
        "lun": row["lun"],
        "initiators": _words(row["initiators"]),
    }


def _export(row: Row) -> Row:
    return {
        **_head(row, "array", "exports"),
        "volume_uri": _uri(row["array"], "volumes", row["volume"]),
        "path": row["path"],
        "versions": _words(row["versions"]),
        "clients": pairs(row["clients"], "="),
        "root": bool(row["root"]),
        "quota_bytes": row["quota_bytes"],
    }


HOST_TABLES = ("host_ports", "host_devices", "mounts", "machines", "disks")


def rows_by_host(rows: dict[str, list[Row]]) -> dict[str, Groups]:
    """Each table's rows by host, capabilities by device and datastores by identity: sorted once for all hosts."""
    found = {table: _of(rows[table], "host") for table in HOST_TABLES}
    found["machines"] = _of(_identified(rows["machines"]), "host")
    return {**found, "capabilities": _of(rows["capabilities"], "device"), "stores": _of(rows["datastores"], "identity")}


def _identified(machines: list[Row]) -> list[Row]:
    """Machines with what each is known by: the identity told, else its name, with its host where names repeat."""
    times = Counter(row["name"] for row in machines)
    return [{**row, "identity": row["identity"] or machine_identity(row, times[row["name"]] > 1)} for row in machines]


def machine_identity(row: Row, repeated: bool) -> str:
    """What a machine is known by that the package gives no identity."""
    return f"{BY_NAME}{row['host']}/{row['name']}" if repeated else f"{BY_NAME}{row['name']}"


def host_reading(host: Row, by_host: dict[str, Groups]) -> HostReading:
    """The reading of a host from its row and what ``rows_by_host`` made of the others."""
    name = host["name"]
    disks = _of(by_host["disks"].get(name, []), "machine")
    return HostReading(
        name=name,
        cluster=host["cluster"],
        initiator=host["initiator"] or "",
        copy_bytes_per_second=host["copy_bytes_per_second"] or 0.0,
        clock_offset_seconds=0.0,
        capabilities=_capabilities(by_host["capabilities"].get(name, [])),
        scan_seconds=host["scan_seconds"] or 60.0,
        ports=[_port(row) for row in by_host["host_ports"].get(name, [])],
        devices=[_device(row) for row in by_host["host_devices"].get(name, [])],
        datastores=[_datastore(by_host["stores"][row["datastore"]][0], row) for row in by_host["mounts"].get(name, [])],
        machines=[_machine(row, disks.get(row["name"], [])) for row in by_host["machines"].get(name, [])],
        file_client=_settings(host["file_client"]),
        nqn=host["nqn"] or "",
        subsystems=_connections(host["subsystems"]),
        sessions=_connections(host["sessions"]),
        chap=dict(pairs(host["chap"], "=")),
        default_datastore=host["default_datastore"] or "",
        queue_depth=host["queue_depth"] or 0,
    )


def _port(row: Row) -> Row:
    uplinks = {side: _words(row[side]) for side in ("active_uplinks", "standby_uplinks")}
    return {**_wired(row, "host", "ports"), **uplinks}


def _device(row: Row) -> Row:
    paths = [[*pair.split(">", 1), access] for pair, access in pairs(row["paths"], "=") if ">" in pair]
    return {
        "name": row["name"],
        "uri": _uri(row["host"], "devices", row["serial"]),
        "etag": "",
        "serial": row["serial"],
        "size_bytes": row["size_bytes"],
        "lun": row["lun"],
        "signature_kind": row["signature"] or "None",
        "path_policy": row["path_policy"] or "",
        "queue_depth": row["queue_depth"] or 0,
        "turn_ios": row["turn_ios"] or 0,
        "paths": paths,
    }


def _datastore(store: Row, mount: Row) -> Row:
    contents = [each.partition("=")[::2] for each in (store["contents"] or "").split(";") if each]
    return {
        **{name: store[name] for name in ("identity", "name", "capacity_bytes", "free_bytes")},
        "extents": [{"serial": serial, "size_bytes": None} for serial in store["serial"].split()],
        "other_bytes": store["other_bytes"] or 0,
        "contents": [list(pair) for pair in contents],
        "mount": {
            **{name: mount[name] or "" for name in ("server", "path", "version")},
            "ways": pairs(mount["ways"], ">"),
        },
    }


def _disk(row: Row) -> Row:
    placed = {name: row[name] for name in ("identity", "name", "size_bytes", "datastore")}
    said = {"written_bytes": row["written_bytes"], "thin": bool(row["thin"])}
    return {**placed, **said, "raw_serial": row["raw_serial"] or "", "shared": bool(row["shared"])}


def _machine(row: Row, disks: Iterable[Row]) -> Row:
    return {
        **_head(row, "host", "machines"),
        "identity": row["identity"],
        "os": row["os"] or "",
        "address": row["address"] or "",
        "power": row["power"] or "On",
        "disks": [_disk(disk) for disk in disks],
    }
