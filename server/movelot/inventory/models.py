"""What devices said of themselves, as last read, and what was measured.

Sizes are bytes, times aware UTC, latencies ms, shares 0..1. Rows follow the devices: a thing that a new reading no
longer names is deleted. ``etag`` is the device's own tag of the resource at ``uri``.
"""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q
from django.utils.functional import cached_property

from movelot_core.fabric.paths import NVME


class Cluster(models.Model):
    """Hosts that may run the same machines."""

    name = models.CharField(max_length=64, unique=True)

    def __str__(self) -> str:
        return self.name


class Device(models.Model):
    """A device link: address, account and pinned certificate, and how the last contact went."""

    class Kind(models.TextChoices):
        ARRAY = "array"
        HOST = "host"

    class State(models.TextChoices):
        LINKED = "linked"
        AWAY = "away"
        REFUSED = "refused"
        CERTIFICATE = "certificate"
        # Known from a file only: nothing is asked of it, and people carry its lots out.
        IMPORTED = "imported"

    name = models.CharField(max_length=64, unique=True)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    # Null for what was imported.
    url = models.URLField(max_length=200, unique=True, null=True)
    user = models.CharField(max_length=64, blank=True)
    sealed_password = models.BinaryField(max_length=512, default=b"")
    certificate_pem = models.TextField(blank=True)
    fingerprint = models.CharField(max_length=95, blank=True)
    state = models.CharField(max_length=12, choices=State.choices, default=State.LINKED)
    detail = models.CharField(max_length=300, blank=True)
    cluster = models.ForeignKey(Cluster, null=True, on_delete=models.SET_NULL, related_name="devices")
    # A host's iSCSI name, and its NVMe name; an array's NVMe name is that of its subsystem.
    initiator = models.CharField(max_length=223, blank=True)
    nqn = models.CharField(max_length=223, blank=True)
    # How many I/Os a host keeps outstanding to one block device; 0 where it does not say.
    queue_depth = models.PositiveIntegerField(default=0)
    # The WWPNs of a host's FC ports.
    wwpns = models.JSONField(default=list)
    # The subsystems that a host is connected to, as [port, portal] pairs by the subsystem's NQN.
    subsystems = models.JSONField(default=dict)
    # The IQN of the iSCSI target that an array's volumes share.
    target = models.CharField(max_length=223, blank=True)
    # The sessions that a host has with iSCSI targets, as [port, portal] pairs by the target's IQN.
    sessions = models.JSONField(default=dict)
    # The CHAP method (see core.fabric.chap) that a host gives to a target, where it is not off.
    chap = models.JSONField(default=dict)
    # The identity of the datastore that a host puts new machines on; empty for none.
    default_datastore = models.CharField(max_length=64, blank=True)
    copy_bytes_per_second = models.FloatField(default=0)
    scan_seconds = models.FloatField(default=5)
    # How far the device's clock is ahead of ours, at the last reading.
    clock_offset_seconds = models.FloatField(null=True)
    # What it can do, as [name, whether, reason or detail].
    capabilities = models.JSONField(default=list)
    # An NFS client's timeouts and limits: a host's own, or what a file array recommends (see core.files.SETTINGS).
    file_client = models.JSONField(default=dict)
    # How many volume sets an array allows, and volumes in each: {sets, volumes}; empty where it has none.
    set_limits = models.JSONField(default=dict)
    read_at = models.DateTimeField(null=True)
    digest = models.CharField(max_length=64, blank=True)
    telemetry_until = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(kind__in=["array", "host"]), name="device_kind_known"),
            models.CheckConstraint(condition=Q(copy_bytes_per_second__gte=0), name="device_rate_not_negative"),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def address(self) -> str:
        """Where it is reached; empty for what was imported."""
        return self.url or ""

    @property
    def imported(self) -> bool:
        return self.state == self.State.IMPORTED

    @property
    def known_well(self) -> bool:
        """Whether what is stored of it can be planned on: it answers, or it is known from a file."""
        return self.state in (self.State.LINKED, self.State.IMPORTED)

    def can(self, capability: str) -> bool:
        """Whether it says that it is able to do this."""
        return any(name == capability and able for name, able, _detail in self.capabilities)

    @cached_property
    def protocols(self) -> set[str]:
        """Over what an array is reached, as its portals tell."""
        return {portal.protocol for portal in self.portals.all()}

    @property
    def has_namespaces(self) -> bool:
        """Whether what an array offers are namespaces of an NVMe subsystem, that hosts connect to."""
        return NVME in self.protocols


class Reading(models.Model):
    """One reading of a device: when, how long it took, and a digest of all it said (its ETags)."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="readings")
    taken_at = models.DateTimeField()
    seconds = models.FloatField()
    digest = models.CharField(max_length=64)
    changed = models.BooleanField()

    class Meta:
        indexes = [models.Index(fields=["device", "-taken_at"])]


class OnDevice(models.Model):
    """Common to all that a device lists under a URI."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="%(class)ss")
    name = models.CharField(max_length=128)
    uri = models.CharField(max_length=255)
    etag = models.CharField(max_length=64, blank=True)

    class Meta:
        abstract = True
        constraints = [models.UniqueConstraint(fields=["device", "uri"], name="%(class)s_once_on_device")]

    def __str__(self) -> str:
        return self.name


class Pool(OnDevice):
    """A pool of an array, with the service curve fitted to it (see core.latency)."""

    capacity_bytes = models.BigIntegerField()
    allocated_bytes = models.BigIntegerField()
    subscribed_bytes = models.BigIntegerField()
    raid = models.CharField(max_length=16, blank=True)
    media = models.CharField(max_length=16, blank=True)
    # What it is made of; 0 where that is unknown. Space is taken of it in pages.
    drives = models.PositiveIntegerField(default=0)
    spares = models.PositiveIntegerField(default=0)
    page_bytes = models.BigIntegerField(default=0)
    # The ways in which it can make data smaller (see core.attach.REDUCTIONS).
    reduces = models.JSONField(default=list)
    # Its tiers as [media, bytes], fastest first, and the hours (UTC) in which pages move between them.
    tiers = models.JSONField(default=list)
    relocation = models.CharField(max_length=16, blank=True)
    curve_l0_ms = models.FloatField(default=1.0)
    curve_x_max = models.FloatField(default=1000.0)
    curve_beta = models.FloatField(default=2.0)
    curve_gamma = models.FloatField(default=0.1)
    fit_error_ms = models.FloatField(default=0)
    fit_samples = models.PositiveIntegerField(default=0)
    fit_seen_max = models.FloatField(default=0)
    fit_cautious = models.BooleanField(default=True)
    # [48] float32: how much of the sum of its disks' peaks the pool ever saw at once; weekday then weekend hours.
    coincidence = models.BinaryField(max_length=192, default=b"")

    class Meta(OnDevice.Meta):
        constraints = [
            *OnDevice.Meta.constraints,
            models.CheckConstraint(condition=Q(capacity_bytes__gte=0), name="pool_capacity_not_negative"),
        ]


class DriveGroup(OnDevice):
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


class Portal(OnDevice):
    """An array's portal, FC port or server interface; ``network`` is its address with prefix length, or wwpn@fabric."""

    protocol = models.CharField(max_length=16, default="iSCSI")
    host_name = models.CharField(max_length=253, blank=True)
    controller = models.CharField(max_length=32)
    network = models.CharField(max_length=64)
    vlan = models.PositiveIntegerField()
    up = models.BooleanField()
    frame_bytes = models.PositiveIntegerField(default=9000)
    switch = models.CharField(max_length=64, blank=True)


class Initiator(OnDevice):
    """An initiator that an array knows: a host's IQN or NQN, or the WWPN of one of its ports."""

    identifier = models.CharField(max_length=223)
    # The CHAP method that the array asks of it (see core.fabric.chap); empty where it has none, as over FC.
    chap = models.CharField(max_length=16, blank=True)


class Zone(OnDevice):
    """A zone of an FC fabric, as an array reads it from the name server; ``members`` are [alias, WWPN]."""

    fabric = models.CharField(max_length=64)
    members = models.JSONField(default=list)


class Volume(OnDevice):
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
    # How its data is made smaller.
    reduced = models.JSONField(default=list)
    # Where a pool with tiers keeps its pages (see core.attach.TIERINGS); empty elsewhere.
    tiering = models.CharField(max_length=16, blank=True)
    volumes_max = models.PositiveIntegerField(default=0)
    set_serial = models.CharField(max_length=64, blank=True, db_index=True)
    purpose = models.CharField(max_length=16, blank=True)
    disk_identity = models.CharField(max_length=128, blank=True, db_index=True)
    # The iSCSI target that it is behind, where that is known.
    target = models.CharField(max_length=223, blank=True)


class Offer(OnDevice):
    """Masking: a volume offered to initiators under a LUN number; over NVMe that is its namespace id."""

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="offers")
    lun = models.PositiveIntegerField()
    initiators = models.JSONField(default=list)


class Export(OnDevice):
    """A path of a file system that NFS clients may mount; ``clients`` are [network, access]."""

    volume = models.ForeignKey(Volume, on_delete=models.CASCADE, related_name="exports")
    path = models.CharField(max_length=255)
    versions = models.JSONField(default=list)
    clients = models.JSONField(default=list)
    root = models.BooleanField(default=False)


class HostPort(OnDevice):
    """A host's storage interface and its uplinks, or its FC port; ``network`` as for a portal."""

    protocol = models.CharField(max_length=16, default="iSCSI")
    network = models.CharField(max_length=64)
    vlan = models.PositiveIntegerField()
    up = models.BooleanField()
    frame_bytes = models.PositiveIntegerField(default=9000)
    switch = models.CharField(max_length=64, blank=True)
    active_uplinks = models.JSONField(default=list)
    standby_uplinks = models.JSONField(default=list)


class HostDevice(OnDevice):
    """A block device as one host sees it, with its paths as [port, portal, access state].

    ``queue_depth`` is how many I/Os the host keeps outstanding to it, ``turn_ios`` how many go down one path before
    round robin takes the next; 0 where the host does not tell.
    """

    serial = models.CharField(max_length=64, db_index=True)
    size_bytes = models.BigIntegerField()
    lun = models.PositiveIntegerField()
    signature_kind = models.CharField(max_length=32)
    path_policy = models.CharField(max_length=32)
    queue_depth = models.PositiveIntegerField(default=0)
    turn_ios = models.PositiveIntegerField(default=0)
    paths = models.JSONField(default=list)


class BalanceGroup(models.Model):
    """Datastores that may trade disks, and the ceilings they are kept under."""

    name = models.CharField(max_length=64, unique=True)
    cluster = models.OneToOneField(Cluster, on_delete=models.CASCADE, related_name="group")
    fill_ceiling = models.FloatField(default=0.82)
    latency_ceiling_ms = models.FloatField(default=9.0)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(fill_ceiling__gt=0, fill_ceiling__lte=1), name="group_fill_is_share"),
            models.CheckConstraint(condition=Q(latency_ceiling_ms__gt=0), name="group_latency_positive"),
        ]

    def __str__(self) -> str:
        return self.name


class Datastore(models.Model):
    """A datastore, known by its identity on every host that mounts it."""

    identity = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=128)
    serial = models.CharField(max_length=64, db_index=True)
    capacity_bytes = models.BigIntegerField()
    free_bytes = models.BigIntegerField()
    other_bytes = models.BigIntegerField()
    # What lives there beside disks, as [kind, name]: images, templates, swap files, a cluster's heartbeat.
    contents = models.JSONField(default=list)
    group = models.ForeignKey(BalanceGroup, null=True, on_delete=models.SET_NULL, related_name="datastores")

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(free_bytes__lte=F("capacity_bytes")), name="datastore_free_in_capacity")
        ]

    def __str__(self) -> str:
        return self.name


class Mount(models.Model):
    """A datastore mounted on a host. For an export also how: server and path as spelled there, version, and the ways.

    ``ways`` are [port, server interface] pairs that work now.
    """

    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="mounts")
    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="mounts")
    server = models.CharField(max_length=253, blank=True)
    path = models.CharField(max_length=255, blank=True)
    version = models.CharField(max_length=16, blank=True)
    ways = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["datastore", "host"], name="mounted_once")]


class Machine(OnDevice):
    """A virtual machine on a host."""

    os = models.CharField(max_length=64)
    address = models.CharField(max_length=64)
    power = models.CharField(max_length=16)


class Disk(models.Model):
    """A virtual disk; its profiles are [3, 24] float32: read IOPS, write IOPS (95th percentiles) and KiB per I/O."""

    identity = models.CharField(max_length=128, unique=True)
    name = models.CharField(max_length=128)
    machine = models.ForeignKey(Machine, on_delete=models.CASCADE, related_name="disks")
    datastore = models.ForeignKey(Datastore, null=True, on_delete=models.SET_NULL, related_name="disks")
    size_bytes = models.BigIntegerField()
    pinned = models.BooleanField(default=False)
    # The serial of the volume that a raw disk is, and whether other machines have it too; empty for any other disk.
    raw_serial = models.CharField(max_length=64, blank=True, db_index=True)
    shared = models.BooleanField(default=False)
    weekday_profile = models.BinaryField(max_length=288, default=b"")
    weekend_profile = models.BinaryField(max_length=288, default=b"")

    class Meta:
        constraints = [models.CheckConstraint(condition=Q(size_bytes__gte=0), name="disk_size_not_negative")]
        indexes = [models.Index(fields=["name"]), models.Index(fields=["size_bytes"])]

    def __str__(self) -> str:
        return self.name


class Label(models.Model):
    """A label that people gave a thing.

    ``subject`` is what the thing is known by beyond a reading (see inventory.labels): rows of things come and go with
    what devices say, labels do not.
    """

    kind = models.CharField(max_length=16)
    subject = models.CharField(max_length=200)
    key = models.CharField(max_length=32)
    value = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "subject", "key"], name="label_once")]
        indexes = [models.Index(fields=["key", "value"])]

    def __str__(self) -> str:
        return f"{self.key}={self.value}"


class DiskHour(models.Model):
    """What a disk asked for in an hour, and the pool it lived on then."""

    disk = models.ForeignKey(Disk, on_delete=models.CASCADE, related_name="hours")
    pool = models.ForeignKey(Pool, null=True, on_delete=models.CASCADE)
    hour = models.DateTimeField()
    read_iops = models.FloatField()
    write_iops = models.FloatField()
    kib = models.FloatField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["disk", "hour"], name="disk_hour_once")]
        indexes = [models.Index(fields=["pool", "hour"])]


class PoolHour(models.Model):
    """A pool's response time in an hour, with the summed features of its load (see core.latency.features)."""

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="hours")
    hour = models.DateTimeField()
    latency_ms = models.FloatField()
    features = models.JSONField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["pool", "hour"], name="pool_hour_once")]


class DatastoreDay(models.Model):
    """What a datastore held at the start of a day."""

    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="days")
    day = models.DateField()
    used_bytes = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["datastore", "day"], name="datastore_day_once")]
