"""Smoothing kernels against the textbook component form, eigenvalues, simulation and a library optimiser."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import approx_fprime

from conftest import seasonal_values
from reference import slow_likelihood, slow_smoothing
from veridex.core.numerics.climb.bounded_steps import bounded_step
from veridex.core.numerics.seasons.deseasonalise import fixed_season
from veridex.core.numerics.smoothing import recursion as smoothing
from veridex.core.numerics.smoothing.forecasts import replay_smoothing, simulate_smoothing, smoothing_components
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import (
    ALL_ESTIMATED,
    LEVEL_ESTIMATED,
    NONE_ESTIMATED,
    SHARES,
    STABLE,
    Asked,
    is_stable,
    sought_entries,
)
from veridex.core.numerics.smoothing.search import DONE, NO_FIT, estimate_smoothing
from veridex.core.numerics.smoothing.slopes import By, Sample, slopes, slopes_work

ERRORS, SEASONS = ("none", "additive", "multiplicative"), ("none", "additive", "multiplicative")
FORMS = [
    (error, trend, season)
    for season, error, trend in itertools.product((0, 1, 2), (1, 2), (0, 1, 2))
    if not (season == 2 and error == 1)
]
FREE = np.full(4, np.nan)


def make(error, trend, season, m=4):
    """A form with plausible parameters."""
    form = Form(error, trend, season, m if season else 1)
    start = ([0.0], [-8.0, 12.0, 4.0, -8.0], [0.8, 1.3, 1.0, 0.9])[season]
    constants = [0.3, 0.2 if trend else 0.0, 0.25 if season else 0.0, 0.9 if trend == 2 else 1.0]
    return form, np.array([*constants, 98.0, 1.5 if trend else 0.0, *start, 4.0 if error == 1 else 0.01])


def slow(y, form, row):
    return slow_smoothing(y, *row[:6], row[6:-1], SEASONS[form.season])


@pytest.mark.parametrize("shape", FORMS)
def test_recursion_and_likelihood_equal_the_component_form(shape):
    form, row = make(*shape)
    rng = np.random.default_rng(3)
    y = 100 + 10 * np.sin(np.arange(40) * np.pi / 2) + rng.normal(size=40)
    y[[7, 8, 20]] = np.nan
    expected, level, slope, seasons = slow(y, form, row)
    for kernel in (smoothing.recursion, smoothing.recursion.py_func):
        states, fitted = np.empty(2 + form.m), np.empty(40)
        total, logs, count = kernel(y, *form, row, states, fitted)
        assert fitted == pytest.approx(expected, rel=1e-10)
        assert states == pytest.approx([level, slope, *seasons], rel=1e-10, abs=1e-10)
        assert -0.5 * count * (np.log(2 * np.pi * total / count) + 1) - logs == pytest.approx(
            slow_likelihood(y, expected, ERRORS[form.error]), rel=1e-10
        )
    parts = np.empty((3, 40))
    smoothing_components(y, *form, row, parts)
    base = parts[0, 3:-1] + row[3] * parts[1, 3:-1]
    season = np.array([parts[2, t - form.m] for t in range(4, 40)])
    rebuilt = base * season if form.season == 2 else base + (season if form.season else 0.0)
    assert rebuilt == pytest.approx(expected[4:], rel=1e-10)


@pytest.mark.parametrize("shape", FORMS)
@pytest.mark.parametrize("shared", [False, True])
def test_derivatives_equal_differences_of_the_slow_likelihood(shape, shared):
    form, row = make(*shape)
    y = 100 + 10 * np.sin(np.arange(30) * np.pi / 2) + np.random.default_rng(4).normal(size=30)
    y[11] = np.nan
    which = sought_entries(form, Asked(SHARES, ALL_ESTIMATED, FREE)).which
    shared = shared and form.season > 0

    def half_deviance(z):
        trial = row.copy()
        trial[which] = z
        if shared:
            trial[2] = z[list(which).index(2)] * (1 - trial[0]) / (1 - row[0])
        return -slow_likelihood(y, slow(y, form, trial)[0], ERRORS[form.error])

    k = which.size
    for kernel in (slopes, slopes.py_func):
        gradient, hessian, work = np.empty(k), np.empty((k, k)), np.empty(slopes_work(30, form.m, k))
        value = kernel(Sample(y, form, 1e-300), row, By(which, shared, False), work, gradient, hessian)
        assert value + 14.5 * (np.log(2 * np.pi) + 1) == pytest.approx(half_deviance(row[which]), rel=1e-12)
        numeric = approx_fprime(row[which], half_deviance, 1e-6)
        if shared:
            gradient[list(which).index(2)] /= 1 - row[0]
        assert gradient == pytest.approx(numeric, rel=1e-3, abs=1e-3 * np.abs(numeric).max())
        assert (np.linalg.eigvalsh(hessian) > -1e-9 * np.trace(hessian)).all()


@given(
    st.sampled_from(FORMS),
    st.floats(0.01, 2.2),
    st.floats(0.0, 3.0),
    st.floats(0.0, 2.0),
    st.floats(0.8, 0.98),
    st.sampled_from([2, 3, 7]),
)
def test_stable_is_where_the_discount_matrix_forgets(shape, alpha, beta_star, gamma, phi, m):
    form = Form(*shape, m if shape[2] else 1)
    row = np.array([alpha, beta_star if form.trend else 0, gamma, phi if form.trend == 2 else 1.0, 0, 0, *np.zeros(m)])
    size = 2 + form.m
    ahead, gain = np.zeros((size, size)), np.zeros(size)
    ahead[0, :2] = 1, row[3] if form.trend else 0
    ahead[1, 1] = row[3] if form.trend else 0
    gain[:2] = alpha, alpha * row[1]
    weights = ahead[0].copy()
    if form.season:
        ahead[2, -1], weights[-1], gain[2] = 1, 1, gamma
        ahead[3:, 2:-1] = np.eye(m - 1)
    # The level and an unseen constant in the season move together: that root of one is not forgotten, nor felt.
    roots = np.sort(np.abs(np.linalg.eigvals(ahead - np.outer(gain, weights))))[::-1]
    if form.season:
        roots = np.delete(roots, np.argmin(np.abs(roots - 1)))
    if abs(roots[0] - 1) > 1e-6:
        assert is_stable(form, row) == (roots[0] < 1)


@pytest.mark.parametrize("shape", FORMS)
def test_forecast_moments_equal_simulation(shape):
    # 200,000 paths: the standard error of a mean is 0.22 % of the spread, of a spread 0.16 %.
    form, row = make(*shape)
    y, horizon = np.empty(0), 9
    points, std_error, paths = np.empty(horizon), np.empty(horizon), np.empty((200_000, horizon))
    replay_smoothing(y, *form, row, np.empty(0), points, std_error)
    shocks = np.random.default_rng(5).normal(size=paths.shape)
    simulate_smoothing(y, *form, row[None, :], shocks, paths)
    assert points == pytest.approx(paths.mean(axis=0), abs=5 * paths.std() / np.sqrt(200_000))
    assert std_error == pytest.approx(paths.std(axis=0), rel=8e-3)
    # A path is a series of the model: its one-step errors are the shocks it was made of.
    errors = paths[0] - slow(paths[0], form, row)[0]
    if form.error == 2:
        errors /= slow(paths[0], form, row)[0]
    assert errors == pytest.approx(np.sqrt(row[-1]) * shocks[0], abs=1e-10)


def test_bounded_step_minimises_the_quadratic_model():
    rng = np.random.default_rng(1)
    for _ in range(200):
        k = int(rng.integers(1, 6))
        root = rng.normal(size=(k + 2, k))
        hessian, gradient = root.T @ root, rng.normal(size=k)
        low, high = -rng.uniform(0, 0.5, k), rng.uniform(0, 0.5, k)
        step = np.empty(k)
        promised = bounded_step(np.zeros(k), low, high, gradient, hessian, 0.0, step)
        assert (step >= low - 1e-12).all() and (step <= high + 1e-12).all()
        assert promised == pytest.approx(-gradient @ step - 0.5 * step @ hessian @ step)
        corners = rng.uniform(low, high, size=(500, k))
        best = (-(corners @ gradient) - 0.5 * np.einsum("ij,jk,ik->i", corners, hessian, corners)).max()
        # The way to the first wall is not always the shortest; it never loses much, and inside it is exact.
        assert promised >= 0.7 * best - 1e-12
        free = np.linalg.solve(hessian, -gradient)
        if ((free > low) & (free < high)).all():
            assert step == pytest.approx(free)


@pytest.mark.parametrize("shape", FORMS)
def test_estimates_are_a_maximum_however_they_are_asked_for(shape):
    form = Form(*shape, 4 if shape[2] else 1)
    y = 100 + 0.5 * np.arange(48) + 9 * np.sin(np.arange(48) * np.pi / 2) + np.random.default_rng(2).normal(size=48)
    likelihoods = {}
    for region, starts in ((SHARES, NONE_ESTIMATED), (SHARES, LEVEL_ESTIMATED), (SHARES, ALL_ESTIMATED), (STABLE, 1)):
        row, stats, warm = np.empty(7 + form.m), np.empty(4), np.zeros(7 + form.m)
        assert estimate_smoothing(y, form, Asked(region, starts, FREE), warm, row, stats) == DONE
        found = slow_likelihood(y, slow(y, form, row)[0], ERRORS[form.error])
        # Where the level hardly moves, the slow form takes differences that lose its digits.
        assert stats[0] == pytest.approx(found, rel=1e-10 if row[0] > 1e-3 else 1e-8)
        likelihoods[region, starts] = found
        if (region, starts) == (SHARES, LEVEL_ESTIMATED):
            for entry in sought_entries(form, Asked(region, starts, FREE)).which:
                for change in (-1e-3, 1e-3):
                    trial = row.copy()
                    trial[entry] += change
                    inside = 1e-4 <= trial[entry] <= (0.98 if entry == 3 else 1 - 1e-4) or entry > 3
                    if inside and not (entry == 3 and trial[3] < 0.8) and trial[0] + trial[2] < 1:
                        near = slow_likelihood(y, slow(y, form, trial)[0], ERRORS[form.error])
                        assert near <= found + 2e-3
        # Again from its own optimum: the same top.
        estimate_smoothing(y, form, Asked(region, starts, FREE), warm, row, stats)
        assert stats[0] == pytest.approx(found, abs=2e-2)
    assert likelihoods[SHARES, NONE_ESTIMATED] <= likelihoods[SHARES, LEVEL_ESTIMATED] + 1e-3
    assert likelihoods[SHARES, LEVEL_ESTIMATED] <= likelihoods[SHARES, ALL_ESTIMATED] + 1e-3
    assert likelihoods[SHARES, LEVEL_ESTIMATED] <= likelihoods[STABLE, LEVEL_ESTIMATED] + 1e-2
    row, stats = np.empty(7 + form.m), np.empty(4)
    short = (y[:2], Form(*form[:2], 0, 1), Asked(0, 1, FREE))
    assert estimate_smoothing(*short, np.zeros(8), np.empty(8), stats) == NO_FIT


@pytest.mark.parametrize("form", [(1, 0, 0, 1), (1, 2, 1, 4), (2, 1, 2, 4)])
def test_estimation_is_the_same_compiled_and_plain(form):
    y = 50 + 5 * np.sin(np.arange(24) * np.pi / 2) + np.random.default_rng(9).normal(size=24)
    y[10] = np.nan
    found = []
    for kernel in (estimate_smoothing, estimate_smoothing.py_func):
        row, stats, warm = np.empty(7 + form[3]), np.empty(4), np.zeros(7 + form[3])
        found.append((kernel(y, Form(*form), Asked(SHARES, LEVEL_ESTIMATED, FREE), warm, row, stats), stats[0], row))
    assert found[0][0] == found[1][0]
    assert found[0][1] == pytest.approx(found[1][1], abs=1e-6)
    assert found[0][2] == pytest.approx(found[1][2], rel=1e-6)


@pytest.mark.parametrize("season_length", [2, 7, 52, 366])
def test_seasons_of_any_length(season_length):
    t = np.arange(max(3 * season_length, 24))
    y = (
        100
        + 0.01 * t
        + 10 * np.sin(2 * np.pi * t / season_length + 0.3)
        + 0.1 * np.random.default_rng(1).normal(size=t.size)
    )
    row, stats = np.empty(7 + season_length), np.empty(4)
    form, asked = Form(1, 1, 1, season_length), Asked(SHARES, LEVEL_ESTIMATED, FREE)
    assert estimate_smoothing(y, form, asked, np.zeros(7 + season_length), row, stats) == DONE
    points, std_error = np.empty(season_length), np.empty(season_length)
    replay_smoothing(y, 1, 1, 1, season_length, row, np.empty(y.size), points, std_error)
    ahead = np.arange(t.size, t.size + season_length)
    assert points == pytest.approx(100 + 0.01 * ahead + 10 * np.sin(2 * np.pi * ahead / season_length + 0.3), abs=1.0)


def test_a_fixed_season_is_found():
    t, week = np.arange(12 * 14), np.array([3.0, -1, -1, 2, 0, -5, 2])
    ratios, differences = np.empty(12), np.empty(7)
    fixed_season(seasonal_values(), True, ratios)
    fixed_season(2 * t + week[t % 7], False, differences)
    assert ratios.mean() == pytest.approx(1) and differences == pytest.approx(week - week.mean(), abs=1e-9)


def test_turning_states_follow_the_plain_recursion_and_start_where_squares_are_least():
    from veridex.core.numerics.smoothing.trigonometric import Turning, filter_turning, seeds_of

    rng = np.random.default_rng(2)
    angles = 2 * np.pi * np.array([1 / 7, 2 / 7, 1 / 91.5])
    of = Turning(angles, np.array([0, 0, 1]), 0.2, 0.03, 0.95, np.array([0.05, 0.02]), True)
    y = rng.normal(size=300).cumsum() + 9 * np.sin(angles[0] * np.arange(300))
    y[50:55] = np.nan
    seeds, squares = seeds_of(y, of)
    level, slope, pairs = seeds[0], seeds[1], (seeds[2::2] + 1j * seeds[3::2])
    total = 0.0
    for value in y:
        pairs = pairs * np.exp(-1j * angles)  # s + i s* turned
        expected = level + 0.95 * slope + pairs.real.sum()
        error = 0.0 if np.isnan(value) else value - expected
        total += error**2
        level, slope = level + 0.95 * slope + 0.2 * error, 0.95 * slope + 0.03 * error
        pairs = pairs + np.array([0.05, 0.05, 0.02]) * error
    assert squares == pytest.approx(total, rel=1e-9)
    for place in range(8):
        moved = seeds.copy()
        moved[place] += 0.01
        fitted = np.empty(300)
        filter_turning(y, of, moved, fitted)
        assert np.nansum((y - fitted) ** 2) >= squares - 1e-9
