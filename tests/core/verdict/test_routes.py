"""Which way items are decided, and what decides where no origin of their own can."""

import math

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, seasonal_values

FIVE = ["seasonal-naive", "smoothing", "arima", "holt-winters season=additive damped=yes", "theta"]


def test_items_are_routed_by_what_publication_knows():
    rng = np.random.default_rng(5)
    seldom = np.where(rng.random(96) < 0.25, rng.gamma(3.0, 4.0, 96).round() + 1, 0.0)
    ended = np.concatenate((seasonal_values(1)[:66], np.zeros(30)))
    series = {"regular": seasonal_values(2), "also": seasonal_values(3), "seldom": seldom, "ended": ended}
    young = {
        "new": 100 + 10 * rng.normal(size=20),
        "risen": 10.0 * np.arange(1, 21),
        "younger": seasonal_values(5)[:36],
        "tiny": [3.0, 4.0, 6.0],
    }
    items = [monthly(values, item=item)[item] for item, values in series.items()]
    items += [monthly(values, item=item, start="2023-05")[item] for item, values in young.items()]
    items.append(monthly([np.nan] * 30, item="blank")["blank"])
    lineup = [*FIVE, "simple-smoothing", "sba", "drift", "holt damped=yes", "naive"]
    trial = vx.backtest(vx.History.of(items), lineup, vx.RollingOrigin(horizon=6, origins=12))
    verdict = vx.decide(trial)
    found = verdict.winners.set_index("item")
    assert found["route"].to_dict() == {
        "regular": "regular", "also": "regular", "seldom": "intermittent", "ended": "retired", "new": "new",
        "risen": "new", "younger": "regular", "tiny": "untested", "blank": "unknown",
    }  # fmt: skip
    assert found.loc["seldom", "measure"] == "rmsse" and "seasonal-naive" not in found.loc["seldom", "method"]
    squares = trial.scores(by=["item", "method"]).set_index(["item", "method"])["rmsse"]
    held = vx.decide(trial, "single", allowed=["sba"]).winners.set_index("item").loc["seldom"]
    assert held["error"] == pytest.approx(squares["seldom", "sba"], rel=1e-9)
    assert found.loc["ended", "method"] == "naive" and "nothing was sold since 2023-06" in verdict.why("ended")
    assert "demand comes in about one of" in verdict.why("seldom")
    # The first origins of a young item know no season: those that do are used, if there are enough.
    assert "seasonal-naive" in found.loc["younger", "method"] and 3 <= found.loc["younger", "origins"] < 12
    assert "earlier ones knew too little" in verdict.why("younger")
    assert found.loc["new", "method"].endswith("weights=trimmed") and "holt-winters" not in found.loc["new", "method"]
    assert found.loc["risen", "method"].endswith("weights=trimmed") and found.loc["risen", "value_added"] > 0
    assert "with 3 known periods it is too short to be tested" in verdict.why("tiny")
    assert "not tested" in verdict.why("tiny") and math.isnan(found.loc["tiny", "error"])
    assert "nothing is known of its demand" in verdict.why("blank")
    narrow = vx.decide(trial, allowed=["theta", "arima"]).winners.set_index("item")
    assert narrow.loc["ended", "route"] != "retired" and not narrow["method"].str.contains("naive", na=False).any()
    seasonal = vx.decide(trial, allowed=["holt-winters season=additive damped=yes"]).winners.set_index("item")
    assert seasonal["method"].isna()["risen"] and "could be tested at every origin" in seasonal.loc["risen", "reason"]
    ahead = vx.publish(trial.history, verdict, horizon=2).forecasts.set_index("item")["value"]
    assert np.isfinite(ahead["tiny"]).all() and ahead["blank"].isna().all() and (ahead["ended"] == 0).all()


def young_among(months, season, seed=0, horizon=12):
    """Twelve items of six years, six of the same demand whose first months alone are known, and what came after."""
    rng = np.random.default_rng(seed)
    shape = np.exp(season * np.sin(2 * np.pi * np.arange(72 + horizon) / 12))
    items, after = [], {}
    for i in range(18):
        level = rng.lognormal(4, 0.5) * np.exp(rng.normal(0, 0.03, shape.size).cumsum())
        values = np.rint(level * shape * rng.lognormal(0, 0.12, shape.size))
        known = 72 if i < 12 else months
        start = str(np.datetime64("2018-01") + 72 - known)
        items.append(monthly(values[72 - known : 72], item=f"item-{i:02d}", start=start)[f"item-{i:02d}"])
        if i >= 12:
            after[f"item-{i:02d}"] = values[72:]
    return vx.History.of(items), after


@pytest.mark.parametrize(("months", "season", "bar"), [(8, 0.4, 0.6), (6, 0.0, 1.05)])
def test_others_vouch_for_items_that_no_origin_can_test(months, season, bar):
    history, after = young_among(months, season)
    lineup = ["naive", "mean", "simple-smoothing", "holt damped=yes", "theta", "drift", "group-season"]
    verdict = vx.decide(vx.backtest(history, lineup, vx.RollingOrigin(horizon=12, origins=4)))
    published = vx.publish(history, verdict, horizon=12)
    simple = "combination of=[naive, simple-smoothing, holt damped=yes, theta, drift] weights=trimmed"
    mean = vx.publish(history, method=simple, horizon=12)
    sizes = []
    for item, actual in after.items():
        choice = verdict.choice(item)
        assert choice.route == "untested" and choice.hindcast is None and math.isnan(choice.claim.error)
        assert "items that were as long tell which methods are good" in verdict.why(item)
        assert "Nothing is known of its error" in verdict.why(item)
        sizes.append([np.abs(actual - one[item].outlook.points).mean() for one in (published, mean)])
    own, before = np.mean(sizes, axis=0)
    assert own < bar * before
    if season:
        assert all("group-season" in verdict.choice(item).winner.method.text for item in after)
    asked = vx.decide(verdict.trial, lambda table: table["method"].iloc[0])
    assert all(asked.choice(item).winner.method.text.endswith("weights=trimmed") for item in after)


def test_an_override_brings_its_errors_where_the_trial_can_give_them(trial, verdict, orders):
    own = verdict.override("smoker-01", "combination of=[theta, naive] weights=[1, 3]", "a word from sales")
    row = own.winners.set_index("item").loc["smoker-01"]
    one, m, n = trial["smoker-01"], trial.method_index("theta"), trial.method_index("naive")
    joined = 0.25 * one.points[m] + 0.75 * one.points[n]
    sizes = np.abs(one.actuals - joined).mean(axis=1) / one.scales[:, 0]
    assert row["error"] == pytest.approx(sizes.mean()) and row["origins"] == len(one.origins)
    choice = own.choice("smoker-01")
    assert choice.basis is None and choice.learned.points == pytest.approx(joined)  # bands learn from it, not the blend
    single = verdict.override("smoker-01", "naive", "a word from sales").winners.set_index("item").loc["smoker-01"]
    naive = np.abs(one.actuals - one.points[n]).mean(axis=1) / one.scales[:, 0]
    assert single["error"] == pytest.approx(naive.mean())
    other = verdict.override("smoker-01", "moving-average window=3", "a word from sales")
    assert np.isnan(other.winners.set_index("item").loc["smoker-01", "error"])
    assert "it was not tested" in other.why("smoker-01") and other.choice("smoker-01").learned is None
    published = vx.publish(orders, own, horizon=3)["smoker-01"]
    assert published.scores.error == pytest.approx(sizes.mean()) and published.override.reason == "a word from sales"
