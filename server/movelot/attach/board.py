"""The path board: hosts as rows, portals as columns, a mark per path, the reason at the row's end."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.inventory.paths import PathTable
from movelot.inventory.sentences import cause_text
from movelot_core.fabric.paths import Access, PathVerdict


@dataclass
class BoardPortal:
    """A column."""

    name: str
    controller: str
    address: str


@dataclass
class BoardPath:
    """A mark: state is active, other (the controller that does not own the volume) or missing."""

    port: str
    portal: str
    state: str
    reason: str


@dataclass
class BoardHost:
    """A row."""

    name: str
    seen: int
    expected: int
    reason: str
    paths: list[BoardPath]


@dataclass
class Board:
    """All of it, with the totals."""

    portals: list[BoardPortal]
    hosts: list[BoardHost]
    seen: int
    expected: int


def board_of(table: PathTable) -> Board:
    """A path board of ``table``."""
    hosts = []
    for name in sorted({port.host for port in table.ports}):
        paths = [path for path in table.paths if path.host == name]
        causes = sorted({cause_text(path.cause, path.port) for path in paths if path.missing and path.cause})
        hosts.append(
            BoardHost(
                name,
                sum(path.seen for path in paths),
                sum(path.expected for path in paths),
                "; ".join(causes),
                [_mark(p) for p in paths],
            )
        )
    return Board(
        [BoardPortal(portal.name, portal.controller, portal.address.split("/")[0]) for portal in table.portals],
        hosts,
        sum(host.seen for host in hosts),
        sum(host.expected for host in hosts),
    )


def _mark(path: PathVerdict) -> BoardPath:
    state = "missing" if path.missing else "active" if path.access is Access.OPTIMIZED else "other"
    return BoardPath(
        path.port, path.portal, state, cause_text(path.cause, path.port) if path.missing and path.cause else ""
    )
