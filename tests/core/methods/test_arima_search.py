"""The search of ARIMA orders: what it lists, refuses, averages, prunes and advises."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.diagnosis.differencing import advised_differences
from veridex.core.methods.arima.fitting import attempt
from veridex.core.methods.arima.orders import search_orders
from veridex.core.numerics.arima.models import Orders

Y = seasonal_values()


@pytest.mark.parametrize("criterion", ["aicc", "aic", "bic"])
def test_the_search_lists_what_it_tried_and_takes_the_best(criterion):
    fitted = vx.fit(monthly(Y), f"arima criterion={criterion}")
    table = fitted.candidates
    allowed = table[~table["remark"].str.startswith("refused")]
    assert allowed.index.tolist() == list(range(len(allowed))) and allowed[criterion].is_monotonic_increasing
    best = allowed.iloc[0]
    assert {"aicc": fitted.aicc, "aic": fitted.aic, "bic": fitted.bic}[criterion] == pytest.approx(best[criterion])
    assert len(table[["d", "D"]].drop_duplicates()) == 1  # criteria of other differences do not compare
    assert len(table[["p", "q", "P", "Q", "constant"]].drop_duplicates()) == len(table) <= 60
    words = " ".join(f"{key}={best[key]}" for key in "pdqPDQ") + f" constant={'yes' if best['constant'] else 'no'}"
    stated = vx.fit(monthly(Y), f"arima {words}")
    assert stated.log_likelihood == pytest.approx(fitted.log_likelihood, abs=1e-3)
    assert len(vx.fit(monthly(Y), "arima max_candidates=3").candidates) <= 3
    assert len(stated.candidates) == 0


def test_a_thorough_search_is_not_worse():
    walked, grid = vx.fit(monthly(Y), "arima"), vx.fit(monthly(Y), "arima thorough=yes")
    assert grid.aicc <= walked.aicc + 1.0 and len(grid.candidates) > len(walked.candidates)
    plain = vx.fit(monthly(Y), "arima season=none")
    assert "P =" not in plain.in_words() and (plain.candidates[["P", "D", "Q"]] == 0).all(axis=None)


def test_next_steps_say_what_remains():
    steps = vx.fit(monthly(Y), "arima p=1 d=1").next_steps
    assert steps[0].startswith("The season's lag remains (autocorrelation 0.") and "try D=1 Q=1, or P=1" in steps[0]
    shocks = np.random.default_rng(0).normal(size=302)
    twice = vx.History.from_numbers(100 + shocks[2:] + 0.8 * shocks[:-2], cadence="counted")
    assert any("Lag 2 remains" in step and "try p=2 or q=2" in step for step in vx.fit(twice, "arima p=1").next_steps)
    assert any("not significant: try prune=0.05" in one for one in vx.fit(twice, "arima p=1 q=2").next_steps)
    assert vx.fit(twice, "arima ma_lags=[2]").next_steps == ()
    assert "followed too fast, a smaller alpha=" in _advice(
        vx.History.from_numbers(100 + shocks, cadence="counted"), "simple-smoothing alpha=0.9"
    )


def _advice(series, text):
    """All that is advised, which must not contradict what the audit says."""
    fitted = vx.fit(series, text)
    said, audit = " ".join(fitted.next_steps), fitted.audit().reading
    assert not ("was missed" in audit and "followed too fast" in said)
    assert not ("too closely" in audit and "missing" in said)
    return said


@pytest.mark.parametrize(
    ("text", "wanted", "unwanted"),
    [
        ("naive", "sees no season", "less of"),
        ("seasonal-naive", "less of the last season", "add"),
        ("arima D=1", "Q=1 takes less of it", "P=1"),
        ("arima p=1", "the season is missing, try D=1 Q=1", "Lag "),
        ("arima p=1 q=1 D=1 Q=1", "", "try q=1"),
        ("holt-winters season=additive gamma=0.9", "a smaller gamma=", "missing"),
    ],
)
def test_advice_knows_sign_and_model(text, wanted, unwanted):
    rng = np.random.default_rng(3)
    demand = 100 + np.tile(3.0 * rng.normal(size=12), 20) + rng.normal(size=240)
    said = _advice(monthly(demand), text)
    assert wanted in said and unwanted not in said


def test_errors_are_judged_on_the_scale_that_is_modelled():
    rng, t = np.random.default_rng(8), np.arange(120)
    level = 40 * np.exp(t / 40)
    grown, text = monthly(level * np.exp(0.08 * rng.normal(size=120))), "holt error=multiplicative"
    fitted = vx.fit(grown, text)
    shares = fitted.residuals / fitted.fitted_values
    assert fitted.innovations == pytest.approx(shares, nan_ok=True) and "grow" not in fitted.audit().reading
    assert np.nanstd(fitted.innovations) == pytest.approx(0.08, rel=0.3)
    plain = vx.fit(grown, "holt")
    assert "errors grow in time" in plain.audit().reading and "try transform=log" in " ".join(plain.next_steps)
    even = vx.fit(monthly(level + 3.0 * rng.normal(size=120)), text)
    assert "errors shrink" in even.audit().reading and "try additive ones" in " ".join(even.next_steps)
    largest = fitted.audit().largest.iloc[0]
    at = int(np.nanargmax(np.abs(shares)))
    assert (
        largest["error"] == pytest.approx(fitted.residuals[at]) and largest["period"] == grown["smoker-01"].periods[at]
    )


def test_orders_that_there_are_are_not_advised_again():
    rng, y = np.random.default_rng(5), np.zeros(400)
    e = rng.normal(size=400)
    for t in range(3, 400):
        y[t] = 0.9 * y[t - 1] - 0.5 * y[t - 2] + 0.4 * y[t - 3] + e[t]
    said = _advice(vx.History.from_numbers(50 + y, cadence="counted"), "arima p=1 q=1")
    assert said.startswith("Lag ") and "q=1" not in said and "p=1" not in said


def test_candidates_are_refused_with_a_reason():
    rng = np.random.default_rng(4)
    rooted = attempt(Orders(1, 0, 0, 0, 0, 0, 1, 0), 50 + np.cumsum(rng.normal(size=200)))
    assert "near a unit root" in rooted.flags and rooted.refused
    over = 5 * np.arange(200.0) + np.random.default_rng(1).normal(size=200)
    piled = attempt(Orders(0, 1, 1, 0, 0, 0, 1, 1), over)
    assert piled.flags == ("moving average at its edge",) and not piled.refused
    table = vx.fit(vx.History.from_numbers(over, cadence="counted"), "arima d=1 q=1 constant=yes").coefficients
    assert table["std_error"].isna().tolist() == [True, False]
    many = 0
    for _ in range(8):
        table = vx.fit(vx.History.from_numbers(rng.normal(size=200), cadence="counted"), "arima").candidates
        refused = table.index[table["remark"].str.startswith("refused: ")].tolist()
        assert refused == list(range(len(table) - len(refused), len(table)))
        many += len(refused)
    assert many > 0
    short = attempt(Orders(3, 1, 3, 0, 0, 0, 1, 0), np.arange(6.0))
    assert short.status > 0 and short.flags == () and short.refused


def test_an_average_weighs_the_best_candidates():
    fitted = vx.fit(monthly(Y), "arima average=yes")
    best = fitted.candidates[~fitted.candidates["remark"].str.startswith("refused")].head(5)
    weights = np.exp(-0.5 * (best["aicc"] - best["aicc"].iloc[0]).to_numpy())
    points = []
    for one in best.to_dict("records"):
        words = " ".join(f"{key}={one[key]}" for key in "pdqPDQ") + f" constant={'yes' if one['constant'] else 'no'}"
        points.append(vx.fit(monthly(Y), f"arima {words}").forecast(4).points)
    assert fitted.forecast(4).points == pytest.approx(weights @ np.array(points) / weights.sum(), rel=1e-3)
    assert fitted.in_words().startswith("5 models are averaged; most weight, ")
    assert fitted.equation().startswith("of 5 averaged models") and len(fitted.coefficients)


def test_pruning_drops_what_is_not_significant():
    rng = np.random.default_rng(11)
    y = np.zeros(300)
    for t in range(3, 300):
        y[t] = 0.6 * y[t - 3] + rng.normal()
    series = vx.History.from_numbers(y, cadence="counted")
    fitted = vx.fit(series, "arima p=3 d=0 q=0 constant=no prune=0.01")
    assert fitted.coefficients["name"].tolist() == ["AR lag 3"] and (fitted.coefficients["p_value"] < 0.01).all()
    alone = vx.fit(series, "arima lags=[3] constant=no")
    assert fitted.log_likelihood == pytest.approx(alone.log_likelihood, rel=1e-9)
    assert fitted.forecast(4).points == pytest.approx(alone.forecast(4).points, rel=1e-4)


def test_the_search_finds_what_made_the_series():
    rng = np.random.default_rng(1)
    y = np.zeros(400)
    for t in range(2, 400):
        y[t] = 1.2 * y[t - 1] - 0.6 * y[t - 2] + rng.normal()
    best, tried = search_orders(y, 1, criterion="bic")
    assert (best.orders.p, best.orders.d, best.orders.q) == (2, 0, 0)
    assert tried[0].entry()["d"] == 0
    noise = [attempt(Orders(1, 0, 1, 0, 0, 0, 1, 1), rng.normal(size=300)) for _ in range(8)]
    assert any("factors nearly cancel" in one.flags and one.refused for one in noise)
    walk, _ = search_orders(np.cumsum(rng.normal(size=300)), 1, criterion="bic")
    assert (walk.orders.p, walk.orders.d, walk.orders.q) == (0, 1, 0)
    assert advised_differences(np.tile([5.0, 1, 3, 9], 12) + rng.normal(size=48), 4, 5.0)[0] == 1
    # A line with noise: its moving average at the edge takes the difference back, its drift keeps the slope.
    line = 5 * np.arange(120.0) + rng.normal(size=120)
    assert abs(vx.fit(vx.History.from_numbers(line, cadence="counted"), "arima").forecast(4).points[3] - 615) < 4


@given(st.lists(st.one_of(st.floats(-1e12, 1e12), st.just(0.0), st.none()), min_size=1, max_size=40))
def test_a_search_ends_in_numbers_or_a_reason(numbers):
    fitted = vx.fit(vx.History.from_numbers([*numbers, None], cadence="counted", seasons=4), "arima")
    points = fitted.forecast(3).points
    assert (fitted.available and np.isfinite(points).all() and fitted.in_words()) or fitted.reason
