"""Devices and the readings taken of them."""

from __future__ import annotations

from django.db import models
from django.db.models import Q
from django.utils.functional import cached_property

from movelot.inventory.models.durable import Durable
from movelot_core.fabric.transports import transport_of
from movelot_core.fabric.transports.base import KnownBy


class Cluster(models.Model):
    """Hosts that may run the same machines."""

    name = models.CharField(max_length=64, unique=True)

    def __str__(self) -> str:
        return self.name


class Device(Durable):
    """A device link: address, account and pinned certificate, and how the last contact went.

    Unlinked it is gone, its address and account are forgotten; linked again it is the same row.
    """

    class Kind(models.TextChoices):
        ARRAY = "array"
        HOST = "host"

    class State(models.TextChoices):
        LINKED = "linked"
        AWAY = "away"
        REFUSED = "refused"
        CERTIFICATE = "certificate"
        # It answers, but what it says cannot be used.
        FAULTY = "faulty"
        # Known from a file only: nothing is asked of it, and people carry its lots out.
        IMPORTED = "imported"

    name = models.CharField(max_length=64, db_index=True)
    # What it calls itself (UUID); empty until it was told, and for what was imported.
    identity = models.CharField(max_length=64, blank=True, db_index=True)
    # 0 while it is there, else its own primary key, so that another device may have its name.
    unlinked = models.PositiveBigIntegerField(default=0)
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
    # The IQN of the iSCSI target that an array's volumes share.
    target = models.CharField(max_length=223, blank=True)
    # The identity of the datastore that a host puts new machines on; empty for none.
    default_datastore = models.CharField(max_length=64, blank=True)
    copy_bytes_per_second = models.FloatField(default=0)
    # How many times its cap an array gives a capped volume for a short time; 1 where it does not tell.
    burst_factor = models.FloatField(default=1)
    scan_seconds = models.FloatField(default=5)
    # How far the device's clock is ahead of ours, at the last reading.
    clock_offset_seconds = models.FloatField(null=True)
    # An NFS client's timeouts and limits: a host's own, or what a file array recommends (see core.files.SETTINGS).
    file_client = models.JSONField(default=dict)
    # How many volume sets an array allows, and volumes in each: {sets, volumes}; empty where it has none.
    set_limits = models.JSONField(default=dict)
    # For how many bytes of work on blocks an array's pool writes once: {returned, reduced}; empty where untold.
    work_costs = models.JSONField(default=dict)
    read_at = models.DateTimeField(null=True)
    # A digest of all it said, and of each aspect of it (see inventory.changes).
    digest = models.CharField(max_length=64, blank=True)
    digests = models.JSONField(default=dict)
    telemetry_until = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["name", "unlinked"], name="device_name_once"),
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
        return self.gone_at is None and self.state in (self.State.LINKED, self.State.IMPORTED)

    @property
    def trouble(self) -> str:
        """Why it cannot be planned on, in a sentence."""
        if self.gone_at:
            return f"{self.name} is not linked any more."
        return self.detail or f"{self.name} is {self.state}."

    def can(self, capability: str) -> bool:
        """Whether it says that it is able to do this."""
        return any(each.code == capability and each.able for each in self.capabilities.all())

    @property
    def wwpns(self) -> list[str]:
        """The WWPNs of a host's FC ports."""
        names = self.host_initiators.all()
        return [each.identifier for each in names if each.known_by == KnownBy.WWPN]

    @property
    def sessions(self) -> dict[str, list[list[str]]]:
        """The sessions that a host has with the targets and subsystems it knows, as [port, portal] by the name of each.

        Whoever asks many hosts fetches ``known_targets__sessions`` of all of them first.
        """
        return {
            target.name: [[session.port, session.portal] for session in target.sessions.all()]
            for target in self.known_targets.all()
        }

    @property
    def chap(self) -> dict[str, str]:
        """The CHAP method (see core.fabric.chap) that a host gives to a target, where it is not off."""
        return {target.name: target.chap for target in self.known_targets.all() if target.chap}

    @cached_property
    def protocols(self) -> set[str]:
        """Over what an array is reached, as its portals tell."""
        return {portal.protocol for portal in self.portals.all()}

    @property
    def has_namespaces(self) -> bool:
        """Whether what an array offers are namespaces of an NVMe subsystem, that hosts connect to."""
        return any(transport_of(each).numbers_itself for each in self.protocols)


class Capability(models.Model):
    """Something that a device says it can do, or cannot, by its code (see inventory.capabilities), with a detail."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="capabilities")
    code = models.CharField(max_length=64)
    able = models.BooleanField()
    detail = models.CharField(max_length=255, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["device", "code"], name="capability_once_on_device")]

    def __str__(self) -> str:
        return f"{self.device_id} {self.code}"


class Reading(models.Model):
    """One reading of a device: when, how long it took, and a digest of all it said (its ETags)."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="readings")
    taken_at = models.DateTimeField()
    seconds = models.FloatField()
    digest = models.CharField(max_length=64)
    changed = models.BooleanField()

    class Meta:
        indexes = [models.Index(fields=["device", "-taken_at"])]
