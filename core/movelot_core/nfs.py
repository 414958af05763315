"""File storage: who may mount an export, whether all hosts call it the same, and the timeouts they use it with.

Terms follow RFC 1813 (NFS version 3) and RFC 8881 (NFS version 4.1). Worked example: shale recommends a request timeout
of 45 s; quay-02 has 10 s, so that a take-over of 20 s, which the others sit out, stops the machines on quay-02.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from ipaddress import ip_address, ip_interface, ip_network
from typing import Final

# Settings of an NFS client that arrays recommend, with how people call them and their unit.
SETTINGS: Final = {
    "request_timeout_seconds": ("request timeout", "s"),
    "retries": ("retries", ""),
    "keepalive_seconds": ("keep-alive", "s"),
    "mounts_max": ("mounts at most", ""),
    "queue_depth": ("queue depth", ""),
}


class Obstacle(StrEnum):
    """The first reason why a host cannot use an export, in the order they are tested."""

    NO_WAY = "no_way"
    NOT_LISTED = "not_listed"
    READ_ONLY = "read_only"
    ROOT_MAPPED = "root_mapped"
    VERSION = "version"
    NO_MOUNT_LEFT = "no_mount_left"


@dataclass(frozen=True, slots=True)
class Export:
    """An export: client rules as (network, access), NFS versions, and whether a client's root stays root."""

    path: str
    clients: tuple[tuple[str, str], ...]
    versions: tuple[str, ...]
    root: bool


def access_of(clients: Collection[tuple[str, str]], address: str) -> str:
    """What the client rules grant to ``address`` (a prefix length is ignored); the narrowest network that holds it.

    >>> access_of([("10.40.0.0/16", "ReadOnly"), ("10.40.10.0/24", "ReadWrite")], "10.40.10.101/24")
    'ReadWrite'
    >>> access_of([("10.40.10.0/24", "ReadWrite")], "10.40.11.5")
    ''
    """
    host = ip_interface(address).ip
    held = [(ip_network(network, strict=False), access) for network, access in clients]
    held = [rule for rule in held if ip_address(host) in rule[0]]
    return max(held, key=lambda rule: rule[0].prefixlen)[1] if held else ""


def obstacle(
    export: Export, address: str | None, version: str, mounts: int = 0, mounts_max: int | None = None
) -> Obstacle | None:
    """What keeps a host from mounting ``export`` over its interface ``address`` (None: none reaches the server).

    A hypervisor writes as root, so that a mapped root is as bad as read only. ``mounts`` is what the host has mounted
    already, ``mounts_max`` its limit.
    """
    if address is None:
        return Obstacle.NO_WAY
    access = access_of(export.clients, address)
    tests = (
        (bool(access), Obstacle.NOT_LISTED),
        (access == "ReadWrite", Obstacle.READ_ONLY),
        (export.root, Obstacle.ROOT_MAPPED),
        (version in export.versions, Obstacle.VERSION),
        (mounts_max is None or mounts < mounts_max, Obstacle.NO_MOUNT_LEFT),
    )
    return next((why for holds, why in tests if not holds), None)


def advised(advice: Mapping[str, Mapping[str, int]]) -> dict[str, tuple[int, str]]:
    """For each setting the value that serves all arrays, and the array that asks for it.

    A host has one value for all of its servers: the largest is the one that no server's advice falls short of. An
    array that says nothing of a setting has no part in it.

    >>> advised({"shale": {"retries": 4}, "flint": {"retries": 6}})
    {'retries': (6, 'flint')}
    """
    found: dict[str, tuple[int, str]] = {}
    for array in sorted(advice):
        for name, value in advice[array].items():
            if name not in found or value > found[name][0]:
                found[name] = (value, array)
    return {name: found[name] for name in SETTINGS if name in found}


@dataclass(frozen=True, slots=True)
class Difference:
    """A setting of a host that is not what is advised."""

    host: str
    setting: str
    now: int
    wanted: int


def differing(clients: Mapping[str, Mapping[str, int]], wanted: Mapping[str, int]) -> list[Difference]:
    """Where hosts (settings by host) have another value than wanted; a setting that a host lacks cannot be set."""
    return [
        Difference(host, name, settings[name], wanted[name])
        for host, settings in sorted(clients.items())
        for name in wanted
        if name in settings and settings[name] != wanted[name]
    ]


def gives_up_early(differences: Iterable[Difference]) -> bool:
    """Whether a timeout or a limit is below the advice: that host gives up before the others do."""
    return any(each.now < each.wanted for each in differences)


@dataclass(frozen=True, slots=True)
class MountedAs:
    """How a host mounts an export: the file system's id, and server, path and version as spelled there."""

    host: str
    filesystem: str
    datastore: str
    server: str
    path: str
    version: str


Spelling = tuple[str, str]


def spelled_apart(mounts: Sequence[MountedAs]) -> list[tuple[Spelling, list[str]]]:
    """Server and path with the hosts that spell them so, the spelling of most hosts first; empty where all are alike.

    Each spelling makes a datastore of its own, so that no machine moves between hosts of different spelling.

    Example: quay-01 mounts shale-a.kestrelbay.example:/exports/sand-01, quay-02 mounts 10.40.10.11:/exports/sand-01.
    """
    spellings: dict[Spelling, set[str]] = {}
    for mount in mounts:
        spellings.setdefault((mount.server, mount.path), set()).add(mount.host)
    if len(spellings) < 2:
        return []
    order = sorted(spellings.items(), key=lambda item: (-len(item[1]), item[0]))
    return [(spelling, sorted(hosts)) for spelling, hosts in order]


def versions_apart(mounts: Sequence[MountedAs]) -> list[tuple[str, list[str]]]:
    """NFS versions with the hosts that mount with each, where they differ: their locks do not see one another."""
    versions: dict[str, set[str]] = {}
    for mount in mounts:
        versions.setdefault(mount.version, set()).add(mount.host)
    return [(version, sorted(hosts)) for version, hosts in sorted(versions.items())] if len(versions) > 1 else []


def usual_spelling(mounts: Sequence[MountedAs]) -> tuple[str, str] | None:
    """The server and path that most hosts use; a new mount has to be spelled the same. Among equals the first."""
    counts: dict[tuple[str, str], int] = {}
    for mount in mounts:
        counts[mount.server, mount.path] = counts.get((mount.server, mount.path), 0) + 1
    return min(counts, key=lambda spelling: (-counts[spelling], spelling)) if counts else None
