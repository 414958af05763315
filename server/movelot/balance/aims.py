"""What is wanted of a group: each aim has a planner of core, the title of its lots, and what it says of a plan."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import ClassVar, Literal

from movelot.inventory.known_groups import KnownGroup
from movelot.placement.copies import rates_of
from movelot.placement.homeless import why_homeless
from movelot_core.balance.clear import STEPS, clear
from movelot_core.balance.even import TIMES, even_out
from movelot_core.balance.order import order_moves
from movelot_core.balance.plan import Plan, Spared
from movelot_core.balance.settle import left_there
from movelot_core.balance.worth import GAIN_FLOOR
from movelot_core.latency import Floats
from movelot_core.solver import Budget
from movelot_core.units import count_of, format_size

AimName = Literal["clear", "even"]


@dataclass(frozen=True)
class KeptPlan:
    """A plan for a group, whose values ``digest`` tells from any others.

    ``moves`` are [disk, datastore] by their primary keys; no plan reaches as much with less than ``bound_bytes``. What
    is left ``over`` ceilings, ``least_over`` and ``spared_over`` are shares of these. One that was ``halted`` is the
    best that was found until somebody asked to end. With it done, the ``fullest`` datastore has that fill and the
    ``slowest`` pool that latency at its slowest hour. From ``least_gain`` on it is of one that evens out: for which
    gain it was made, what clearing alone moves, and the highest before and after. ``stays`` says what does not leave
    datastores that are held empty.
    """

    digest: str
    moves: list[list[int]]
    moved_bytes: int
    bound_bytes: int
    halted: bool = False
    over: float = 0.0
    least_over: float = 0.0
    spared_disks: int = 0
    spared_bytes: int = 0
    spared_over: float = 0.0
    takes_seconds: float = 0.0
    fullest: str = ""
    fullest_fill: float = 0.0
    slowest: str = ""
    slowest_ms: float = 0.0
    least_gain: float = 0.0
    cleared_bytes: int = 0
    highest_fill: list[float] = field(default_factory=list)
    highest_load: list[float] = field(default_factory=list)
    stays: list[str] = field(default_factory=list)


class Aim(ABC):
    """One thing that may be wanted of a group."""

    name: ClassVar[AimName]
    # What it is called where plans are side by side.
    called: ClassVar[str]
    # Of the planner's budget.
    steps: ClassVar[float]

    def kept_as(self, group: int) -> str:
        """Under which name the plan of a group is kept."""
        return f"plan-{group}-{self.name}"

    @abstractmethod
    def planned(self, found: KnownGroup, budget: Budget) -> KeptPlan:
        """The plan for a group as last read."""

    def serves(self, plan: KeptPlan) -> bool:
        """Whether a kept plan was made for just this."""
        return True

    def title(self, over: list[str], group: str) -> str | None:
        """What a lot with its plan does, where ``over`` are over their ceilings; None where its moves say it best."""
        return f"Clear {' and '.join(over[:3])}" if over else None

    def remarks(self, plan: KeptPlan) -> list[str]:
        """What cannot leave; of what stays over its ceilings the least there can be, and what was not worth moving."""
        said = list(plan.stays)
        if plan.over > 0:
            least = f"; no plan leaves less than {_percent(plan.least_over)}" if plan.least_over > 0 else ""
            said.append(f"What stays over comes to {_percent(plan.over)} of a ceiling in all{least}.")
        if plan.spared_disks:
            said.append(
                f"{count_of(plan.spared_disks, 'disk')} of {format_size(plan.spared_bytes)} could bring that down by "
                f"{_percent(plan.spared_over)}, less than {_percent(GAIN_FLOOR)} for each TiB: not worth the copies."
            )
        return said


class Clear(Aim):
    """No more over the ceilings than has to be, with the least bytes."""

    name, called, steps = "clear", "Clear only", STEPS

    def planned(self, found: KnownGroup, budget: Budget) -> KeptPlan:
        return _kept(found, clear(found.trading, found.leaving, budget), budget)


@dataclass(frozen=True)
class Even(Aim):
    """Beside that the highest fill and load lowered, while it gains so many points for each TiB."""

    least_gain: float

    name, called, steps = "even", "Clear and even out", TIMES * STEPS

    def planned(self, found: KnownGroup, budget: Budget) -> KeptPlan:
        evened = even_out(found.trading, budget, self.least_gain, found.leaving)
        return replace(
            _kept(found, evened.plan, budget),
            least_gain=self.least_gain,
            cleared_bytes=int(evened.cleared.moved_bytes),
            highest_fill=[evened.before.fill, evened.after.fill],
            highest_load=[evened.before.load, evened.after.load],
        )

    def serves(self, plan: KeptPlan) -> bool:
        return plan.least_gain == self.least_gain

    def title(self, over: list[str], group: str) -> str:
        clears = super().title(over, group)
        return f"{clears} and even out" if clears else f"Even out {group}"

    def remarks(self, plan: KeptPlan) -> list[str]:
        return [self._gained(plan), *super().remarks(plan)]

    def _gained(self, plan: KeptPlan) -> str:
        said = [
            f"the highest {what} falls from {_percent(before)} to {_percent(after)}{of}"
            for what, (before, after), of in (
                ("fill", plan.highest_fill, ""),
                ("load", plan.highest_load, " of what its pool bears"),
            )
            if before - after > EVEN_SAID
        ]
        if not said:
            points = f"{self.least_gain:g} point{'' if self.least_gain == 1 else 's'}"
            return f"Nothing moves to even out: it would gain less than {points} for each TiB."
        more = plan.moved_bytes - plan.cleared_bytes
        bytes_ = f"for {format_size(more)} more than clearing moves" if more > 0 else "for no more than clearing moves"
        return f"Evened out: {' and '.join(said)}, {bytes_}."


# Of what stays on datastores that are held empty so much is named.
STAYS_SAID = 4
# A fall below this share is not told.
EVEN_SAID = 5e-4


# Each aim by its name, made with the least gain that is asked for; the first is the one that every group is judged by.
AIMS: dict[AimName, Callable[[float], Aim]] = {Clear.name: lambda _gain: Clear(), Even.name: Even}


def aim_of(name: AimName, least_gain: float) -> Aim:
    """The aim that a form names."""
    return AIMS[name](least_gain)


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %"


def _kept(found: KnownGroup, made: Plan, budget: Budget) -> KeptPlan:
    spared, group, after = made.spared or Spared(0, 0, 0.0), found.trading, made.after
    ordered = order_moves(group, made.moves, rates_of(found))
    fullest, fullest_fill = _highest(group.datastores, after.fill)
    slowest, slowest_ms = _highest(group.pools, after.peak_ms)
    return KeptPlan(
        digest=found.digest,
        moves=[[found.disk_keys[move.disk], found.store_keys[move.target]] for move in made.moves],
        moved_bytes=int(made.moved_bytes),
        bound_bytes=int(made.bound_bytes),
        halted=budget.halted,
        over=made.over,
        least_over=made.least_over,
        spared_disks=spared.disks,
        spared_bytes=spared.size_bytes,
        spared_over=spared.over,
        takes_seconds=max((step.slot.end for step in ordered), default=0.0),
        fullest=fullest,
        fullest_fill=fullest_fill,
        slowest=slowest,
        slowest_ms=slowest_ms,
        stays=list(_stays(found, made)),
    )


def _stays(found: KnownGroup, made: Plan) -> Iterator[str]:
    """What does not leave a datastore that is held empty, and the least that would let it."""
    group = found.trading
    homeless, pinned = left_there(group, made, found.leaving)
    for disk in pinned[:STAYS_SAID]:
        yield f"{group.disks[disk]} stays on {group.datastores[group.place[disk]]}: a rule, or somebody, pins it there."
    for each in homeless[:STAYS_SAID]:
        where = group.datastores[group.place[each.disk]]
        yield f"{group.disks[each.disk]} stays on {where}: {why_homeless(group, each)}."
    more = sum(max(0, len(some) - STAYS_SAID) for some in (pinned, homeless))
    if more:
        yield f"So {'does' if more == 1 else 'do'} {count_of(more, 'other disk')}."


def _highest(names: Sequence[str], values: Floats) -> tuple[str, float]:
    """Whose value is the highest, and that value; of a group without any nobody's."""
    if not names:
        return "", 0.0
    place = int(values.argmax())
    return names[place], float(values[place])
