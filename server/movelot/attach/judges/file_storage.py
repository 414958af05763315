"""Judging file storage: NFS clients set otherwise than recommended, exports mounted in different ways."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from typing import Any

from movelot.attach.findings import FILE_LIMITS, SPELLED_APART, VERSIONS_APART
from movelot.attach.findings.file_limits import FileLimitsEvidence
from movelot.attach.findings.mounted_apart import MountedApartEvidence, Way
from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge
from movelot.inventory.changes import Aspect
from movelot.inventory.exports import mounts_of, wanted_settings
from movelot.inventory.models import Device, Volume
from movelot_core.nfs import MountedAs, differing, spelled_apart, versions_apart


class FileJudge(Judge):
    name = "files"
    aspects = frozenset({Aspect.FILES})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        volumes = list(Volume.objects.filter(kind=Volume.Kind.FILE).order_by("name"))
        mounts = mounts_of(volumes)
        yield from _limits({mount.host for each in mounts.values() for mount in each})
        for volume in volumes:
            yield from _apart(Subject("volume", volume.pk, volume.name), mounts.get(volume.serial, []))


def _limits(users: set[str]) -> Iterator[Found[FileLimitsEvidence]]:
    """Limits are told for the array that asks for them, and only of hosts that mount any export."""
    clients = dict(Device.objects.filter(name__in=users).values_list("name", "file_client"))
    by_array: dict[str, dict[str, int]] = {}
    for setting, (value, array) in wanted_settings().items():
        by_array.setdefault(array, {})[setting] = value
    keys = dict(Device.objects.filter(name__in=by_array).values_list("name", "pk"))
    for array, wanted in sorted(by_array.items()):
        differences = differing(clients, wanted)
        if differences:
            yield Found(FILE_LIMITS, Subject("array", keys[array], array), FileLimitsEvidence(differences))


def _apart(subject: Subject, mounts: list[MountedAs]) -> Iterator[Found[MountedApartEvidence]]:
    spelled = [Way(f"{server}:{path}", hosts) for (server, path), hosts in spelled_apart(mounts)]
    versions = [Way(version, hosts) for version, hosts in versions_apart(mounts)]
    for kind, ways in ((SPELLED_APART, spelled), (VERSIONS_APART, versions)):
        if ways:
            yield Found(kind, subject, MountedApartEvidence(ways))
