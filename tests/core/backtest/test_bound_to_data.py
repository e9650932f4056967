"""A trial is bound to its data: what it rests on is keyed, and what does not fit is refused by what differs."""

import numpy as np
import pandas as pd
import pytest
from scipy.special import ndtri

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex.core.scoring.levels import level_label

SCHEME = vx.RollingOrigin(horizon=3, origins=6)
LINEUP = ["naive", "linear-trend"]


def raw_and_tidied():
    values = seasonal_values(3)
    values[[20, 50]] = np.nan
    raw = monthly(values)
    return raw, vx.tidy(raw, gaps="interpolate").history


def test_a_verdict_is_published_for_what_it_was_reached_on():
    raw, tidied = raw_and_tidied()
    verdict = vx.decide(vx.backtest(tidied, LINEUP, SCHEME))
    series = tidied["smoker-01"]
    newer = vx.History.of([series.continued(monthly([*series.actuals, 120.0])["smoker-01"])])
    assert vx.publish(newer, verdict, horizon=3).forecasts["value"].notna().all()
    changed = np.array(series.actuals)
    changed[7] += 1
    other = vx.tidy(monthly(changed), gaps="interpolate").history
    for history, said in (
        (raw, "tidied by gaps interpolate, outliers flag, negative demand keep, and this history by no rules"),
        (vx.tidy(raw, gaps="zero").history, "and this history by gaps zero"),
        (other, f"smoker-01 in 2018-08 was {series.actuals[7]:g}, here {changed[7]:g}."),
        (tidied.last(48), "it was made on smoker-01 from 2018-01 on, and this history begins in 2022-01"),
        (tidied.at_cadence("quarterly"), "made on monthly demand with a season of 12"),
    ):
        with pytest.raises(vx.errors.TrialUnlike) as raised:
            vx.publish(history, verdict, horizon=3)
        assert said in str(raised.value)


def driver_of(values):
    frame = pd.DataFrame({"period": pd.date_range("2018-01", periods=len(values), freq="MS"), "price": values})
    return vx.Drivers.from_frame(frame, cadence="monthly", known_ahead=["price"])


def test_onto_takes_over_what_has_the_same_key_and_nothing_else():
    history, rng = portfolio(3), np.random.default_rng(8)
    prices, others = rng.normal(size=(2, 90))
    first = vx.backtest(history, LINEUP, SCHEME, drivers=driver_of(prices))
    for drivers, same in ((driver_of(others), False), (driver_of(prices), True)):
        onto = vx.backtest(history, [*LINEUP, "drift"], SCHEME, drivers=drivers, onto=first)
        fresh = vx.backtest(history, [*LINEUP, "drift"], SCHEME, drivers=drivers)
        places = [fresh.method_index(one) for one in onto.lineup]
        assert onto.arrays.points.tobytes() == fresh.arrays.points[:, places].tobytes()
        taken = onto.arrays.seconds[:, : len(first.lineup)] == first.arrays.seconds
        assert taken[:, onto.method_index("naive")].all()
        assert taken[:, onto.method_index("linear-trend")].all() == same


def test_onto_knows_rules_of_tidying():
    raw, tidied = raw_and_tidied()
    first = vx.backtest(tidied, ["theta"], SCHEME)
    again = vx.tidy(raw, gaps="interpolate", outliers="repair").history
    onto = vx.backtest(again, ["theta"], SCHEME, onto=first)
    assert (onto.arrays.seconds != first.arrays.seconds).all()  # the values are the same, what a fold does is not


def test_coverage_belongs_to_the_bounds_that_are_published():
    history = portfolio(1, 84)
    trial = vx.backtest(
        history, ["seasonal-naive", "theta", "drift"], vx.RollingOrigin(horizon=4, origins=12), levels=(80, 97)
    )
    verdict = vx.decide(trial)
    published = vx.publish(history, verdict, horizon=4, levels=(80, 97))
    item = history.names[0]
    kind = published.manifest["items"][item]["intervals"]["published"]
    held = verdict.intervals.set_index(["kind", "level"])["coverage"]
    row = verdict.winners.iloc[0]
    assert kind == "calibrated"
    for level in ("80", "97"):
        assert row[f"coverage_{level}"] == held[(kind, float(level))]
        assert published.manifest["items"][item]["scores"]["coverage"][level] == row[f"coverage_{level}"]


def test_levels_do_not_jump_and_totals_stand_alone():
    history = portfolio(6, 84)
    verdict = vx.decide(vx.backtest(history, None, vx.RollingOrigin(horizon=6, origins=12)))
    levels = (50, 80, 90, 95, 97, 99, 99.9)
    whole = vx.publish(history, verdict, horizon=6, levels=levels)
    for item in history.names:
        alone = vx.publish(history.only(item), verdict, horizon=6, levels=levels)
        one = whole.totals[whole.totals["name"] == item].reset_index(drop=True)
        pd.testing.assert_frame_equal(one, alone.totals, check_exact=True)
        for table in (alone.forecasts, alone.totals):
            widths = [table[f"upper_{label}"] - table[f"lower_{label}"] for label in map(level_label, levels)]
            growth = np.array(widths[1:]) / np.array(widths[:-1])
            normal = ndtri(0.5 + np.array(levels) / 200)
            assert (growth >= 1).all() and (growth < 1.8 * (normal[1:] / normal[:-1])[:, None]).all()


def test_an_item_is_found_by_its_name_alone():
    history = portfolio(2)
    for wrong in (0, None, "item-9"):
        with pytest.raises(vx.errors.ItemUnknown, match="no item"):
            history[wrong]
    for call in (lambda: vx.backtest(pd.DataFrame(), LINEUP, SCHEME), lambda: vx.publish(3, method="naive")):
        with pytest.raises(vx.errors.CallError, match="pass a history"):
            call()
    with pytest.raises(vx.errors.CallError, match="pass a verdict, or a method by name"):
        vx.publish(history, "theta")
    rows = pd.DataFrame({"sku": ["a", "", "a"], "day": ["2024-01-02", "2024-01-03", "2024-02-03"], "units": [1, 2, 3]})
    with pytest.raises(vx.errors.CellUnreadable, match="column 'sku': '' is no item key"):
        vx.History.from_frame(rows, item="sku", period="day", demand="units", cadence="monthly")
    with pytest.raises(vx.errors.CallError, match=r"did you mean 5\?$"):
        vx.stationarity(history["item-0"], significance=0.05)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda one: one.between("2024-01", 5), "first='2024-01': it is a whole number from 1 on"),
        (lambda one: one.between(3, 2.0), "last=2.0: it is a whole number from 3 on"),
        (lambda one: one.first(True), "first=True: it is a whole number"),
        (
            lambda one: vx.fit(one, "naive").forecast("2026-12"),
            "horizon='2026-12': it is a whole number from 1 to 100000",
        ),
        (lambda one: vx.fit(one, "naive").simulate(3, paths=0.5), "paths=0.5: it is a whole number"),
        (lambda one: vx.correlogram(one, d=3), "d=3: it is a whole number from 0 to 2"),
        (lambda one: vx.read_history(pd.DataFrame()), "source=DataFrame: name a file or an address"),
        (
            lambda one: vx.publish(vx.History.of([one]), method="naive", horizon=2.5),
            "horizon=2.5: it is a whole number",
        ),
        (lambda one: vx.RollingOrigin(horizon="3"), "horizon='3': it is a whole number from 1 to 100000"),
    ],
)
def test_what_is_no_number_or_no_file_is_refused_by_name(call, words):
    with pytest.raises(vx.errors.CallError) as caught:
        call(portfolio(1)["item-0"])
    assert words in str(caught.value)


def test_what_is_not_available_is_a_value_everywhere(tmp_path):
    flat, short = monthly([4.0] * 40), monthly([1.0, 2.0])
    assert np.isfinite(vx.tune(flat, "moving-average", {"window": [2, 3]}, SCHEME).frame["mae"]).all()
    lost = vx.fit(short, "arima p=1 d=1 q=1")
    assert not lost.available and np.isnan([lost.variance, lost.aicc, lost.bic]).all() and lost.candidates.empty
    nothing = vx.publish(short, method="holt-winters", horizon=2)
    assert nothing.forecasts["value"].isna().all() and nothing.forecasts["reason"].ne("").all()
    again = vx.read_publication(vx.write(nothing, tmp_path / "out"))
    assert again.forecasts["reason"].tolist() == nothing.forecasts["reason"].tolist()
    assert again.totals["forecast"].isna().all() and again.totals["reason"].ne("").all()
    far = monthly(np.exp(np.linspace(1, 9, 48)))
    for text in ("poly-trend degree=5 transform=log", "naive transform=log"):
        made = vx.publish(far, method=text, horizon=600).forecasts
        numbers = made[["value", "std_error", "lower_95", "upper_95"]].to_numpy(dtype=float)
        assert np.isfinite(numbers).all() or (np.isnan(numbers).all() and made["reason"].ne("").all()), text


def test_applying_asks_the_method_s_own_rule():
    positive, zero = monthly(seasonal_values()), monthly([*seasonal_values(), 0.0, 0.0])
    for text in ("holt-winters season=multiplicative", "theta transform=log", "smoothing error=multiplicative"):
        applied = vx.fit(positive, text).apply(zero)
        assert not applied.available and "above zero throughout" in applied.reason, text
        assert np.isnan(applied.forecast(3).points).all()
    raw, tidied = raw_and_tidied()
    newer = vx.tidy(monthly([*raw["smoker-01"].values, 150.0]), gaps="interpolate").history["smoker-01"]
    moved = vx.fit(tidied, "theta").apply(newer).series
    assert moved.rules == tidied.rules and np.isnan(moved.actuals[[20, 50]]).all() and len(moved) == 97
