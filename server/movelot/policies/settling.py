"""What brings disks into policy: each by itself, and one plan a group for them and its ceilings."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from pydantic import TypeAdapter

from movelot.findings.judging import keep, kept
from movelot.inventory.known_groups import KnownGroup, known_group
from movelot.inventory.models import BalanceGroup
from movelot.placement.policies import Had
from movelot_core.balance.group import Group, State
from movelot_core.balance.settle import Homeless, settle, settle_whole
from movelot_core.placement.policies import Fit
from movelot_core.units import count_of, format_size

# Another name than what was kept before limits were part of a plan.
NAME = "policies-settled"
REASONS_SAID = 3
Fits = Mapping[int, Mapping[int, Fit]]


@dataclass
class SettlePlan:
    """One plan for a group: ``moves`` are [disk, datastore] by primary keys, ``limits`` [disk, cap, floor] in IOPS.

    Of the disks ``out`` of policy they settle ``settled``: by a place, by limits where they lie, or by both. No plan
    that settles as many moves fewer than ``bound_bytes``. ``over`` counts ceilings that are passed now, of which
    ``left_over`` still are afterwards. ``stays`` says why others stay out, with the least that would let them in.
    """

    group: str
    out: int
    settled: int
    moves: list[list[int]]
    moved_bytes: int
    bound_bytes: int
    over: int
    left_over: int
    stays: list[str]
    limits: list[list[int]]


@dataclass
class KeptPlan:
    """A plan of moves with the digest of all that it rests on: of the same it is not made anew.

    ``limits`` are those of disks that it moves, and of ``lie_well`` others that lack nothing else.
    """

    digest: str
    plan: SettlePlan
    limits: list[list[int]] = field(default_factory=list)
    lie_well: int = 0

    @property
    def whole(self) -> SettlePlan:
        """The plan with its limits."""
        out, settled = self.plan.out + self.lie_well, self.plan.settled + self.lie_well
        return replace(self.plan, out=out, settled=settled, limits=self.limits)


_PLANS = TypeAdapter(list[KeptPlan])


@dataclass(frozen=True)
class Alone:
    """Of a group: its name, where disks that are out may go each by itself, and why others stay, by primary keys."""

    group: str
    moves: Mapping[int, int]
    stays: Mapping[int, str]


def kept_plans() -> list[KeptPlan]:
    """The plans as last judged."""
    row = kept(NAME)
    return _PLANS.validate_json(row.document) if row else []


@dataclass(frozen=True)
class Unsettled:
    """Disks out of policy by primary keys: those ``out`` of their place, and the ``limits`` that any disk lacks.

    Limits are [cap, floor] in IOPS, of disks that lie well and of those that do not.
    """

    out: Mapping[int, Had]
    limits: Mapping[int, tuple[int, int]]


def settle_groups(groups: set[int], unsettled: Unsettled, fits: Fits, rests_on: str) -> dict[int, Alone]:
    """By group, how disks are settled each by itself; the plan for all of a group together is kept."""
    out, limits = unsettled.out, unsettled.limits
    alone, plans = dict[int, Alone](), list[KeptPlan]()
    before = {each.digest: each.plan for each in kept_plans()}
    for row in BalanceGroup.objects.filter(pk__in=groups).order_by("name") if out or limits else ():
        known = known_group(row)
        # Those that lie well and lack limits alone.
        unlimited = [key for key in known.disk_keys if key in limits and key not in out]
        numbers = np.array([n for n, disk in enumerate(known.disk_keys) if disk in out], dtype=np.int64)
        if numbers.size:
            told = _Why(known, out, fits)
            # A policy may ask for storage of another kind than where a disk lies.
            group = known.crossing(numbers)
            alone[row.pk] = _alone(known, group, numbers, told)
            digest = hashlib.blake2b(group.digest.encode() + numbers.tobytes()).hexdigest()
            plan = before.get(digest) or _whole(known, group, numbers, told)
            moved = [disk for disk, _store in plan.moves if disk in out and disk in limits]
            lacking = [[disk, *limits[disk]] for disk in (*unlimited, *moved)]
            plans.append(KeptPlan(digest, plan, lacking, len(unlimited)))
        elif unlimited:
            lacking = [[disk, *limits[disk]] for disk in unlimited]
            plans.append(KeptPlan("", SettlePlan(row.name, 0, 0, [], 0, 0, 0, 0, [], []), lacking, len(unlimited)))
    keep(NAME, rests_on, _PLANS.dump_python(plans, mode="json"))
    return alone


def _alone(known: KnownGroup, group: Group, numbers: np.ndarray, told: _Why) -> Alone:
    plan = settle(group, numbers)
    moves = {known.disk_keys[disk]: known.store_keys[store] for disk, store in plan.moves}
    return Alone(known.row.name, moves, told.of(plan.pinned, plan.homeless))


def _whole(known: KnownGroup, group: Group, numbers: np.ndarray, told: _Why) -> SettlePlan:
    made = settle_whole(group, numbers)
    plan = made.plan
    stays = told.of(made.pinned, made.homeless)
    return SettlePlan(
        group=known.row.name,
        out=len(numbers),
        settled=made.settled,
        moves=[[known.disk_keys[move.disk], known.store_keys[move.target]] for move in plan.moves],
        moved_bytes=int(plan.moved_bytes),
        bound_bytes=int(plan.bound_bytes),
        over=_passed(plan.before),
        left_over=_passed(plan.after),
        stays=reasons(list(stays.values())),
        limits=[],
    )


def _passed(state: State) -> int:
    """How many ceilings are passed: of datastores, and of pools at any hour."""
    return int(state.over_fill.sum() + state.over_latency.any(axis=1).sum())


def reasons(said: Sequence[str]) -> list[str]:
    """Why disks stay, the most frequent first, each with how many it is of."""
    return [
        count_of(count, f"stays, as {why}", f"stay, as {why}") for why, count in Counter(said).most_common(REASONS_SAID)
    ]


class _Why:
    """Why disks of a group stay out of policy, with the least that would let them in."""

    def __init__(self, known: KnownGroup, out: Mapping[int, Had], fits: Fits) -> None:
        self.known, self.out, self.fits = known, out, fits

    def of(self, pinned: Sequence[int], homeless: Sequence[Homeless]) -> dict[int, str]:
        """By primary key of the disk."""
        keys = self.known.disk_keys
        return {keys[disk]: "it is pinned" for disk in pinned} | {
            keys[each.disk]: self._homeless(each) for each in homeless
        }

    def _homeless(self, each: Homeless) -> str:
        if each.nearest is None:
            return f"no datastore of its group serves it{self._nearest(self.known.disk_keys[each.disk])}"
        name = self.known.group.datastores[each.nearest]
        if each.short_bytes:
            return f"{name} would need {format_size(each.short_bytes)} more room"
        return f"the pool of {name} would be too slow or have more load than is known of it, or a rule keeps it away"

    def _nearest(self, disk: int) -> str:
        """The datastore of the group that lacks least for the disk's policy, and what."""
        found = self.fits[self.out[disk].policy or 0]
        names = dict(zip(self.known.store_keys, self.known.group.datastores, strict=True))
        lacking = [key for key in names if key in found and found[key].lacks]
        nearest = min(lacking, key=lambda key: (found[key].missed, names[key]), default=None)
        return f"; nearest is {names[nearest]}: {found[nearest].reasons[0]}" if nearest is not None else ""
