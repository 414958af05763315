"""People and their roles."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What a person may do: virtualization and storage change things, auditor reads."""

    VIRTUALIZATION = "virtualization"
    STORAGE = "storage"
    AUDITOR = "auditor"


class User(AbstractUser):
    """A person who signs in."""

    role = models.CharField(max_length=16, choices=Role.choices, default=Role.AUDITOR)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(role__in=Role.values), name="user_role_known")]

    @property
    def may_change(self) -> bool:
        """Whether this person's role allows lots and device links."""
        return self.role in (Role.VIRTUALIZATION, Role.STORAGE)
