"""People, their roles, and what stands for them: invitations, sign-ins of browsers, tokens of programs."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils.timezone import now


class Role(models.TextChoices):
    """What a person may do: virtualization and storage change the estate, an auditor reads.

    An administrator keeps Move Lot itself (people, sessions, tokens, networks, retention) and reads everything else.
    """

    VIRTUALIZATION = "virtualization"
    STORAGE = "storage"
    AUDITOR = "auditor"
    ADMINISTRATOR = "administrator"


class User(AbstractUser):
    """A person who signs in."""

    role = models.CharField(max_length=16, choices=Role.choices, default=Role.AUDITOR)

    class Meta:
        constraints = [models.CheckConstraint(condition=models.Q(role__in=Role.values), name="user_role_known")]

    @property
    def may_change(self) -> bool:
        """Whether this person's role allows lots and device links."""
        return self.role in (Role.VIRTUALIZATION, Role.STORAGE)

    @property
    def grants_pools(self) -> bool:
        return self.role == Role.STORAGE

    @property
    def administers(self) -> bool:
        return self.role == Role.ADMINISTRATOR


class Invitation(models.Model):
    """A link by which somebody sets a password, once: a new person, or one whose old password counts no more.

    Of the link only a digest is kept. ``person`` is empty for the first administrator, who also chooses a name.
    """

    digest = models.CharField(max_length=64, unique=True)
    person = models.ForeignKey(User, null=True, on_delete=models.CASCADE, related_name="invitations")
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"invitation of {self.person or 'the first administrator'}"


class SignIn(models.Model):
    """A browser in which a person is signed in; it ends with its session."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="sign_ins")
    session_key = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=64)
    browser = models.CharField(max_length=200)
    began_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(default=now)

    def __str__(self) -> str:
        return f"{self.person} from {self.address}"


class ApiToken(models.Model):
    """What a program of a person signs in with. Of the token itself only a digest is kept."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=64)
    # What it may do: as much as its person, or read only.
    reads_only = models.BooleanField(default=True)
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "name"], name="token_named_once")]

    def __str__(self) -> str:
        return f"token {self.name} of {self.person}"


class SavedView(models.Model):
    """The filters and order of a list that a person keeps under a name, as its address has them."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="saved_views")
    page = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    query = models.CharField(max_length=500, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "page", "name"], name="saved_view_once")]

    def __str__(self) -> str:
        return f"{self.name} of {self.page}"
