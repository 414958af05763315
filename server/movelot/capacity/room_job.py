"""The room plan as a job: solved by a worker, and kept until what it rests on changes."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from pydantic import TypeAdapter

from movelot.capacity.acts.pool_drives import added_bytes
from movelot.capacity.judge import CapacityJudge
from movelot.capacity.room import Addable, RoomAnswer, RoomWanted, planned_room
from movelot.capacity.rows import KEPT_RECLAIMS, NAME, RECLAIMS
from movelot.capacity.views import kept_curves, kept_rows
from movelot.findings.judging import keep, kept, kept_version
from movelot.inventory.models import Extent, Pool, Volume
from movelot.inventory.placement import pools_by_store
from movelot.inventory.versions import version
from movelot.jobs.work import JobKind, Running
from movelot.placement.grants import promised_bytes, quota_left

KEPT = "room-plan"


@dataclass
class _Kept:
    """A plan with what was asked for."""

    days: int
    deleting: bool
    answer: RoomAnswer


_KEPT = TypeAdapter(_Kept)


class RoomJob(JobKind[RoomAnswer]):
    """Finds the cheapest acts that give every pool and datastore its runway, from what was judged last."""

    name, result = "plan_room", RoomAnswer

    def do(self, running: Running) -> RoomAnswer:
        days, deleting = int(running.params["days"]), bool(running.params["deleting"])
        running.progress("choosing the cheapest lots")
        rests_on, found = _rests_on(), kept(RECLAIMS)
        reclaims = KEPT_RECLAIMS.validate_json(found.document) if found else []
        answer = planned_room(kept_rows(), kept_curves(), reclaims, _wanted(days, deleting))
        keep(KEPT, rests_on, _KEPT.dump_python(_Kept(days, deleting, answer), mode="json"))
        return answer


def kept_plan(days: int, deleting: bool) -> RoomAnswer | None:
    """The plan as it was solved last, if it was for this and nothing has changed since."""
    row = kept(KEPT)
    found = _KEPT.validate_json(row.document) if row is not None and row.rests_on == _rests_on() else None
    return found.answer if found and (found.days, found.deleting) == (days, deleting) else None


def _rests_on() -> str:
    """Another text whenever a plan may be another one: what was judged, and what grants and lots hold."""
    parts = kept_version(NAME), sorted(_granted().items()), version(*map(str, sorted(CapacityJudge.aspects)))
    return hashlib.blake2b(str(parts).encode(), digest_size=16).hexdigest()


def _wanted(days: int, deleting: bool) -> RoomWanted:
    serials = Volume.objects.filter(kind__in=[Volume.Kind.BLOCK, Volume.Kind.FILE]).values("serial")
    growable = frozenset(Extent.objects.filter(serial__in=serials).values_list("datastore_id", flat=True))
    sizes = Pool.objects.values_list("pk", "capacity_bytes", "allocated_bytes")
    free = {key: capacity - allocated for key, capacity, allocated in sizes}
    joining = Pool.objects.filter(addable_drives__gt=0)
    addable = {pool.pk: Addable(pool.addable_drives, added_bytes(pool, 1)[0]) for pool in joining}
    return RoomWanted(days, deleting, growable, pools_by_store(), free, _granted(), addable)


def _granted() -> dict[int, int]:
    """What is left of the grant of each pool that is not granted whole."""
    promised = promised_bytes()
    left = {pool.pk: quota_left(pool, promised) for pool in Pool.objects.select_related("grant")}
    return {key: size for key, size in left.items() if size is not None}
