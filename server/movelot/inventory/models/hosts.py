"""What hosts see: their ports and block devices."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.durable import Listed


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
