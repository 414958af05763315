"""Rows of ports, portals and offers as core's values, and the verdict on every path."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from movelot.inventory import models
from movelot.inventory.versions import version
from movelot_core.fabric.chap import Chap, differing
from movelot_core.fabric.matrix import Bools, Fabric, PathMatrix, compare_all
from movelot_core.fabric.paths import (
    FC,
    ISCSI,
    NFS,
    HostPort,
    Offer,
    PathVerdict,
    Portal,
    SinglePoint,
    bare_address,
    compare_paths,
    single_points,
)
from movelot_core.fabric.transports import transport_of
from movelot_core.fabric.transports.base import KnownBy
from movelot_core.nfs import access_of


def initiator_of(host: models.Device, protocol: str, network: str) -> str:
    """What an array lets in of a host over its interface at ``network`` (see HostPort of core)."""
    known_by = transport_of(protocol).known_by
    if known_by in (KnownBy.WWPN, KnownBy.ADDRESS):
        return bare_address(network)
    return host.nqn if known_by is KnownBy.NQN else host.initiator


def initiators_of(host: models.Device) -> set[str]:
    """All names under which arrays may know a host."""
    return initiators_by_host([host])[host.pk]


def initiators_by_host(hosts: Iterable[models.Device]) -> dict[int, set[str]]:
    """All names under which arrays may know each host, by its primary key; in one query."""
    found: dict[int, set[str]] = {host.pk: set() for host in hosts}
    rows = models.HostInitiator.objects.filter(host__in=found)
    for host, identifier in rows.values_list("host_id", "identifier"):
        found[host].add(identifier)
    return found


def admitted_by_volume(array: models.Device) -> dict[int, set[str]]:
    """The initiators that ``array`` lets in to each of its volumes, by the volume's primary key."""
    sets = dict[int, set[str]]()
    let_in = models.AdmittedInitiator.objects.filter(initiator_set__device=array)
    for key, identifier in let_in.values_list("initiator_set_id", "identifier"):
        sets.setdefault(key, set()).add(identifier)
    found = dict[int, set[str]]()
    for volume, key in models.Offer.objects.filter(device=array).values_list("volume_id", "initiator_set_id"):
        found.setdefault(volume, set()).update(sets.get(key, ()))
    return found


def zones_by_wwpn() -> dict[str, frozenset[str]]:
    """The zones that each WWPN is in, named with their fabric."""
    found: dict[str, set[str]] = {}
    for fabric, name, members in models.Zone.objects.values_list("fabric", "name", "members"):
        for _alias, wwpn in members:
            found.setdefault(wwpn, set()).add(f"{fabric} {name}")
    return {wwpn: frozenset(zones) for wwpn, zones in found.items()}


@dataclass(frozen=True)
class PathTable:
    """Ports and portals as columns and rows of a path board, with a verdict per pair.

    ``target`` is the iSCSI target that the paths lead to, where there is one.
    """

    ports: list[HostPort]
    portals: list[Portal]
    paths: list[PathVerdict]
    points: list[SinglePoint]
    target: str = ""

    @cached_property
    def by_host(self) -> dict[str, list[PathVerdict]]:
        """The paths of each host that has any."""
        found: dict[str, list[PathVerdict]] = {}
        for path in self.paths:
            found.setdefault(path.host, []).append(path)
        return found


def ports_of(hosts: Iterable[models.Device]) -> list[HostPort]:
    by_host = {host.pk: host for host in hosts}
    rows = list(models.HostPort.objects.filter(device__in=by_host).order_by("device__name", "name"))
    zones = zones_by_wwpn() if any(row.protocol == FC for row in rows) else {}
    logs_in = any(transport_of(row.protocol).logs_in for row in rows)
    differs = chap_differs(list(by_host.values())) if logs_in else {}
    sessions = _sessions_by_port(by_host.values()) if logs_in else {}
    return [
        HostPort(
            host=by_host[row.device_id].name,
            name=row.name,
            address=row.network,
            vlan=row.vlan,
            initiator=initiator_of(by_host[row.device_id], row.protocol, row.network),
            active_uplinks=tuple(row.active_uplinks),
            standby_uplinks=tuple(row.standby_uplinks),
            up=row.up,
            protocol=row.protocol,
            frame_bytes=row.frame_bytes,
            switch=row.switch,
            zones=zones.get(bare_address(row.network), frozenset()),
            sessions=None if row.device_id not in sessions else frozenset(sessions[row.device_id].get(row.name, ())),
            chap_differs=differs.get(row.device_id, frozenset()),
        )
        for row in rows
    ]


def _sessions_by_port(hosts: Iterable[models.Device]) -> dict[int, dict[str, set[tuple[str, str]]]]:
    """By each host's primary key, the (target, portal) pairs that each port is logged in to.

    A host whose package tells of no target is left out: nothing says that it has no session.
    """
    by_key = {host.pk: host for host in hosts}
    found: dict[int, dict[str, set[tuple[str, str]]]] = {key: {} for key, host in by_key.items() if not host.imported}
    known = models.KnownTarget.objects.filter(host__in=by_key, protocol=ISCSI)
    for host, name, port, portal in known.values_list("host_id", "name", "sessions__port", "sessions__portal"):
        of_host = found.setdefault(host, {})
        if port is not None:
            of_host.setdefault(port, set()).add((name, portal))
    return found


def chap_differs(hosts: list[models.Device]) -> dict[int, frozenset[str]]:
    """By each host's primary key, the targets that ask for another CHAP than it gives: arrays' and their volumes'."""
    names = [host.initiator for host in hosts if host.initiator]
    known = models.Initiator.objects.filter(identifier__in=names).exclude(device__target="")
    asked: dict[str, dict[str, str]] = {}
    for name, method, target in known.values_list("identifier", "chap", "device__target"):
        asked.setdefault(name, {})[target] = method or Chap.OFF
    given: dict[int, dict[str, str]] = {host.pk: {} for host in hosts}
    known_targets = models.KnownTarget.objects.filter(host__in=given).exclude(chap="")
    for key, name, method in known_targets.values_list("host_id", "name", "chap"):
        given[key][name] = method
    shared = {host.pk: differing(asked.get(host.initiator, {}), given[host.pk]) for host in hosts if host.initiator}
    own: dict[str, list[str]] = {}
    for target, name in models.Volume.objects.filter(
        device__target__in={name for names in shared.values() for name in names}
    ).values_list("device__target", "target"):
        own.setdefault(target, []).append(name)
    return {
        key: frozenset({*targets, *(name for target in targets for name in own.get(target, []))})
        for key, targets in shared.items()
    }


def portals_of(array: models.Device) -> list[Portal]:
    rows = list(models.Portal.objects.filter(device=array).order_by("name"))
    zones = zones_by_wwpn() if any(row.protocol == FC for row in rows) else {}
    return [
        Portal(
            array.name,
            row.controller,
            row.name,
            row.network,
            row.vlan,
            row.up,
            row.protocol,
            frame_bytes=row.frame_bytes,
            switch=row.switch,
            zones=zones.get(bare_address(row.network), frozenset()),
        )
        for row in rows
    ]


def shared(ports: list[HostPort], portals: list[Portal]) -> list[Portal]:
    """The portals whose protocol any of the ports speaks; all of them where none does, so that they are seen at all."""
    spoken = {port.protocol for port in ports}
    return [portal for portal in portals if portal.protocol in spoken] or portals


def expected_table(hosts: list[models.Device], array: models.Device, volume: str, target: str = "") -> PathTable:
    """Paths that ``hosts`` will have to a volume that ``array`` offers to all of them, behind its shared target or one.

    ``target`` is the volume's own, if it has one.
    """
    ports = ports_of(hosts)
    return expected_paths(ports, shared(ports, portals_of(array)), volume, target or array.target)


def expected_paths(ports: list[HostPort], portals: list[Portal], volume: str, target: str) -> PathTable:
    """Paths over these ports and portals to a volume to come; its owner is taken as the first controller."""
    controllers = sorted({portal.controller for portal in portals})
    owner = controllers[0] if controllers else ""
    let_in = frozenset(port.initiator for port in ports)
    offer = Offer(volume, owner, frozenset(controllers), let_in, target=target)
    paths = compare_paths(ports, portals, offer, None)
    return PathTable(ports, portals, paths, single_points(ports, portals, offer, paths), target)


@dataclass(frozen=True)
class ClusterPaths:
    """Paths of a cluster's hosts to every volume that an array offers to any of them, as the hosts report them.

    ``volumes`` has the primary key of each volume of the matrix, which its offers are known by, and ``names`` its name:
    an array may well have two of one name.
    """

    array: models.Device
    hosts: list[models.Device]
    volumes: list[int]
    names: list[str]
    matrix: PathMatrix

    def name_of(self, volume: str) -> str:
        """The name of a volume as the matrix knows it."""
        return self.names[self.volumes.index(int(volume))]


def cluster_paths(cluster: models.Cluster, array: models.Device) -> ClusterPaths:
    """The paths as last read; computed once per reading that changed something."""
    return _cluster_paths(cluster.pk, array.pk, version(f"fabric-cluster-{cluster.pk}", "fabric-arrays"))


@lru_cache(maxsize=16)
def _cluster_paths(cluster_key: int, array_key: int, _version: str) -> ClusterPaths:
    array = models.Device.objects.get(pk=array_key)
    hosts = list(models.Device.objects.filter(cluster=cluster_key, kind=models.Device.Kind.HOST).order_by("name", "pk"))
    ports = ports_of(hosts)
    portals = shared(ports, portals_of(array))
    offered = sorted([*_block_offers(array, hosts, portals), *_file_offers(array, hosts, ports)], key=_by_name)
    fabric = Fabric.of(ports, portals, [offer for _, offer in offered])
    seen = _reported(fabric, hosts, [volume.serial for volume, _ in offered])
    volumes = [volume for volume, _ in offered]
    keys, names = [volume.pk for volume in volumes], [volume.name for volume in volumes]
    return ClusterPaths(array, hosts, keys, names, compare_all(fabric, seen))


Offered = tuple[models.Volume, Offer]


def _by_name(offered: Offered) -> tuple[str, int]:
    return offered[0].name, offered[0].pk


def _block_offers(array: models.Device, hosts: list[models.Device], portals: list[Portal]) -> Iterator[Offered]:
    """Volumes that let any of the hosts in."""
    ours = {name for names in initiators_by_host(hosts).values() for name in names}
    controllers = frozenset(portal.controller for portal in portals)
    let_in = {volume: frozenset(names) for volume, names in admitted_by_volume(array).items() if names & ours}
    for volume in array.volumes.filter(pk__in=let_in):
        target = volume.target or array.target
        yield volume, Offer(str(volume.pk), volume.controller, controllers, let_in[volume.pk], array.name, target)


def _file_offers(array: models.Device, hosts: list[models.Device], ports: list[HostPort]) -> Iterator[Offered]:
    """File systems that any of the hosts mounts; each is served by the controller that owns it."""
    mounted = models.Mount.objects.filter(host__in=hosts).exclude(server="").values("datastore__extents__serial")
    for volume in array.volumes.filter(kind=models.Volume.Kind.FILE, serial__in=mounted).prefetch_related("exports"):
        addresses = [port.initiator for port in ports if port.protocol == NFS]
        rules = [[(network, access) for network, access in export.clients] for export in volume.exports.all()]
        admitted = frozenset(a for a in addresses if any(access_of(clients, a) for clients in rules))
        yield volume, Offer(str(volume.pk), volume.controller, frozenset([volume.controller]), admitted, array.name)


def _reported(fabric: Fabric, hosts: list[models.Device], serials: list[str]) -> Bools:
    """[v, p, q] paths that the hosts report."""
    volume = {serial: n for n, serial in enumerate(serials)}
    port = {(each.host, each.name): n for n, each in enumerate(fabric.ports)}
    portal = {each.name: n for n, each in enumerate(fabric.portals)}
    names = {host.pk: host.name for host in hosts}
    seen = np.zeros((len(serials), len(fabric.ports), len(fabric.portals)), dtype=bool)
    pairs: dict[int, tuple[list[int], list[int]]] = {}
    paths = models.Path.objects.filter(path_set__device__in=hosts)
    for key, host, p, q in paths.values_list("path_set_id", "path_set__device_id", "port", "portal"):
        if (names[host], p) in port and q in portal:
            places = pairs.setdefault(key, ([], []))
            places[0].append(port[names[host], p])
            places[1].append(portal[q])
    devices = models.HostDevice.objects.filter(device__in=hosts, serial__in=serials)
    mounts = models.Mount.objects.filter(host__in=hosts, datastore__extents__serial__in=serials)
    over = [
        *devices.values_list("serial", "path_set_id"),
        *mounts.values_list("datastore__extents__serial", "path_set_id"),
    ]
    for serial, key in over:
        if key in pairs:
            seen[volume[serial], pairs[key][0], pairs[key][1]] = True
    return seen
