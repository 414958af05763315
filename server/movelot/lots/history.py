"""What a draft was before: kept so that a person who acts on an older one is told what became another."""

from __future__ import annotations

from movelot.accounts.models import User
from movelot.audit.trail import clean
from movelot.lots.models import Lot, LotVersion
from movelot.preconditions import ChangedSince, demand

KEPT = 30
READING = "a fresh reading of the devices"


def keep_version(lot: Lot, steps: int, by: User | None) -> None:
    """Write down what the lot is from now on, and let go what is older than anybody looks at."""
    LotVersion.objects.create(lot=lot, digest=lot.version, by=by, form=lot.form, steps=steps)
    old = list(lot.versions.order_by("-pk").values_list("pk", flat=True)[KEPT : KEPT * 2])
    if old:
        LotVersion.objects.filter(pk__in=old).delete()


def demand_seen(lot: Lot, seen: str | None) -> None:
    """Problem 412 when the lot is not what the person saw."""
    demand(seen, lot.version, f"Lot {lot.pk}", lambda version: _since(lot, version))


def _since(lot: Lot, seen: str) -> ChangedSince:
    rows = list(lot.versions.select_related("by").order_by("pk"))
    at = max((n for n, row in enumerate(rows) if row.digest == seen), default=None)
    later = rows if at is None else rows[at + 1 :]
    by = list(dict.fromkeys(row.by.username if row.by else READING for row in later))
    changes = _differences(rows[at], later[-1]) if at is not None and later else []
    return ChangedSince(changes, by, later[-1].at if later else None)


def _differences(before: LotVersion, after: LotVersion) -> list[str]:
    """Each field typed otherwise; where none is, the steps themselves."""
    names = [name for name in {**before.form, **after.form} if before.form.get(name) != after.form.get(name)]
    # Without secrets: of those is only said that they are others.
    was, now_is = clean(before.form), clean(after.form)
    typed = [_typed(name, was.get(name), now_is.get(name)) for name in names]
    if typed:
        return typed
    if before.steps != after.steps:
        return [f"It had {before.steps} steps, has {after.steps}"]
    return ["Its steps are others"]


def _typed(name: str, before: object, after: object) -> str:
    if before == after or not all(isinstance(value, (str, int, float, type(None))) for value in (before, after)):
        return f"{name} is another one"
    return f"{name} was {before or 'not given'}, is {after or 'not given'}"
