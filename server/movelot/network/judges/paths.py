"""Judging paths: what hosts of a cluster miss to each array, and volumes that only some of them see."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any

import numpy as np

from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect, Change
from movelot.inventory.luns import numbers_apart
from movelot.inventory.models import Cluster, Device, Volume
from movelot.inventory.paths import ClusterPaths, cluster_paths, initiators_by_host
from movelot.inventory.placement import hosts_using
from movelot.network.findings import MISSING_PATHS, NO_INTERFACE, NUMBERED_APART, SEEN_BY_SOME
from movelot.network.findings.missing_paths import LostOver, MissingPathsEvidence
from movelot.network.findings.no_interface import NoInterfaceEvidence
from movelot.network.findings.numbered_apart import Number, NumberedApartEvidence
from movelot.network.findings.seen_by_some import Blind, SeenBySomeEvidence
from movelot.network.path_answers import keep_board, keep_first, rests_on, wants_a_look
from movelot.network.reach import keep_reach
from movelot_core.fabric.causes import Access, Cause
from movelot_core.fabric.matrix import CAUSES, MASKED, NOT_MOUNTED
from movelot_core.fabric.paths import PathVerdict, lacking
from movelot_core.fabric.reach import Reach, reach_of
from movelot_core.fabric.transports import transport_of
from movelot_core.masking import VolumeAccess, numbered_apart, seen_by_some
from movelot_core.rounds import MissingPaths, Urgency, grouped_by_cause, missing_paths


class PathJudge(Judge):
    """One scope a cluster, by its primary key; an array touches all of them."""

    name = "paths"
    aspects = frozenset({Aspect.FABRIC})

    def scopes(self) -> set[str]:
        return set(map(str, Cluster.objects.values_list("pk", flat=True)))

    def touched(self, changes: Sequence[Change]) -> set[str]:
        if any(change.kind == Device.Kind.ARRAY for change in changes):
            return self.scopes()
        return {str(change.cluster) for change in changes if change.cluster}

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        cluster = Cluster.objects.filter(pk=scope).first()
        if cluster is None:
            return
        mounted = hosts_using()
        missing: list[tuple[str, str, MissingPaths]] = []
        hosts: dict[str, int] = {}
        reach: list[tuple[str, Reach]] = []
        seen_at, wants = rests_on(cluster), dict[str, tuple[int, int]]()
        for array in Device.objects.filter(kind=Device.Kind.ARRAY).order_by("name"):
            paths = cluster_paths(cluster, array)
            keep_board(cluster, seen_at, paths)
            wants[array.name] = wants_a_look(paths)
            hosts |= {host.name: host.pk for host in paths.hosts}
            lost = list(_missing(paths))
            missing += [(host, array.name, evidence) for host, evidence in lost]
            reach.append((array.name, reach_of(paths.matrix, lost)))
            yield from _lacking(paths, cluster.name, hosts)
            yield from _uneven(paths, cluster.name, mounted)
        keep_reach(cluster, seen_at, reach)
        keep_first(cluster, seen_at, wants)
        for host, arrays, evidence, urgency in grouped_by_cause(missing):
            told = MissingPathsEvidence(
                cluster=cluster.name,
                array=arrays[0],
                arrays=sorted(arrays),
                seen=evidence.seen,
                expected=evidence.expected,
                ports_left=evidence.ports_left,
                urgent=urgency is Urgency.NOW,
                lost=[LostOver(cause, port) for cause, port in evidence.causes],
            )
            yield Found(MISSING_PATHS, Subject("host", hosts[host], host), told, arrays[0])
        yield from _numbered_apart(cluster)


def _missing(paths: ClusterPaths) -> Iterator[tuple[str, MissingPaths]]:
    """Evidence a host: a pair of port and portal counts once, as missing if it is for any volume it is let into."""
    matrix, fabric = paths.matrix, paths.matrix.fabric
    judged = matrix.expected & (matrix.cause != MASKED) & (matrix.cause != NOT_MOUNTED)
    lost = judged & matrix.missing
    any_judged, any_lost = judged.any(axis=0), lost.any(axis=0)
    # Most hosts miss nothing: only the others are looked at pair by pair.
    for h in np.unique(fabric.host_of[any_lost.any(axis=1)]):
        host = fabric.hosts[h]
        ports = np.flatnonzero(fabric.host_of == h)
        verdicts = []
        for p, q in np.argwhere(any_judged[ports]):
            p = ports[p]
            cause = None
            if any_lost[p, q]:
                volumes = np.flatnonzero(lost[:, p, q])
                cause = CAUSES[matrix.cause[volumes[0], p, q]]
            verdicts.append(_verdict(host, fabric.ports[p].name, fabric.portals[q].name, cause))
        evidence = missing_paths(verdicts)
        if evidence:
            yield host, evidence


def _verdict(host: str, port: str, portal: str, cause: Cause | None) -> PathVerdict:
    return PathVerdict(host, port, portal, True, cause is None, Access.OPTIMIZED, cause)


def _lacking(paths: ClusterPaths, cluster: str, hosts: dict[str, int]) -> Iterator[Found[NoInterfaceEvidence]]:
    """Hosts that a volume of the array is offered to, without an interface where most of their fellows have one."""
    fabric = paths.matrix.fabric
    if not fabric.offers:
        return
    admitted = frozenset[str]().union(*(offer.initiators for offer in fabric.offers))
    names = initiators_by_host(paths.hosts)
    let_in = {host.name for host in paths.hosts if names[host.pk] & admitted}
    for lack in lacking(fabric.ports, fabric.portals):
        if lack.host in let_in:
            what = transport_of(lack.like.protocol).port_word
            evidence = NoInterfaceEvidence(cluster, paths.array.name, lack.subnet, what)
            subject = Subject("host", hosts[lack.host], lack.host)
            yield Found(NO_INTERFACE, subject, evidence, f"{paths.array.name} {lack.subnet}")


def _uneven(paths: ClusterPaths, cluster: str, mounted: dict[str, set[str]]) -> Iterator[Found[SeenBySomeEvidence]]:
    """Volumes that some of the cluster's hosts see."""
    matrix, fabric = paths.matrix, paths.matrix.fabric
    counts = matrix.per_host(matrix.seen)
    names = initiators_by_host(paths.hosts)
    serials = dict(Volume.objects.filter(pk__in=paths.volumes).values_list("pk", "serial"))
    for v, key in enumerate(paths.volumes):
        if counts[v].all() or not counts[v].any():
            continue
        blind = np.flatnonzero(counts[v] == 0)
        why = {fabric.hosts[h]: cause for h in blind if (cause := _most_common(paths, v, int(h)))}
        offer = fabric.offers[v]
        access = VolumeAccess(
            0,
            frozenset(host.name for host in paths.hosts if names[host.pk] & offer.initiators),
            frozenset(fabric.hosts[h] for h in np.flatnonzero(counts[v])),
            frozenset(mounted.get(serials[key], ())),
        )
        found = seen_by_some(access, fabric.hosts, why)
        if found:
            unseen = [Blind(host, cause) for host, cause in found.blind]
            evidence = SeenBySomeEvidence(cluster, found.seen, found.hosts, found.mounted, unseen)
            yield Found(SEEN_BY_SOME, Subject("volume", key, paths.names[v]), evidence, cluster)


def _most_common(paths: ClusterPaths, volume: int, host: int) -> Cause | None:
    """The cause that most of a blind host's missing paths have."""
    matrix = paths.matrix
    codes = matrix.cause[volume, matrix.fabric.host_of == host]
    counted = Counter(int(code) for code in codes.ravel() if code >= 0)
    return CAUSES[counted.most_common(1)[0][0]] if counted else None


def _numbered_apart(cluster: Cluster) -> Iterator[Found[NumberedApartEvidence]]:
    for apart in numbers_apart(cluster=cluster):
        found = numbered_apart(apart.numbers)
        if found:
            numbers = [Number(lun, list(hosts)) for lun, hosts in found.numbers]
            subject = Subject("volume", apart.volume, apart.name)
            yield Found(NUMBERED_APART, subject, NumberedApartEvidence(cluster.name, numbers), cluster.name)
