"""Machines with their disks, the datastores that hold these, and where each is now and since when."""

from __future__ import annotations

from django.contrib.contenttypes.fields import GenericRelation
from django.db import models
from django.db.models import Case, F, Q, When

from movelot.inventory.models.devices import Device
from movelot.inventory.models.durable import Durable, searched_by
from movelot.inventory.models.hosts import PathSet
from movelot.inventory.models.labels import Label


class Datastore(Durable):
    """A datastore, known by its identity on every host that mounts it."""

    identity = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=128)
    capacity_bytes = models.BigIntegerField()
    free_bytes = models.BigIntegerField()
    other_bytes = models.BigIntegerField()
    # What lives there beside disks, as [kind, name]: images, templates, swap files, a cluster's heartbeat.
    contents = models.JSONField(default=list)
    labels = GenericRelation(Label)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(free_bytes__lte=F("capacity_bytes")), name="datastore_free_in_capacity")
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def serials(self) -> list[str]:
        """The serials of what it lies on, in their order."""
        return [extent.serial for extent in self.extents.all()]


class Extent(models.Model):
    """A part of a datastore: a volume, file system or volume set, by its serial, and since when; in their order.

    Most have one. What an extent lies on may be on no array that we know. Its size is null where no host tells it.
    """

    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="extents")
    number = models.PositiveIntegerField()
    serial = models.CharField(max_length=64, db_index=True)
    size_bytes = models.BigIntegerField(null=True)
    since = models.DateTimeField()

    class Meta:
        ordering = ["datastore", "number"]
        constraints = [models.UniqueConstraint(fields=["datastore", "number"], name="extent_once")]

    def __str__(self) -> str:
        return f"{self.serial} of {self.datastore_id}"


class Mount(models.Model):
    """A datastore mounted on a host. For an export also how: server and path as spelled there, version, and paths.

    These lead from the host's port to the server's interface; a datastore on a device has its paths there.
    """

    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="mounts")
    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="mounts")
    server = models.CharField(max_length=253, blank=True, db_index=True)
    path = models.CharField(max_length=255, blank=True)
    version = models.CharField(max_length=16, blank=True)
    path_set = models.ForeignKey(PathSet, null=True, on_delete=models.RESTRICT, related_name="mounts")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["datastore", "host"], name="mounted_once")]

    @property
    def ways(self) -> list[list[str]]:
        """Its paths as [port, server interface]."""
        return [way[:2] for way in self.path_set.as_listed] if self.path_set else []


class Machine(Durable):
    """A virtual machine; ``identity`` is its UUID, which it keeps on every host."""

    identity = models.CharField(max_length=128, unique=True)
    name = models.CharField(max_length=128, db_index=True)
    os = models.CharField(max_length=64)
    address = models.CharField(max_length=64)
    power = models.CharField(max_length=16)
    # 0 where its host does not tell.
    processors = models.PositiveIntegerField(default=0)
    memory_bytes = models.BigIntegerField(default=0)
    # The identity of the datastore that holds its own files; empty where its host does not tell.
    home = models.CharField(max_length=64, blank=True, db_index=True)
    # What it left there of its memory though it is off, and since when it is off; null where its host does not tell.
    swap_bytes = models.BigIntegerField(default=0)
    off_since = models.DateTimeField(null=True)
    labels = GenericRelation(Label)
    searched = searched_by("name", "address", "identity")

    class Meta:
        indexes = [models.Index(fields=["gone_at", "searched"])]

    def __str__(self) -> str:
        return self.name

    @property
    def host(self) -> Device:
        """The host that runs it; raises ObjectDoesNotExist for one that is gone."""
        return self.placement.host


class MachineListing(models.Model):
    """A host that lists a machine, and where: while it moves there may be two, once it is gone there is none."""

    machine = models.ForeignKey(Machine, on_delete=models.CASCADE, related_name="listings")
    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="machine_listings")
    uri = models.CharField(max_length=255)
    etag = models.CharField(max_length=64, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["machine", "host"], name="machine_listed_once_on_host")]

    def __str__(self) -> str:
        return f"{self.machine_id} listed by {self.host_id}"


class MachinePlacement(models.Model):
    """Which host runs a machine, since when, and where that host lists it. A machine that is gone has none."""

    machine = models.OneToOneField(Machine, on_delete=models.CASCADE, related_name="placement")
    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="machine_placements")
    since = models.DateTimeField()
    uri = models.CharField(max_length=255)
    etag = models.CharField(max_length=64, blank=True)

    def __str__(self) -> str:
        return f"{self.machine} on {self.host}"


# What a disk takes of its datastore, for queries: as its property says.
TAKEN_BYTES = Case(
    When(thin=True, written_bytes__isnull=False, then=F("written_bytes")),
    default=F("size_bytes"),
    output_field=models.BigIntegerField(),
)


class Disk(Durable):
    """A virtual disk; its profiles are [3, 24] float32: read IOPS, write IOPS (95th percentiles) and KiB per I/O."""

    identity = models.CharField(max_length=128, unique=True)
    name = models.CharField(max_length=128)
    machine = models.ForeignKey(Machine, on_delete=models.CASCADE, related_name="disks")
    labels = GenericRelation(Label)
    size_bytes = models.BigIntegerField()
    # What its guest has written of it; null where its host does not tell.
    written_bytes = models.BigIntegerField(null=True)
    # Whether it takes only what was written of it, and not its whole size.
    thin = models.BooleanField(default=False)
    # Its cap and floor in IOPS, 0 for none, and who enforces them (host or array); null where its host does not tell.
    cap_iops = models.PositiveIntegerField(null=True)
    floor_iops = models.PositiveIntegerField(null=True)
    limited_by = models.CharField(max_length=8, blank=True)
    # The image or disk that was copied into it, by its identity; empty for none.
    filled_from = models.CharField(max_length=64, blank=True, db_index=True)
    pinned = models.BooleanField(default=False)
    # The serial of the volume that a raw disk is, and whether other machines have it too; empty for any other disk.
    raw_serial = models.CharField(max_length=64, blank=True, db_index=True)
    shared = models.BooleanField(default=False)
    weekday_profile = models.BinaryField(max_length=288, default=b"")
    weekend_profile = models.BinaryField(max_length=288, default=b"")
    searched = searched_by("name", "identity")

    class Meta:
        constraints = [models.CheckConstraint(condition=Q(size_bytes__gte=0), name="disk_size_not_negative")]
        indexes = [
            models.Index(fields=["name"]),
            models.Index(fields=["size_bytes"]),
            models.Index(fields=["gone_at", "searched"]),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def taken_bytes(self) -> int:
        """What it takes of its datastore."""
        return self.written_bytes if self.thin and self.written_bytes is not None else self.size_bytes

    @property
    def datastore(self) -> Datastore | None:
        """The datastore that holds it; None for a raw disk."""
        placement: DiskPlacement | None = getattr(self, "placement", None)
        return placement.datastore if placement else None


class DiskPlacement(models.Model):
    """Which datastore holds a disk, and since when. Raw disks have none, nor what is gone."""

    disk = models.OneToOneField(Disk, on_delete=models.CASCADE, related_name="placement")
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="disk_placements")
    since = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.disk} on {self.datastore}"


class MachineSnapshot(models.Model):
    """A machine as it was at a moment, as its host lists it; ``standing`` is the one that its disks go on from.

    What it holds lies on the datastore whose identity is ``place``, beside each disk where that is empty.
    """

    machine = models.ForeignKey(Machine, on_delete=models.CASCADE, related_name="snapshots")
    name = models.CharField(max_length=128)
    parent = models.CharField(max_length=128, blank=True)
    taken_at = models.DateTimeField(null=True)
    standing = models.BooleanField(default=False)
    place = models.CharField(max_length=64, blank=True, db_index=True)

    class Meta:
        ordering = ["taken_at", "pk"]
        constraints = [models.UniqueConstraint(fields=["machine", "name"], name="snapshot_once_of_machine")]

    def __str__(self) -> str:
        return f"{self.name} of {self.machine_id}"


class SnapshotPart(models.Model):
    """The bytes that a snapshot holds of a disk, beside the disk on its datastore."""

    snapshot = models.ForeignKey(MachineSnapshot, on_delete=models.CASCADE, related_name="parts")
    disk = models.ForeignKey(Disk, on_delete=models.CASCADE, related_name="snapshot_parts")
    held_bytes = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["snapshot", "disk"], name="snapshot_part_once")]

    def __str__(self) -> str:
        return f"{self.held_bytes} of {self.disk_id} in {self.snapshot_id}"
