"""What datastores keep beside the disks of machines: disk images, and disks that no machine has."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.machines import Datastore


class StoredImage(models.Model):
    """A disk image on a datastore, as hosts that mount it list it; ``key`` is what it was made by, if by Move Lot."""

    identity = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=128)
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="images")
    size_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField()
    key = models.CharField(max_length=64, blank=True, db_index=True)

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class LooseDisk(models.Model):
    """A disk on a datastore that no machine of the hosts which mount it has, as they list it.

    ``described_by`` names the machine that its own description says it was made for; empty where it has none.
    """

    identity = models.CharField(max_length=128, unique=True)
    name = models.CharField(max_length=128)
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="loose_disks")
    size_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField()
    last_written_at = models.DateTimeField(null=True)
    described_by = models.CharField(max_length=128, blank=True)

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name
