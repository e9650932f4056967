"""Theta, intermittent methods, combinations and the searched smoothing form, against plain recursions."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import veridex as vx
from conftest import monthly, reread, seasonal_values
from reference import slow_smoothing
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import SHARES, STABLE, Asked, is_stable
from veridex.core.numerics.smoothing.search import estimate_smoothing
from veridex.core.numerics.smoothing.uncertainty import draw_rows

Y = seasonal_values()


def fit(values, text):
    return vx.fit(monthly(values), text)


def bounds(forecast):
    return np.concatenate((forecast.lower, forecast.upper))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("combination", "state its members"),
        ("combination of=[naive]", "of must be two methods or more"),
        ("combination of=[naive, naive]", "'naive' stands in of= twice"),
        ("combination of=[naive, naivety]", "Did you mean 'naive'?"),
        ("combination of=[naive, drift] weights=[1, 2, 3]", "2 members need 2 weights, got 3"),
        ("smoothing error=additive season=multiplicative", "needs multiplicative errors"),
        ("smoothing seasons=[12] season=additive", "seasons= has states of its own"),
        ("smoothing average=yes intervals=simulated", "intervals of an average"),
        ("smoothing seasons=[1, 12]", "seasons must be up to six lengths from 2 on"),
        ("holt phi=0.9", "phi damps the trend; add damped=yes"),
        ("holt-winters error=additive season=multiplicative", "needs multiplicative errors"),
        ("holt alpha=1.5", "or add constants=stable"),
    ],
)
def test_wrong_settings_are_refused(text, words):
    with pytest.raises(vx.VeridexError) as caught:
        fit(Y, text)
    assert words in str(caught.value)


def test_smoothing_chooses_among_all_forms_by_its_criterion():
    fitted = fit(Y, "smoothing")
    table = fitted.candidates
    assert len(table) == 15 and table["aicc"].is_monotonic_increasing and (table["remark"] == "").all()
    assert fitted.aicc == table["aicc"][0]
    best = table.iloc[0]
    stated = fit(Y, f"smoothing error={best['error']} trend={best['trend']} season={best['season']}")
    assert stated.forecast(5).points == pytest.approx(fitted.forecast(5).points, rel=1e-12)
    named = fit(Y, "holt-winters season=multiplicative")
    same = table[(table["trend"] == "additive") & (table["season"] == "multiplicative")]
    assert same["aicc"].iloc[0] == pytest.approx(named.aicc, rel=1e-12)
    assert fit(Y, "smoothing criterion=bic").candidates["bic"].is_monotonic_increasing
    assert set(fit(Y, "smoothing season=none").candidates["season"]) == {"none"}
    below = fit(Y - 100, "smoothing").candidates
    assert below["remark"].str.startswith("multiplicative errors and seasons").sum() == 9
    assert len(fit(Y, "naive").candidates) == 0
    assert "Of the 15 smoothing forms" in fitted.in_words()


def test_smoothing_averages_by_weights_of_the_criterion():
    fitted = fit(Y, "smoothing average=yes season=additive")
    weights = np.exp(-0.5 * (fitted.candidates["aicc"] - fitted.candidates["aicc"][0]).to_numpy())
    parts = [
        fit(Y, f"smoothing error={one.error} trend={one.trend} season=additive").forecast(4)
        for one in fitted.candidates.itertuples()
    ]
    points = np.array([part.points for part in parts])
    mean = weights @ points / weights.sum()
    assert fitted.forecast(4).points == pytest.approx(mean, rel=1e-10)
    law, own = fitted.forecast(4).law(2), [part.law(2) for part in parts]
    for percent in (1.0, 50.0, 97.5):
        mixed = weights @ [one.cdf(law.quantile(percent)) for one in own] / weights.sum()
        assert percent == pytest.approx(100 * mixed, rel=1e-8)
    second = weights @ (points**2 + np.array([part.std_error for part in parts]) ** 2) / weights.sum()
    assert fitted.forecast(4).std_error == pytest.approx(np.sqrt(second - mean**2), rel=1e-8)


def test_smoothing_has_several_seasons_of_turning_states():
    t = np.arange(24 * 30)
    day, week = 10 * np.sin(2 * np.pi * np.arange(24) / 24), 4 * np.cos(2 * np.pi * np.arange(168) / 168 + 1)
    y = 80 + day[t % 24] + week[t % 168] + 0.5 * np.random.default_rng(1).normal(size=t.size)
    series = vx.History.from_numbers(y, start="2025-01-01", cadence="hourly", item="feeders")
    fitted = vx.fit(series, "smoothing seasons=[24, 168]")
    ahead = np.arange(t.size, t.size + 168)
    assert fitted.forecast(168).points == pytest.approx(80 + day[ahead % 24] + week[ahead % 168], abs=1.0)
    assert fitted.fitted_values[-168:] == pytest.approx(80 + day[t % 24][-168:] + week[t % 168][-168:], abs=1.0)
    assert "A season of 24 hours swings by 19.9" in fitted.in_words() and "gamma 168" in str(fitted.coefficients)
    assert fitted.forecast(3).std_error[0] == pytest.approx(0.5, abs=0.05)
    assert reread(fitted).forecast(9).points.tolist() == fitted.forecast(9).points.tolist()
    simulated = fitted.simulate(40, 4000)
    assert simulated.std(axis=0) == pytest.approx(fitted.forecast(40).std_error, rel=0.06)
    assert not vx.fit(series["feeders"].first(300), "smoothing seasons=[24, 168]").available


@pytest.mark.parametrize("text", ["simple-smoothing", "holt-winters", "holt-winters season=multiplicative"])
def test_simulated_intervals(text):
    model = fit(Y, text).forecast(12)
    paths, again = (fit(Y, f"{text} intervals=simulated").forecast(12) for _ in range(2))
    assert (bounds(paths) == bounds(again)).all()
    assert paths.std_error == pytest.approx(model.std_error, rel=0.1)
    assert (paths.points == model.points).all()
    wide = fit(Y, f"{text} intervals=with-estimation").forecast(12)
    # On a wall the estimate can only be too large: the level's alpha of one is drawn to one side.
    assert (wide.std_error.mean() > paths.std_error.mean()) == text.startswith("holt")
    assert (np.diff(bounds(wide)[[1, 0, 2, 3]], axis=0) > 0).all()


def test_bounds_that_could_not_be_simulated_are_said_to_be_the_models():
    # Relative errors of some 80 percent: most paths meet a forecast below zero within two years.
    y = 100 * np.exp(0.6 * np.random.default_rng(1).normal(size=60).cumsum())
    text = "simple-smoothing error=multiplicative alpha=1"
    forecast, model = fit(y, f"{text} intervals=simulated").forecast(24), fit(y, text).forecast(24)
    assert forecast.reason.endswith("the intervals are the model's own")
    assert (forecast.upper == model.upper).all() and model.reason == ""


def test_drawn_parameters_follow_the_large_sample_law():
    rng = np.random.default_rng(3)
    shocks = 2 * rng.normal(size=400)
    y = 100 + np.cumsum(np.r_[0, 0.4 * shocks[:-1]]) + shocks
    fitted = fit(y, "simple-smoothing")
    rows = draw_rows(y, Form(1, 0, 0, 1), SHARES, np.full(4, np.nan), fitted.row, 20_000, np.random.default_rng(1))
    table = fitted.coefficients
    assert rows[:, [0, 4]].mean(axis=0) == pytest.approx(table["value"].to_numpy(), rel=0.01)
    # The observed and the expected information differ by chance.
    assert rows[:, [0, 4]].std(axis=0) == pytest.approx(table["std_error"].to_numpy(), rel=0.15)
    assert rows[:, -1].mean() == pytest.approx(fitted.variance * 398 / 396, rel=0.01)
    for region, constants in ((SHARES, [np.nan, 0.3, np.nan, np.nan]), (STABLE, [np.nan] * 4)):
        form, fixed = Form(1, 2, 1, 12), np.array(constants)
        row, stats = np.empty(19), np.empty(4)
        estimate_smoothing(Y, form, Asked(region, 1, fixed), np.zeros(19), row, stats)
        rows = draw_rows(Y, form, region, fixed, row, 500, np.random.default_rng(1))
        assert (rows[:, 0] >= 0).all() and np.isfinite(rows).all() and (rows[:, 3] <= 0.99).all()
        if region == SHARES:
            assert (rows[:, 0] + rows[:, 2] <= 1 + 1e-12).all() and (rows[:, 1] == 0.3).all()
        else:
            assert all(is_stable(form, one) for one in rows)


@pytest.mark.parametrize("text", ["holt", "holt-winters season=additive", "holt error=multiplicative"])
def test_constants_that_lost_the_demand_are_not_drawn(text):
    """Where demand bends the large-sample law reaches far: the bounds were 208 to 733 around 715."""
    grown = 100 * 1.05 ** np.arange(40) * np.exp(0.03 * np.random.default_rng(44).normal(size=40))
    model, wide = (fit(grown, f"{text} intervals={kind}").forecast(6) for kind in ("model", "with-estimation"))
    for k in (0, 5):
        assert wide.points[k] - wide.lower[-1][k] < 2.5 * (model.points[k] - model.lower[-1][k]), k
        assert wide.upper[-1][k] - wide.points[k] < 2.5 * (model.upper[-1][k] - model.points[k]), k


LINEUP = (
    *("smoothing", "theta optimised=yes", "tsb", "holt damped=yes constants=stable"),
    "combination of=[theta, holt, moving-average weights=[2, 1]] weights=median",
)


def test_a_backtest_forecasts_as_a_fit_at_each_origin():
    scheme = vx.RollingOrigin(horizon=3, origins=4)
    errors = vx.backtest(monthly(Y), LINEUP, scheme).errors
    for text in LINEUP:
        for origin, found in errors[errors["method"] == text].groupby("origin"):
            known = monthly(Y).until(str(origin)[:7])
            again = vx.fit(known, text).forecast(3)
            # A warm search may stay with a top next to the highest.
            near = 1e-9 if text.startswith(("theta", "tsb")) else 0.02
            assert found["forecast"].to_numpy() == pytest.approx(again.points, rel=near)
    changed = Y.copy()
    changed[-1] *= 5
    other = vx.backtest(monthly(changed), LINEUP, scheme).errors
    assert (errors["forecast"] == other["forecast"]).all()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("simple-smoothing alpha=1", "it is the last month's, and everything before is forgotten"),
        ("simple-smoothing alpha=0.001", "it hardly moves, so that the whole history counts alike"),
        ("simple-smoothing alpha=1.5 constants=stable", "it goes further than each month's change"),
        (
            "holt alpha=0.5 beta=0.5 damped=yes phi=0.9",
            "(fading by 10 % each month), which takes up 0.5 of each change",
        ),
        ("holt-winters season=multiplicative", "times the level in March"),
        ("simple-smoothing error=multiplicative", "Errors grow with the level: "),
        ("smoothing average=yes", "9 smoothing forms are averaged; most weight, "),
        ("smoothing error=additive trend=none season=none", "The form is stated: additive errors, no trend and no sea"),
        ("smoothing season=none criterion=bic", "Of the 6 smoothing forms that the data allow BIC prefers"),
        ("combination of=[naive, drift] weights=[1, 3]", "A weighted mean of 2 methods is forecast. [naive] The last"),
        ("combination of=[naive, drift, mean] weights=trimmed", "The mean, without the highest and the lowest, of 3"),
        ("seasonal-mean season_length=5", "(phase "),
        ("theta alpha=0.5", "half of its weight lies on the last month"),
    ],
)
def test_words(text, words):
    assert words in fit(Y, text).in_words()


@pytest.mark.parametrize(
    ("text", "lines"),
    [
        ("mean", ["forecast[t] = 2.5, the spread around it 1.291"]),
        ("drift", ["forecast[t] = y[t-1] + 1, the standard deviation of a change around it 0"]),
        (
            "moving-average window=2",
            ["forecast[t] = 0.5 y[t-1] + 0.5 y[t-2], the standard deviation of its errors 1.5"],
        ),
        ("last-change", ["forecast[t] = 2 y[t-1] - y[t-2], the standard deviation of its errors 0"]),
        (
            "sba alpha=0.5 beta=0.5",
            [
                "forecast[t] = 0.75 size[t-1] / interval[t-1]",
                "size[t] = size[t-1] + 0.5 (y[t] - size[t-1]) where y[t] > 0",
                "interval[t] = interval[t-1] + 0.5 (periods since the last demand - interval[t-1]) where y[t] > 0",
            ],
        ),
        (
            "combination of=[naive, drift] weights=[1, 3]",
            [
                "forecast[t] = 0.25 (naive) + 0.75 (drift)",
                "naive:",
                "forecast[t] = y[t-1], the standard deviation of a change 1",
                "drift:",
                "forecast[t] = y[t-1] + 1, the standard deviation of a change around it 0",
            ],
        ),
    ],
)
def test_equations_of_four_values(text, lines):
    assert fit([1.0, 2.0, 3.0, 4.0], text).equation().splitlines() == lines
    assert fit([np.nan], text).equation() == ""


def test_components_rebuild_the_forecasts_and_the_equation_has_the_numbers():
    fitted = fit(Y, "holt-winters alpha=0.3 beta=0.1 gamma=0.2 damped=yes phi=0.9")
    parts = fitted.components
    again = (parts["level"] + 0.9 * parts["slope"]).to_numpy()[11:-1] + parts["season_12"].to_numpy()[:-12]
    assert parts["fitted"].to_numpy()[12:] == pytest.approx(again, rel=1e-10)
    assert fitted.equation().splitlines()[:4] == [
        "forecast[t] = level[t-1] + 0.9 slope[t-1] + season[t-12]",
        "level[t] = level[t-1] + 0.9 slope[t-1] + 0.3 error[t]",
        "slope[t] = 0.9 slope[t-1] + 0.03 error[t]",
        "season[t] = season[t-12] + 0.2 error[t]",
    ]
    memory = fit(Y, "simple-smoothing alpha=0.25").in_words()
    assert "half of its weight lies on the last 2.41 months" in memory  # log 0.5 / log 0.75
    assert list(fit(Y, "drift").components.columns) == ["period", "fitted"]


def test_stable_constants_may_pass_one():
    rng = np.random.default_rng(2)
    shocks = rng.normal(size=300)
    y = 100 + np.cumsum(np.r_[0, shocks[:-1]] * 1.4) + shocks  # simple smoothing with alpha 1.4
    fitted = fit(y, "simple-smoothing constants=stable")
    assert fitted.coefficients["value"][0] == pytest.approx(1.4, abs=0.1)
    assert fitted.log_likelihood > fit(y, "simple-smoothing").log_likelihood + 10


@given(st.sampled_from([2, 5, 13]))
def test_a_season_length_can_be_stated(season_length):
    assert fit(Y, f"seasonal-naive season_length={season_length}").forecast(20).points == pytest.approx(
        Y[96 - season_length + np.arange(20) % season_length]
    )
    means = [Y[j::season_length].mean() for j in range(season_length)]
    points = fit(Y, f"seasonal-mean season_length={season_length}").forecast(20).points
    assert points == pytest.approx([means[(96 + h) % season_length] for h in range(20)])


def test_unknown_values_are_passed_over():
    y = Y.copy()
    y[[5, 40, 41, 95]] = np.nan
    for text in ("holt damped=yes", "smoothing", "theta season=none", "croston", "combination of=[naive, holt]"):
        forecast = fit(y, text).forecast(3)
        assert np.isfinite(forecast.points).all()
    row = fit(y, "holt alpha=0.3 beta=0.2").row
    expected, level, slope, _ = slow_smoothing(y, 0.3, 0.2, 0, 1.0, row[4], row[5], [0.0], "none")
    found = fit(y, "holt alpha=0.3 beta=0.2")
    assert found.fitted_values == pytest.approx(expected, rel=1e-10)
    assert found.forecast(2).points == pytest.approx([level + slope, level + 2 * slope], rel=1e-10)
    # Two starting values from 92 known ones: Student's law with 90 degrees of freedom, its scale wider by them.
    ahead = vx.fit(monthly(y, floor="none"), "holt alpha=0.3 beta=0.2").forecast(1, levels=80)
    half = stats.t(90).ppf(0.9) * ahead.std_error[0] * np.sqrt(1 + 2 / 92)
    assert ahead.upper[0, 0] - ahead.points[0] == pytest.approx(half)
