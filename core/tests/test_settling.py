"""What is settled first, and which uplink stays."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from movelot_core.fabric.causes import Cause
from movelot_core.fabric.settling import SETTLED_IN_ORDER, BoundInterface, first_to_settle, uplink_to_keep

UPLINKS = st.lists(st.sampled_from(["up-1", "up-2", "up-3", "up-4"]), max_size=3, unique=True)


@given(st.sets(st.sampled_from(Cause)))
def test_the_first_of_the_order_is_settled_and_nothing_that_is_not_there(causes: set[Cause]) -> None:
    first = first_to_settle(causes)
    ranked = [SETTLED_IN_ORDER.index(cause) for cause in causes if cause in SETTLED_IN_ORDER]
    assert (first is None) == (not ranked)
    assert first is None or SETTLED_IN_ORDER.index(first) == min(ranked)


@given(st.lists(st.tuples(UPLINKS, UPLINKS), min_size=1, max_size=4))
def test_an_interface_keeps_an_uplink_of_its_own_that_no_other_is_bound_to(
    drawn: list[tuple[list[str], list[str]]],
) -> None:
    interfaces = [
        BoundInterface(f"storage-{n}", tuple(active), tuple(uplink for uplink in standby if uplink not in active))
        for n, (active, standby) in enumerate(drawn)
    ]
    binding = uplink_to_keep(interfaces)
    unbound = [each for each in interfaces if not each.is_bound]
    if binding is None:
        first = unbound[0] if unbound else None
        others = {each.active[0] for each in interfaces if each is not first and each.active}
        assert first is None or not {*first.active, *first.standby} - others
        return
    assert binding.interface is unbound[0]
    own = (*binding.interface.active, *binding.interface.standby)
    assert {binding.kept, *binding.dropped} == {*own}
    others = [each for each in interfaces if each is not binding.interface]
    assert all(binding.kept != each.active[0] for each in others if each.active)
