"""Importing device links and grants: first every row's outcome without doing anything, then the rows that can be."""

from __future__ import annotations

from dataclasses import dataclass

from movelot.accounts.models import User
from movelot.devices.linking import clean_address, link, probe
from movelot.exchange.rows import LINK, Row
from movelot.inventory.models import Device, Pool
from movelot.placement.grants import grant, quota_of
from movelot.problems import Problem
from movelot_core.errors import CoreError


@dataclass
class Outcome:
    """What becomes of a row: ``done``, ``would`` (be done), ``same`` (is so already) or ``wrong``, with the reason."""

    place: str
    kind: str
    subject: str
    outcome: str
    text: str


def import_rows(rows: list[Row], person: User, dry: bool) -> list[Outcome]:
    """The outcome of each row, in order. Unless ``dry``, rows that can be done are; a wrong row keeps no other back."""
    return [_outcome(row, person, dry) for row in rows]


def _outcome(row: Row, person: User, dry: bool) -> Outcome:
    subject = row.values["address"] if row.kind == LINK else f"{row.values['array']} {row.values['pool']}".strip()
    try:
        if row.missing:
            raise Problem(422, "missing", f"{', '.join(row.missing)} is missing.", hint="Fill it in.")
        state, text = _link(row, dry) if row.kind == LINK else _grant(row, person, dry)
    except Problem as problem:
        return Outcome(row.place, row.kind, subject, "wrong", f"{problem.title} {problem.hint}".strip())
    except CoreError as error:
        return Outcome(row.place, row.kind, subject, "wrong", f"{error.message} {error.hint}".strip())
    return Outcome(row.place, row.kind, subject, state, text)


def _link(row: Row, dry: bool) -> tuple[str, str]:
    """Link the device, or see whether it could be: that it answers and shows the certificate of the row."""
    url, wanted = clean_address(row.values["address"]), row.values["fingerprint"].upper()
    known = Device.objects.filter(url=url).first()
    if known:
        return "same", f"{known.name} is linked already"
    if not dry:
        device = link(url, row.values["user"], row.values["password"], wanted)
        return "done", f"{device.name} is linked"
    shown = probe(url)
    if shown.fingerprint != wanted:
        raise Problem(
            409, "fingerprint_differs", f"It shows {shown.fingerprint}.", hint="Compare the fingerprint at the device."
        )
    return "would", "answers and shows this certificate; the account is proven when it is linked"


def _grant(row: Row, person: User, dry: bool) -> tuple[str, str]:
    if not person.grants_pools:
        raise Problem(403, "not_allowed", "Pools are granted by the storage team.", hint="Ask them to import it.")
    pool = (
        Pool.objects.filter(name=row.values["pool"], device__name=row.values["array"])
        .select_related("device", "grant")
        .first()
    )
    if pool is None:
        message = f"No linked array {row.values['array']} has a pool {row.values['pool']}."
        raise Problem(404, "pool_unknown", message, hint="Link the array first, or correct the name.")
    quota, before = quota_of(pool, row.values["quota"]), getattr(pool, "grant", None)
    words = row.values["quota"] or "whole pool"
    if before and before.quota_bytes == quota:
        return "same", f"granted already: {words}"
    if not dry:
        grant(pool, row.values["quota"], person.username)
        return "done", f"granted: {words}"
    return "would", f"would be granted: {words}"
