"""Storing what policies ask: each change is a version."""

from __future__ import annotations

from movelot.inventory.changes import people_said
from movelot.inventory.models import Policy, PolicyVersion
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


def _keep(policy: Policy, asked: Asked, note: str, by: str) -> None:
    PolicyVersion.objects.create(policy=policy, number=policy.number, requirements=asked.documents(), note=note, by=by)
    people_said("policy", policy.pk)
