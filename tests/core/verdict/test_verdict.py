"""What is decided: weights, routes, conditions, the planner's own word, and what intervals held."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, portfolio
from veridex.core.calibration.warping import calibrated_transforms
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
    """Errors of the table, raw and scaled, from the table of errors and the histories alone."""
    errors = trial.errors.dropna(subset=["actual"])
    errors = errors.assign(raw=(errors["actual"] - errors["forecast"]).abs())
    keys = list(zip(errors["item"], errors["origin"], strict=True))
    spans = {key: trial.history[key[0]].until(str(key[1])[:10]).values for key in set(keys)}
    scales = {key: np.nanmean(np.abs(v[12:] - v[:-12])) for key, v in spans.items()}
    return errors.assign(size=errors["raw"] / [scales[key] for key in keys])


def known_then(errors, item, moment, column):
    """Logs of an item's relative errors that were complete at a moment, and how many windows of them there are."""
    own = errors[errors["item"] == item]
    done = own[own["period"] <= moment]
    logs = np.log(done.groupby("method")[column].mean()[ENTERED])
    return logs - logs.mean(), len(done) / (len(own) / own["origin"].nunique())


def plain_logs(errors, names, item, moment):
    """The same drawn towards those of the other items, of which each counts as far as it has a window of errors."""
    others = [known_then(errors, name, moment, "raw") for name in names if name != item]
    counts = [min(windows, 1.0) for _, windows in others]
    prior = sum(count * logs for count, (logs, _) in zip(counts, others, strict=True)) / sum(counts)
    heard = sum(count > 0 for count in counts)
    own, n = known_then(errors, item, moment, "size")
    return n / (n + 72) * own + 72 / (n + 72) * heard / (heard + 8) * prior


def plain_weights(logs):
    raw = np.exp(-16 * logs) / np.exp(-16 * logs).sum()
    raw[raw < 0.005] = 0
    return raw / raw.sum()


def test_a_blend_weighs_by_skill_and_is_judged_by_what_was_known_at_each_origin(five):
    history, verdict = five.history, vx.decide(five)
    errors = scaled_errors(five)
    for row in verdict.winners.to_dict("records"):
        item, origins = row["item"], sorted(errors["origin"].unique())
        claimed = [origin for k, origin in enumerate(origins) if k >= 2]  # half of the span of five months
        found, cells = {"blend": [], "seasonal-naive": []}, errors[errors["item"] == item]
        for origin in claimed:
            own = plain_weights(plain_logs(errors, history.names, item, origin))
            here = cells[cells["origin"] == origin]
            wide = here.pivot_table(index="step", columns="method", values="forecast")[ENTERED]
            actual = here.drop_duplicates("step").set_index("step")["actual"]
            scale = here["raw"].iloc[0] / here["size"].iloc[0]
            found["blend"].append((actual - wide @ own).abs().mean() / scale)
            found["seasonal-naive"].append(here[here["method"] == "seasonal-naive"]["size"].mean())
        means = {name: np.mean(errors) for name, errors in found.items()}
        if (
            means["blend"] > means["seasonal-naive"]
        ):  # by itself it lost: half of it with half of the benchmark, or that
            assert row["lost"] == "the blend" and row["method"] == "seasonal-naive" and row["value_added"] == 0.0
            assert f"the blend lost to it: {means['blend']:.3g} against" in verdict.why(item)
            continue
        final = plain_weights(plain_logs(errors, history.names, item, errors["period"].max()))
        kept = final[final > 0]
        assert row["method"].startswith(f"combination of=[{', '.join(kept.index)}] weights=")
        assert as_method(row["method"]).weights == pytest.approx(kept.tolist(), rel=1e-9)
        assert row["error"] == pytest.approx(means["blend"], rel=1e-9)
        assert row["benchmark_error"] == pytest.approx(means["seasonal-naive"], rel=1e-9)
        assert (row["origins"], row["windows"]) == (4, 1) and row["value_added"] > 0
        lowest = cells[cells["origin"].isin(claimed)].groupby("method")["size"].mean()[ENTERED]
        assert row["best_single"] == lowest.idxmin() and row["best_single_error"] == pytest.approx(
            lowest.min(), rel=1e-9
        )
        assert "Over 4 origins decided by what was known at each (one window)" in verdict.why(item)
    assert verdict.winners["lost"].eq("the blend").sum() == 1
    assert (verdict.winners["error"] <= verdict.winners["benchmark_error"]).all()
    few = vx.decide(vx.backtest(history, LINEUP, vx.RollingOrigin(horizon=4, origins=2))).winners
    assert (few["method"].str.endswith("weights=trimmed") | few["lost"].eq("the mean")).all()


def test_what_is_said_of_an_origin_does_not_change_with_what_came_later(five):
    """Later demand changes neither weights nor bands at an origin, of this item and of all others."""
    history, changed = five.history, five.history["item-1"]
    cut = int(five["item-1"].origins[3]) + 1 - changed.start
    values = np.concatenate((changed.values[:cut], 3.0 * changed.values[cut:][::-1]))
    other = vx.History.of(
        [monthly(values, item="item-1")["item-1"] if one.item == "item-1" else one for one in history]
    )
    verdicts = [vx.decide(one) for one in (five, vx.backtest(other, LINEUP, five.scheme))]
    for item in history.names:
        fits = [verdict.choice(item).hindcast for verdict in verdicts]
        if verdicts[0].choice(item).lost == verdicts[1].choice(item).lost:
            assert np.array_equal(fits[0].points[:4], fits[1].points[:4])
            then = [
                calibrated_transforms(fit, lambda t, v=verdict, i=item: v.peers_then(i, t), fit.transforms)
                for fit, verdict in zip(fits, verdicts, strict=True)
            ]
            known = fits[0].ends[:4] <= fits[0].origins[3]
            assert np.array_equal(then[0][:4][known], then[1][:4][known], equal_nan=True)


def test_single_ranks_by_errors_drawn_towards_the_portfolio(five):
    errors = scaled_errors(five)
    verdict = vx.decide(five, "single")
    for row in verdict.winners.to_dict("records"):
        found, moments = [], sorted(errors["origin"].unique())[2:]
        for moment in [*moments, errors["period"].max()]:  # what would have been chosen at each origin, and is now
            drawn = plain_logs(errors, five.history.names, row["item"], moment)
            better = drawn[drawn < drawn["seasonal-naive"]]
            chosen = better.idxmin() if len(better) else "seasonal-naive"
            own = errors[(errors["item"] == row["item"]) & (errors["method"] == chosen)]
            found.append(own[own["origin"] == moment]["size"].mean())
        assert row["method"] == ("seasonal-naive" if row["lost"] else chosen)
        if not row["lost"] and chosen != "seasonal-naive":
            assert row["error"] == pytest.approx(np.mean(found[:-1]), rel=1e-9) and row["origins"] == 4
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
    near = vx.decide(five, lambda table: "drift", lead_times=[1]).winners.set_index("item")
    scores = five.scores(by=["item", "method", "step"]).set_index(["item", "method", "step"])["mase"]
    for item, row in near.iterrows():
        assert row["error"] == pytest.approx(scores[item, "drift", 1], rel=1e-9) and row["origins"] == 6
    assert ", at lead times 1, its mean MASE was" in vx.decide(five, lead_times=[1]).why("item-0")
    wape = five.scores(by=["item", "method"]).set_index(["item", "method"])["wape"]
    bound = float(np.median([wape[item, free.loc[item, "method"]] for item in free.index]))
    aimed = vx.decide(five, "single", target=f"wape under {bound:.6f}")
    for row in aimed.winners.to_dict("records"):
        reached = wape[row["item"]].min() < bound
        assert ("no single method reaches" in row["unmet"]) != reached
        assert (wape[row["item"], row["method"]] < bound) == reached
    assert "Not met: no single method reaches wape under" in "".join(aimed.why(item) for item in free.index)
    assert (
        vx.decide(five, target="wape under 0.01").winners["unmet"].str.contains("reach(?:es)? wape under 0.01")
    ).all()
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


def test_a_planner_may_overrule_with_a_reason_that_is_kept(five):
    verdict = vx.decide(five)
    after = verdict.override("item-3", "drift", "the range is renewed in spring.")
    assert verdict.winners["overridden"].eq("").all()
    row = after.winners.set_index("item").loc["item-3"]
    scores = five.scores(by=["item", "method"]).set_index(["item", "method"])
    assert row["method"] == "drift" and row["error"] == pytest.approx(scores.loc[("item-3", "drift"), "mase"])
    assert "instead of the blend, as the planner decided: the range is renewed in spring." in after.why("item-3")
    unseen = verdict.override("item-2", "moving-average window=3", "habit")
    assert "not tested" in unseen.why("item-2") and unseen.choice("item-2").hindcast is None
    entry = vx.publish(five.history, after, horizon=2).manifest["items"]["item-3"]
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
    by_others = vx.decide(turned, engine="processes")
    pd.testing.assert_frame_equal(by_others.winners.set_index("item").loc[same.index], same, check_exact=True)
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
    single = vx.decide(trial, "single")
    row = single.winners.query("lost == '' and origins == 5").iloc[0]
    text, how = single.why(row["item"]), "Over 5 origins decided by what was known at each (one window), up to 6 months"
    assert text.startswith(f"{row['item']}: {row['method']} is published. {how} ahead, ")
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
    with pytest.raises(vx.VeridexError, match="theta drivers=none events=none forecasts from demand alone"):
        vx.publish(history, method="theta drivers=none events=none", events=fairs())
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
    theta, arima = (
        vx.fit(history["item-1"], "theta", events=fairs()),
        vx.fit(history["item-1"], "arima d=1 q=1", events=fairs()),
    )
    assert joined == pytest.approx(0.25 * theta.forecast(3).points + 0.75 * arima.forecast(3).points)


def fairs():
    return vx.Events.from_frame(pd.DataFrame({"name": "fair", "first": ["2019-05-02", "2021-06-03"]}))


def test_choices_are_made_once_told_of_and_overridden_any_number_of_times():
    history, told = portfolio(4), []
    trial = vx.backtest(history, ["theta", "seasonal-naive"], vx.RollingOrigin(horizon=3, origins=4))
    verdict = vx.decide(trial, progress=lambda *how: told.append(how))
    assert told == [(k // 2, 4) for k in range(1, 9)]
    changed = verdict
    for k in range(1200):  # a planner with an opinion on everything
        changed = changed.override(f"item-{k % 3}", "theta", f"Ada: {k}")
    assert changed.choice("item-2").override.reason == "Ada: 1199" and verdict.choice("item-2").override is None
    assert changed.choice("item-3") is verdict.choice("item-3") and list(changed.choices) == list(history.names)
