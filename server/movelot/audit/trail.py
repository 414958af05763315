"""Writing to the audit trail, and proving that nothing in it was changed since."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from django.utils.timezone import now

from movelot.audit.models import Entry, Head

SECRET = ("password", "secret", "token", "sealed")
HIDDEN = "(not written down)"
TEXT_MAX = 2000


PROVEN_AT_ONCE = 2000


@dataclass
class Changed:
    """What a request changed, as its view tells: what it is, and what was and is now."""

    subject: str
    before: Any = None
    after: Any = None


def tell(request: Any, subject: str, before: Any = None, after: Any = None) -> None:
    """Have the entry of this request name its subject, and what was before and is after."""
    http = getattr(request, "_request", request)
    http.audit = Changed(subject, before, after)


def add(request: HttpRequest, user: Any, what: str, told: Changed) -> Entry:
    """Add an entry for a request that changed something."""
    entry = Entry(
        at=now(),
        who=user.get_username() or "nobody",
        role=str(getattr(user, "role", "")),
        address=str(request.META.get("REMOTE_ADDR", ""))[:64],
        what=what[:64],
        subject=told.subject[:200],
        before=clean(told.before),
        after=clean(told.after),
    )
    with transaction.atomic():
        chain(entry, locked_head())
    return entry


def locked_head() -> Head:
    """The head, locked until the transaction ends."""
    # A migration made it: two who make it at once would wait for one another.
    head, _made = Head.objects.select_for_update().get_or_create(pk=1)
    return head


def chain(entry: Entry, head: Head) -> None:
    """Add an entry at the end of the chain, whose ``head`` is locked."""
    entry.previous = head.digest
    entry.digest = digest_of(entry)
    entry.save()
    head.digest, head.entries = entry.digest, head.entries + 1
    head.save()


def digest_of(entry: Entry) -> str:
    """SHA-256 over all of an entry and the digest before it."""
    moment = entry.at.isoformat(timespec="microseconds")
    told: list[Any] = [entry.previous, moment, entry.who, entry.role, entry.address, entry.what, entry.subject]
    told += [entry.before, entry.after]
    return hashlib.sha256(json.dumps(told, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def clean(value: Any) -> Any:
    """A value without secrets, and with long texts cut: an entry tells what changed, not whole files."""
    if isinstance(value, Mapping):
        return {
            str(name): HIDDEN if any(word in str(name).lower() for word in SECRET) else clean(part)
            for name, part in value.items()
        }
    if isinstance(value, (list, tuple)):
        return [clean(part) for part in value[:200]]
    if isinstance(value, str):
        return value if len(value) <= TEXT_MAX else f"{value[:TEXT_MAX]}…"
    return value if isinstance(value, (int, float, bool, type(None))) else str(value)


@dataclass(frozen=True)
class Proof:
    """Whether the chain is whole: how many entries were looked at, and the first that does not fit.

    ``cut`` entries before these are kept no longer.
    """

    entries: int
    broken_at: int | None
    cut: int


def prove(progress: Callable[[int], None] = lambda done: None) -> Proof:
    """Compute the whole chain anew, telling how many entries were looked at. What is added meanwhile is left out."""
    while True:
        head = Head.objects.get_or_create(pk=1)[0]
        proof = _proven(head, progress)
        # Where older entries were cut off meanwhile, what was looked at began too early.
        if proof.broken_at is None or Head.objects.filter(pk=1, cut=head.cut).exists():
            return proof


def _proven(head: Head, progress: Callable[[int], None]) -> Proof:
    previous, count, expected = head.cut_digest, 0, head.entries - head.cut
    for entry in Entry.objects.order_by("pk")[:expected].iterator(chunk_size=PROVEN_AT_ONCE):
        count += 1
        if count % PROVEN_AT_ONCE == 0:
            progress(count)
        if entry.previous != previous or entry.digest != digest_of(entry):
            return Proof(count, entry.pk, head.cut)
        previous = entry.digest
    # Else the last entries are missing.
    whole = count == expected and previous == head.digest
    return Proof(count, None if whole else 0, head.cut)
