"""The service curve: worked values, what the fit recovers, and when it owns to knowing little."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from movelot_core.curve_fit import fit_curve
from movelot_core.latency import ServiceCurve, features, load, profile_over_days


def test_load_counts_writes_and_large_blocks_more() -> None:
    # x = (100 + 3*50) * (1 + 0.2*(16-8)/8) = 250 * 1.2 = 300
    sums = features(np.array([100.0]), np.array([50.0]), np.array([16.0]))
    assert load(sums, ServiceCurve(1.0, 1000.0, beta=3.0, gamma=0.2))[0] == pytest.approx(300.0)


def test_latency_at_half_of_saturation_is_twice_the_idle_one() -> None:
    assert float(ServiceCurve(0.8, 1000.0).latency_ms(500.0)) == pytest.approx(1.6)


@given(st.floats(0.1, 3.0), st.floats(100, 1e5), st.floats(4.0, 50.0))
def test_the_load_at_a_ceiling_gives_that_latency(l0: float, x_max: float, ceiling: float) -> None:
    curve = ServiceCurve(l0, x_max)
    assert float(curve.latency_ms(curve.load_at(ceiling))) <= ceiling * (1 + 1e-9)


def samples(curve: ServiceCurve, highest: float, count: int = 400) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(7)
    reads, writes = rng.uniform(0, highest * 0.5, count), rng.uniform(0, highest * 0.15, count)
    sums = features(reads, writes, rng.choice([4.0, 8.0, 32.0], count))
    return sums, curve.latency_ms(load(sums, curve)) * rng.normal(1, 0.02, count)


def test_the_fit_recovers_the_curve_that_made_the_samples() -> None:
    truth = ServiceCurve(0.9, 9000.0, 2.5, 0.15)
    fit = fit_curve(*samples(truth, 8000.0), fallback=ServiceCurve(1, 1))
    assert not fit.cautious
    assert fit.curve.x_max == pytest.approx(truth.x_max, rel=0.1)
    assert fit.curve.beta == pytest.approx(truth.beta, rel=0.15)
    assert fit.error_ms < 0.2


def test_one_wild_sample_in_twenty_does_not_sway_the_fit() -> None:
    truth = ServiceCurve(0.9, 9000.0, 2.5, 0.15)
    sums, latency = samples(truth, 8000.0)
    latency[::20] *= 8
    fit = fit_curve(sums, latency, fallback=ServiceCurve(1, 1))
    assert fit.curve.x_max == pytest.approx(truth.x_max, rel=0.15)


def test_samples_that_are_no_numbers_are_left_out() -> None:
    truth = ServiceCurve(0.9, 9000.0, 2.5, 0.15)
    sums, latency = samples(truth, 8000.0)
    whole = fit_curve(sums, latency, fallback=ServiceCurve(1, 1))
    wild = np.full((4, 3), np.nan), np.array([1.0, np.nan, np.inf])
    fit = fit_curve(np.hstack([sums, wild[0]]), np.hstack([latency, wild[1]]), fallback=ServiceCurve(1, 1))
    assert fit == whole
    assert fit_curve(*wild, fallback=truth).curve == truth


def test_a_pool_that_never_worked_hard_takes_a_fifth_more_and_nothing_is_told_of_that() -> None:
    truth = ServiceCurve(0.9, 9000.0, 2.5, 0.15)
    fit = fit_curve(*samples(truth, 300.0), fallback=ServiceCurve(1, 1))
    assert fit.cautious
    assert fit.curve.bearable(50.0) == pytest.approx(1.2 * fit.seen_max)
    assert fit.extrapolated(fit.seen_max * 1.1)


@settings(max_examples=8, deadline=None)
@given(st.floats(0.3, 8.0), st.floats(50, 20000), st.integers(0, 99))
def test_a_pool_that_answers_alike_under_any_load_is_never_predicted_slower_than_measured(
    level_ms: float, load_max: float, seed: int
) -> None:
    random = np.random.default_rng(seed)
    sums, _ = samples(ServiceCurve(level_ms, load_max * 50), load_max)
    latency = level_ms * random.normal(1, 0.02, sums.shape[1])
    fit = fit_curve(sums, latency, fallback=ServiceCurve(1, 1))
    predicted = fit.curve.latency_ms(load(sums, fit.curve))
    assert predicted.max() <= np.percentile(latency, 95) * 1.1
    # More than a fifth beyond what was ever seen is not promised.
    assert fit.curve.bearable(1000.0) <= 1.2 * fit.seen_max * (1 + 1e-9)


def test_no_samples_give_the_fallback_and_say_so() -> None:
    fit = fit_curve(np.zeros((4, 0)), np.zeros(0), fallback=ServiceCurve(1.5, 700.0))
    assert (fit.curve, fit.samples, fit.cautious) == (ServiceCurve(1.5, 700.0), 0, True)


def test_a_profile_is_the_95th_percentile_of_the_days_that_were_measured() -> None:
    """One disk, hours 10 to 12: a hundred and one days at 10, one day at 11, none at 12."""
    values = np.full((1, 102, 3), np.nan)
    values[0, :101, 0] = range(101)
    values[0, 50, 1] = 7.0
    assert profile_over_days(values).tolist() == [[95.0, 7.0, 0.0]]
    assert profile_over_days(values[:, :0]).tolist() == [[0.0, 0.0, 0.0]]


@given(st.lists(st.one_of(st.just(float("nan")), st.floats(0, 1e6)), min_size=1, max_size=30))
def test_a_profile_is_what_numpy_says_of_the_measured_days(days: list[float]) -> None:
    measured = [value for value in days if not np.isnan(value)]
    expected = np.percentile(measured, 95) if measured else 0.0
    assert profile_over_days(np.array(days)[None, :])[0] == pytest.approx(expected, rel=1e-9, abs=1e-9)


@given(st.floats(0.05, 5.0), st.floats(50, 1e5), st.lists(st.floats(0, 2e5), min_size=2, max_size=20))
def test_more_load_never_answers_sooner(l0: float, x_max: float, loads: list[float]) -> None:
    latency = ServiceCurve(l0, x_max).latency_ms(np.sort(np.array(loads)))
    assert (np.diff(latency) >= 0).all()
    assert (latency >= l0 * (1 - 1e-12)).all()
    assert np.isfinite(latency).all()


def test_a_ceiling_below_the_idle_latency_leaves_no_load_at_all() -> None:
    assert ServiceCurve(2.0, 1000.0).load_at(1.5) == 0.0


def test_loads_of_disks_add_up_to_the_load_of_their_sum() -> None:
    curve = ServiceCurve(1.0, 5000.0, beta=2.5, gamma=0.2)
    each = features(np.array([100.0, 40.0]), np.array([10.0, 80.0]), np.array([8.0, 64.0]))
    assert load(each, curve).sum() == pytest.approx(float(load(each.sum(axis=1), curve)))


@settings(max_examples=8, deadline=None)
@given(st.floats(0.3, 2.5), st.floats(2000, 60000), st.floats(1.5, 4.0))
def test_any_well_used_pool_is_predicted_within_a_fiftieth(l0: float, x_max: float, beta: float) -> None:
    truth = ServiceCurve(l0, x_max, beta, 0.15)
    sums, latency = samples(truth, x_max * 0.5)
    fit = fit_curve(sums, latency, fallback=ServiceCurve(1, 1))
    busy = load(sums, truth)
    worst = sums[:, int(np.argmax(np.where(busy < 0.8 * x_max, busy, 0)))]
    expected = float(truth.latency_ms(load(worst, truth)))
    assert float(fit.curve.latency_ms(load(worst, fit.curve))) == pytest.approx(expected, rel=0.02)


def test_the_same_samples_give_the_same_fit() -> None:
    made = samples(ServiceCurve(0.9, 9000.0, 2.5, 0.15), 8000.0)
    assert fit_curve(*made, fallback=ServiceCurve(1, 1)) == fit_curve(*made, fallback=ServiceCurve(1, 1))
