"""Parts of a group: who trades with whom."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from movelot_core.balance.parts import Part, parts


def test_the_worked_example() -> None:
    mounted_by = [{"quayside"}, {"quayside"}, {"quayside", "gatehouse"}, {"gatehouse"}, {"quayside", "gatehouse"}]
    found = parts(["block", "block", "block", "block", "file"], mounted_by)
    assert found == [Part("block", (0, 1, 2, 3)), Part("file", (4,))]


def test_what_no_cluster_mounts_wholly_trades_with_nothing() -> None:
    assert parts(["block", "block"], [set(), set()]) == [Part("block", (0,)), Part("block", (1,))]
    assert parts([], []) == []


STORES = st.lists(st.tuples(st.sampled_from(["block", "file"]), st.sets(st.sampled_from("abc"))), max_size=9)


@given(STORES)
def test_each_is_in_one_part_with_all_that_it_trades_with(stores: list[tuple[str, set[str]]]) -> None:
    found = parts([kind for kind, _ in stores], [clusters for _, clusters in stores])
    assert sorted(n for part in found for n in part.stores) == list(range(len(stores)))
    of = {n: number for number, part in enumerate(found) for n in part.stores}
    trading = {
        (a, b)
        for a, (kind, clusters) in enumerate(stores)
        for b, (other, others) in enumerate(stores)
        if a == b or (kind == other and clusters & others)
    }
    assert all(of[a] == of[b] for a, b in trading)
    # Nothing is in a part that trade does not connect to all of it.
    for part in found:
        reached = {part.stores[0]}
        for _ in part.stores:
            reached |= {b for a, b in trading if a in reached}
        assert reached == set(part.stores)
        assert {stores[n][0] for n in part.stores} == {part.kind}
