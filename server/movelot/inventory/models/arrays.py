"""What arrays have: pools, volumes, and the ends and masking through which hosts reach them."""

from __future__ import annotations

from django.contrib.contenttypes.fields import GenericRelation
from django.db import models
from django.db.models import Q

from movelot.inventory.models.durable import Durable, Listed, OnDevice, searched_by
from movelot.inventory.models.labels import Label


class Pool(Durable, OnDevice):
    """A pool of an array, with the service curve fitted to it (see core.latency)."""

    # What its array calls it beside its name, which people change, and its URI, which an array may change.
    identity = models.CharField(max_length=128)
    labels = GenericRelation(Label)
    capacity_bytes = models.BigIntegerField()
    allocated_bytes = models.BigIntegerField()
    subscribed_bytes = models.BigIntegerField()
    raid = models.CharField(max_length=16, blank=True)
    media = models.CharField(max_length=16, blank=True)
    # What it is made of; 0 where that is unknown. Space is taken of it in pages.
    drives = models.PositiveIntegerField(default=0)
    spares = models.PositiveIntegerField(default=0)
    page_bytes = models.BigIntegerField(default=0)
    # Its drives as [media, bytes of each, state, count]; its cache, and how often that spares reading drives, if told.
    drive_sets = models.JSONField(default=list)
    # Drives of its array that belong to no pool and can join it.
    addable_drives = models.PositiveIntegerField(default=0)
    cache_bytes = models.BigIntegerField(default=0)
    cache_hit_share = models.FloatField(null=True)
    # The ways in which it can make data smaller (see core.attach.REDUCTIONS).
    reduces = models.JSONField(default=list)
    # Its tiers as [media, bytes], fastest first, and the hours (UTC) in which pages move between them.
    tiers = models.JSONField(default=list)
    relocation = models.CharField(max_length=16, blank=True)
    curve_l0_ms = models.FloatField(default=1.0)
    curve_x_max = models.FloatField(default=1000.0)
    curve_beta = models.FloatField(default=2.0)
    curve_gamma = models.FloatField(default=0.1)
    curve_servers = models.FloatField(default=1.0)
    curve_knee = models.FloatField(default=0.0)
    curve_wait_ms = models.FloatField(null=True)
    # As "load=ms load=ms", ascending, for a pool that no formula fits.
    curve_knots = models.TextField(blank=True)
    # The load beyond which nothing is known; None where nothing was measured.
    curve_known_max = models.FloatField(null=True)
    # The load up to which plans may go by people's word, whatever was seen; null where nobody said so.
    allowed_load = models.FloatField(null=True)
    # What the curve is called (see core's curve_fit).
    curve_shape = models.CharField(max_length=40, blank=True)
    fit_error_ms = models.FloatField(default=0)
    fit_samples = models.PositiveIntegerField(default=0)
    fit_seen_max = models.FloatField(default=0)
    fit_cautious = models.BooleanField(default=True)
    # Of hours that were held back nine in ten lay between these times what was said.
    fit_low = models.FloatField(default=1.0)
    fit_high = models.FloatField(default=1.0)
    # [48] float32: how much of the sum of its disks' peaks the pool ever saw at once; weekday then weekend hours.
    coincidence = models.BinaryField(max_length=192, default=b"")
    coincidence_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["device", "identity"], name="pool_once_on_device"),
            models.CheckConstraint(condition=Q(capacity_bytes__gte=0), name="pool_capacity_not_negative"),
        ]
        indexes = [models.Index(fields=["device", "uri"])]


class DriveGroup(Listed):
    """Drives of an array that one RAID layout runs over; a pool is made of one or several."""

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="drive_groups")
    raid = models.CharField(max_length=16, blank=True)
    drives = models.PositiveIntegerField()


class Grant(models.Model):
    """A pool, or a part of it, that the storage team lets the virtualization team use; no quota is the whole pool."""

    pool = models.OneToOneField(Pool, on_delete=models.CASCADE, related_name="grant")
    quota_bytes = models.BigIntegerField(null=True)
    granted_by = models.CharField(max_length=150)
    granted_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(quota_bytes__isnull=True) | Q(quota_bytes__gt=0), name="grant_quota_positive"
            )
        ]

    def __str__(self) -> str:
        return f"grant of {self.pool}"


class Portal(Listed):
    """An array's portal, FC port or server interface; ``network`` is its address with prefix length, or wwpn@fabric."""

    protocol = models.CharField(max_length=16, default="iSCSI")
    host_name = models.CharField(max_length=253, blank=True)
    controller = models.CharField(max_length=32)
    network = models.CharField(max_length=64)
    vlan = models.PositiveIntegerField()
    up = models.BooleanField()
    frame_bytes = models.PositiveIntegerField(default=9000)
    switch = models.CharField(max_length=64, blank=True)


class Initiator(Listed):
    """An initiator that an array knows: a host's IQN or NQN, or the WWPN of one of its ports."""

    identifier = models.CharField(max_length=223)
    # The CHAP method that the array asks of it (see core.fabric.chap); empty where it has none, as over FC.
    chap = models.CharField(max_length=16, blank=True)


class Zone(Listed):
    """A zone of an FC fabric, as an array reads it from the name server; ``members`` are [alias, WWPN]."""

    fabric = models.CharField(max_length=64)
    members = models.JSONField(default=list)


class Volume(Durable, OnDevice):
    """A volume of an array; of kind file it is a file system, and its serial the id that clients are told.

    Of kind set it is a volume set, without a size, that allows ``volumes_max`` volumes. These are of kind member: they
    name their set's serial, whether they are a disk, snapshot or swap, and the identity of the disk.
    """

    class Kind(models.TextChoices):
        BLOCK = "block"
        FILE = "file"
        SET = "set"
        MEMBER = "member"

    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.BLOCK)
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="volumes")
    serial = models.CharField(max_length=64, unique=True)
    size_bytes = models.BigIntegerField()
    allocated_bytes = models.BigIntegerField()
    controller = models.CharField(max_length=32)
    thin = models.BooleanField()
    # How its data is made smaller, and what that saved; null where its array is silent.
    reduced = models.JSONField(default=list)
    reduced_bytes = models.BigIntegerField(null=True)
    # Where a pool with tiers keeps its pages (see core.attach.TIERINGS); empty elsewhere.
    tiering = models.CharField(max_length=16, blank=True)
    volumes_max = models.PositiveIntegerField(default=0)
    set_serial = models.CharField(max_length=64, blank=True, db_index=True)
    purpose = models.CharField(max_length=16, blank=True)
    disk_identity = models.CharField(max_length=128, blank=True, db_index=True)
    # The iSCSI target that it is behind, where that is known.
    target = models.CharField(max_length=223, blank=True)
    # The key of the lot's step that made it, as its array tells; empty where no lot did.
    made_by = models.CharField(max_length=48, blank=True, db_index=True)
    searched = searched_by("name", "serial", "target")

    class Meta:
        indexes = [models.Index(fields=["device", "uri"]), models.Index(fields=["gone_at", "searched"])]


class InitiatorSet(models.Model):
    """Initiators that an array lets in together, to one volume or many; ``digest`` is of their names."""

    device = models.ForeignKey("inventory.Device", on_delete=models.CASCADE, related_name="initiator_sets")
    digest = models.CharField(max_length=32)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "digest"], name="initiator_set_once_on_array")]

    def __str__(self) -> str:
        return f"initiators {self.digest} of {self.device_id}"


class AdmittedInitiator(models.Model):
    """An initiator of a set, by its name."""

    initiator_set = models.ForeignKey(InitiatorSet, on_delete=models.CASCADE, related_name="admitted")
    identifier = models.CharField(max_length=223, db_index=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.identifier


class Offer(Listed):
    """Masking: a volume offered to initiators under a LUN number; over NVMe that is its namespace id."""

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="offers")
    lun = models.PositiveIntegerField()
    # None where it lets nobody in.
    initiator_set = models.ForeignKey(InitiatorSet, null=True, on_delete=models.RESTRICT, related_name="offers")

    @property
    def initiators(self) -> list[str]:
        """The names of those that are let in."""
        return [each.identifier for each in self.initiator_set.admitted.all()] if self.initiator_set else []


class Export(Listed):
    """A path of a file system that NFS clients may mount; ``clients`` are [network, access].

    ``quota_bytes`` are what clients get of the file system at most; null for all of it.
    """

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="exports")
    path = models.CharField(max_length=255)
    versions = models.JSONField(default=list)
    clients = models.JSONField(default=list)
    root = models.BooleanField(default=False)
    quota_bytes = models.BigIntegerField(null=True)
