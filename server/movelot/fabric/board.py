"""The path board: hosts as rows, portals as columns, a mark per path, the reason at the row's end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from movelot.inventory.paths import PathTable
from movelot.inventory.sentences import cause_text
from movelot_core.fabric.causes import Access
from movelot_core.fabric.matrix import CAUSES, MASKED, PathMatrix
from movelot_core.fabric.paths import HostPort, PathVerdict, Portal, bare_address, lacking
from movelot_core.fabric.transports import transport_of


@dataclass
class BoardPortal:
    """A column."""

    name: str
    controller: str
    address: str


@dataclass
class BoardPath:
    """A mark: state is active, other (the controller that does not own the volume), standby or missing."""

    port: str
    portal: str
    state: str
    reason: str


@dataclass
class BoardHost:
    """A row. ``others`` are hosts whose paths are as this one's: of many hosts only those that differ have rows."""

    name: str
    seen: int
    expected: int
    reason: str
    paths: list[BoardPath]
    others: list[str] = field(default_factory=list)


@dataclass
class Board:
    """All of it, with the totals."""

    portals: list[BoardPortal]
    hosts: list[BoardHost]
    seen: int
    expected: int


def _columns(portals: Sequence[Portal], rows: Sequence[BoardHost]) -> list[BoardPortal]:
    """The portals that any row has a path to; all of them where none has."""
    used = {path.portal for row in rows for path in row.paths}
    shown = [portal for portal in portals if portal.name in used] or portals
    return [BoardPortal(portal.name, portal.controller, bare_address(portal.address)) for portal in shown]


def board_of(table: PathTable) -> Board:
    """A path board of ``table``."""
    lacks = _lacks(table.ports, table.portals)
    hosts = []
    for name in sorted({port.host for port in table.ports}):
        hosts.append(_row(name, [path for path in table.paths if path.host == name], lacks.get(name, [])))
    return Board(
        _columns(table.portals, hosts),
        _folded(hosts),
        sum(host.seen for host in hosts),
        sum(host.expected for host in hosts),
    )


# So many hosts are listed each; of more, those that are alike share a row.
HOSTS_APART = 12


def _folded(hosts: list[BoardHost]) -> list[BoardHost]:
    """The rows of many hosts, alike ones as one; rows stay in their order."""
    if len(hosts) <= HOSTS_APART:
        return hosts
    kept: dict[object, BoardHost] = {}
    for host in hosts:
        marks = tuple((path.port, path.portal, path.state, path.reason) for path in host.paths)
        key = (host.seen, host.expected, host.reason, marks)
        if key in kept:
            kept[key].others.append(host.name)
        else:
            kept[key] = host
    return list(kept.values())


def _lacks(ports: Sequence[HostPort], portals: Sequence[Portal]) -> dict[str, list[str]]:
    """By host, the subnets in which it has no interface though most of its fellows have one, in words."""
    found: dict[str, list[str]] = {}
    for lack in lacking(ports, portals):
        what = transport_of(lack.like.protocol).port_word
        found.setdefault(lack.host, []).append(f"no {what} in {lack.subnet}")
    return found


def _mark(path: PathVerdict) -> BoardPath:
    states = {Access.OPTIMIZED: "active", Access.STANDBY: "standby"}
    state = "missing" if path.missing else states.get(path.access, "other")
    return BoardPath(
        path.port, path.portal, state, cause_text(path.cause, path.port) if path.missing and path.cause else ""
    )


def board_of_paths(matrix: PathMatrix, volume: int | None, most: int) -> tuple[Board, int]:
    """The board of paths as read, for one volume or for all, with at most ``most`` hosts; and how many are left out.

    For all volumes a pair counts once, as missing if it is for any volume that the host is let into. Hosts that miss
    paths come first, so that none of them is left out before one that has all.
    """
    fabric = matrix.fabric
    judged = matrix.expected if volume is not None else matrix.expected & (matrix.cause != MASKED)
    one = slice(None) if volume is None else slice(volume, volume + 1)
    expected = np.asarray(judged[one].any(axis=0))
    lost = np.asarray((judged & matrix.missing)[one].any(axis=0))
    rows = []
    lacks = _lacks(fabric.ports, fabric.portals) if fabric.offers else {}
    for h, host in enumerate(fabric.hosts):
        ports = np.flatnonzero(fabric.host_of == h)
        verdicts = [_pair(matrix, one, (ports[n], q), bool(lost[ports[n], q])) for n, q in np.argwhere(expected[ports])]
        rows.append(_row(host, verdicts, lacks.get(host, [])))
    rows.sort(key=lambda row: (row.seen == row.expected, row.name))
    seen, wanted = sum(row.seen for row in rows), sum(row.expected for row in rows)
    folded = _folded(rows)
    left_out = sum(1 + len(row.others) for row in folded[most:])
    return Board(_columns(fabric.portals, rows), folded[:most], seen, wanted), left_out


def _pair(matrix: PathMatrix, volumes: slice, at: tuple[int, int], lost: bool) -> PathVerdict:
    """The verdict on one pair over ``volumes``: its first cause where it is lost, else the best state for any."""
    fabric, (p, q) = matrix.fabric, at
    port, portal = fabric.ports[p], fabric.portals[q]
    codes = [int(code) for code in matrix.cause[volumes, p, q] if code >= 0]
    access = matrix.best_access(volumes, p, q)
    return PathVerdict(port.host, port.name, portal.name, True, not lost, access, CAUSES[codes[0]] if lost else None)


def _row(host: str, paths: list[PathVerdict], lacks: list[str]) -> BoardHost:
    causes = lacks + sorted({cause_text(path.cause, path.port) for path in paths if path.missing and path.cause})
    seen, expected = sum(path.seen for path in paths), sum(path.expected for path in paths)
    return BoardHost(host, seen, expected, "; ".join(causes), [_mark(path) for path in paths])
