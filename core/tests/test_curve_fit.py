"""Curves of pools that answer by other formulas than the fit knows: what is said, and where it says nothing."""

from __future__ import annotations

import numpy as np
import pytest

from bench.curves import FALLBACK, POOLS, errors, measured
from movelot_core.curve_fit import fit_curve
from movelot_core.latency import ServiceCurve


@pytest.mark.parametrize("pool", POOLS)
@pytest.mark.parametrize(("peak", "wild"), [(0.6, 0.0), (0.8, 0.1)])
def test_a_pool_is_told_well_up_to_a_fifth_beyond_what_was_seen_or_said_to_be_unknown(
    pool: str, peak: float, wild: float
) -> None:
    hours = measured(pool, 11, peak, wild, missing=0.03)
    fit = fit_curve(hours.sums, hours.latency_ms, FALLBACK)
    found = errors(hours, fit, 11)
    assert found.beyond is None or found.beyond < 0.25
    # Nine in ten, of hours that are not wild nearly all where a tenth is wild.
    assert 0.84 <= found.covered <= (0.96 if not wild else 1.0)
    assert fit.curve.bearable(1e6) <= 1.2 * fit.seen_max * (1 + 1e-9)


def test_a_shape_that_misses_hours_like_its_own_is_not_taken_for_luck_with_others() -> None:
    """The knee lies just below the most load seen: shapes without one foretell that part less badly by chance."""
    hours = measured("knee", 0, 0.6, 0.1, missing=0.02)
    fit = fit_curve(hours.sums, hours.latency_ms, FALLBACK)
    assert fit.shape == "front and drives"
    assert errors(hours, fit, 0).within < 0.05


@pytest.mark.parametrize("pool", ["one queue", "cache in front", "cache that fills"])
def test_a_pool_whose_rise_was_seen_is_known_beyond(pool: str) -> None:
    hours = measured(pool, 3, 0.6)
    fit = fit_curve(hours.sums, hours.latency_ms, FALLBACK)
    assert not fit.cautious
    assert errors(hours, fit, 3).within < 0.05


def test_servers_that_hide_what_comes_are_not_taken_for_fast_for_ever() -> None:
    """32 servers answer alike until they are nearly all busy: nothing seen tells how many there are."""
    hours = measured("32 servers", 5, 0.6)
    fit = fit_curve(hours.sums, hours.latency_ms, FALLBACK)
    assert fit.cautious
    assert fit.curve.bearable(50.0) == pytest.approx(1.2 * fit.seen_max)


def test_a_few_hours_are_the_curve_themselves_and_nothing_beyond() -> None:
    hours = measured("one queue", 2, 0.6, days=1)
    fit = fit_curve(hours.sums[:, :20], hours.latency_ms[:20], FALLBACK)
    assert fit.shape == "as measured"
    assert fit.cautious
    assert fit.curve.bearable(1e6) <= fit.seen_max * (1 + 1e-9)


def test_a_curve_of_knots_rises_is_inverted_and_grows_beyond_them() -> None:
    curve = ServiceCurve(1.0, 100.0, knots=((0.0, 1.0), (50.0, 2.0), (100.0, 6.0)))
    assert curve.latency_ms(np.array([25.0, 75.0, 200.0])).tolist() == [1.5, 4.0, 12.0]
    assert curve.load_at(4.0) == pytest.approx(75.0)
    assert curve.load_at(50.0) == 100.0
    assert curve.load_at(0.5) == 0.0


def test_several_servers_and_a_front_are_inverted() -> None:
    curve = ServiceCurve(0.4, 1000.0, servers=8.0, knee=300.0, wait_ms=5.0)
    assert float(curve.latency_ms(200.0)) == 0.4
    assert float(curve.latency_ms(curve.load_at(3.0))) == pytest.approx(3.0)
    assert ServiceCurve(0.4, 1000.0, servers=8.0, known_max=350.0).bearable(3.0) == 350.0
