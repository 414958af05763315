"""Policies for disks that a lot makes: written down as it starts, given as soon as a reading tells of each disk."""

from __future__ import annotations

from movelot.inventory.models import Policy, PolicyWish
from movelot.lots.models import Lot
from movelot.lots.steps.machine_disks import AddDisk


def wish_policies(lot: Lot) -> None:
    """Write down which policy each disk that ``lot`` adds is to have, by the key under which its host makes it."""
    wanted = {
        step.key: step.params["policy"] for step in lot.steps.filter(kind=AddDisk.kind) if step.params.get("policy")
    }
    known = set(Policy.objects.filter(pk__in=wanted.values(), retired_at=None).values_list("pk", flat=True))
    by = lot.created_by.username if lot.created_by else ""
    rows = [PolicyWish(key=key, policy_id=policy, by=by) for key, policy in wanted.items() if policy in known]
    PolicyWish.objects.bulk_create(rows, ignore_conflicts=True)
