"""Faults of a package that only show beside its other rows, or beside what is linked."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from ipaddress import ip_interface, ip_network
from typing import Any

from movelot.exchange.as_readings import pairs
from movelot.exchange.reading import Faults, Package, Row
from movelot.exchange.tables import TABLE
from movelot.inventory import models
from movelot_core.errors import LabelError
from movelot_core.labels import parse_label

WWPN = re.compile(r"([0-9a-f]{2}:){7}[0-9a-f]{2}")


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
    _check_unique(rows, "disks", "identity", models.Disk.objects.filter(machine__placement__host__in=linked), faults)
    machines = models.Machine.objects.filter(placement__host__in=linked)
    _check_unique(rows, "machines", "identity", machines, faults)
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
        networks = [network for network, _ in pairs(row["clients"], "=")]
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
    for row in (each for each in rows[table] if each[column] is not None):
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
