"""Hours in which a group keeps still: what people draft then moves nothing unheard."""

from __future__ import annotations

from collections.abc import Iterator

from movelot.inventory.models import BalanceGroup, WayOfWorking
from movelot.lots.kinds import WARN, Check


def still_now(group: BalanceGroup) -> Iterator[Check]:
    """A warning where the way in force says that nothing of the group moves: who runs the lot all the same may."""
    way = group.in_force
    if way is None or way.does != WayOfWorking.Does.STILL:
        return
    ends = f" until {group.until_text} ({group.zone})" if group.until_text else ""
    text = f"{group.name} keeps still{ends}: “{way.name}” is in force, in which nothing is to move."
    yield Check("hours of the group", WARN, text)
