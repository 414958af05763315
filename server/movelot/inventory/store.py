"""Puts readings into the tables, in one transaction, and says when what plans rest on has changed.

Several workers do so at once, and what they store overlaps: two hosts tell of one datastore, two shares of one cluster.
So rows are locked in one order by all of them: devices, then clusters, each by primary key; what hosts of a cluster
share is written by one worker at a time, in the order of identities. Two clusters that share a datastore may still
meet: the database then ends one of the two, which is begun again.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import partial

from django.db import transaction
from django.utils.timezone import now

from movelot.inventory.again import begun_again
from movelot.inventory.changes import Aspect, Change, digests, outdate_within, tell
from movelot.inventory.follow import follow_array, follow_capabilities, follow_hosts
from movelot.inventory.follow.hosts import mark_unmounted
from movelot.inventory.follow.machines import place_machines
from movelot.inventory.follow.shared import forget_unused
from movelot.inventory.models import (
    Datastore,
    Device,
    Listed,
    Pool,
    Reading,
    Volume,
)
from movelot.inventory.readings import ArrayReading, HostReading
from movelot_core.rounds import clock_is_off

READINGS_KEPT = 50


@dataclass(frozen=True)
class Taken:
    """What a device said when it was asked at ``begun_at``, and how many seconds that took."""

    device: Device
    reading: ArrayReading | HostReading
    begun_at: datetime
    seconds: float = 0.0


def unlink(device: Device) -> None:
    """Forget a device's address, account and facts; what only it told of is gone, and kept for the retention."""
    moment = now()
    with transaction.atomic():
        machines = list(device.machine_listings.values_list("machine_id", flat=True))
        stores = list(device.mounts.values_list("datastore_id", flat=True))
        for model in (Pool, Volume):
            model.objects.filter(device=device).update(gone_at=moment)
        for listed in Listed.__subclasses__():
            listed._default_manager.filter(device=device).delete()
        for told in (device.capabilities, device.host_initiators, device.known_targets):
            told.all().delete()
        device.mounts.all().delete()
        forget_unused([device.pk])
        device.machine_listings.all().delete()
        place_machines(machines, moment)
        mark_unmounted(stores, moment)
        device.url, device.user, device.sealed_password = None, "", b""
        device.certificate_pem = device.fingerprint = device.digest = device.detail = ""
        changes = [Change(aspect, device.kind, device.pk, device.cluster_id) for aspect in Aspect]
        device.gone_at, device.unlinked, device.cluster, device.digests = moment, device.pk, None, {}
        device.save()
        tell(changes)
    outdate_within(changes)


def forget_unmounted() -> None:
    """Mark datastores that no host mounts as gone."""
    mark_unmounted(Datastore.objects.filter(mounts=None).values_list("pk", flat=True), now())


def store_readings(taken: Sequence[Taken]) -> None:
    """Make the tables say what each device said, all or nothing; what equals the last reading changes no other row.

    Left out are devices that were unlinked meanwhile, and readings that began before the one that is stored did:
    another worker was faster, and what it was told is newer.
    """
    begun_again(partial(_store_at_once, taken), f"storing {len(taken)} readings")


def _store_at_once(taken: Sequence[Taken]) -> None:
    with transaction.atomic():
        wanted = [each.device.pk for each in taken]
        locked = {row.pk: row for row in Device.objects.select_for_update().filter(pk__in=wanted).order_by("pk")}
        rows = [(locked[each.device.pk], each) for each in taken if each.device.pk in locked]
        news = [News(row, each) for row, each in rows if row.read_at is None or row.read_at <= each.begun_at]
        differing = [each for each in news if each.device.digest != each.digest]
        for each in differing:
            if isinstance(each.reading, ArrayReading):
                follow_array(each.device, each.reading, each.taken.begun_at)
        hosts = [(each.device, each.reading) for each in differing if isinstance(each.reading, HostReading)]
        if hosts:
            follow_hosts(hosts, max(each.taken.begun_at for each in differing))
        follow_capabilities({each.device.pk: each.reading.capabilities for each in differing})
        made = [each.as_row() for each in news]
        for each in news:
            each.keep()
        Reading.objects.bulk_create(made)
        _forget_old_readings([each.device.pk for each in news])
        changes = [change for each in news for change in each.changes]
        tell(changes)
    outdate_within(changes)


class News:
    """A reading about to be stored, and which aspects of its device are other ones now."""

    def __init__(self, device: Device, taken: Taken) -> None:
        self.device, self.taken, self.reading = device, taken, taken.reading
        reading = taken.reading
        values = [value for name, value in vars(reading).items() if name != "clock_offset_seconds"]
        self.digest = hashlib.sha256(repr(values).encode()).hexdigest()
        self.digests = digests(reading) if self.digest != device.digest else device.digests
        self.state = Device.State.IMPORTED if device.imported else Device.State.LINKED
        # All of them at its first reading, and at the first after it was linked again.
        self.aspects = [a for a in Aspect if not device.digests or self.digests.get(a) != device.digests.get(a)]
        # A clock drifts with every reading; what counts is whether it is off.
        off = clock_is_off(reading.clock_offset_seconds)
        as_before = device.state == self.state and clock_is_off(device.clock_offset_seconds) == off
        if not as_before and Aspect.STATE not in self.aspects:
            self.aspects.append(Aspect.STATE)

    @property
    def is_new(self) -> bool:
        return bool(self.aspects) or self.digest != self.device.digest

    @property
    def changes(self) -> list[Change]:
        """What it changed, once the device's row is up to date."""
        return [Change(aspect, self.device.kind, self.device.pk, self.device.cluster_id) for aspect in self.aspects]

    def as_row(self) -> Reading:
        """The reading as it is listed; to be made before the device's row is up to date."""
        taken = self.taken
        return Reading(
            device=self.device,
            taken_at=taken.begun_at,
            seconds=taken.seconds,
            digest=self.digest,
            changed=self.is_new,
        )

    def keep(self) -> None:
        """Write to the device's own row what was said."""
        device, reading = self.device, self.reading
        device.read_at, device.digest, device.digests = self.taken.begun_at, self.digest, self.digests
        device.state, device.detail = self.state, ""
        device.identity = reading.identity or device.identity
        device.copy_bytes_per_second = reading.copy_bytes_per_second
        device.clock_offset_seconds = reading.clock_offset_seconds
        device.file_client, device.nqn = reading.file_client, reading.nqn
        if isinstance(reading, ArrayReading):
            device.burst_factor = reading.burst_factor
        device.work_costs = reading.work_costs
        device.save()


def _forget_old_readings(devices: Sequence[int]) -> None:
    kept: Counter[int] = Counter()
    gone = []
    rows = Reading.objects.filter(device__in=devices).order_by("-taken_at").values_list("device_id", "pk")
    for device, key in rows:
        kept[device] += 1
        if kept[device] > READINGS_KEPT:
            gone.append(key)
    Reading.objects.filter(pk__in=gone).delete()
