"""Which pool fits a new volume, with every reason."""

from __future__ import annotations

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from movelot_core.attach import PoolFigures, Verdict, fit_pool, rank_pools
from movelot_core.units import TIB

POOL = PoolFigures("granite-mixed", 10 * TIB, 7 * TIB, 8 * TIB, peak_ms=4.0)
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


def test_all_reasons_are_given_not_only_the_first() -> None:
    worst = dataclasses.replace(POOL, online=False, peak_ms=20.0, allocated_bytes=10 * TIB)
    codes = {reason.code for reason in fit_pool(worst, TIB, True, CEILING).reasons}
    assert codes == {"offline", "no_room", "slow"}


def test_pools_rank_by_verdict_then_by_space_left() -> None:
    slow = dataclasses.replace(POOL, name="slow", peak_ms=12.0, allocated_bytes=0)
    full = dataclasses.replace(POOL, name="full", allocated_bytes=10 * TIB)
    roomy = dataclasses.replace(POOL, name="roomy", allocated_bytes=2 * TIB)
    order = [fit.pool for fit in rank_pools([full, slow, POOL, roomy], TIB, True, CEILING)]
    assert order == ["roomy", "granite-mixed", "slow", "full"]


@given(st.integers(1, 20 * TIB), st.integers(0, 10 * TIB))
def test_a_pool_never_fits_more_than_it_has_free(size: int, allocated: int) -> None:
    fit = fit_pool(dataclasses.replace(POOL, allocated_bytes=allocated), size, True, CEILING)
    assert (fit.verdict is Verdict.REFUSED) == (size > 10 * TIB - allocated)
