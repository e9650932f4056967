"""What ran out is a lower bound; what replaces another item continues its history."""

import numpy as np
import pandas as pd
import pytest
from scipy.stats import truncnorm

import veridex as vx
from veridex.core.reading.censored import _above


def stocked(share=0.3, seed=4, told="stock_out"):
    """Five years of months whose stock runs out where demand is high, and the true mean of the year after."""
    rng = np.random.default_rng(seed)
    t = np.arange(72)
    mean = 100 * (1 + 0.3 * np.sin(2 * np.pi * t / 12))
    demand = mean * (1 + 0.25 * rng.normal(size=72))
    stock = np.quantile(demand / mean, 1 - share) * mean
    out = demand > stock
    table = pd.DataFrame(
        {"period": pd.date_range("2019-01", periods=60, freq="MS"), "demand": np.minimum(demand, stock)[:60]}
    )
    table["stock_out"] = np.where(out, "yes", "no")[:60]
    table["in_stock"] = np.where(out, stock / demand, 1.0)[:60]
    words = {told: told} if told else {}
    return vx.History.from_frame(table, cadence="monthly", **words), float(mean[60:].mean()), out[:60]


@pytest.mark.parametrize(("told", "most"), [("stock_out", 0.03), ("in_stock", 0.03)])
def test_what_is_out_of_stock_is_a_lower_bound(told, most):
    bias = {}
    for how in (told, None):
        made = [stocked(seed=seed, told=how) for seed in range(8)]
        points = [vx.fit(history, "trend-season").forecast(12).points.mean() for history, _, _ in made]
        bias[how] = np.mean(points) / made[0][1] - 1
    assert abs(bias[told]) < most < 0.04 < -bias[None]
    history, _, out = stocked(told=told)
    series = history["demand"]
    assert np.isnan(series.values[out]).all() and (series.stock_outs == out).all()
    filled = vx.tidy(history, gaps="seasonal").history["demand"].values
    assert (filled[out] >= series.censored[0][out]).all() and not np.isnan(filled).any()
    quarters = history.at_cadence("quarterly")["demand"]
    with_outs = out.reshape(20, 3).any(axis=1)
    assert (quarters.stock_outs == with_outs).all() and np.isnan(quarters.values[with_outs]).all()
    sold = np.where(out, series.censored[0], series.values).reshape(20, 3).sum(axis=1)
    assert quarters.censored[0][with_outs] == pytest.approx(sold[with_outs])
    assert np.isnan(quarters.censored[1]).all() == (told == "stock_out")
    part = series.last(30)
    assert part.censored.shape == (2, 30) and history.at(0).fingerprint != stocked(told=None)[0].at(0).fingerprint


def test_an_uncensored_normal_mean_above_a_bound_is_the_closed_form():
    mean, spread, low = np.array([10.0, 10.0, 4.0]), np.array([2.0, 5.0, 1.0]), np.array([12.0, -np.inf, 9.0])
    found, left = _above(mean, spread, low)
    at = (low - mean) / spread
    assert found == pytest.approx(truncnorm.mean(at, np.inf, mean, spread))
    assert left == pytest.approx(truncnorm.var(at, np.inf), abs=1e-6)


def test_wrong_shares_in_stock_are_refused():
    table = pd.DataFrame({"month": ["2024-01", "2024-02"], "qty": [5, 3], "part": [0.5, 40]})
    with pytest.raises(vx.VeridexError, match="share of the period in stock from 0 to 1"):
        vx.History.from_frame(table, period="month", demand="qty", cadence="monthly", in_stock="part")
    with pytest.raises(vx.VeridexError, match="it says more than stock_out="):
        vx.History.from_frame(table, period="month", demand="qty", cadence="monthly", in_stock="part", stock_out="part")


def test_a_successor_continues_the_history_of_what_it_replaces():
    months = pd.period_range("2022-01", periods=40, freq="M").astype(str)
    old, new = np.arange(30.0) + 10, np.arange(14.0) + 100
    rows = [("old", m, v) for m, v in zip(months[:30], old, strict=True)]
    rows += [("new", m, v) for m, v in zip(months[26:], new, strict=True)]
    rows += [("other", m, 5.0) for m in months]
    history = vx.History.from_frame(
        pd.DataFrame(rows, columns=["sku", "month", "qty"]), item="sku", period="month", demand="qty", cadence="monthly"
    )
    tidied = vx.tidy(history, successor={"new": ("old", 0.5)}, outliers="leave")
    assert tidied.history.names == ("new", "other")
    values = tidied.history["new"].values
    assert values[:26] == pytest.approx(0.5 * old[:26]) and values[30:] == pytest.approx(new[4:])
    assert values[26:30] == pytest.approx(0.5 * old[26:] + new[:4])
    (row,) = tidied.ledger.query("what == 'history continued'").to_dict("records")
    assert row["item"] == "new" and row["why"] == "before it is old's, times 0.5 (successor)"
    table = pd.DataFrame({"item": ["new"], "replaces": ["old"], "factor": ["0.5"]})
    again = vx.tidy(history, successor=table, outliers="leave").history
    assert again["new"].values.tolist() == values.tolist()
    trial = vx.backtest(tidied.history, ["naive"], vx.RollingOrigin(horizon=3, origins=2))
    assert trial.errors["actual"].notna().all()


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"new": "gone"}, "no item 'gone'"),
        ({"a": "b", "b": "a"}, "in a circle"),
        ({"a": ("b", 0)}, "no number above zero"),
        (pd.DataFrame({"item": ["a"]}), "replaces"),
        (pd.DataFrame({"item": ["a", "a"], "replaces": ["b", "c"]}), "it replaces two items"),
        ("a", "pass a table with the columns"),
    ],
)
def test_wrong_successions_are_refused(given, words):
    rows = [(item, f"2024-{m:02d}", 1) for item in ("a", "b", "c", "new") for m in range(1, 5)]
    frame = pd.DataFrame(rows, columns=["item", "month", "demand"])
    history = vx.History.from_frame(frame, item="item", period="month", cadence="monthly")
    with pytest.raises(vx.VeridexError, match=words):
        vx.tidy(history, successor=given)
