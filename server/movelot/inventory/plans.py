"""Core's plan that clears a group, computed once per reading that changed something; Rounds and Balance share it."""

from __future__ import annotations

from functools import lru_cache

from movelot.inventory.estates import estate_of
from movelot.inventory.models import BalanceGroup
from movelot.inventory.store import inventory_version
from movelot_core.balance.clear import Plan, clear


@lru_cache(maxsize=8)
def _clear_plan(group_key: int, _version: str) -> Plan:
    return clear(estate_of(BalanceGroup.objects.get(pk=group_key)).estate)


def clear_plan(group: BalanceGroup) -> Plan:
    """The plan with least bytes for the group as last read."""
    return _clear_plan(group.pk, inventory_version())
