"""A package's rows into the inventory: each device gets a reading, as if it had said so itself. All or nothing."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from datetime import UTC, date, datetime
from ipaddress import ip_interface, ip_network
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import ProtectedError
from django.utils.timezone import now

from movelot.exchange.reading import Faults, Package, Row
from movelot.exchange.tables import HOUR_COLUMNS, TABLE, TABLES
from movelot.exchange.writing import CURVE, FIT
from movelot.inventory import models
from movelot.inventory.bulk import insert
from movelot.inventory.readings import ArrayReading, HostReading
from movelot.inventory.store import changed, store_reading
from movelot_core.errors import LabelError
from movelot_core.labels import parse_label

WWPN = re.compile(r"([0-9a-f]{2}:){7}[0-9a-f]{2}")
Groups = dict[Any, list[Row]]
DAYS = {"weekday": 0, "weekend": 1}
MEASURES = {"read_iops": 0, "write_iops": 1, "kib": 2}


def store(package: Package, person: str) -> None:
    """Make the imported part of the inventory be ``package``; what is linked stays untouched.

    ``check_meaning`` has to have found no fault. Either all of it is stored, or nothing.
    """
    rows, moment = package.rows, now()
    with transaction.atomic():
        devices = _devices(rows)
        _forget_others(devices)
        for array in rows["arrays"]:
            store_reading(devices[array["name"]], _array(array, rows), moment, 0.0)
        by_host = _by_host(rows)
        for host in rows["hosts"]:
            store_reading(devices[host["name"]], _host(host, by_host), moment, 0.0)
        _settle(rows, person)
        _measured(rows)
    changed()


def check_meaning(package: Package) -> None:
    """Faults that only show beside other rows, or beside what is linked."""
    rows, faults = package.rows, package.faults
    linked = models.Device.objects.exclude(state=models.Device.State.IMPORTED)
    names = set(linked.values_list("name", flat=True))
    for table in ("hosts", "arrays"):
        for row in rows[table]:
            if row["name"] in names:
                faults.add(TABLE[table], row["row"], "name", row["name"], "a name that no linked device has")
    _check_unique(rows, "volumes", "serial", models.Volume.objects.filter(device__in=linked), faults)
    _check_unique(rows, "disks", "identity", models.Disk.objects.filter(machine__device__in=linked), faults)
    stores = models.Datastore.objects.filter(mounts__host__in=linked)
    _check_unique(rows, "datastores", "identity", stores, faults)
    _check_pairs(rows, faults)
    for table, column, parse in (
        ("host_ports", "network", _network),
        ("portals", "network", _network),
        ("fills", "day", date.fromisoformat),
    ):
        _check_parsed(rows[table], table, column, parse, faults)
    for row in rows["labels"]:
        for column in ("key", "value"):
            both = {"key": "k", "value": "v", column: row[column]}
            if not _is_label("{key}={value}".format(**both)):
                faults.add(TABLE["labels"], row["row"], column, row[column], f"a label's {column}, as in team=berths")
    for row in rows["datastores"]:
        if row["free_bytes"] > row["capacity_bytes"]:
            faults.add(TABLE["datastores"], row["row"], "free_bytes", str(row["free_bytes"]), "at most its capacity")
    for row in rows["exports"]:
        networks = [network for network, _ in _pairs(row["clients"], "=")]
        _check_parsed([{**row, "clients": each} for each in networks], "exports", "clients", ip_network, faults)


def _is_label(text: str) -> bool:
    """Whether a text is a label as people may type one."""
    try:
        parse_label(text)
    except LabelError:
        return False
    return True


def _network(text: str) -> None:
    """ValueError unless ``text`` is an address with prefix length, or a WWPN in a fabric."""
    wwpn, mark, fabric = text.partition("@")
    if not mark:
        ip_interface(text)
    elif not WWPN.fullmatch(wwpn) or not fabric:
        raise ValueError(text)


def _check_unique(rows: dict[str, list[Row]], table: str, column: str, linked: Any, faults: Faults) -> None:
    taken = set(linked.values_list(column, flat=True))
    seen: dict[str, int] = {}
    for row in rows[table]:
        first = seen.setdefault(row[column], row["row"])
        if first != row["row"]:
            faults.add(TABLE[table], row["row"], column, row[column], f"one that row {first} does not have")
        elif row[column] in taken:
            faults.add(TABLE[table], row["row"], column, row[column], "one that nothing linked has")


# Columns that name a thing of a device: table, its two columns, and the table and columns that have to have both.
NAMED = (
    ("volumes", ("array", "pool"), "pools", ("array", "name")),
    ("grants", ("array", "pool"), "pools", ("array", "name")),
    ("coincidences", ("array", "pool"), "pools", ("array", "name")),
    ("offers", ("array", "volume"), "volumes", ("array", "name")),
    ("exports", ("array", "volume"), "volumes", ("array", "name")),
    ("disks", ("host", "machine"), "machines", ("host", "name")),
)


def _check_pairs(rows: dict[str, list[Row]], faults: Faults) -> None:
    for table, columns, target, named in NAMED:
        known = {tuple(row[name] for name in named) for row in rows[target]}
        for row in rows[table]:
            if tuple(row[name] for name in columns) not in known:
                expected = f"one that {target}.csv has for {columns[0]} {row[columns[0]]}"
                faults.add(TABLE[table], row["row"], columns[1], str(row[columns[1]]), expected)


def _check_parsed(rows: list[Row], table: str, column: str, parse: Callable[[str], object], faults: Faults) -> None:
    expected = next(each.text for each in TABLE[table].columns if each.name == column)
    for row in rows:
        try:
            parse(row[column])
        except ValueError:
            faults.add(TABLE[table], row["row"], column, row[column], expected)


def _devices(rows: dict[str, list[Row]]) -> dict[str, models.Device]:
    """The imported devices by name, made where they are new."""
    imported = models.Device.State.IMPORTED
    kinds = {row["name"]: models.Device.Kind.ARRAY for row in rows["arrays"]}
    kinds |= {row["name"]: models.Device.Kind.HOST for row in rows["hosts"]}
    known = {device.name: device for device in models.Device.objects.filter(state=imported)}
    for name, kind in kinds.items():
        device = known.get(name)
        if device is None:
            known[name] = models.Device.objects.create(name=name, kind=kind, state=imported)
        elif device.kind != kind:
            device.kind = kind
            device.save()
    return {name: known[name] for name in kinds}


def _forget_others(devices: dict[str, models.Device]) -> None:
    """Forget imported devices that a package no longer names; of those that lots tell of, the name stays."""
    named = models.Device.objects.filter(state=models.Device.State.IMPORTED)
    for device in named.exclude(name__in=devices):
        try:
            with transaction.atomic():
                device.delete()
        except ProtectedError:
            store_reading(device, _nothing_on(device), now(), 0.0)
    models.Datastore.objects.filter(mounts=None).delete()


def _nothing_on(device: models.Device) -> ArrayReading | HostReading:
    """The reading of a device that has nothing any more."""
    if device.kind == models.Device.Kind.ARRAY:
        return _array_reading(device.name)
    cluster = device.cluster.name if device.cluster else ""
    unknown = ["copy_bytes_per_second", "scan_seconds", "initiator", "nqn", "subsystems", "sessions", "chap"]
    unknown += ["default_datastore", "queue_depth", "file_client"]
    return _host(
        {"name": device.name, "cluster": cluster, **dict.fromkeys(unknown)},
        _by_host({table.name: [] for table in TABLES}),
    )


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


def _pairs(text: str | None, mark: str) -> list[list[str]]:
    """``a=b c=d`` as pairs; what has no ``mark`` stands alone with nothing beside it."""
    return [[left, right] for left, _, right in (word.partition(mark) for word in _words(text))]


def _connections(text: str | None) -> dict[str, list[list[str]]]:
    found: dict[str, list[list[str]]] = {}
    for nqn, pair in _pairs(text, "="):
        found.setdefault(nqn, []).append(pair.split(">", 1))
    return found


def _settings(text: str | None) -> dict[str, int]:
    return {name: int(value) for name, value in _pairs(text, "=") if value.isdecimal()}


def _array_reading(name: str, **parts: Any) -> ArrayReading:
    empty: dict[str, Any] = {
        part: [] for part in ("capabilities", "pools", "portals", "initiators", "volumes", "offers")
    }
    return ArrayReading(**{"name": name, "copy_bytes_per_second": 0.0, "clock_offset_seconds": 0.0, **empty, **parts})


def _array(array: Row, rows: dict[str, list[Row]]) -> ArrayReading:
    name = array["name"]
    mine = {table: [row for row in rows[table] if row["array"] == name] for table in ARRAY_TABLES}
    return _array_reading(
        name,
        copy_bytes_per_second=array["copy_bytes_per_second"] or 0.0,
        capabilities=_capabilities(rows, name),
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


def _capabilities(rows: dict[str, list[Row]], device: str) -> list[list[Any]]:
    return [[row["name"], row["able"], row["detail"] or ""] for row in rows["capabilities"] if row["device"] == device]


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
    return {**_head(row, "array", "pools"), **sizes, **_made_of(row)}


def _drive_group(row: Row) -> Row:
    pool = {"pool_uri": _uri(row["array"], "pools", row["pool"])}
    return {**_head(row, "array", "drive_groups"), **pool, "raid": row["raid"] or "", "drives": row["drives"]}


def _made_of(row: Row) -> Row:
    words = {name: row[name] or "" for name in ("raid", "media")}
    return {
        **words,
        **{name: row[name] or 0 for name in ("drives", "spares", "page_bytes")},
        "reduces": _words(row["reduces"]),
        "tiers": [[media, int(size)] for media, size in _pairs(row["tiers"], "=")],
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
        "kind": row["kind"] or "block",
        "volumes_max": row["volumes_max"] or 0,
        **{name: row[name] or "" for name in ("set_serial", "purpose", "disk_identity", "tiering")},
        "target": row["target"] or (shared_target if of_array else ""),
    }


def _zone(row: Row) -> Row:
    uri = _uri(row["array"], "zones", f"{row['fabric']}/{row['name']}")
    return {**_head(row, "array", "zones"), "uri": uri, "fabric": row["fabric"], "members": _pairs(row["members"], "=")}


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
        "clients": _pairs(row["clients"], "="),
        "root": bool(row["root"]),
    }


HOST_TABLES = ("host_ports", "host_devices", "mounts", "machines", "disks")


def _by_host(rows: dict[str, list[Row]]) -> dict[str, Groups]:
    found = {table: _of(rows[table], "host") for table in HOST_TABLES}
    return {**found, "capabilities": _of(rows["capabilities"], "device"), "stores": _of(rows["datastores"], "identity")}


def _host(host: Row, by_host: dict[str, Groups]) -> HostReading:
    name = host["name"]
    disks = _of(by_host["disks"].get(name, []), "machine")
    return HostReading(
        name=name,
        cluster=host["cluster"],
        initiator=host["initiator"] or "",
        copy_bytes_per_second=host["copy_bytes_per_second"] or 0.0,
        clock_offset_seconds=0.0,
        capabilities=[[c["name"], c["able"], c["detail"] or ""] for c in by_host["capabilities"].get(name, [])],
        scan_seconds=host["scan_seconds"] or 60.0,
        ports=[_port(row) for row in by_host["host_ports"].get(name, [])],
        devices=[_device(row) for row in by_host["host_devices"].get(name, [])],
        datastores=[_datastore(by_host["stores"][row["datastore"]][0], row) for row in by_host["mounts"].get(name, [])],
        machines=[_machine(row, disks.get(row["name"], [])) for row in by_host["machines"].get(name, [])],
        file_client=_settings(host["file_client"]),
        nqn=host["nqn"] or "",
        subsystems=_connections(host["subsystems"]),
        sessions=_connections(host["sessions"]),
        chap=dict(_pairs(host["chap"], "=")),
        default_datastore=host["default_datastore"] or "",
        queue_depth=host["queue_depth"] or 0,
    )


def _port(row: Row) -> Row:
    uplinks = {side: _words(row[side]) for side in ("active_uplinks", "standby_uplinks")}
    return {**_wired(row, "host", "ports"), **uplinks}


def _device(row: Row) -> Row:
    paths = [[*pair.split(">", 1), access] for pair, access in _pairs(row["paths"], "=") if ">" in pair]
    return {
        "name": row["name"],
        "uri": _uri(row["host"], "devices", row["serial"]),
        "etag": "",
        "serial": row["serial"],
        "size_bytes": row["size_bytes"],
        "lun": row["lun"],
        "signature_kind": row["signature"] or "None",
        "path_policy": row["path_policy"] or "",
        "paths": paths,
    }


def _datastore(store: Row, mount: Row) -> Row:
    contents = [each.partition("=")[::2] for each in (store["contents"] or "").split(";") if each]
    return {
        **{name: store[name] for name in ("identity", "name", "serial", "capacity_bytes", "free_bytes")},
        "other_bytes": store["other_bytes"] or 0,
        "contents": [list(pair) for pair in contents],
        "mount": {
            **{name: mount[name] or "" for name in ("server", "path", "version")},
            "ways": _pairs(mount["ways"], ">"),
        },
    }


def _disk(row: Row) -> Row:
    placed = {name: row[name] for name in ("identity", "name", "size_bytes", "datastore")}
    return {**placed, "raw_serial": row["raw_serial"] or "", "shared": bool(row["shared"])}


def _machine(row: Row, disks: Iterable[Row]) -> Row:
    return {
        **_head(row, "host", "machines"),
        "os": row["os"] or "",
        "address": row["address"] or "",
        "power": row["power"] or "On",
        "disks": [_disk(disk) for disk in disks],
    }


def _settle(rows: dict[str, list[Row]], person: str) -> None:
    """What no device says: ceilings, grants, pins, and the curves that were learned elsewhere."""
    for row in rows["clusters"]:
        group = models.BalanceGroup.objects.filter(cluster__name=row["name"]).first()
        if group:
            group.fill_ceiling = row["fill_ceiling"] or group.fill_ceiling
            group.latency_ceiling_ms = row["latency_ceiling_ms"] or group.latency_ceiling_ms
            group.save()
    pools = {(pool.device.name, pool.name): pool for pool in _imported(models.Pool, "device")}
    for row in rows["pools"]:
        pool = pools[row["array"], row["name"]]
        for name in (*CURVE, *FIT):
            if row[name] is not None:
                setattr(pool, name, row[name])
    for row in rows["coincidences"]:
        pool, values = pools[row["array"], row["pool"]], [row[name] for name in HOUR_COLUMNS]
        before = pool.coincidence or np.ones(2 * len(HOUR_COLUMNS), dtype=np.float32).tobytes()
        joined = np.frombuffer(before, dtype=np.float32).reshape(2, len(HOUR_COLUMNS)).copy()
        joined[DAYS[row["day"]]] = values
        pool.coincidence = joined.tobytes()
    models.Pool.objects.bulk_update(pools.values(), [*CURVE, *FIT, "coincidence"], batch_size=200)
    models.Grant.objects.filter(pool__in=pools.values()).delete()
    models.Grant.objects.bulk_create(
        models.Grant(
            pool=pools[row["array"], row["pool"]],
            quota_bytes=row["quota_bytes"],
            granted_by=row["granted_by"] or person,
            granted_at=now(),
        )
        for row in rows["grants"]
    )
    labels = [
        models.Label(**{name: row[name] for name in ("kind", "subject", "key", "value")}) for row in rows["labels"]
    ]
    models.Label.objects.bulk_create(labels, update_conflicts=True, update_fields=["value"], batch_size=500)
    pinned = [row["identity"] for row in rows["disks"] if row["pinned"]]
    disks = models.Disk.objects.filter(machine__device__state=models.Device.State.IMPORTED)
    _place(list(disks.filter(datastore=None)), rows["disks"])
    disks.exclude(identity__in=pinned).update(pinned=False)
    disks.filter(identity__in=pinned).update(pinned=True)


def _place(disks: list[models.Disk], rows: list[Row]) -> None:
    """Put disks where their rows say, on datastores that only hosts stored after their own one told of."""
    said = {row["identity"]: row["datastore"] for row in rows}
    stores = dict(models.Datastore.objects.values_list("identity", "pk"))
    for disk in disks:
        disk.datastore_id = stores.get(said.get(disk.identity) or "")
    models.Disk.objects.bulk_update(disks, ["datastore"], batch_size=500)


def _imported(model: Any, device: str) -> Any:
    return model.objects.filter(**{f"{device}__state": models.Device.State.IMPORTED}).select_related(device)


def _measured(rows: dict[str, list[Row]]) -> None:
    """Profiles of disks and fills of datastores."""
    profiles: dict[str, np.ndarray] = {}
    for row in rows["loads"]:
        profile = profiles.setdefault(row["disk"], np.zeros((2, 3, 24), dtype=np.float32))
        profile[DAYS[row["day"]], MEASURES[row["measure"]]] = [row[name] for name in HOUR_COLUMNS]
    disks = models.Disk.objects.filter(machine__device__state=models.Device.State.IMPORTED)
    whole = ("identity", "name", "machine_id", "size_bytes")
    nothing = np.zeros((2, 0), dtype=np.float32)
    told = []
    for row in disks.values(*whole):
        found = profiles.get(row["identity"], nothing)
        told.append({**row, "weekday_profile": found[0].tobytes(), "weekend_profile": found[1].tobytes()})
    # Written over what is there: many times faster than an update of each.
    insert(models.Disk, told, ("weekday_profile", "weekend_profile"))
    stores = dict(models.Datastore.objects.values_list("identity", "pk"))
    days = [
        models.DatastoreDay(
            datastore_id=stores[row["datastore"]], day=date.fromisoformat(row["day"]), used_bytes=row["used_bytes"]
        )
        for row in rows["fills"]
        if row["datastore"] in stores
    ]
    models.DatastoreDay.objects.bulk_create(days, update_conflicts=True, update_fields=["used_bytes"], batch_size=2000)


def imported_at() -> datetime | None:
    """When the newest package was imported; null when none was."""
    newest = models.Device.objects.filter(state=models.Device.State.IMPORTED).order_by("-read_at").first()
    return newest.read_at.astimezone(UTC) if newest and newest.read_at else None
