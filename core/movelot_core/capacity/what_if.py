"""What if: the runway of anything once things happened that people think of, from its forecast as it is.

Worked example: a datastore of 1,000 with a ceiling of 80 % has 600 used and grows by 10 a day: 20 days. If 100 come in
after 5 days, 800 are reached after 10. If 250 are added after 5 days, its ceiling is 1,000 from then on: 40 days.
Room that comes later is counted as its part below the ceiling that is not used: 800 + 0.8 x 250 = 1,000.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from movelot_core.capacity.forecast import Forecast, Runway, changed, runway

# A datastore or a pool: which of these, and its number.
Thing = tuple[str, int]


@dataclass(frozen=True)
class Effect:
    """What happens in so many days: bytes that come into things, and bytes of room for them; both may be negative."""

    in_days: int
    comes: Mapping[Thing, int]
    room: Mapping[Thing, int]

    def on(self, members: frozenset[Thing]) -> tuple[int, int]:
        """Bytes that come, and room, for what consists of ``members``."""
        comes, room = (
            sum(size for thing, size in told.items() if thing in members) for told in (self.comes, self.room)
        )
        return comes, room


@dataclass(frozen=True)
class Standing:
    """What something has used and room for now, in bytes, the share that may be filled, and its forecast if any."""

    used_bytes: int
    capacity_bytes: int
    ceiling: float
    forecast: Forecast | None


@dataclass(frozen=True)
class Then:
    """What something would have used and room for at once, its growth a day, and when its ceiling would be reached."""

    used_bytes: int
    capacity_bytes: int
    growth_bytes: float | None
    runway: Runway


def answered(standing: Standing, members: frozenset[Thing], growth_times: float, effects: Sequence[Effect]) -> Then:
    """How something that consists of ``members`` would stand."""
    used, capacity, arrivals = standing.used_bytes, standing.capacity_bytes, list[tuple[int, float]]()
    for effect in effects:
        comes, room = effect.on(members)
        if effect.in_days <= 0:
            used, capacity = used + comes, max(0, capacity + room)
            arrivals.append((0, float(comes)))
        else:
            arrivals.append((effect.in_days, comes - standing.ceiling * room))
    found = None
    if standing.forecast is not None:
        found = changed(standing.forecast, growth_times, [each for each in arrivals if each[1]])
    reached = runway(found, standing.ceiling * capacity, used)
    return Then(used, capacity, found.growth_bytes if found else None, reached)


def spread(size: int, over: Iterable[tuple[Thing, int]]) -> dict[Thing, int]:
    """``size`` bytes shared out by weight, to the byte; nothing where nothing has any.

    >>> spread(10, [(("datastore", 1), 3), (("datastore", 2), 1)])
    {('datastore', 1): 7, ('datastore', 2): 3}
    """
    shares = [(thing, weight) for thing, weight in over if weight > 0]
    whole, given, found = sum(weight for _thing, weight in shares), 0, dict[Thing, int]()
    for number, (thing, weight) in enumerate(shares):
        found[thing] = size - given if number == len(shares) - 1 else size * weight // whole
        given += found[thing]
    return found
