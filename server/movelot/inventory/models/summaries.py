"""Figures of machines in one row each, as last judged, so that long lists are sorted and filtered by the database."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.machines import Machine


class MachineSummary(models.Model):
    """What a machine's disks come to.

    ``peak_iops`` is their sum in its busiest hour of a weekday, ``latency_ms`` that of the slowest pool beneath them at
    that pool's slowest hour. ``state`` is the worst of its disks towards their policies, empty where none has one;
    ``policies`` and ``labels`` are what is shown of them. What is null is not known.
    """

    machine = models.OneToOneField(Machine, on_delete=models.CASCADE, related_name="summary")
    disks = models.PositiveIntegerField()
    provisioned_bytes = models.BigIntegerField()
    written_bytes = models.BigIntegerField(null=True)
    snapshots = models.PositiveIntegerField()
    snapshot_bytes = models.BigIntegerField()
    peak_iops = models.FloatField()
    peak_hour = models.PositiveIntegerField(null=True)
    latency_ms = models.FloatField(null=True)
    state = models.CharField(max_length=13, blank=True)
    out = models.PositiveIntegerField()
    policies = models.CharField(max_length=200, blank=True)
    labels = models.CharField(max_length=200, blank=True)

    class Meta:
        indexes = [models.Index(fields=["state"])]

    def __str__(self) -> str:
        return f"{self.disks} disks of {self.machine_id}"
