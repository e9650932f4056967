"""What is published: forecasts, calibrated intervals, quantiles, totals, and the manifest behind them."""

import dataclasses
import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex import figures


def test_publication_holds_history_and_forecasts(orders, verdict, publication):
    frame = publication.frame
    assert frame.columns.tolist() == [
        "item", "period", "kind", "step", "value", "std_error", "lower_95", "lower_80", "upper_80", "upper_95",
        "method", "tested", "reason", "scenario", "half_width_80", "half_width_80_percent", "half_width_95",
        "half_width_95_percent", "intervals", "caution", "benchmark", "verdict",
    ]  # fmt: skip
    for series in orders:
        rows = frame[frame["item"] == series.item]
        assert rows["kind"].tolist() == ["actual"] * len(series) + ["forecast"] * 8
        assert np.array_equal(rows["value"][: len(series)], series.actuals, equal_nan=True)
        ahead = rows.iloc[len(series) :]
        assert ahead["step"].tolist() == list(range(1, 9))
        assert ahead["tested"].tolist() == [True] * 6 + [False] * 2, series.item  # the trial looked six ahead
        refit = vx.fit(series, ahead["method"].iloc[0], among=orders).forecast(8)
        assert np.array_equal(ahead["value"], refit.points)
        shares = [warp.own(0.975) for warp in publication[series.item].outlook.warps]
        own = [refit.law(step).quantile(100 * share) for step, share in enumerate(shares, 1)]
        assert ahead["upper_95"].to_numpy() == pytest.approx(own)
        assert ahead["period"].iloc[0] == np.datetime64("2025-09-01")
    past = frame[frame["kind"] == "actual"]
    assert past[["step", "std_error", "lower_80", "tested"]].isna().all(axis=None)
    assert (publication.forecasts["kind"] == "forecast").all() and repr(publication).startswith("Publication(10 items")


@pytest.fixture(scope="module")
def deep():
    """Eight items with fourteen origins, and their verdict."""
    trial = vx.backtest(portfolio(8, 84), ["seasonal-naive", "theta", "drift"], vx.RollingOrigin(horizon=4, origins=14))
    return vx.decide(trial, "single")


@pytest.mark.parametrize("kind", ["model", "calibrated"])
def test_points_do_not_move_with_the_level_and_bands_nest(deep, kind):
    history = deep.trial.history
    wide = vx.publish(history, deep, horizon=6, levels=(50, 80, 90), intervals=kind).forecasts
    narrow = vx.publish(history, deep, horizon=6, levels=(80,), intervals=kind).forecasts
    assert np.array_equal(wide["value"], narrow["value"])
    assert wide["lower_80"].to_numpy() == pytest.approx(narrow["lower_80"].to_numpy())
    bounds = wide[["lower_90", "lower_80", "lower_50", "value", "upper_50", "upper_80", "upper_90"]].to_numpy()
    assert (np.diff(bounds, axis=1) >= -1e-9).all()
    for _, own in wide.groupby("item"):
        shares = 100 * (own["upper_90"] - own["lower_90"]) / 2 / own["value"]
        assert own["half_width_90_percent"].to_numpy() == pytest.approx(shares.to_numpy())
    assert wide["intervals"].eq(kind).all() and wide["tested"].tolist() == ([True] * 4 + [False] * 2) * 8
    totals = vx.publish(history, deep, horizon=6, levels=(80, 97.5, 99), intervals=kind).totals
    assert (totals["upper_99"] > totals["upper_97_5"]).all() and (totals["lower_80"] >= 0).all()


def test_what_is_said_of_the_bands_is_said_of_those_published(deep):
    history, item = deep.trial.history, "item-3"
    table = deep.intervals.query("item == @item").set_index(["kind", "level"])["coverage"]
    for kind in ("model", "calibrated"):
        published = vx.publish(history, deep, horizon=3, intervals=kind)
        scores = published.manifest["items"][item]["scores"]
        assert scores["coverage_of"] == kind
        assert scores["coverage"] == pytest.approx({"80": table[kind, 80], "95": table[kind, 95]}, nan_ok=True)
    # Lead times inside a gap were not tested, and say so.
    gapped = vx.backtest(history, ["theta"], vx.RollingOrigin(horizon=2, origins=12, gap=2))
    ahead = vx.publish(history, vx.decide(gapped), horizon=5).forecasts.query("item == @item")
    assert ahead["tested"].tolist() == [False, False, True, True, False]
    assert ahead["intervals"].eq("calibrated").all()
    # A member whose estimation did not settle is said of the whole.
    walk = monthly(100 + np.random.default_rng(2).normal(size=60).cumsum())
    text = "combination of=[naive, arima p=4 q=4]"
    assert "stopped before it had settled" in vx.publish(walk, method=text, horizon=2).forecasts["reason"].iloc[0]


def test_quantiles_are_one_sided_bounds(deep):
    published = vx.publish(deep.trial.history, deep, horizon=4, levels=(95,), quantiles=(97.5, 90, 2.5))
    ahead = published.forecasts
    assert np.array_equal(ahead["quantile_97_5"], ahead["upper_95"])
    assert np.array_equal(ahead["quantile_2_5"], ahead["lower_95"]) and "lower_80" not in ahead
    assert (ahead["quantile_90"] < ahead["quantile_97_5"]).all() and (ahead["quantile_90"] > ahead["value"]).all()
    middle = vx.publish(deep.trial.history, deep, horizon=4, quantiles=50).forecasts
    assert middle["quantile_50"].between(middle["lower_80"], middle["upper_80"]).all()
    assert np.array_equal(published.totals["quantile_97_5"], published.totals["upper_95"])


def test_group_totals_measure_how_items_go_wrong_together():
    def trial_of(together):
        rng = np.random.default_rng(9)
        common = rng.normal(size=84)
        series = []
        for i in range(12):
            shocks = common if together else rng.normal(size=84)
            keys = {"line": "spares" if i % 2 else "hives", "sku": str(i)}
            series.append(pd.DataFrame({**keys, "month": pd.date_range("2018-01", periods=84, freq="MS"),
                                        "units": 100 + 10 * shocks}))  # fmt: skip
        history = vx.History.from_frame(
            pd.concat(series), item=["line", "sku"], period="month", demand="units", cadence="monthly"
        )
        return vx.backtest(history, ["mean", "simple-smoothing"], vx.RollingOrigin(horizon=3, origins=14))

    widths = {}
    for together in (False, True):
        verdict = vx.decide(trial_of(together))
        published = vx.publish(verdict.trial.history, verdict, horizon=3, levels=(80,), groups=["all", "line"])
        totals = published.totals.set_index(["group", "name", "step"]).sort_index()
        assert totals.loc[("all", "all", 3), "items"] == 12 and totals.loc[("line", "hives", 1), "items"] == 6
        alone = totals.loc["item"]["forecast"].groupby("step").sum()
        assert totals.loc[("all", "all")]["forecast"].to_numpy() == pytest.approx(alone.to_numpy())
        row = totals.loc[("all", "all", 1)]
        widths[together] = (row["upper_80"] - row["lower_80"]) / 2
        assert (published.manifest["groups"][0]["shared"] > 0.9) == together and row["intervals"] == "calibrated"
        fits = [choice.hindcast.scores for choice in verdict.choices.values()]
        excess = sum(float((a * b).sum()) for a in fits for b in fits if a is not b)
        room = sum(float(np.abs(a * b).sum()) for a in fits for b in fits if a is not b)
        shared = min(max(excess / room, 0.0), 0.99)
        assert published.manifest["groups"][0]["shared"] == pytest.approx(shared)
    # Twelve errors of standard deviation ten: they cancel out, or they add up.
    z = 1.2816
    assert widths[False] == pytest.approx(z * 10 * np.sqrt(12), rel=0.35)
    assert widths[True] == pytest.approx(z * 10 * 12, rel=0.35)


def test_how_far_ahead_and_how_much_history_is_said(deep):
    history = deep.trial.history
    until = vx.publish(history, deep, horizon="2025-03", past=2)
    assert until.forecasts.groupby("item")["step"].max().eq(3).all() and until.manifest["until"] == "2025-03"
    assert until.frame["kind"].eq("actual").sum() == 2 * len(history) and "until 2025-03" in repr(until)
    none = vx.publish(history, deep, horizon=2, past=0)
    assert none.frame["kind"].eq("forecast").all()
    ends = vx.History.of(
        [monthly(seasonal_values()[:90], item="early")["early"], monthly(seasonal_values())["smoker-01"]]
    )
    apart = vx.publish(ends, method="seasonal-naive", horizon="2026-12")
    assert apart.forecasts.groupby("item")["period"].agg(["min", "max"])["max"].nunique() == 1
    assert apart.forecasts.groupby("item").size().to_dict() == {"early": 18, "smoker-01": 12}
    reached = vx.publish(ends, method="seasonal-naive", horizon="2025-12")
    assert reached.forecasts["item"].unique().tolist() == ["early"]
    assert reached.manifest["items"]["smoker-01"]["reason"] == "its history reaches 2025-12 already"
    for words, said in (
        ({"horizon": "2019-01"}, "every item's history reaches that far"),
        ({"past": -1}, "it is 'all', or how many"),
        ({"intervals": "wide"}, "the kinds are model, calibrated"),
        ({"quantiles": 100}, "between 0 and 100"),
        ({"totals_from": 0}, "totals_from"),
        ({"quantiles": 0.975}, "did you mean 97.5"),
        ({"groups": ["colour"]}, "group by one of all"),
    ):
        with pytest.raises(vx.VeridexError, match=said):
            vx.publish(history, deep, **words)
    for words, said in (
        ({"intervals": "calibrated"}, "pass a verdict"),
        ({"groups": ["all"]}, "publish from a verdict"),
    ):
        with pytest.raises(vx.VeridexError, match=said):
            vx.publish(history, method="naive", **words)


def test_only_tested_levels_lead_times_and_cadences_are_called_tested(orders, verdict):
    published = vx.publish(orders, verdict, horizon=2, levels=(50, 95))
    held = published.manifest["items"]["smoker-01"]["scores"]["coverage"]  # at any level, tested or not
    assert held == {"50": held["50"], "95": verdict.winners.set_index("item").loc["smoker-01", "coverage_95"]}
    labels = [text.get_text() for text in figures.forecast(published, "smoker-01").legends[0].get_texts()]
    assert (
        labels[3] == f"50 % interval (held {held['50']:.0f} % when tested)"
        and labels[4] == f"95 % interval (held {held['95']:.0f} % when tested)"
    )
    unknown = monthly([np.nan] * 40)
    nothing = vx.publish(unknown, vx.decide(vx.backtest(unknown, scheme=vx.Holdout(last=3))), horizon=2)
    assert nothing.forecasts["tested"].tolist() == [False, False]
    with pytest.raises(vx.VeridexError, match="made on monthly demand with a season of 12"):
        vx.publish(orders.at_cadence("quarterly"), verdict)


def test_manifest_says_from_what_and_how(orders, publication):
    manifest = json.loads(json.dumps(publication.manifest, allow_nan=False))
    assert manifest["data"]["fingerprint"] == orders.fingerprint
    assert manifest["data"]["notes"] == list(orders.notes)
    assert set(manifest["versions"]) == {"veridex", "python", "numpy", "scipy", "numba", "pandas", "processor"}
    settings = {"horizon": 6, "origins": 8, "stride": 1, "window": "expanding", "first": None, "gap": 0, "anchor": 1}
    assert manifest["backtest"]["settings"] == settings
    entry = manifest["items"]["smoker-01"]
    fitted = vx.fit(orders["smoker-01"], entry["method"], among=orders)
    assert [c["value"] for c in entry["coefficients"]] == fitted.coefficients["value"].tolist()
    assert entry["in_words"] == fitted.in_words() and (entry["scores"]["origins"], entry["scores"]["windows"]) == (5, 1)
    assert orders.since("2019-01").fingerprint != orders.fingerprint


def test_the_planners_own_choice_is_published_and_said():
    published = vx.publish(monthly(seasonal_values()), method="holt-winters", horizon=3)
    assert published.manifest["backtest"] is None
    assert published.manifest["items"]["smoker-01"]["why"].startswith("The planner's own choice; not backtested. It is")
    assert published.forecasts["tested"].tolist() == [False] * 3


@pytest.mark.parametrize(
    "call",
    [{}, {"method": "naive", "verdict": 1}, {"method": "naive", "horizon": 0}, {"method": "naive", "horizon": "soon"}],
)
def test_wrong_calls_are_refused(call):
    with pytest.raises(vx.VeridexError):
        vx.publish(monthly([1, 2, 3]), **call)


def test_what_is_returned_is_frozen(trial, verdict, publication):
    for value, name in ((trial, "levels"), (verdict, "rule"), (publication, "frame")):
        with pytest.raises(dataclasses.FrozenInstanceError):
            setattr(value, name, None)
    with pytest.raises(ValueError, match="read-only"):
        trial.arrays.points[0] = 0.0
    assert isinstance(verdict.winners, pd.DataFrame)


def test_what_the_backtest_found_last_is_published_until_something_new_comes(orders):
    one = orders.only("smoker-01")
    # Without the benchmark nothing can lose to it.
    lineup = ["arima", "smoothing", "theta"]
    trial = vx.backtest(one, lineup, vx.RollingOrigin(horizon=3, origins=4))
    verdict = vx.decide(trial, allowed=lineup)
    published = vx.publish(one, verdict, horizon=3)["smoker-01"]
    found = trial.folds.groupby("method")["form"].last()
    members = [member.text for member in published.method.members]
    for name in ("arima", "smoothing"):
        assert vx.fit(one, f"{name} {found[name]}").method.text in members
    assert published.decided == verdict.choices["smoker-01"].winner.method
    assert published.method.weights == published.decided.weights
    refit = vx.fit(one, published.method).forecast(3)
    assert np.array_equal(published.outlook.points, refit.points)
    assert [member.record.form for member in published.fit.members] == [""] * len(members)  # nothing was searched
    older = vx.backtest(one.until("2025-06"), lineup, vx.RollingOrigin(horizon=3, origins=4))
    anew = vx.publish(one, vx.decide(older, allowed=lineup), horizon=3)["smoker-01"]
    assert anew.method == anew.decided and "arima" in [member.text for member in anew.method.members]
    assert any(member.record.form for member in anew.fit.members)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.integers(-3, 60), min_size=1, max_size=50),
    st.sampled_from(["theta", "smoothing", "croston", "naive", "holt transform=log", "combination of=[drift, sba]"]),
    st.sampled_from([1.0, 0.25]),
    st.sampled_from([None, 0, "none"]),
)
def test_bounds_keep_their_promises(values, method, unit, floor):
    y = np.array(values) * unit
    published = vx.publish(monthly(y, floor=floor), method=method, horizon=4, levels=(50, 80, 99), quantiles=(97.5,))
    support = published["smoker-01"].support
    assert support.floor == (0.0 if floor == 0 or (floor is None and y.min() >= 0) else -np.inf)
    assert support.whole == bool((y % 1 == 0).all())
    for table, middle in ((published.forecasts, "value"), (published.totals, "forecast")):
        names = ["lower_99", "lower_80", "lower_50", "upper_50", "upper_80", "quantile_97_5", "upper_99"]
        bounds = table[names].to_numpy(dtype=float)
        known = ~np.isnan(bounds).any(axis=1)
        assert known.all() or table["reason"][~known].ne("").all()
        assert (np.diff(bounds[known], axis=1) >= -1e-9).all() and (bounds[known] >= support.floor).all()
        assert (table.loc[known, middle] >= support.floor).all()
        if support.whole and middle == "value":
            assert (bounds[known] == np.rint(bounds[known])).all()


def test_a_retired_item_sells_nothing_unless_the_planner_says_otherwise():
    y = np.concatenate((seasonal_values()[:72], np.zeros(24)))
    history = vx.History.of([monthly(np.round(y), item="gone")["gone"], *portfolio(2, 96)])
    verdict = vx.decide(vx.backtest(history, ["naive", "seasonal-mean"], vx.RollingOrigin(horizon=3, origins=6)))
    published = vx.publish(history, verdict, horizon=3)
    totals = published.totals.query("name == 'gone'")
    assert published["gone"].route == "retired" and (totals[["lower_95", "forecast", "upper_95"]] == 0).all(axis=None)
    own = vx.publish(history, verdict.override("gone", "seasonal-mean", "it comes back"), horizon=3)["gone"]
    plain = published["gone"]
    (kept,) = [one.points for one in own.beside if one.role == "verdict"]
    assert np.array_equal(kept, plain.outlook.points) and not kept.any()
    assert own.outlook.points == pytest.approx(vx.fit(history["gone"], "seasonal-mean").forecast(3).points)


def test_totals_that_no_backtest_reached_are_the_models():
    history = portfolio(2, 60)
    gapped = vx.decide(vx.backtest(history, ["theta"], vx.RollingOrigin(horizon=2, origins=6, gap=1)))
    published = vx.publish(history, gapped, horizon=3)
    assert published.forecasts["intervals"].eq("calibrated").all() and published.totals["intervals"].eq("model").all()
    assert np.isfinite(published.totals[["lower_95", "upper_95"]]).all(axis=None)
    few = vx.fit(monthly([-1.0, 3.5, 2.0, 5.5, 1.0]), "simple-smoothing").forecast(3)
    assert np.isfinite(few.law(2).std)


def test_a_group_is_not_lost_to_one_item():
    history = vx.History.of([monthly([5.0, 7.0], item="young", start="2025-11")["young"], *portfolio(3, 96)])
    verdict = vx.decide(vx.backtest(history, ["naive", "theta"], vx.RollingOrigin(horizon=3, origins=4)))
    choices = verdict.choices.but("young", dataclasses.replace(verdict.choices["young"], winner=None))
    published = vx.publish(history, dataclasses.replace(verdict, choices=choices), horizon=3, groups=["all"])
    totals = published.totals
    whole = totals[totals["group"] == "all"]
    assert whole["items"].eq(3).all() and np.isfinite(whole["upper_95"]).all()
    share = 100 * 12 / (12 + sum(np.nansum(history[item].values[-12:]) for item in history.names if item != "young"))
    assert (
        whole["reason"]
        .eq(f"without young, which have no forecast ({share:.3g} % of the group's last 12 periods)")
        .all()
    )
    young = totals[totals["name"] == "young"]
    assert young["forecast"].isna().all() and young["reason"].str.contains("young|tested|forecast|origin").all()


def test_what_must_not_be_trusted_is_said_wherever_it_is_seen(tmp_path):
    trial = vx.backtest(portfolio(3), ["seasonal-naive", "drift"], vx.RollingOrigin(horizon=4, origins=12))
    verdict = vx.decide(trial).override("item-0", "drift", "habit")
    made = vx.publish(trial.history, verdict, horizon=4)
    (caution,) = (one for one in made["item-0"].cautions if one.what == "benchmark")
    assert caution.why == "it had more error than seasonal-naive when tested" and made["item-1"].cautions == ()
    rows = made.forecasts.set_index("item")["caution"]
    assert caution.why in rows["item-0"].iloc[0] and rows["item-1"].eq("").all()
    vx.write(made, tmp_path / "out")
    assert vx.read_publication(tmp_path / "out")["item-0"].cautions == made["item-0"].cautions
    drawn = figures.forecast(made, "item-0").axes[0].texts[0].get_text()
    assert drawn.replace("\n", " ").startswith("Caution: ") and "more error than seasonal-naive" in drawn.replace(
        "\n", " "
    )
    grown = monthly(np.exp(0.1 * np.arange(40)))
    far = vx.publish(grown, method="linear-trend transform=log", horizon=24)["smoker-01"].cautions
    assert [one.what for one in far] == ["size"] and "times the most ever known" in far[0].why
    near = np.where(np.arange(40) < 39, 100.0 - 2 * np.arange(40), 20.0)
    low = vx.publish(monthly(near), method="linear-trend", horizon=12)["smoker-01"].cautions
    assert "it falls to" in low[0].why
    # Bands that held hardly anything when they were tested: a trend that turned.
    turned = monthly(np.concatenate((100.0 + np.arange(60), 160.0 + 30 * np.arange(24))), item="turned")["turned"]
    wild = vx.backtest(vx.History.of([turned]), ["mean"], vx.RollingOrigin(horizon=3, origins=18))
    said = vx.publish(wild.history, vx.decide(wild, allowed=["mean"]), horizon=3)["turned"].cautions
    assert "intervals" in [one.what for one in said] and "of 54 actuals when tested" in said[0].why
