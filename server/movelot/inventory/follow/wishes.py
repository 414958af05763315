"""Policies for disks that lots made: given as soon as a reading tells of each."""

from __future__ import annotations

from collections.abc import Mapping

from movelot.inventory.changes import people_said
from movelot.inventory.models import GivenPolicy, PolicyWish


def take_up_wishes(disks: Mapping[str, int]) -> None:
    """Give disks, by the key under which each was made, the policies that were wished for them."""
    wishes = list(PolicyWish.objects.filter(key__in=disks, policy__retired_at=None)) if disks else []
    if not wishes:
        return
    rows = [GivenPolicy(policy_id=wish.policy_id, disk_id=disks[wish.key], by=wish.by) for wish in wishes]
    # Where somebody gave it another one meanwhile, that one stays.
    GivenPolicy.objects.bulk_create(rows, ignore_conflicts=True)
    PolicyWish.objects.filter(pk__in=[wish.pk for wish in wishes]).delete()
    people_said("policy", wishes[0].policy_id)
