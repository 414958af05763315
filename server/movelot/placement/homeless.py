"""Why a disk that has to leave finds no place, in words."""

from __future__ import annotations

from movelot_core.balance.group import Group
from movelot_core.balance.settle import Homeless
from movelot_core.units import format_size


def why_homeless(group: Group, each: Homeless) -> str:
    """With the least that would let it, where it is room that lacks."""
    if each.nearest is None:
        return "no other datastore of its group serves its policy and is mounted by all hosts of its machine"
    name = group.datastores[each.nearest]
    if each.short_bytes:
        return f"{name} lacks {format_size(each.short_bytes)} below its fill ceiling"
    return f"{name} has the room, but its pool would be too slow or beyond what is known of it, or a rule keeps it away"
