"""What was measured and counted over time. Every unique key leads with time, so that what is too old goes quickly."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.arrays import Pool, Volume
from movelot.inventory.models.machines import Datastore, Disk


class DiskDay(models.Model):
    """What a disk asked for in each hour of a day (UTC), and the pool it was on last.

    ``loads`` is [24, 3] float32: read IOPS, write IOPS and KiB per I/O of each hour, NaN where nothing was measured.
    """

    day = models.DateField()
    disk = models.ForeignKey(Disk, on_delete=models.CASCADE, related_name="load_days")
    pool = models.ForeignKey(Pool, null=True, on_delete=models.SET_NULL, related_name="+")
    loads = models.BinaryField(max_length=288)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "disk"], name="disk_day_once")]


class PoolHour(models.Model):
    """A pool's response time in an hour (null until it was told), and the summed features of its load then.

    Features are those of core.latency: reads, writes, and both times their size; null until a disk's load was told.
    """

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="hours")
    hour = models.DateTimeField()
    latency_ms = models.FloatField(null=True)
    reads = models.FloatField(null=True)
    writes = models.FloatField(null=True)
    read_sizes = models.FloatField(null=True)
    write_sizes = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["hour", "pool"], name="pool_hour_once")]


class DatastoreDay(models.Model):
    """What a datastore held at the start of a day; its capacity is null for days that came without."""

    day = models.DateField()
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="days")
    used_bytes = models.BigIntegerField()
    capacity_bytes = models.BigIntegerField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "datastore"], name="datastore_day_once")]


class VolumeDay(models.Model):
    """What a volume promised, held in its pool, and saved by making data smaller (null where its array is silent)."""

    day = models.DateField()
    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="days")
    promised_bytes = models.BigIntegerField()
    allocated_bytes = models.BigIntegerField()
    reduced_bytes = models.BigIntegerField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "volume"], name="volume_day_once")]


class ShareDay(models.Model):
    """What one of a kind (``by`` cluster, host, label, policy or datastore) had of all pools together on a day."""

    day = models.DateField()
    by = models.CharField(max_length=16)
    name = models.CharField(max_length=160)
    provisioned_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["by", "day", "name"], name="share_day_once")]

    def __str__(self) -> str:
        return f"{self.by} {self.name} on {self.day}"


class TierDay(models.Model):
    """What lay on a tier of a pool, 0 being the fastest, and what had come to it from others in the night before."""

    day = models.DateField()
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="tier_days")
    tier = models.PositiveSmallIntegerField()
    used_bytes = models.BigIntegerField()
    moved_in_bytes = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["pool", "day", "tier"], name="tier_day_once")]

    def __str__(self) -> str:
        return f"tier {self.tier} of pool {self.pool_id} on {self.day}"


class PoolDay(models.Model):
    """What of a pool was allocated, subscribed (promised to volumes), and saved by making data smaller.

    Of days that its array told afterwards only what was allocated is known.
    """

    day = models.DateField()
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="days")
    capacity_bytes = models.BigIntegerField(null=True)
    allocated_bytes = models.BigIntegerField()
    subscribed_bytes = models.BigIntegerField(null=True)
    reduced_bytes = models.BigIntegerField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["day", "pool"], name="pool_day_once")]
