"""Balance groups and their members."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from movelot.inventory.models.devices import Cluster
from movelot.inventory.models.machines import Datastore


class BalanceGroup(models.Model):
    """Datastores that may trade disks, and the ceilings they are kept under.

    Its members are its own: a reading adds datastores that are new, and never takes one away. ``cluster`` is the one
    whose new datastores join by themselves; a member may well be mounted by hosts of several.
    """

    name = models.CharField(max_length=64, unique=True)
    cluster = models.OneToOneField(Cluster, null=True, on_delete=models.SET_NULL, related_name="group")
    datastores = models.ManyToManyField(Datastore, through="GroupMember", related_name="groups")
    fill_ceiling = models.FloatField(default=0.82)
    latency_ceiling_ms = models.FloatField(default=9.0)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(fill_ceiling__gt=0, fill_ceiling__lte=1), name="group_fill_is_share"),
            models.CheckConstraint(condition=Q(latency_ceiling_ms__gt=0), name="group_latency_positive"),
        ]

    def __str__(self) -> str:
        return self.name

    def clusters(self) -> models.QuerySet[Cluster]:
        """The clusters whose hosts mount any of its datastores, by name."""
        mounting = Cluster.objects.filter(devices__mounts__datastore__membership__group=self)
        return mounting.order_by("name").distinct()


class GroupMember(models.Model):
    """A datastore's membership; it is a member of one group at most."""

    group = models.ForeignKey(BalanceGroup, on_delete=models.CASCADE, related_name="members")
    datastore = models.OneToOneField(Datastore, on_delete=models.CASCADE, related_name="membership")

    def __str__(self) -> str:
        return f"{self.datastore} in {self.group}"
