"""The rolling origin: folds, measures against plain loops, and the proof that nothing leaks."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import veridex as vx
from conftest import METHODS, monthly, seasonal_values
from veridex.core.backtest.schemes import Fold
from veridex.core.scoring.measures import naive_scales

Y = seasonal_values()


def test_rolling_origin_lists_its_folds():
    series = monthly(np.arange(30.0))["smoker-01"]
    assert vx.RollingOrigin(horizon=6, origins=3).folds(series) == (Fold(22, 6), Fold(23, 6), Fold(24, 6))
    assert vx.RollingOrigin(horizon=6, origins=3, stride=6).folds(series) == (Fold(12, 6), Fold(18, 6), Fold(24, 6))
    assert len(vx.RollingOrigin(horizon=6, origins="all").folds(series)) == 23
    assert len(vx.RollingOrigin(horizon=6, origins=99).folds(series)) == 23
    assert vx.RollingOrigin(horizon=29).folds(series) == ()
    assert vx.Holdout(last=5).folds(series) == (Fold(25, 5),)
    assert vx.Holdout(share=0.2).folds(series) == (Fold(24, 6),)
    assert vx.Holdout(since="2020-01").folds(series) == (Fold(24, 6),)
    assert vx.Holdout(since="2030-01").folds(series) == ()


@pytest.mark.parametrize(
    "make",
    [
        lambda: vx.RollingOrigin(horizon=0),
        lambda: vx.RollingOrigin(horizon=3, origins="some"),
        lambda: vx.RollingOrigin(horizon=3, window=1),
        lambda: vx.Holdout(),
        lambda: vx.Holdout(last=3, share=0.2),
        lambda: vx.Holdout(share=2),
        lambda: vx.backtest(monthly(Y)),
        lambda: vx.backtest(monthly(Y), [], vx.Holdout(last=3)),
        lambda: vx.backtest(monthly(Y), ["naive", "naive"], vx.Holdout(last=3)),
        lambda: vx.backtest(monthly(Y), scheme=vx.Holdout(last=3), engine="steam"),
        lambda: vx.backtest(monthly(Y), scheme=vx.RollingOrigin(horizon=95)),
    ],
)
def test_wrong_calls_are_refused(make):
    with pytest.raises(vx.VeridexError):
        make()


SCHEMES = [vx.RollingOrigin(horizon=5, origins=20), vx.RollingOrigin(horizon=5, origins=20, window=40)]


@pytest.mark.parametrize("scheme", SCHEMES, ids=["expanding", "sliding"])
def test_nothing_leaks(scheme):
    """Change anything after an origin: every forecast made at it stays bit for bit the same."""
    other = Y.copy()
    other[84:] = [1e6, 0.5, np.nan, 3, 1e-3, 7, 7, 7, 7, 7, 1e5, 2]
    one, two = (vx.backtest(monthly(values), METHODS, scheme) for values in (Y, other))
    stops = one.arrays.origins[0] - one.history["smoker-01"].start + 1
    before = stops <= 84
    assert before.sum() == 13
    for name in ("points", "std_error", "laws", "status", "training"):
        left, right = (getattr(trial.arrays, name)[0][:, before] for trial in (one, two))
        assert left.tobytes() == right.tobytes(), name
    assert one.arrays.points[0][:, ~before].tobytes() != two.arrays.points[0][:, ~before].tobytes()


def test_each_fold_equals_a_fit_on_the_past():
    trial = vx.backtest(monthly(Y), METHODS, vx.RollingOrigin(horizon=4, origins=3), levels=90)
    errors = trial.errors.set_index(["method", "origin", "step"]).sort_index()
    for text in map(str, trial.lineup):
        for i, origin in enumerate(errors.index.unique("origin")):
            past = vx.fit(monthly(Y).until(str(origin)[:10]), text).forecast(4, levels=90).frame
            fold = errors.loc[(text, origin)]
            # The first fold starts cold, as a fit does; later ones start warm and may end on another top.
            rel = 1e-12 if i == 0 else 0.03
            assert fold["forecast"].to_numpy() == pytest.approx(past["forecast"].to_numpy(), rel=rel)
            assert fold["upper_90"].to_numpy() == pytest.approx(past["upper_90"].to_numpy(), rel=max(rel, 1e-9))
            assert fold.index.tolist() == [1, 2, 3, 4]


def test_same_input_same_bits():
    scheme = vx.RollingOrigin(horizon=6, origins=4)
    one, two = (vx.backtest(monthly(Y), METHODS, scheme) for _ in range(2))
    pd.testing.assert_frame_equal(one.errors, two.errors, check_exact=True)
    pd.testing.assert_frame_equal(one.standings(), two.standings(), check_exact=True)
    assert one.timings["folds"].tolist() == [4] * len(METHODS) and (one.timings["ms"] > 0).all()


def plain_measures(rows, scales):
    """All measures of one item's cells in a plain loop."""
    a, f = rows["actual"].to_numpy(), rows["forecast"].to_numpy()
    e, n = a - f, len(a)
    scale = [scales[origin] for origin in rows["origin"]]
    found = {
        "n": n,
        "me": sum(e) / n,
        "mae": sum(abs(e)) / n,
        "mse": sum(e**2) / n,
        "rmse": (sum(e**2) / n) ** 0.5,
        "mpe": 100 * sum(e / a) / n,
        "mape": 100 * sum(abs(e / a)) / n,
        "smape": 200 * sum(abs(e) / (abs(a) + abs(f))) / n,
        "wape": 100 * sum(abs(e)) / sum(abs(a)),
        "mase": sum(abs(x) / s[0] for x, s in zip(e, scale, strict=True)) / n,
        "rmsse": (sum(x**2 / s[1] for x, s in zip(e, scale, strict=True)) / n) ** 0.5,
        "correlation": np.corrcoef(a, f)[0, 1] if np.ptp(f) > 1e-9 else np.nan,
        "accuracy": 100 - 100 * sum(abs(e / a)) / n,
    }
    for level in (80, 95):
        low, up = rows[f"lower_{level}"].to_numpy(), rows[f"upper_{level}"].to_numpy()
        found[f"coverage_{level}"] = 100 * np.mean([x <= y <= z for x, y, z in zip(low, a, up, strict=True)])
        found[f"width_{level}"] = np.mean(up - low)
        missed = [(x - y) * (y < x) + (y - z) * (y > z) for x, y, z in zip(low, a, up, strict=True)]
        found[f"interval_score_{level}"] = np.mean(up - low) + 2 / (1 - level / 100) * np.mean(missed)
    return found


@pytest.fixture(scope="module")
def two_items():
    history = vx.History.of([monthly(Y)["smoker-01"], monthly(seasonal_values(5, 80) + 40, item="jar")["jar"]])
    return vx.backtest(history, ["drift", "holt-winters"], vx.RollingOrigin(horizon=6, origins=5))


@pytest.mark.parametrize("by", [["method"], ["item", "method"], ["method", "step"], ["step"], ["origin", "method"]])
def test_measures_equal_plain_loops(two_items, by):
    scores = two_items.scores(by=by)
    errors = two_items.errors
    scales = {}
    for series in two_items.history:
        for origin in errors.loc[errors["item"] == series.item, "origin"].unique():
            scales[series.item, origin] = naive_scales(series.until(str(origin)[:10]).values, 12)
    assert scores.columns.tolist()[: len(by) + 1] == [*by, "n"]
    for _, row in scores.iterrows():
        chosen = errors[np.logical_and.reduce([errors[group] == row[group] for group in by])]
        per_item = [
            plain_measures(rows, {o: scales[item, o] for o in rows["origin"].unique()})
            for item, rows in chosen.groupby("item")
        ]
        assert row["n"] == len(chosen)
        for name in per_item[0]:
            if name != "n":
                known = [found[name] for found in per_item if not np.isnan(found[name])]
                assert row[name] == pytest.approx(np.mean(known) if known else np.nan, rel=1e-9, nan_ok=True), name


def test_training_scope_scores_one_step_errors_inside_the_span(two_items):
    scores = two_items.scores(by=["item", "method", "origin"], scope="training")
    assert "coverage_80" not in scores.columns
    row = scores[(scores["item"] == "jar") & (scores["method"] == "drift")].iloc[-1]
    y = two_items.history["jar"].until(str(row["origin"])[:10]).values
    errors = np.diff(y) - (y[-1] - y[0]) / (len(y) - 1)
    assert row["n"] == len(y) - 1
    assert row["rmse"] == pytest.approx(np.sqrt(np.mean(errors**2)), rel=1e-9)
    assert row["mase"] == pytest.approx(np.mean(np.abs(errors)) / naive_scales(y, 12)[0], rel=1e-9)
    for wrong in ({"by": "step", "scope": "training"}, {"by": "sku"}, {"scope": "every"}, {"weights": "size"}):
        with pytest.raises(vx.VeridexError):
            two_items.scores(**wrong)


def test_zero_actuals_have_no_percentages_and_their_item_no_mape():
    values = np.tile([5.0, 0, 3, 4], 6)
    trial = vx.backtest(monthly(values), ["naive"], vx.RollingOrigin(horizon=4, origins=3))
    row = trial.scores().iloc[0]
    assert np.isnan(row["mape"]) and np.isnan(row["mpe"]) and np.isnan(row["accuracy"])
    assert np.isfinite(row["wape"]) and np.isfinite(row["smape"])
    both = vx.History.of([monthly(values)["smoker-01"], monthly(Y, item="jar")["jar"]])
    scores = vx.backtest(both, ["naive"], vx.RollingOrigin(horizon=4, origins=3)).scores(by=["method"])
    alone = vx.backtest(monthly(Y), ["naive"], vx.RollingOrigin(horizon=4, origins=3)).scores(by=["method"])
    assert scores.set_index("method")["mape"]["naive"] == alone.set_index("method")["mape"]["naive"]


def test_one_bad_item_never_stops_the_others():
    broken = {
        "constant": [7.0] * 96,
        "zeros": [0.0] * 96,
        "unknown": [None] * 96,
        "spike": [0.0] * 95 + [9.0],
        "negative": (-Y).tolist(),
        "gappy": np.where(np.arange(96) % 5, Y, np.nan).tolist(),
        "new": Y[:14].tolist(),
        "huge": (1e12 * Y).tolist(),
        "tiny": (1e-12 * Y).tolist(),
        "edge": (1e305 * Y).tolist(),
    }
    series = [monthly(values, item=item)[item] for item, values in broken.items()]
    history = vx.History.of([*series, monthly(Y)["smoker-01"]])
    trial = vx.backtest(history, METHODS, vx.RollingOrigin(horizon=6, origins=4))
    errors = trial.errors
    none = errors["forecast"].isna()
    assert (errors.loc[none, "reason"] != "").all()
    assert np.isfinite(errors.loc[~none, ["forecast", "std_error", "lower_80", "upper_95"]]).all(axis=None)
    assert not none[errors["item"] == "smoker-01"].any()
    reasons = errors[none].groupby(["item", "method"])["reason"].first()
    assert reasons["negative", "holt-winters season=multiplicative"].startswith(
        "multiplicative errors and seasons need"
    )
    assert reasons["new", "holt-winters season=additive"].startswith("too little history: the method needs 24")
    assert reasons["unknown", "mean"] == "too little history: the method needs 2 known periods"
    assert reasons["constant", "simple-smoothing"].startswith("nothing varies")
    verdict = vx.decide(trial)
    assert verdict.winners.set_index("item")["method"].isna()["unknown"]
    for item in history.names:
        assert verdict.why(item).startswith(f"{item}: ")
    published = vx.publish(history, verdict, horizon=6)
    ahead = published.forecasts.set_index("item")
    hopeless = ["unknown"]
    assert ahead.loc[hopeless, "value"].isna().all() and (ahead.loc[hopeless, "reason"] != "").all()
    assert np.isfinite(ahead.drop(index=hopeless)["value"]).all()
    assert reasons["edge", "naive"] == "its forecasts are no finite numbers so far ahead"


def test_standings_rank_on_the_cells_that_every_method_has(trial):
    standings = trial.standings()
    assert standings["rank"].tolist() == list(range(1, len(trial.lineup) + 1))
    assert standings["n"].nunique() == 1 and standings["items"].nunique() == 1
    assert standings["mase"].is_monotonic_increasing
    row = standings.set_index("method")
    assert row.loc["seasonal-naive", "value_added"] == pytest.approx(0)
    assert row["forecasts"]["naive"] > row["n"]["naive"]
    for measure, key in (("me", abs), ("correlation", lambda v: -v), ("coverage_80", lambda v: abs(v - 80))):
        ranked = trial.standings(measure=measure)[measure]
        assert [key(v) for v in ranked] == sorted(key(v) for v in ranked)
    with pytest.raises(vx.VeridexError, match="unknown measure"):
        trial.standings(measure="beauty")


def test_holdouts_of_different_length_meet_in_one_trial():
    history = vx.History.of([monthly(Y)["smoker-01"], monthly(Y[:50], item="jar")["jar"]])
    trial = vx.backtest(history, ["naive"], vx.Holdout(share=0.2))
    assert trial.scores(by="item")["n"].tolist() == [19 * 2, 10 * 2]  # two methods: naive and the benchmark
    assert trial.errors.groupby("item")["step"].max().tolist() == [10, 19]


def test_benchmarks_are_entered_and_said():
    trial = vx.backtest(monthly(Y), ["mean"], vx.Holdout(last=6))
    assert [entered.text for entered in trial.lineup] == ["mean", "seasonal-naive", "naive"]
    assert trial.notes == ("Added to the lineup as benchmark: seasonal-naive, naive.",)


@settings(max_examples=20)
@given(st.integers(1, 8), st.integers(1, 8), st.integers(1, 5), st.sampled_from(["expanding", 24, 40]))
def test_every_forecast_stands_against_its_own_period(horizon, origins, stride, window):
    scheme = vx.RollingOrigin(horizon=horizon, origins=origins, stride=stride, window=window)
    trial = vx.backtest(monthly(np.arange(96.0)), ["naive"], scheme)
    errors = trial.errors[trial.errors["method"] == "naive"]
    # On a straight line the last value is `step` short, whatever the origin.
    assert (errors["actual"] - errors["forecast"]).to_numpy() == pytest.approx(errors["step"].to_numpy())
    assert len(errors) == horizon * origins
