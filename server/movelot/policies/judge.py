"""Judging policies: which places serve each, how each disk stands to its own, and what settles those that are out."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from movelot.findings.base import Found, Subject
from movelot.findings.judging import Judge, keep, let_go
from movelot.inventory.bulk import insert
from movelot.inventory.changes import Aspect, Change, tell
from movelot.inventory.models import Compliance, PastCompliance, PolicyPlace
from movelot.inventory.versions import renew, version
from movelot.placement.kept_places import NAME as PLACES
from movelot.placement.kept_places import keep_places
from movelot.placement.places import Place, places
from movelot.placement.policies import Given, Had, PolicyInForce, fits_of, policies_had, policies_in_force, stands
from movelot.policies.answers import BOARD, board
from movelot.policies.findings import FITS_NOWHERE, LIMITS_MISSING, OUT_OF_POLICY
from movelot.policies.findings.fits_nowhere import FitsNowhereEvidence
from movelot.policies.findings.limits_missing import LimitsMissingEvidence
from movelot.policies.findings.out_of_policy import OutOfPolicyEvidence
from movelot.policies.parts import PartJudge, PartStanding, keep_parts
from movelot.policies.settling import NAME as SETTLING
from movelot.policies.settling import Alone, Unsettled, reasons, settle_groups
from movelot.policies.together import of_all, unserved_defaults, without
from movelot_core.placement.policies import Fit
from movelot_core.placement.policies import Policy as Asked
from movelot_core.placement.requirements.base import Answer

Fits = Mapping[int, Mapping[int, Fit]]
NAMES_SAID = 3
# As many disks as one lot limits.
LIMITED_AT_ONCE = 200


class PolicyJudge(Judge):
    """One scope: a label or a policy may touch any disk."""

    name = "policies"
    aspects = frozenset({Aspect.FABRIC, Aspect.SPACE, Aspect.PEAKS, Aspect.SAID})

    def judge(self, scope: str, moment: datetime) -> Iterable[Found[Any]]:
        policies = policies_in_force()
        if not policies:
            # Most installations have none at first: nothing is worked out for nobody.
            let_go(PLACES, BOARD, SETTLING)
            if _keep({}, [], [], moment):
                renew([str(Aspect.POLICY)])
            return []
        known = places()
        seen_at = version(*map(str, sorted(self.aspects)))
        keep_places(known, seen_at)
        facts = {place.facts.key: place.facts for place in known}
        fits = {policy.row.pk: fits_of(policy.asked, facts) for policy in policies}
        asked = {policy.row.pk: policy.asked for policy in policies}
        given = Given()
        all_disks = policies_had(given)
        disks = [_standing(had, fits, asked) for had in all_disks if had.policy is not None]
        of_parts = PartJudge(policies, facts)
        parts = of_parts.judged(given, all_disks)
        if _keep(fits, disks, parts, moment):
            # Here as well, where a transaction around this one is not over yet.
            renew([str(Aspect.POLICY)])
        unsettled = Unsettled(_misplaced(disks), _limits_lacking(disks, asked))
        settled = settle_groups({place.group for place in known if place.group}, unsettled, fits, seen_at)
        keep(BOARD, seen_at, asdict(board()))
        return [
            *_nowhere(policies, fits, facts, disks),
            *_out(policies, fits, known, disks, settled),
            *of_parts.out(parts),
            *_unlimited(policies, disks),
            *of_all(policies, fits),
            *unserved_defaults(policies, fits, facts.values()),
            *without(len(all_disks) - len(disks), len(all_disks)),
        ]


@dataclass(frozen=True)
class Standing:
    """A disk with its policy, how it stands to that and why; ``lacking`` where only something set on it is missing."""

    had: Had
    state: Compliance.State
    reason: str
    lacking: Sequence[str]


def _standing(had: Had, fits: Fits, asked: Mapping[int, Asked]) -> Standing:
    found = fits[had.policy or 0].get(had.store or 0)
    lacking = asked[had.policy or 0].lacking(had.facts) if found and found.answer is Answer.HAS else []
    return Standing(had, *stands(found, lacking), lacking)


@transaction.atomic
def _keep(fits: Fits, disks: Sequence[Standing], parts: Sequence[PartStanding], moment: datetime) -> bool:
    """Store which places serve which policy, and how each disk and part stands: only what is another one is written.

    Returns whether any was, which is told to who plans by it.
    """
    changed = _keep_places(fits)
    # What is planned is planned for disks alone.
    keep_parts(parts, moment)
    columns = "policy_id", "state", "because", "reason"
    stored = Compliance.objects.values_list("disk_id", "since", *columns)
    began = dict[int, datetime]()
    before = dict[int, list[Any]]()
    for disk, since, *told in stored:
        began[disk], before[disk] = since, told
    rows, moved = list[dict[str, Any]](), list[dict[str, Any]]()
    past = list[dict[str, Any]]()
    for each in disks:
        had = each.had
        told = [had.policy, str(each.state), str(had.because), each.reason]
        old = before.pop(had.disk, None)
        if old != told:
            row = {"disk_id": had.disk, **dict(zip(columns, told, strict=True)), "since": moment}
            # Since when stays for as long as it stands so to the same policy.
            other = old is None or old[:2] != told[:2]
            (rows if other else moved).append(row)
            if old is not None and other:
                past.append(_past(had.disk, old, began[had.disk], moment))
    past += [_past(disk, old, began[disk], moment) for disk, old in before.items()]
    insert(PastCompliance, past)
    Compliance.objects.filter(disk__in=before).delete()
    insert(Compliance, rows, (*columns, "since"))
    insert(Compliance, moved, columns)
    if not (changed or before or rows or moved):
        return False
    tell([Change(Aspect.POLICY, "policy", 0)])
    return True


def _past(disk: int, told: Sequence[Any], since: datetime, until: datetime) -> dict[str, Any]:
    """How a disk stood until now, as a row."""
    policy, state, _because, reason = told
    return {"disk_id": disk, "policy_id": policy, "state": state, "reason": reason, "since": since, "until": until}


def _keep_places(fits: Fits) -> bool:
    columns = "policy_id", "datastore_id", "answer", "reasons", "pk"
    before = {(policy, store): told for policy, store, *told in PolicyPlace.objects.values_list(*columns)}
    rows = []
    for policy, found in fits.items():
        for store, fit in found.items():
            told = [str(fit.answer), fit.reasons]
            if before.pop((policy, store), [])[:2] != told:
                rows.append(dict(zip(columns, (policy, store, *told), strict=False)))
    PolicyPlace.objects.filter(pk__in=[key for *_told, key in before.values()]).delete()
    insert(PolicyPlace, rows, ("answer", "reasons"))
    return bool(before or rows)


def _nowhere(
    policies: Sequence[PolicyInForce], fits: Fits, facts: Mapping[int, Any], disks: Sequence[Standing]
) -> Iterator[Found[FitsNowhereEvidence]]:
    counts = Counter(each.had.policy for each in disks)
    for policy in policies:
        found = fits[policy.row.pk]
        if any(fit.serves for fit in found.values()):
            continue
        nearest = min(found, key=lambda store: found[store].missed, default=None)
        name, lacks = (facts[nearest].name, found[nearest].reasons) if nearest is not None else ("", [])
        evidence = FitsNowhereEvidence(counts[policy.row.pk], name, lacks)
        yield Found(FITS_NOWHERE, Subject("policy", policy.row.pk, policy.row.name), evidence)


def _misplaced(disks: Sequence[Standing]) -> dict[int, Had]:
    """By primary key, those that lie where their policy is not served."""
    return {each.had.disk: each.had for each in disks if each.state is Compliance.State.OUT and not each.lacking}


def _limits_lacking(disks: Sequence[Standing], asked: Mapping[int, Asked]) -> dict[int, tuple[int, int]]:
    """By primary key of disks that have other limits than their policy asks: the cap and the floor of that."""
    limits = {policy: each.limits() for policy, each in asked.items()}
    return {
        each.had.disk: limits[each.had.policy]
        for each in disks
        # Most policies ask none: their disks are not looked at again.
        if each.had.policy is not None
        and any(limits[each.had.policy])
        and asked[each.had.policy].lacking(each.had.facts)
    }


def _out(
    policies: Sequence[PolicyInForce],
    fits: Fits,
    known: Sequence[Place],
    disks: Sequence[Standing],
    settled: Mapping[int, Alone],
) -> Iterator[Found[OutOfPolicyEvidence]]:
    """A finding for each policy on each datastore that does not serve it."""
    out: dict[tuple[int, int], list[Had]] = defaultdict(list)
    for had in _misplaced(disks).values():
        out[had.policy or 0, had.store or 0].append(had)
    by_store = {place.facts.key: place for place in known}
    named = {policy.row.pk: policy.row.name for policy in policies}
    for (policy, store), there in sorted(out.items()):
        place = by_store[store]
        alone = settled.get(place.group or 0, Alone("", {}, {}))
        mine = [had.disk for had in there]
        evidence = OutOfPolicyEvidence(
            datastore=place.facts.name,
            disks=len(there),
            size_bytes=sum(had.size_bytes for had in there),
            names=[had.name for had in there[:NAMES_SAID]],
            lacks=fits[policy][store].reasons,
            group=alone.group,
            moves=[[disk, alone.moves[disk]] for disk in mine if disk in alone.moves],
            stays=reasons([alone.stays[disk] for disk in mine if disk in alone.stays]),
        )
        yield Found(OUT_OF_POLICY, Subject("policy", policy, named[policy]), evidence, place.facts.name)


def _unlimited(policies: Sequence[PolicyInForce], disks: Sequence[Standing]) -> Iterator[Found[LimitsMissingEvidence]]:
    """A finding for each policy whose disks lie well and have other limits than it asks."""
    missing: dict[int, list[Standing]] = defaultdict(list)
    for each in disks:
        if each.lacking:
            missing[each.had.policy or 0].append(each)
    for policy in policies:
        there = missing.get(policy.row.pk)
        if there:
            cap, floor = policy.asked.limits()
            evidence = LimitsMissingEvidence(
                len(there),
                [each.had.name for each in there[:NAMES_SAID]],
                sorted({text for each in there for text in each.lacking})[:NAMES_SAID],
                [each.had.disk for each in there[:LIMITED_AT_ONCE]],
                cap,
                floor,
            )
            yield Found(LIMITS_MISSING, Subject("policy", policy.row.pk, policy.row.name), evidence, "limits")
