"""Links by which people set their passwords: nobody ever knows the password of somebody else."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils.timezone import now

from movelot.accounts.models import Invitation, Role, SignIn, User
from movelot.accounts.once import digest_of, new_secret
from movelot.problems import Problem

VALID = timedelta(days=7)


def invite(person: User | None) -> str:
    """A new link's secret; older links of this person count no more."""
    secret = new_secret()
    with transaction.atomic():
        Invitation.objects.filter(person=person).delete()
        Invitation.objects.create(person=person, digest=digest_of(secret), expires_at=now() + VALID)
    return secret


def invite_the_first() -> str | None:
    """The secret for the first administrator; None once there is one."""
    return None if _administered() else invite(None)


def _administered() -> bool:
    return User.objects.filter(role=Role.ADMINISTRATOR, is_active=True).exists()


def invitation_of(secret: str) -> Invitation:
    """Problem 404 for a link that was used, is too old, or never was."""
    found = Invitation.objects.select_related("person").filter(digest=digest_of(secret), expires_at__gt=now()).first()
    # The first administrator is invited only for as long as there is none.
    if found is None or (found.person is None and _administered()):
        hint = "A link works once, within seven days. Ask an administrator for a new one."
        raise Problem(404, "link_used", "This link is not valid any more.", "Nothing was changed.", hint)
    return found


def demand_good_password(password: str, person: User | None) -> None:
    """Problem 422 with what is wrong with a password."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        message = "This password cannot be used."
        raise Problem(422, "password_weak", message, " ".join(error.messages), "Choose another one.") from error


def accept(secret: str, name: str, password: str) -> User:
    """Set the password of who was invited; the first administrator comes into being by it."""
    with transaction.atomic():
        found = invitation_of(secret)
        person = found.person or _first(name)
        demand_good_password(password, person)
        person.set_password(password)
        person.save()
        end_sign_ins(person)
        # Whoever deletes it is the one who used it: of two at once the second finds none.
        if not Invitation.objects.filter(pk=found.pk).delete()[0]:
            raise Problem(409, "link_used", "This link was used a moment ago.", "Nothing was changed.")
    return person


def _first(name: str) -> User:
    person = User(username=name, role=Role.ADMINISTRATOR)
    try:
        person.clean_fields(exclude=["password"])
    except ValidationError as error:
        raise Problem(
            422, "name_odd", "This name cannot be used.", " ".join(error.messages), "Choose another."
        ) from error
    return person


def end_sign_ins(person: User, but: str = "") -> None:
    """End all sessions of a person, but the one with this key."""
    rows = SignIn.objects.filter(person=person).exclude(session_key=but)
    keys = list(rows.values_list("session_key", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    rows.delete()
