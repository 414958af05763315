"""Which pool fits a new volume, with every reason."""

from __future__ import annotations

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.attach import (
    PoolFigures,
    Verdict,
    expand_names,
    fit_pool,
    parse_count,
    rank_pools,
    share_out,
)
from movelot_core.errors import DatastoreNameError, SizeError
from movelot_core.units import TIB

POOL = PoolFigures(1, 10 * TIB, 7 * TIB, 8 * TIB, peak_ms=4.0)
CEILING = 9.0


def test_the_worked_example_two_fit_four_do_not() -> None:
    fits = fit_pool(POOL, 2 * TIB, thin=True, latency_ceiling_ms=CEILING)
    assert (fits.verdict, fits.free_after_bytes, fits.subscription_after) == (Verdict.FITS, TIB, 1.0)
    refused = fit_pool(POOL, 4 * TIB, thin=True, latency_ceiling_ms=CEILING)
    assert refused.verdict is Verdict.REFUSED
    assert refused.reasons[0].code == "no_room"
    assert refused.reasons[0].figures == {"free_bytes": 3 * TIB, "size_bytes": 4 * TIB}


@pytest.mark.parametrize(
    ("change", "verdict", "code"),
    [
        ({"online": False}, Verdict.REFUSED, "offline"),
        ({"reaches_hosts": False}, Verdict.REFUSED, "unreached"),
        ({"peak_ms": 11.0}, Verdict.TIGHT, "slow"),
        ({"subscribed_bytes": 15 * TIB}, Verdict.TIGHT, "subscribed"),
        ({"allocated_bytes": 8 * TIB}, Verdict.TIGHT, "little_left"),
        ({"peak_ms": None}, Verdict.FITS, None),
    ],
)
def test_each_reason_has_its_verdict(change: dict[str, object], verdict: Verdict, code: str | None) -> None:
    fit = fit_pool(dataclasses.replace(POOL, **change), int(1.8 * TIB), True, CEILING)  # type: ignore[arg-type]
    assert fit.verdict is verdict
    assert [reason.code for reason in fit.reasons][:1] == ([code] if code else [])


@pytest.mark.parametrize(
    ("asked", "codes"),
    [
        ((), []),
        (("compression",), []),
        (("deduplication",), ["no_deduplication"]),
        (("compression", "deduplication"), ["no_deduplication"]),
    ],
)
def test_what_a_pool_cannot_reduce_refuses_it(asked: tuple[str, ...], codes: list[str]) -> None:
    able = dataclasses.replace(POOL, reduces=frozenset({"compression"}))
    fit = fit_pool(able, TIB, True, CEILING, asked)
    assert [reason.code for reason in fit.reasons] == codes
    assert (fit.verdict is Verdict.REFUSED) == bool(codes)


def test_all_reasons_are_given_not_only_the_first() -> None:
    worst = dataclasses.replace(POOL, online=False, peak_ms=20.0, allocated_bytes=10 * TIB)
    codes = {reason.code for reason in fit_pool(worst, TIB, True, CEILING).reasons}
    assert codes == {"offline", "no_room", "slow"}


def test_pools_rank_by_verdict_then_by_space_left() -> None:
    slow = dataclasses.replace(POOL, pool=2, peak_ms=12.0, allocated_bytes=0)
    full = dataclasses.replace(POOL, pool=3, allocated_bytes=10 * TIB)
    roomy = dataclasses.replace(POOL, pool=4, allocated_bytes=2 * TIB)
    order = [fit.pool for fit in rank_pools([full, slow, POOL, roomy], TIB, True, CEILING)]
    assert order == [4, 1, 2, 3]


@given(st.integers(1, 20 * TIB), st.integers(0, 10 * TIB))
def test_a_pool_never_fits_more_than_it_has_free(size: int, allocated: int) -> None:
    fit = fit_pool(dataclasses.replace(POOL, allocated_bytes=allocated), size, True, CEILING)
    assert (fit.verdict is Verdict.REFUSED) == (size > 10 * TIB - allocated)


@pytest.mark.parametrize(
    ("change", "code"),
    [({"granted": False}, "not_granted"), ({"quota_left_bytes": TIB}, "quota"), ({"quota_left_bytes": -TIB}, "quota")],
)
def test_a_pool_is_refused_beyond_its_grant(change: dict[str, object], code: str) -> None:
    fit = fit_pool(dataclasses.replace(POOL, **change), 2 * TIB, True, CEILING)  # type: ignore[arg-type]
    assert fit.verdict is Verdict.REFUSED
    assert [reason.code for reason in fit.reasons] == [code]
    assert all(value >= 0 for reason in fit.reasons for value in reason.figures.values())


def test_a_quota_of_just_the_size_suffices() -> None:
    assert fit_pool(dataclasses.replace(POOL, quota_left_bytes=2 * TIB), 2 * TIB, True, CEILING).verdict is Verdict.FITS


@given(st.integers(1, 20), st.sets(st.integers(1, 30), max_size=10))
def test_numbered_names_ascend_and_skip_what_is_taken(count: int, used: set[int]) -> None:
    taken = {f"berth-{n:02d}" for n in used}
    names = expand_names("berth-##", count, taken)
    assert len(names) == count
    assert names == sorted(set(names))
    assert not taken & set(names)


@pytest.mark.parametrize(
    ("pattern", "count", "code"),
    [("berth-a", 1, "name_taken"), ("#-#", 2, "name_pattern"), ("Berth-#", 2, "name_illegal"), ("", 1, "name_missing")],
)
def test_a_pattern_that_gives_no_usable_name_is_refused(pattern: str, count: int, code: str) -> None:
    with pytest.raises(DatastoreNameError) as refused:
        expand_names(pattern, count, {"berth-a"})
    assert refused.value.code == code


@pytest.mark.parametrize("text", ["0", "65", "-1", "1.5", "three", "", "²"])
def test_a_count_out_of_range_is_refused(text: str) -> None:
    with pytest.raises(SizeError):
        parse_count(text)


@given(st.integers(0, 20), st.lists(st.integers(1000, 9000), min_size=1, max_size=5))
def test_volumes_are_shared_out_in_proportion_to_what_is_free(count: int, free: list[int]) -> None:
    places = share_out(count, 1, free)
    held = [places.count(n) for n in range(len(free))]
    assert sum(held) == count
    for n, mine in enumerate(held):
        # Nobody who got one has less free per volume than another would have with one more.
        assert mine == 0 or all(free[n] / mine >= free[m] / (other + 1) for m, other in enumerate(held) if m != n)


@given(st.integers(1, 20), st.integers(1, 50), st.lists(st.integers(0, 500), min_size=1, max_size=5))
def test_no_pool_gets_more_than_it_has_room_for_while_another_has_room(count: int, size: int, free: list[int]) -> None:
    held = [share_out(count, size, free).count(n) for n in range(len(free))]
    room = [pool // size for pool in free]
    if sum(room) >= count:
        assert all(mine <= most for mine, most in zip(held, room, strict=True))
