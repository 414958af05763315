"""Puts readings into the tables, in one transaction, and says when what plans rest on has changed."""

from __future__ import annotations

import hashlib
import uuid
from collections import Counter
from collections.abc import Sequence
from datetime import datetime

from django.core.cache import cache
from django.db import transaction

from movelot.inventory.follow import follow_array, follow_hosts
from movelot.inventory.models import Datastore, Device, Reading
from movelot.inventory.readings import ArrayReading, HostReading
from movelot_core.rounds import clock_is_off

READINGS_KEPT = 50
VERSION = "inventory-version"
# A device, what it said, and how many seconds that took.
Told = tuple[Device, ArrayReading | HostReading, float]


def inventory_version() -> str:
    """Another text whenever anything a plan rests on has changed; what was computed under an older one is old."""
    return str(cache.get_or_set(VERSION, _new_version, None))


def changed() -> None:
    """Say that the inventory changed. A version never comes back, not even after the cache was emptied."""
    cache.set(VERSION, _new_version(), None)


def forget(device: Device) -> None:
    """Forget a device and what only it told of. Raises ProtectedError while lots tell of it."""
    with transaction.atomic():
        device.delete()
        # A datastore that no host mounts any more is known to nobody.
        Datastore.objects.filter(mounts=None).delete()
    changed()


def _new_version() -> str:
    return uuid.uuid4().hex


def store_readings(told: Sequence[Told], taken_at: datetime) -> None:
    """Make the tables say what each device said, all or nothing; what equals the last reading changes no other row.

    A device that was unlinked meanwhile is left out.
    """
    with transaction.atomic():
        locked = {row.pk: row for row in Device.objects.select_for_update().filter(pk__in=[d.pk for d, _, _ in told])}
        news = [Said(locked[device.pk], reading, seconds) for device, reading, seconds in told if device.pk in locked]
        differing = [said for said in news if said.device.digest != said.digest]
        for said in differing:
            if isinstance(said.reading, ArrayReading):
                follow_array(said.device, said.reading)
        follow_hosts([(said.device, said.reading) for said in differing if isinstance(said.reading, HostReading)])
        for said in news:
            said.keep(taken_at)
        Reading.objects.bulk_create(
            Reading(
                device=said.device, taken_at=taken_at, seconds=said.seconds, digest=said.digest, changed=said.is_new
            )
            for said in news
        )
        _forget_old_readings(list(locked))
    if any(said.is_new for said in news):
        changed()


class Said:
    """A reading about to be stored, and whether it says anything new."""

    def __init__(self, device: Device, reading: ArrayReading | HostReading, seconds: float) -> None:
        self.device, self.reading, self.seconds = device, reading, seconds
        values = [value for name, value in vars(reading).items() if name != "clock_offset_seconds"]
        self.digest = hashlib.sha256(repr(values).encode()).hexdigest()
        self.state = Device.State.IMPORTED if device.imported else Device.State.LINKED
        self.is_new = device.digest != self.digest or device.state != self.state
        # A clock drifts with every reading; what counts is whether it is off.
        self.is_new |= clock_is_off(device.clock_offset_seconds) != clock_is_off(reading.clock_offset_seconds)

    def keep(self, taken_at: datetime) -> None:
        """Write to the device's own row what was said."""
        device, reading = self.device, self.reading
        device.read_at, device.digest = taken_at, self.digest
        device.state, device.detail = self.state, ""
        device.copy_bytes_per_second = reading.copy_bytes_per_second
        device.clock_offset_seconds, device.capabilities = reading.clock_offset_seconds, reading.capabilities
        device.file_client, device.nqn = reading.file_client, reading.nqn
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
