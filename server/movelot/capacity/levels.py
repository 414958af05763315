"""The bytes of a datastore or a pool, level by level: from what guests were promised down to the drives."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import Count, F, Sum
from django.db.models.functions import Coalesce

from movelot.capacity.acts.pool_drives import IN_USE
from movelot.capacity.known import store_uses
from movelot.inventory.models import TAKEN_BYTES, Datastore, Disk, Pool, Volume
from movelot_core.capacity.ledger import Layer, StoreUse, VolumeUse, store_account, unknown_bytes, volume_account
from movelot_core.units import count_of


@dataclass
class LevelFact:
    """A figure of a level, in bytes."""

    what: str
    size_bytes: int


@dataclass
class Level:
    """One level between guests and drives: what it is, which one, and its figures."""

    level: str
    name: str
    facts: list[LevelFact]


def levels_of_store(store: Datastore) -> list[Level]:
    """From the disks on a datastore down to the drives of the pool beneath it."""
    use = store_uses(Datastore.objects.filter(pk=store.pk))[store.pk]
    found = [_disks(store), _store(store, use)]
    volumes = list(Volume.objects.filter(serial__in=store.serials).select_related("pool__device").order_by("name"))
    # Which part of it lies on which of several volumes nobody tells.
    whole = [use] if len(volumes) == 1 else []
    found += [_volume(volume, whole) for volume in volumes]
    for pool in {volume.pool.pk: volume.pool for volume in volumes}.values():
        held = sum(volume.allocated_bytes for volume in volumes if volume.pool_id == pool.pk)
        found += [_pool(pool, [(f"held by {store.name}", held)]), *_drives(pool)]
    return found


def levels_of_pool(pool: Pool) -> list[Level]:
    """From a pool's volumes down to its drives."""
    rows = Volume.objects.filter(pool=pool).exclude(kind=Volume.Kind.MEMBER)
    told = rows.aggregate(
        count=Count("pk"), held=Sum("allocated_bytes", default=0), saved=Sum("reduced_bytes", default=0)
    )
    facts = [
        LevelFact("promised", pool.subscribed_bytes),
        LevelFact("held, before it is reduced", told["held"] + told["saved"]),
        LevelFact("saved by reduction", told["saved"]),
        LevelFact("held in the pool", told["held"]),
    ]
    volumes = Level("volumes", count_of(told["count"], "volume"), facts)
    return [volumes, _pool(pool, [("held by its volumes", told["held"])]), *_drives(pool)]


def _disks(store: Datastore) -> Level:
    told = Disk.objects.filter(placement__datastore=store).aggregate(
        count=Count("pk"),
        size=Sum("size_bytes", default=0),
        taken=Sum(TAKEN_BYTES, default=0),
        written=Sum(Coalesce(F("written_bytes"), F("size_bytes")), default=0),
    )
    facts = [
        LevelFact("promised to guests", told["size"]),
        LevelFact("taken of the datastore", told["taken"]),
        LevelFact("written by guests", told["written"]),
    ]
    return Level("disks", count_of(told["count"], "disk"), facts)


def _store(store: Datastore, use: StoreUse) -> Level:
    account = store_account(use)
    facts = [
        LevelFact("capacity", use.capacity_bytes),
        LevelFact("disks", use.disk_bytes),
        LevelFact("snapshots", use.snapshot_bytes),
        LevelFact("images and other known files", use.image_bytes),
        LevelFact("files that nobody knows", unknown_bytes(use)),
        LevelFact("free", use.free_bytes),
    ]
    if account.difference:
        facts.append(LevelFact("does not add up by", -account.difference))
    return Level("datastore", store.name, facts)


def _volume(volume: Volume, whole: list[StoreUse]) -> Level:
    saved = volume.reduced_bytes or 0
    use = VolumeUse(volume.size_bytes, volume.allocated_bytes, saved, volume.thin, stores=tuple(whole))
    account = volume_account(use)
    facts = [] if volume.kind == Volume.Kind.SET else [LevelFact("promised", volume.size_bytes)]
    facts += [
        LevelFact("held, before it is reduced", volume.allocated_bytes + saved),
        LevelFact("saved by reduction", saved),
        LevelFact("held in the pool", volume.allocated_bytes),
    ]
    if whole:
        facts.append(LevelFact("of which nothing above uses", account.of(Layer.DEAD)))
        if account.difference:
            facts.append(LevelFact("does not add up by", abs(account.difference)))
    nouns = {Volume.Kind.FILE.value: "file system", Volume.Kind.SET.value: "volume set"}
    return Level(nouns.get(volume.kind, "volume"), volume.name, facts)


def _pool(pool: Pool, held: list[tuple[str, int]]) -> Level:
    others = pool.allocated_bytes - sum(size for _what, size in held)
    facts = [LevelFact("capacity", pool.capacity_bytes), *(LevelFact(what, size) for what, size in held)]
    if others:
        facts.append(LevelFact("held by others", others))
    facts.append(LevelFact("free", pool.capacity_bytes - pool.allocated_bytes))
    facts.append(LevelFact("promised to all", pool.subscribed_bytes))
    return Level("pool", f"{pool.name} of {pool.device.name}", facts)


def _drives(pool: Pool) -> Iterator[Level]:
    """What its drives have altogether: the pool, what parity and the array keep of them, and spares beside them."""
    sets = [(size * count, state, count) for _media, size, state, count in pool.drive_sets]
    used = sum(size for size, state, _count in sets if state == IN_USE)
    if not used:
        return
    count = sum(count for _size, state, count in sets if state == IN_USE)
    facts = [
        LevelFact("all of them", used),
        LevelFact("in the pool", pool.capacity_bytes),
        LevelFact("parity, copies, and the array's own", used - pool.capacity_bytes),
    ]
    spare = sum(size for size, state, _count in sets if state == "spare")
    if spare:
        facts.append(LevelFact("spare, beside them", spare))
    yield Level("drives", count_of(count, "drive"), facts)
