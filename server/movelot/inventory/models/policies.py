"""VM storage policies with their versions, what they are given to, and how each disk stands to its own."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from movelot.inventory.models.devices import Cluster
from movelot.inventory.models.machines import Datastore, Disk, Machine, MachineSnapshot


class Policy(models.Model):
    """A policy by its name; ``number`` is that of the version in force. A retired one is given to nothing more."""

    name = models.CharField(max_length=64, unique=True)
    number = models.PositiveIntegerField(default=1)
    retired_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class PolicyVersion(models.Model):
    """What a policy asked for a while: requirements as core keeps them, by whom and why."""

    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    requirements = models.JSONField(default=list)
    note = models.CharField(max_length=200, blank=True)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["policy", "number"], name="policy_version_once")]

    def __str__(self) -> str:
        return f"{self.policy} {self.number}"


class GivenPolicy(models.Model):
    """A policy given to one thing: a disk, a machine, a datastore, a cluster, or all with a label (key=value).

    Or to a machine's own files alone (``files_of``), or its snapshots (``snapshots_of``).
    """

    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="given")
    disk = models.OneToOneField(Disk, null=True, on_delete=models.CASCADE, related_name="given_policy")
    machine = models.OneToOneField(Machine, null=True, on_delete=models.CASCADE, related_name="given_policy")
    files_of = models.OneToOneField(Machine, null=True, on_delete=models.CASCADE, related_name="files_policy")
    snapshots_of = models.OneToOneField(Machine, null=True, on_delete=models.CASCADE, related_name="snapshots_policy")
    datastore = models.OneToOneField(Datastore, null=True, on_delete=models.CASCADE, related_name="given_policy")
    cluster = models.OneToOneField(Cluster, null=True, on_delete=models.CASCADE, related_name="given_policy")
    label = models.CharField(max_length=100, null=True, unique=True)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        if self.files_of or self.snapshots_of:
            part = f"files of {self.files_of}" if self.files_of else f"snapshots of {self.snapshots_of}"
            return f"{self.policy} to {part}"
        return f"{self.policy} to {self.disk or self.machine or self.datastore or self.cluster or self.label}"


class PolicyPlace(models.Model):
    """Whether a datastore serves a policy, as last judged: core's answer, with what it lacks in words."""

    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="places")
    datastore = models.ForeignKey(Datastore, on_delete=models.CASCADE, related_name="policy_places")
    answer = models.CharField(max_length=16)
    reasons = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["policy", "datastore"], name="policy_place_once")]

    def __str__(self) -> str:
        return f"{self.datastore} for {self.policy}: {self.answer}"


class Compliance(models.Model):
    """How a disk stands to its policy, since when, and why where it is not in it."""

    class State(models.TextChoices):
        IN = "in policy"
        OUT = "out of policy"
        UNKNOWN = "not judged"

    disk = models.OneToOneField(Disk, on_delete=models.CASCADE, related_name="compliance")
    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="disks")
    because = models.CharField(max_length=32)
    state = models.CharField(max_length=13, choices=State.choices)
    reason = models.CharField(max_length=300, blank=True)
    since = models.DateTimeField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(state__in=["in policy", "out of policy", "not judged"]), name="compliance_state_known"
            )
        ]
        indexes = [models.Index(fields=["policy", "state"])]

    def __str__(self) -> str:
        return f"{self.disk} {self.state} of {self.policy}"


class PartCompliance(models.Model):
    """How a machine's own files, or one of its snapshots, stand to the policy that they have, as Compliance does."""

    files_of = models.OneToOneField(Machine, null=True, on_delete=models.CASCADE, related_name="files_compliance")
    snapshot = models.OneToOneField(MachineSnapshot, null=True, on_delete=models.CASCADE, related_name="compliance")
    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="parts")
    because = models.CharField(max_length=32)
    state = models.CharField(max_length=13, choices=Compliance.State.choices)
    reason = models.CharField(max_length=300, blank=True)
    since = models.DateTimeField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(files_of__isnull=False, snapshot=None) | Q(files_of=None, snapshot__isnull=False),
                name="part_compliance_of_one",
            )
        ]

    def __str__(self) -> str:
        return f"{self.files_of or self.snapshot} {self.state} of {self.policy}"


class PastCompliance(models.Model):
    """How a disk stood to a policy for a while that is over."""

    disk = models.ForeignKey(Disk, on_delete=models.CASCADE, related_name="past_compliance")
    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="past_disks")
    state = models.CharField(max_length=13)
    reason = models.CharField(max_length=300, blank=True)
    since = models.DateTimeField()
    until = models.DateTimeField()

    class Meta:
        ordering = ["-until", "-pk"]

    def __str__(self) -> str:
        return f"{self.disk_id} was {self.state} of {self.policy_id}"


class PolicyWish(models.Model):
    """The policy that a disk is to have which a lot makes: given once a reading tells of a disk with this key."""

    key = models.CharField(max_length=48, unique=True)
    policy = models.ForeignKey(Policy, on_delete=models.CASCADE, related_name="wishes")
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.policy_id} for {self.key}"
