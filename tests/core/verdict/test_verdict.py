"""What is decided: weights, routes, conditions, the planner's own word, and what intervals held."""

import math

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex.core.methods.catalogue import method as as_method
from veridex.core.verdict.evidence import Entry, ItemEvidence
from veridex.core.verdict.single import benchmark_of, choose_single

BENCHMARKS = ("seasonal-naive", "naive")
LINEUP = ["seasonal-naive", "theta", "smoothing", "drift"]
ENTERED = [*LINEUP, "naive"]
FIVE = ["seasonal-naive", "smoothing", "arima", "holt-winters season=additive damped=yes", "theta"]


@pytest.fixture(scope="module")
def five():
    """Five items with six origins, a lineup of the planner's own."""
    return vx.backtest(portfolio(5), LINEUP, vx.RollingOrigin(horizon=4, origins=6))


@pytest.fixture(scope="module")
def deep():
    """Four items with fourteen origins."""
    return vx.backtest(portfolio(4, 84), ["seasonal-naive", "theta"], vx.RollingOrigin(horizon=4, origins=14))


def evidence(**errors):
    """Entries as name=(error, parameters) or name="why it is missing"."""
    entries = tuple(
        Entry(name.replace("_", "-"), np.nan, 0, (), value) if isinstance(value, str)
        else Entry(name.replace("_", "-"), *value, (), "")
        for name, value in errors.items()
    )  # fmt: skip
    return ItemEvidence("x", "mase", 3, 9, 3, entries)


@pytest.mark.parametrize(
    ("entries", "winner", "benchmark"),
    [
        ({"drift": (0.8, 2), "seasonal_naive": (1.0, 1)}, "drift", "seasonal-naive"),
        ({"drift": (1.1, 2), "seasonal_naive": (1.0, 1)}, "seasonal-naive", "seasonal-naive"),
        ({"drift": (1.0, 2), "seasonal_naive": (1.0, 3)}, "seasonal-naive", "seasonal-naive"),
        ({"holt": (0.5, 9), "mean": (0.5, 2), "naive": (1.0, 1)}, "mean", "naive"),
        ({"naive": (0.7, 1), "seasonal_naive": (1.0, 1)}, "naive", "seasonal-naive"),
        ({"drift": (2.0, 2), "seasonal_naive": "short", "naive": (1.0, 1)}, "naive", "naive"),
        ({"drift": (2.0, 2), "seasonal_naive": "short", "naive": "short"}, "drift", None),
        ({"drift": "short"}, None, None),
    ],
)
def test_single_takes_the_lowest_error_that_beats_the_benchmark(entries, winner, benchmark):
    found = evidence(**entries)
    base = benchmark_of(found, BENCHMARKS)
    best = choose_single([entry for entry in found.entries if not entry.missing], base)
    assert (best.method if best else None) == winner and (base.method if base else None) == benchmark


def scaled_errors(trial):
    """Mean scaled error per item, origin and method, from the table of errors and the histories alone."""
    errors = trial.errors.dropna(subset=["actual"])
    errors = errors.assign(size=(errors["actual"] - errors["forecast"]).abs())
    keys = list(zip(errors["item"], errors["origin"], strict=True))
    spans = {key: trial.history[key[0]].until(str(key[1])[:10]).values for key in set(keys)}
    scales = {key: np.nanmean(np.abs(v[12:] - v[:-12])) for key, v in spans.items()}
    errors["size"] /= [scales[key] for key in keys]
    return errors, scales, errors.groupby(["item", "method", "origin"])["size"].mean().unstack("method")[ENTERED]


def plain_logs(by, names, item, left_out=None):
    """Logs of an item's relative errors, drawn towards the other items', as numerics say."""
    logs = {}
    for name in names:
        own = by.loc[name].drop(index=[left_out]) if name == item and left_out is not None else by.loc[name]
        logs[name] = np.log(own.mean()) - np.log(own.mean()).mean()
    n = len(by.loc[item]) - (left_out is not None)
    prior = sum(logs[name] for name in names if name != item) / (len(names) - 1)
    return n / (n + 24) * logs[item] + 24 / (n + 24) * prior


def plain_weights(logs):
    raw = np.exp(-8 * logs) / np.exp(-8 * logs).sum()
    raw[raw < 0.005] = 0
    return raw / raw.sum()


def test_a_blend_weighs_by_skill_and_is_measured_across_origins(five):
    history, verdict = five.history, vx.decide(five)
    errors, scales, by = scaled_errors(five)
    single = vx.decide(five, "single").winners.set_index("item")
    for row in verdict.winners.to_dict("records"):
        item = row["item"]
        final = plain_weights(plain_logs(by, history.names, item))
        kept = final[final > 0]
        listed = f"of=[{', '.join(kept.index)}] weights="
        assert row["method"].startswith(f"combination {listed}")
        assert as_method(row["method"]).weights == pytest.approx(kept.tolist(), rel=1e-12)
        found = []
        for origin in by.loc[item].index:
            own = plain_weights(plain_logs(by, history.names, item, origin))
            cells = errors[(errors["item"] == item) & (errors["origin"] == origin)]
            wide = cells.pivot_table(index="step", columns="method", values="forecast")[ENTERED]
            actual = cells.drop_duplicates("step").set_index("step")["actual"]
            found.append((actual - wide @ own).abs().mean() / scales[(item, origin)])
        assert row["error"] == pytest.approx(np.mean(found), rel=1e-9) and row["cross_error"] == row["error"]
        assert row["best_single"] == single.loc[item, "method"] and "cross-fitted" in verdict.why(item)
        assert row["less_than_single"] == pytest.approx(100 * (1 - row["error"] / row["best_single_error"]))
    few = vx.decide(vx.backtest(history, LINEUP, vx.RollingOrigin(horizon=4, origins=2))).winners
    assert few["method"].str.endswith("weights=trimmed").all()


def test_single_ranks_by_errors_drawn_towards_the_portfolio(five):
    _, _, by = scaled_errors(five)
    verdict = vx.decide(five, "single")
    scores = five.scores(by=["item", "method"]).set_index(["item", "method"])
    for row in verdict.winners.to_dict("records"):
        drawn = plain_logs(by, five.history.names, row["item"])
        better = drawn[drawn < drawn["seasonal-naive"]]
        assert row["method"] == (better.idxmin() if len(better) else "seasonal-naive")
        assert row["error"] == pytest.approx(scores.loc[(row["item"], row["method"]), "mase"], rel=1e-9)
        assert row["bias"] == pytest.approx(scores.loc[(row["item"], row["method"]), "bias"], rel=1e-9)
        assert row["cross_error"] > 0
    timings = verdict.timings
    assert timings["method"].tolist() == verdict.winners["method"].tolist() and (timings["ms_per_fold"] > 0).all()
    best = verdict.winners.set_index("item").loc["item-0"]
    assert best["season_length"] == 12 and np.isfinite(best["criterion"])
    searched = vx.decide(five, "single", allowed=["smoothing"]).winners
    searched = searched[searched["method"] == "smoothing"]
    assert len(searched) > 2 and searched["form"].str.fullmatch(r"error=\w+ trend=\w+ season=\w+").all()


def test_conditions_of_the_planner_are_kept_or_said(five):
    free = vx.decide(five, "single").winners.set_index("item")
    assert (vx.decide(five, "single", allowed=["drift", "naive"]).winners["method"] != "theta").all()
    # Nothing that is not allowed is published, not even the benchmark, and that is said.
    only = vx.decide(five, "single", allowed=["drift"])
    assert only.winners["method"].eq("drift").all()
    worse = only.winners["error"] > only.winners["benchmark_error"]
    assert worse.any() and (only.winners["unmet"].str.contains("had less error") == worse).all()
    near = vx.decide(five, "single", lead_times=[1]).winners.set_index("item")
    scores = five.scores(by=["item", "method", "step"]).set_index(["item", "method", "step"])["mase"]
    for item, row in near.iterrows():
        assert row["error"] == pytest.approx(scores[item, row["method"], 1], rel=1e-9)
    assert ", at lead times 1, its mean MASE was" in vx.decide(five, lead_times=[1]).why("item-0")
    wape = five.scores(by=["item", "method"]).set_index(["item", "method"])["wape"]
    bound = float(np.median([wape[item, free.loc[item, "method"]] for item in free.index]))
    aimed = vx.decide(five, "single", target=f"wape under {bound:.6f}")
    for row in aimed.winners.to_dict("records"):
        reached = wape[row["item"]].min() < bound
        assert ("no single method reaches" in row["unmet"]) != reached
        assert (wape[row["item"], row["method"]] < bound) == reached
    assert "Not met: no single method reaches wape under" in "".join(aimed.why(item) for item in free.index)
    assert (vx.decide(five, target="wape under 0.01").winners["unmet"].str.startswith("the blend does not")).all()
    limited = vx.decide(five, "single", bias_limit=0.001, coverage_floor=(95, 99.9)).winners
    assert limited["unmet"].str.contains("no method keeps to the limits").any()
    plainest = vx.decide(five, "single", simplest=True).winners.set_index("item")
    assert (plainest["parameters"] <= free["parameters"]).all()

    def least_biased(table):
        assert {"method", "error", "std_error", "bias", "coverage_80"} <= set(table.columns)
        return table["method"][table["bias"].abs().argmin()]

    own = vx.decide(five, least_biased)
    bias = five.scores(by=["item", "method"]).set_index(["item", "method"])["bias"].abs()
    assert own.rule == "least_biased"
    assert all(bias[row["item"]].idxmin() == row["method"] for row in own.winners.to_dict("records"))


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ({"rule": "best"}, "the rules are 'blend' and 'single', or a function"),
        ({"rule": lambda table: "crystal ball"}, "for 'item-0' it must name one of"),
        ({"allowed": ["arima"]}, "the trial has seasonal-naive, theta"),
        ({"allowed": []}, "allow at least one"),
        ({"lead_times": [5]}, "the trial looked 1 to 4 ahead"),
        ({"target": "wape below 15"}, "write a measure, under or over, and a number"),
        ({"target": "beauty over 1"}, "unknown measure"),
        ({"bias_limit": -1}, "percent of demand, above zero"),
        ({"coverage_floor": (90, 80)}, "a level of the trial"),
    ],
)
def test_what_cannot_be_answered_is_refused(five, words, said):
    with pytest.raises(vx.VeridexError, match=said):
        vx.decide(five, **words)


def test_items_are_routed_by_what_was_known_at_the_first_origin():
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


def test_a_planner_may_overrule_with_a_reason_that_is_kept(five):
    verdict = vx.decide(five)
    after = verdict.override("item-2", "drift", "the range is renewed in spring.")
    assert verdict.winners["overridden"].eq("").all()
    row = after.winners.set_index("item").loc["item-2"]
    scores = five.scores(by=["item", "method"]).set_index(["item", "method"])
    assert row["method"] == "drift" and row["error"] == pytest.approx(scores.loc[("item-2", "drift"), "mase"])
    assert "instead of the blend, as the planner decided: the range is renewed in spring." in after.why("item-2")
    unseen = verdict.override("item-2", "moving-average window=3", "habit")
    assert "not tested" in unseen.why("item-2") and unseen.choice("item-2").crossfit is None
    entry = vx.publish(five.history, after, horizon=2).manifest["items"]["item-2"]
    assert entry["override"]["reason"].startswith("the range") and "combination" in entry["override"]["instead_of"]
    assert vx.publish(five.history, unseen, horizon=2).manifest["items"]["item-2"]["method"].startswith("moving")
    for words, said in ((("item-9", "drift", "x"), "no item"), (("item-2", "drift", " "), "say why")):
        with pytest.raises(vx.VeridexError, match=said):
            verdict.override(*words)


def test_a_verdict_depends_on_neither_order_nor_engine_nor_what_was_kept(five):
    verdict, scheme = vx.decide(five), five.scheme
    # A dozen items: sums in another order would differ in their last bits.
    dozen = vx.backtest(portfolio(12), ["theta", "drift"], vx.RollingOrigin(horizon=3, origins=12))
    other = vx.backtest(vx.History.of([*dozen.history][::-1]), ["theta", "drift"], dozen.scheme)
    tables = [
        vx.publish(one.history, vx.decide(one), horizon=3, groups=["all"]).totals.sort_values(
            ["group", "name", "step"], ignore_index=True
        )
        for one in (dozen, other)
    ]
    pd.testing.assert_frame_equal(*tables, check_exact=True)
    turned = vx.backtest(vx.History.of([*five.history][::-1]), LINEUP, scheme, engine="processes")
    lean = vx.backtest(five.history, LINEUP, scheme, keep="scores")
    same = verdict.winners.set_index("item")
    pd.testing.assert_frame_equal(vx.decide(turned).winners.set_index("item").loc[same.index], same, check_exact=True)
    assert vx.decide(lean).winners["method"].tolist() == same["method"].tolist()
    bits = [vx.publish(five.history, verdict, engine=engine, horizon=4) for engine in ("serial", "processes")]
    back = vx.publish(vx.History.of([*five.history][::-1]), vx.decide(turned), horizon=4, groups=["all"])
    ahead = vx.publish(five.history, verdict, horizon=4, groups=["all"])
    pd.testing.assert_frame_equal(bits[0].frame, bits[1].frame, check_exact=True)
    pd.testing.assert_frame_equal(bits[0].totals, bits[1].totals, check_exact=True)
    for one, other in ((back.totals, ahead.totals), (back.forecasts, ahead.forecasts)):
        keys = [name for name in ("name", "item", "step") if name in one]
        one, other = (table.sort_values(keys, ignore_index=True) for table in (one, other))
        pd.testing.assert_frame_equal(one, other, check_exact=True)


def test_why_reads_as_a_planner_would_say_it(trial, verdict):
    text = vx.decide(trial, "single").why("smoker-01")
    row = vx.decide(trial, "single").winners.set_index("item").loc["smoker-01"]
    assert text.startswith(f"smoker-01: {row['method']} is published. Over 8 origins, up to 6 months ahead, ")
    for said in (f"{row['error']:.3g}", "for the benchmark seasonal-naive", "80 % intervals held"):
        assert said in text
    assert verdict.why("smoker-01").startswith("smoker-01: a blend of ")
    assert "Not considered, having no forecast at some origins: " in verdict.why("jar-hex-280")
    assert verdict.winners["item"].tolist() == list(trial.history.names)
    new = verdict.winners.set_index("item").loc["jar-hex-280"]
    assert new["measure"] == "mae" and new["benchmark"] == "naive" and new["route"] == "new"
    with pytest.raises(vx.VeridexError, match="no item 'jar'"):
        verdict.why("jar")


def test_a_blend_hands_drivers_to_the_members_that_take_them():
    history = portfolio(3)
    with pytest.raises(vx.VeridexError, match="theta takes neither"):
        vx.publish(history, method="theta", events=fairs())
    lineup = ["theta", "arima d=1 q=1", "trend-season"]
    driven = vx.backtest(history, lineup, vx.RollingOrigin(horizon=4, origins=3), events=fairs())
    verdict = vx.decide(driven)
    with pytest.raises(vx.VeridexError, match="foresight or drivers"):
        vx.backtest(history, ["drift"], vx.RollingOrigin(horizon=4, origins=3), onto=driven)
    with pytest.raises(vx.VeridexError, match="reached with drivers or events; pass them again"):
        vx.publish(history, verdict, horizon=3)
    text = "combination of=[theta, arima d=1 q=1] weights=[1, 3]"
    assert verdict.winners["method"].str.contains("trend-season").any()
    assert len(vx.publish(history, verdict, horizon=3, events=fairs()).forecasts) == 9
    joined = vx.fit(history["item-1"], text, events=fairs()).forecast(3).points
    theta, arima = vx.fit(history["item-1"], "theta"), vx.fit(history["item-1"], "arima d=1 q=1", events=fairs())
    assert joined == pytest.approx(0.25 * theta.forecast(3).points + 0.75 * arima.forecast(3).points)


def fairs():
    return vx.Events.from_frame(pd.DataFrame({"name": "fair", "first": ["2019-05-02", "2021-06-03"]}))
