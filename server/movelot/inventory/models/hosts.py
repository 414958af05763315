"""What hosts see: their ports, block devices and paths, the names they are known by, and whom they are logged in to."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.devices import Device
from movelot.inventory.models.durable import Listed


class HostInitiator(models.Model):
    """A name under which arrays may know a host: its IQN, its NQN, or the WWPN of one of its ports."""

    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="host_initiators")
    identifier = models.CharField(max_length=223, db_index=True)
    known_by = models.CharField(max_length=8)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["host", "identifier"], name="host_initiator_once")]

    def __str__(self) -> str:
        return self.identifier


class KnownTarget(models.Model):
    """An iSCSI target (its IQN) or NVMe subsystem (its NQN) that a host knows; ``chap`` is the method it gives there.

    ``chap`` is one of core.fabric.chap; empty where it is off.
    """

    host = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="known_targets")
    name = models.CharField(max_length=223, db_index=True)
    protocol = models.CharField(max_length=16)
    chap = models.CharField(max_length=16, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["host", "name"], name="known_target_once_on_host")]

    def __str__(self) -> str:
        return self.name


class Session(models.Model):
    """A session of a host's port with a portal of a target; over NVMe this is a connection."""

    target = models.ForeignKey(KnownTarget, on_delete=models.CASCADE, related_name="sessions")
    port = models.CharField(max_length=64)
    portal = models.CharField(max_length=64)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.port} to {self.portal}"


class PathSet(models.Model):
    """The paths over which a host sees some of its devices, or mounts some of its exports.

    Most devices of a host have the same ones: a host has a handful of these, where a row for each device and path
    would be millions. ``digest`` is of its paths.
    """

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="path_sets")
    digest = models.CharField(max_length=32)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "digest"], name="path_set_once_on_host")]

    def __str__(self) -> str:
        return f"paths {self.digest} of {self.device_id}"

    @property
    def as_listed(self) -> list[list[str]]:
        """Its paths as [port, portal, access state]."""
        return [[path.port, path.portal, path.access] for path in self.paths.all()]


class Path(models.Model):
    """A way from a host's port to a portal that works, each by name; the portal is one of the array of what is seen.

    ``access`` is what the array says of it, empty for an export.
    """

    path_set = models.ForeignKey(PathSet, on_delete=models.CASCADE, related_name="paths")
    port = models.CharField(max_length=64)
    portal = models.CharField(max_length=64, db_index=True)
    access = models.CharField(max_length=32, blank=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.port} to {self.portal}"


class HostPort(Listed):
    """A host's storage interface and its uplinks, or its FC port; ``network`` as for a portal."""

    protocol = models.CharField(max_length=16, default="iSCSI")
    network = models.CharField(max_length=64)
    vlan = models.PositiveIntegerField()
    up = models.BooleanField()
    frame_bytes = models.PositiveIntegerField(default=9000)
    switch = models.CharField(max_length=64, blank=True)
    active_uplinks = models.JSONField(default=list)
    standby_uplinks = models.JSONField(default=list)


class HostDevice(Listed):
    """A block device as one host sees it; without a path set it has no path left.

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
    path_set = models.ForeignKey(PathSet, null=True, on_delete=models.RESTRICT, related_name="hostdevices")

    @property
    def paths(self) -> list[list[str]]:
        """Its paths as [port, portal, access state]."""
        return self.path_set.as_listed if self.path_set else []
