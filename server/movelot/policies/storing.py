"""Storing what policies ask: each change is a version."""

from __future__ import annotations

from collections.abc import Sequence

from movelot.inventory.changes import people_said
from movelot.inventory.models import Disk, GivenPolicy, Machine, Policy, PolicyVersion
from movelot.placement.policies import asked_by
from movelot_core.placement.policies import Policy as Asked


def make_policy(name: str, asked: Asked, note: str, by: str) -> Policy:
    """A new policy. IntegrityError for a name that is taken."""
    policy = Policy.objects.create(name=name)
    _keep(policy, asked, note, by)
    return policy


def ask_from_now_on(policy: Policy, asked: Asked, note: str, by: str) -> Asked:
    """Have a policy, locked by the caller, ask this as its next version, unless it does so already.

    Returns what it asked before.
    """
    before = asked_by(policy)
    if before != asked:
        policy.number += 1
        policy.save()
        _keep(policy, asked, note, by)
    return before


def give_to_many(policy: Policy | None, machines: Sequence[Machine], disks: Sequence[Disk], by: str) -> None:
    """Give machines and single disks a policy, or take from them what was given to each alone.

    Called in a transaction.
    """
    GivenPolicy.objects.filter(machine__in=machines).delete()
    GivenPolicy.objects.filter(disk__in=disks).delete()
    if policy is not None:
        rows = [GivenPolicy(policy=policy, machine=machine, by=by) for machine in machines]
        rows += [GivenPolicy(policy=policy, disk=disk, by=by) for disk in disks]
        GivenPolicy.objects.bulk_create(rows)
    people_said("policy", policy.pk if policy else 0)


def _keep(policy: Policy, asked: Asked, note: str, by: str) -> None:
    PolicyVersion.objects.create(policy=policy, number=policy.number, requirements=asked.documents(), note=note, by=by)
    people_said("policy", policy.pk)
