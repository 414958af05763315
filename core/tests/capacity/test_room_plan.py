"""The cheapest acts that give places their room, against all choices there are."""

from __future__ import annotations

from itertools import combinations

from hypothesis import given, settings
from hypothesis import strategies as st

from movelot_core.capacity.room_plan import Act, room_plan

TIB = 2**40
PLACES = ("pool", "store")


def test_the_worked_example() -> None:
    acts = [Act({"pool": 3 * TIB}, 4), Act({"pool": 5 * TIB}, 6), Act({"pool": TIB}, 1)]
    assert room_plan({"pool": 3 * TIB}, acts).chosen == (0,)
    found = room_plan({"pool": int(3.5 * TIB)}, acts)
    assert found.chosen == (2, 0)
    assert (found.gets["pool"], found.short["pool"]) == (4 * TIB, 0)


def test_what_cannot_be_had_is_told_and_as_much_as_possible_is_got() -> None:
    acts = [Act({"pool": TIB}, 1), Act({"pool": TIB}, 9), Act({"other": TIB}, 0)]
    found = room_plan({"pool": 5 * TIB}, acts)
    assert found.chosen == (0, 1)
    assert found.short == {"pool": 3 * TIB}
    assert room_plan({"pool": TIB}, []).short == {"pool": TIB}
    assert room_plan({"pool": 0}, acts).chosen == ()


def test_an_act_that_helps_two_places_may_be_cheaper_than_two() -> None:
    acts = [Act({"pool": TIB}, 3), Act({"store": TIB}, 3), Act({"pool": TIB, "store": TIB}, 5)]
    assert room_plan({"pool": TIB, "store": TIB}, acts).chosen == (2,)


def test_what_is_grown_takes_of_a_store_that_has_only_so_much() -> None:
    grown = [Act({"one": 2 * TIB}, 1, {"room": 2 * TIB}), Act({"other": 3 * TIB}, 1, {"room": 3 * TIB})]
    needs = {"one": 2 * TIB, "other": 3 * TIB}
    assert len(room_plan(needs, grown, {"room": 4 * TIB}).chosen) == 1
    assert room_plan(needs, grown, {"room": 5 * TIB}).short == {"one": 0, "other": 0}
    # What comes back makes the room for it, and is chosen for that alone.
    back = [*grown, Act({"pool": TIB}, 6, {"room": -TIB})]
    found = room_plan(needs, back, {"room": 4 * TIB})
    assert (set(found.chosen), found.short) == ({0, 1, 2}, {"one": 0, "other": 0})
    assert room_plan(needs, back, {"room": 5 * TIB}).chosen == (0, 1)
    assert room_plan(needs, grown).chosen == (0, 1)
    assert room_plan(needs, grown, {"room": -TIB}).chosen == ()


ACTS = st.lists(
    st.builds(
        Act,
        st.dictionaries(st.sampled_from(PLACES), st.integers(1, 40), max_size=2),
        st.integers(0, 20).map(float),
        st.dictionaries(st.sampled_from(("room", "grant")), st.integers(-20, 40), max_size=2),
    ),
    max_size=8,
)


@settings(max_examples=300, deadline=None)
@given(
    needs=st.dictionaries(st.sampled_from(PLACES), st.integers(0, 90), max_size=2),
    acts=ACTS,
    stores=st.dictionaries(st.sampled_from(("room", "grant")), st.integers(0, 80), max_size=2),
)
def test_no_other_choice_leaves_less_short_or_costs_less(
    needs: dict[str, int], acts: list[Act], stores: dict[str, int]
) -> None:
    found = room_plan(needs, acts, stores)
    wanted = {place: need for place, need in needs.items() if need > 0}

    def short(chosen: tuple[int, ...]) -> float:
        gets = {place: sum(min(acts[n].gives.get(place, 0), need) for n in chosen) for place, need in wanted.items()}
        return sum(max(0, need - gets[place]) / need for place, need in wanted.items())

    def lawful(chosen: tuple[int, ...]) -> bool:
        return all(sum(acts[n].takes.get(store, 0) for n in chosen) <= has for store, has in stores.items())

    choices = [c for count in range(len(acts) + 1) for c in combinations(range(len(acts)), count) if lawful(c)]
    least = min(short(chosen) for chosen in choices)
    assert lawful(found.chosen)
    assert abs(short(found.chosen) - least) < 1e-5
    best = min(sum(acts[n].cost for n in chosen) for chosen in choices if short(chosen) < least + 1e-9)
    assert sum(acts[n].cost for n in found.chosen) <= best + 0.02
