"""Rules of people on where disks lie to one another."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from movelot.inventory.models.machines import Machine


class PlacementRule(models.Model):
    """Disks that lie apart (split), together (bond) or stay where they are (pin), in whichever balance group they are.

    It is of ``machines`` with all their disks, and of what has the label (key=value), itself or by its machine.
    ``among``: every disk for itself, the disks of different machines, or those of each machine by themselves.
    ``apart_by`` is what no two of a split share; a bond is of one datastore.
    """

    class Kind(models.TextChoices):
        SPLIT = "split"
        BOND = "bond"
        PIN = "pin"

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
    kind = models.CharField(max_length=5, choices=Kind.choices)
    among = models.CharField(max_length=12, choices=Among.choices)
    apart_by = models.CharField(max_length=9, choices=ApartBy.choices, default=ApartBy.DATASTORE)
    label = models.CharField(max_length=100, blank=True)
    machines = models.ManyToManyField(Machine, related_name="placement_rules")
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.CheckConstraint(condition=Q(kind__in=["split", "bond", "pin"]), name="rule_kind_known"),
            models.CheckConstraint(
                condition=Q(kind="split") | Q(apart_by="datastore"), name="rule_only_splits_have_sites"
            ),
            models.CheckConstraint(condition=Q(kind="split") | ~Q(among="machines"), name="rule_of_machines_is_split"),
            models.CheckConstraint(condition=~Q(kind="pin") | Q(among="disks"), name="rule_pin_is_of_disks"),
        ]

    def __str__(self) -> str:
        return self.name
