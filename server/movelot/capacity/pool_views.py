"""The API of a pool's own page: what it is made of, its tiers day by day, and what its volumes promise and hold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Count
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework_dataclasses.serializers import DataclassSerializer

from movelot.capacity.known import today
from movelot.capacity.rows import CapacityRow
from movelot.capacity.views import kept_rows
from movelot.inventory.models import DriveGroup, Extent, Pool, TierDay, Volume
from movelot.problems import Problem

VOLUMES_SHOWN = 200
TIER_DAYS = 30


@dataclass
class DriveSet:
    """Drives of one media and state (in use, failed, spare), and the bytes of each."""

    media: str
    size_bytes: int
    state: str
    count: int


@dataclass
class GroupOfDrives:
    """Drives that one RAID layout runs over."""

    name: str
    raid: str
    drives: int


@dataclass
class DayOfTier:
    """What lay on a tier at the start of a day (ISO), and what had come to it from others in the night before."""

    day: str
    used_bytes: int
    moved_in_bytes: int


@dataclass
class Tier:
    """A tier, the fastest first, with its last days; none where the array does not tell."""

    media: str
    capacity_bytes: int
    days: list[DayOfTier]


@dataclass
class VolumeOfPool:
    """What a volume promises and holds; ``datastore`` is empty without one. ``saved_bytes`` null where nobody tells."""

    id: int
    name: str
    kind: str
    datastore: str
    datastore_id: int | None
    size_bytes: int
    held_bytes: int
    saved_bytes: int | None
    thin: bool
    tiering: str
    offers: int


@dataclass
class Neighbour:
    """Another pool of the same array."""

    id: int
    name: str


@dataclass
class PoolAnswer:
    """A pool: ``row`` as capacity knows it, null before the first judgement; the largest of ``volume_count`` volumes.

    ``quota_bytes`` is what was granted of it, null for all of it or (not ``granted``) nothing.
    """

    id: int
    name: str
    array: str
    array_id: int
    media: str
    raid: str
    capacity_bytes: int
    allocated_bytes: int
    subscribed_bytes: int
    page_bytes: int
    addable_drives: int
    cache_bytes: int
    cache_hit_share: float | None
    reduces: list[str]
    relocation: str
    granted: bool
    quota_bytes: int | None
    drives: list[DriveSet]
    groups: list[GroupOfDrives]
    tiers: list[Tier]
    volumes: list[VolumeOfPool]
    volume_count: int
    neighbours: list[Neighbour]
    row: CapacityRow | None


class PoolSerializer(DataclassSerializer[PoolAnswer]):
    class Meta:
        dataclass = PoolAnswer


class PoolView(APIView):
    """All of one pool."""

    @extend_schema(responses=PoolSerializer)
    def get(self, request: Request, pk: int) -> Response:
        found = Pool.objects.filter(pk=pk).select_related("device", "grant").first()
        if found is None:
            raise Problem(404, "not_found", "There is no such pool.", hint="It may be gone since the last reading.")
        grant = getattr(found, "grant", None)
        volumes = Volume.objects.filter(pool=found).exclude(kind=Volume.Kind.MEMBER)
        largest = list(volumes.annotate(offered=Count("offers")).order_by("-size_bytes", "name")[:VOLUMES_SHOWN])
        beside = Pool.objects.filter(device=found.device_id).exclude(pk=found.pk).order_by("name")
        answer = PoolAnswer(
            id=found.pk,
            name=found.name,
            array=found.device.name,
            array_id=found.device_id,
            media=found.media,
            raid=found.raid,
            capacity_bytes=found.capacity_bytes,
            allocated_bytes=found.allocated_bytes,
            subscribed_bytes=found.subscribed_bytes,
            page_bytes=found.page_bytes,
            addable_drives=found.addable_drives,
            cache_bytes=found.cache_bytes,
            cache_hit_share=found.cache_hit_share,
            reduces=found.reduces,
            relocation=found.relocation,
            granted=grant is not None,
            quota_bytes=grant.quota_bytes if grant else None,
            drives=_drives(found),
            groups=[
                GroupOfDrives(name, raid, drives)
                for name, raid, drives in DriveGroup.objects.filter(pool=found)
                .order_by("name")
                .values_list("name", "raid", "drives")
            ],
            tiers=_tiers(found),
            volumes=_volumes(largest),
            volume_count=volumes.count(),
            neighbours=[Neighbour(key, name) for key, name in beside.values_list("pk", "name")],
            row=next((row for row in kept_rows() if (row.kind, row.id) == ("pool", found.pk)), None),
        )
        return Response(PoolSerializer(answer).data)


def _drives(pool: Pool) -> list[DriveSet]:
    """As its array tells them; only their number where it tells no more."""
    told = [DriveSet(*each) for each in pool.drive_sets]
    if told or not pool.drives:
        return told
    spare = [DriveSet(pool.media, 0, "spare", pool.spares)] if pool.spares else []
    return [DriveSet(pool.media, 0, "in use", pool.drives), *spare]


def _tiers(pool: Pool) -> list[Tier]:
    since = today() - timedelta(days=TIER_DAYS)
    days: dict[int, list[DayOfTier]] = {}
    rows = TierDay.objects.filter(pool=pool, day__gte=since).order_by("day")
    row: tuple[int, date, int, int]
    for row in rows.values_list("tier", "day", "used_bytes", "moved_in_bytes"):
        days.setdefault(row[0], []).append(DayOfTier(row[1].isoformat(), row[2], row[3]))
    return [Tier(media, size, days.get(number, [])) for number, (media, size) in enumerate(pool.tiers)]


def _volumes(volumes: Sequence[Volume]) -> list[VolumeOfPool]:
    extents = Extent.objects.filter(serial__in=[volume.serial for volume in volumes])
    on = {serial: (key, name) for serial, key, name in extents.values_list("serial", "datastore", "datastore__name")}
    nothing: tuple[int | None, str] = (None, "")
    return [
        VolumeOfPool(
            id=volume.pk,
            name=volume.name,
            kind=volume.kind,
            datastore=on.get(volume.serial, nothing)[1],
            datastore_id=on.get(volume.serial, nothing)[0],
            size_bytes=volume.size_bytes,
            held_bytes=volume.allocated_bytes,
            saved_bytes=volume.reduced_bytes,
            thin=volume.thin,
            tiering=volume.tiering,
            offers=volume.offered,  # type: ignore[attr-defined]
        )
        for volume in volumes
    ]
