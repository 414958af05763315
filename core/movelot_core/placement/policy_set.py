"""What is to be said of policies together: which allow the same places, and whose room is used up first.

Worked example: Records is served by slate-01 and slate-02, which have 400 and 600 GiB below their ceilings and grow by
10 and 15 GiB a day: 1,000 GiB last 40 days. Scratch is served by sand-03 alone, 300 GiB, 2 a day: 150 days. Records is
first.
"""

from __future__ import annotations

from collections.abc import Mapping, Set


def alike(served: Mapping[int, Set[int]]) -> list[list[int]]:
    """Policies, by key, that the same places serve, together where there are several; without those served nowhere."""
    together: dict[frozenset[int], list[int]] = {}
    for policy in sorted(served):
        if served[policy]:
            together.setdefault(frozenset(served[policy]), []).append(policy)
    return [policies for policies in together.values() if len(policies) > 1]


def days_left(
    places: Set[int], room_bytes: Mapping[int, int], growth_bytes_per_day: Mapping[int, float]
) -> float | None:
    """Days until the places that serve a policy are full to their ceilings, as they grow; None where they do not grow.

    Room below the ceilings counts together, as disks may go to any of them; a place that shrinks counts as one that
    stays as it is.
    """
    growth = sum(max(0.0, growth_bytes_per_day.get(place, 0.0)) for place in places)
    if growth <= 0 or not places:
        return None
    return sum(max(0, room_bytes.get(place, 0)) for place in places) / growth
