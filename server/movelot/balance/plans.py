"""Core's plan that clears a group, computed once for what it rests on; Rounds and Balance share it."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

from movelot.inventory.estates import estate_of
from movelot.inventory.models import BalanceGroup
from movelot_core.balance.clear import Plan, clear
from movelot_core.balance.estate import Estate


@dataclass(frozen=True)
class _Known:
    """An estate, known by its values: most readings change paths, names or states, and no plan."""

    digest: str
    estate: Estate = field(compare=False)


@lru_cache(maxsize=8)
def _clear_plan(known: _Known) -> Plan:
    return clear(known.estate)


def clear_plan(group: BalanceGroup) -> Plan:
    """The plan with least bytes for the group as last read."""
    estate = estate_of(group).estate
    return _clear_plan(_Known(estate.digest, estate))
