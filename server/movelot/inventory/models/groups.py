"""Balance groups and their members."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from django.db import models
from django.db.models import Q

from movelot.inventory.models.devices import Cluster
from movelot.inventory.models.machines import Datastore


class BalanceGroup(models.Model):
    """Datastores that may trade disks, and the ceilings they are kept under.

    Its members are its own: a reading adds datastores that are new, and never takes one away. ``cluster`` is the one
    whose new datastores join by themselves, none where only people add any; a member may well be mounted by hosts of
    several.
    """

    name = models.CharField(max_length=64, unique=True)
    cluster = models.OneToOneField(Cluster, null=True, on_delete=models.SET_NULL, related_name="group")
    datastores = models.ManyToManyField(Datastore, through="GroupMember", related_name="groups")
    # The ceilings that hold now: those of the way of working in force, else its own, which people set.
    fill_ceiling = models.FloatField(default=0.82)
    latency_ceiling_ms = models.FloatField(default=9.0)
    own_fill_ceiling = models.FloatField(default=0.82)
    own_latency_ceiling_ms = models.FloatField(default=9.0)
    # Where its people are: hours of its week are told by the clock of that time zone.
    zone = models.CharField(max_length=64, default="UTC")
    # What is in force, since when and until when (none: for ever), as last told by the clock.
    in_force = models.ForeignKey("WayOfWorking", null=True, on_delete=models.SET_NULL, related_name="+")
    in_force_since = models.DateTimeField(null=True)
    in_force_until = models.DateTimeField(null=True)
    # Who let it act by itself, and for which ways and week; nobody while those are other ones.
    acts_by = models.CharField(max_length=150, blank=True)
    acts_as = models.CharField(max_length=64, blank=True)
    # Another one each time somebody changes its name, ceilings, week or members; and who did last.
    number = models.PositiveIntegerField(default=1)
    by = models.CharField(max_length=150, blank=True)
    at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(fill_ceiling__gt=0, fill_ceiling__lte=1), name="group_fill_is_share"),
            models.CheckConstraint(condition=Q(latency_ceiling_ms__gt=0), name="group_latency_positive"),
            models.CheckConstraint(
                condition=Q(own_fill_ceiling__gt=0, own_fill_ceiling__lte=1), name="group_own_fill_is_share"
            ),
            models.CheckConstraint(condition=Q(own_latency_ceiling_ms__gt=0), name="group_own_latency_positive"),
        ]

    def __str__(self) -> str:
        return self.name

    @classmethod
    def named(cls, name: str) -> BalanceGroup | None:
        """The group of that name, else the one that had it last: drafts, links and records go on by it."""
        return cls.objects.filter(name=name).first() or cls.objects.filter(former_names__name=name).first()

    @property
    def until_text(self) -> str:
        """Until when what is in force holds, at the site's clock: "Tue 05:00"; empty for ever."""
        return f"{self.in_force_until.astimezone(ZoneInfo(self.zone)):%a %H:%M}" if self.in_force_until else ""

    def set_ceilings(self) -> bool:
        """Have the ceilings of the way in force, where it has any, else the group's own. Whether others held before."""
        before, way = (self.fill_ceiling, self.latency_ceiling_ms), self.in_force
        self.fill_ceiling = (way and way.fill_ceiling) or self.own_fill_ceiling
        self.latency_ceiling_ms = (way and way.latency_ceiling_ms) or self.own_latency_ceiling_ms
        return before != (self.fill_ceiling, self.latency_ceiling_ms)

    def clusters(self) -> models.QuerySet[Cluster]:
        """The clusters whose hosts mount any of its datastores, by name."""
        mounting = Cluster.objects.filter(devices__mounts__datastore__membership__group=self)
        return mounting.order_by("name").distinct()


class HeldEmpty(models.Model):
    """A datastore that people hold empty: plans take its disks away and put none there, until it is released."""

    datastore = models.OneToOneField(Datastore, on_delete=models.CASCADE, related_name="held")
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.datastore} held empty by {self.by}"


class FormerGroupName(models.Model):
    """A name that a group had, while no other group has it."""

    name = models.CharField(max_length=64, unique=True)
    group = models.ForeignKey(BalanceGroup, on_delete=models.CASCADE, related_name="former_names")

    def __str__(self) -> str:
        return f"{self.name}, now {self.group}"


class GroupMember(models.Model):
    """A datastore's membership; it is a member of one group at most."""

    group = models.ForeignKey(BalanceGroup, on_delete=models.CASCADE, related_name="members")
    datastore = models.OneToOneField(Datastore, on_delete=models.CASCADE, related_name="membership")

    def __str__(self) -> str:
        return f"{self.datastore} in {self.group}"
