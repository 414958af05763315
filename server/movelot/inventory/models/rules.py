"""Rules of people on where disks lie to one another."""

from __future__ import annotations

from django.db import models

from movelot.inventory.models.machines import Datastore, Disk, Machine


class PlacementRule(models.Model):
    """What people say of where disks lie, in whichever balance group they are; ``kind`` is one of RULE_KINDS.

    It is of ``machines`` with all their disks, of ``disks``, and of what has the label (key=value), itself or by its
    machine. ``among``: every disk for itself, the disks of different machines, or those of each machine by themselves.
    ``apart_by`` is what no two disks share that are kept apart, ``datastore`` the one that disks are kept off. It is
    in force until ``until``, null for good.
    """

    class Among(models.TextChoices):
        DISKS = "disks"
        MACHINES = "machines"
        EACH_MACHINE = "each machine"

    class ApartBy(models.TextChoices):
        DATASTORE = "datastore"
        POOL = "pool"
        ARRAY = "array"

    name = models.CharField(max_length=64, unique=True)
    number = models.PositiveIntegerField(default=1)
    kind = models.CharField(max_length=12)
    among = models.CharField(max_length=12, choices=Among.choices)
    apart_by = models.CharField(max_length=9, choices=ApartBy.choices, default=ApartBy.DATASTORE)
    label = models.CharField(max_length=100, blank=True)
    machines = models.ManyToManyField(Machine, related_name="placement_rules")
    disks = models.ManyToManyField(Disk, related_name="placement_rules")
    datastore = models.ForeignKey(Datastore, null=True, on_delete=models.CASCADE, related_name="+")
    until = models.DateTimeField(null=True)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
