"""Storing what policies ask: each change is a version."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

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


def _machines(keys: Sequence[int]) -> Iterable[Machine]:
    return Machine.objects.filter(pk__in=keys).order_by("name")


def _disks(keys: Sequence[int]) -> Iterable[Disk]:
    return Disk.objects.filter(pk__in=keys).order_by("name")


@dataclass(frozen=True)
class Scope:
    """What a policy is given to by selection: the field of GivenPolicy, how that is found, and how people call it."""

    field: str
    found: Callable[[Sequence[int]], Iterable[Disk | Machine]]
    words: str = "{}"


# By the name under which things are chosen: whole machines, their own files, their snapshots, single disks.
MANY_SCOPES = {
    "machines": Scope("machine", _machines),
    "files_of": Scope("files_of", _machines, "own files of {}"),
    "snapshots_of": Scope("snapshots_of", _machines, "snapshots of {}"),
    "disks": Scope("disk", _disks),
}


def give_to_many(policy: Policy | None, chosen: Mapping[str, Sequence[Disk | Machine]], by: str) -> None:
    """Give what is chosen, by scope, a policy, or take from it what was given to each alone.

    Called in a transaction.
    """
    for name, things in chosen.items():
        scope = MANY_SCOPES[name].field
        GivenPolicy.objects.filter(**{f"{scope}__in": things}).delete()
        if policy is not None:
            GivenPolicy.objects.bulk_create(GivenPolicy(policy=policy, by=by, **{scope: each}) for each in things)
    people_said("policy", policy.pk if policy else 0)


def _keep(policy: Policy, asked: Asked, note: str, by: str) -> None:
    PolicyVersion.objects.create(policy=policy, number=policy.number, requirements=asked.documents(), note=note, by=by)
    people_said("policy", policy.pk)
