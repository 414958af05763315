"""What is found of policies together: which are alike, whose room ends first, defaults that are not served where they
are given, how many disks have none."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from movelot.findings.base import Found, Subject
from movelot.findings.models import Judged
from movelot.inventory.known_groups import growth_name
from movelot.inventory.models import Datastore, GivenPolicy
from movelot.placement.policies import PolicyInForce
from movelot.policies.findings import ALIKE, DEFAULT_UNSERVED, ROOM_ENDS, WITHOUT_POLICY
from movelot.policies.findings.default_unserved import DefaultUnservedEvidence
from movelot.policies.findings.set_of_policies import AlikeEvidence, RoomEndsEvidence, WithoutPolicyEvidence
from movelot_core.placement.facts import PlaceFacts
from movelot_core.placement.policies import Fit
from movelot_core.placement.policy_set import alike, days_left
from movelot_core.placement.requirements.base import Answer

# Further ahead growth says little.
LOOKED_AHEAD_DAYS = 90.0


def of_all(policies: Sequence[PolicyInForce], fits: Mapping[int, Mapping[int, Fit]]) -> Iterator[Found[Any]]:
    """Those alike, each told once, and the policy whose room ends first."""
    served = {
        policy: {store for store, fit in found.items() if fit.answer is Answer.HAS} for policy, found in fits.items()
    }
    named = {policy.row.pk: policy.row.name for policy in policies}
    for keys in alike(served):
        first, *others = keys
        evidence = AlikeEvidence([named[key] for key in others], len(served[first]))
        yield Found(ALIKE, Subject("policy", first, named[first]), evidence, "alike")
    room, growth = _room_and_growth()
    ends = {key: days for key, places in served.items() if (days := days_left(places, room, growth)) is not None}
    soonest = min(ends, key=lambda key: (ends[key], named[key]), default=None)
    if soonest is not None and ends[soonest] < LOOKED_AHEAD_DAYS:
        found = RoomEndsEvidence(round(ends[soonest], 1), len(served[soonest]))
        yield Found(ROOM_ENDS, Subject("policy", soonest, named[soonest]), found, "room")


def unserved_defaults(
    policies: Sequence[PolicyInForce], fits: Mapping[int, Mapping[int, Fit]], places: Iterable[PlaceFacts]
) -> Iterator[Found[DefaultUnservedEvidence]]:
    """Policies that are the default of a datastore or a cluster which does not serve them."""
    named = {policy.row.pk: policy.row.name for policy in policies}
    mounted: dict[str, list[int]] = {}
    for place in places:
        for cluster in place.clusters:
            mounted.setdefault(cluster, []).append(place.key)
    rows = GivenPolicy.objects.filter(policy__in=named).select_related("cluster", "datastore").order_by("pk")
    for row in rows:
        found = fits[row.policy_id]
        there = found.get(row.datastore_id or 0)
        if row.datastore and there and not there.serves:
            evidence = DefaultUnservedEvidence("datastore", row.datastore.name, there.reasons)
        elif row.cluster and not any(found[key].serves for key in mounted.get(row.cluster.name, ())):
            evidence = DefaultUnservedEvidence("cluster", row.cluster.name, [])
        else:
            continue
        subject = Subject("policy", row.policy_id, named[row.policy_id])
        yield Found(DEFAULT_UNSERVED, subject, evidence, f"default of {evidence.scope} {evidence.place}")


def without(disks: int, of: int) -> Iterator[Found[WithoutPolicyEvidence]]:
    """How many disks have no policy, where any has one."""
    if disks and disks < of:
        yield Found(WITHOUT_POLICY, Subject("disks", None, "disks"), WithoutPolicyEvidence(disks, of), "without")


def _room_and_growth() -> tuple[dict[int, int], dict[int, float]]:
    """By datastore: bytes below the ceiling of its group, and bytes that it grows by a day."""
    rows = Datastore.objects.filter(membership__isnull=False).values_list(
        "pk", "capacity_bytes", "free_bytes", "membership__group__fill_ceiling", "membership__group_id"
    )
    room, groups = dict[int, int](), set[int]()
    for key, capacity, free, ceiling, group in rows:
        room[key] = int(capacity * ceiling) - (capacity - free)
        groups.add(group)
    growth: dict[int, float] = {}
    for document in Judged.objects.filter(name__in=map(growth_name, groups)).values_list("document", flat=True):
        growth |= {int(key): slope for key, slope in json.loads(document).items() if slope is not None}
    return room, growth
