"""Tidying: rules, what they do and leave alone, the ledger, folds that see the past only."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from reference import NILE
from veridex.core.preparation.training import training_span
from veridex.core.reading.expectation import expect
from veridex.core.tidying.rules import TidyRules, mend

RULES = {
    "gaps": ["unknown", "zero", "carry", "interpolate", "seasonal"],
    "outliers": ["leave", "flag", "repair"],
    "negative": ["keep", "zero"],
    "duplicates": ["sum", "mean", "last"],
}


def faulty(seed=3, n=84):
    """A season with a gap, a outlier and a negative month."""
    values = seasonal_values(seed, n)
    values[[20, 21, 50]] = np.nan
    values[40] *= 3
    values[60] = -5
    return values


def table(rows):
    frame = pd.DataFrame(rows, columns=["sku", "month", "qty"])
    return vx.History.from_frame(frame, item="sku", period="month", demand="qty", cadence="monthly")


@pytest.mark.parametrize(
    ("gaps", "expected"),
    [
        ("unknown", [np.nan, 4, np.nan, np.nan, 10, np.nan]),
        ("zero", [np.nan, 4, 0, 0, 10, 0]),
        ("carry", [np.nan, 4, 4, 4, 10, 10]),
        ("interpolate", [np.nan, 4, 6, 8, 10, 10]),
        ("seasonal", [np.nan, 4, 6, 8, 10, 10]),  # too short to know a season: a straight line
    ],
)
def test_gaps_become_what_was_said(gaps, expected):
    """Before the first known period an item may not have existed; at the end a gap has no later neighbour."""
    tidied = vx.tidy(monthly([None, 4, None, None, 10, None]), gaps=gaps)
    assert np.array_equal(tidied.history["smoker-01"].values, expected, equal_nan=True)
    filled = 0 if gaps == "unknown" else 3
    assert tidied.ledger["what"].tolist() == ["gap filled"] * filled
    assert (
        tidied.ledger["before"].isna().all()
        and tidied.ledger["after"].tolist() == [*expected[2:4], expected[5]][:filled]
    )
    assert np.isnan(tidied.history["smoker-01"].actuals).sum() == 4


def test_a_seasonal_gap_is_filled_by_its_season():
    t = np.arange(72)
    truth = 100 + 0.5 * t + 30 * np.sin(2 * np.pi * t / 12)
    values = truth + np.random.default_rng(1).normal(size=72)
    values[[30, 31, 45]] = np.nan
    filled = vx.tidy(monthly(values), gaps="seasonal").history["smoker-01"].values
    assert np.abs(filled - truth)[[30, 31, 45]].max() < 2  # noise of one unit; a straight line would miss by ten


def test_out_of_stock_is_never_zero():
    frame = pd.DataFrame(
        {"month": ["2024-01", "2024-02", "2024-03", "2024-05"], "qty": [5, 0, 7, 0], "out": list("nynn")}
    )
    history = vx.History.from_frame(frame, period="month", demand="qty", cadence="monthly", stock_out="out")
    assert np.array_equal(history.values, [5, np.nan, 7, np.nan, 0], equal_nan=True)
    assert any(note.startswith("Months out of stock: 1; demand was at least what was sold") for note in history.notes)
    tidied = vx.tidy(history, gaps="zero")
    assert np.array_equal(tidied.history.values, [5, np.nan, 7, 0, 0], equal_nan=True)
    assert tidied.ledger["what"].tolist() == ["out of stock", "gap filled"]
    carried = vx.tidy(history, gaps="interpolate")
    assert carried.history.values.tolist() == [5, 4, 7, 3.5, 0]  # of so few: their mean
    assert "at least what was sold; filled with what is expected given that" in carried.ledger["why"][0]


@pytest.mark.parametrize(("rule", "value"), [("sum", 12), ("mean", 4), ("last", 5)])
def test_duplicate_rows_are_merged_as_told(rule, value):
    history = table([("a", "2024-01", 3), ("a", "2024-02", 4), ("a", "2024-02", 3), ("a", "2024-02", 5)] + [
        (item, f"2024-{month:02d}", 1) for item in "bcde" for month in range(1, 13)
    ])  # fmt: skip
    tidied = vx.tidy(history, duplicates=rule, unfinished="keep")
    assert tidied.history["a"].values.tolist() == [3, value] == tidied.history["a"].actuals.tolist()
    row = tidied.ledger.iloc[0]
    assert (row["item"], row["what"], row["before"], row["after"]) == ("a", "duplicate rows merged", 12, value)
    assert "3 rows (3, 4, 5)" in row["why"]
    again = vx.tidy(tidied.history, duplicates=rule, unfinished="keep")
    pd.testing.assert_frame_equal(again.ledger, tidied.ledger)
    with pytest.raises(vx.VeridexError, match=r"a has 3 rows \(3, 4, 5\) in 2024-02. Correct the source, or say dup"):
        vx.tidy(history, duplicates="refuse")


def test_negative_demand_is_kept_zeroed_or_refused():
    history = monthly([5, -2, 4, -1])
    assert vx.tidy(history).history.values.tolist() == [5, -2, 4, -1]
    zeroed = vx.tidy(history, negative="zero")
    assert zeroed.history.values.tolist() == [5, 0, 4, 0]
    assert zeroed.ledger[["before", "after"]].to_numpy().tolist() == [[-2, 0], [-1, 0]]
    with pytest.raises(vx.VeridexError, match=r"smoker-01 has a demand of -2 in 2018-02 \(2 such periods in all\)"):
        vx.tidy(history, negative="refuse")


def portfolio(items=6, n=60, share=0.4):
    """Items whose last month is a share of what it should be."""
    made = []
    for i in range(items):
        values = seasonal_values(i, n)
        values[-1] *= share
        made.append(monthly(values, item=f"item-{i}")[f"item-{i}"])
    return vx.History.of(made)


def test_an_unfinished_end_is_found_by_what_items_do_together():
    history = portfolio()
    tidied = vx.tidy(history)
    assert len(tidied.history["item-0"]) == 59
    dropped = tidied.ledger[tidied.ledger["what"] == "unfinished period dropped"]
    assert len(dropped) == 6 and dropped["before"].tolist() == [one.values[-1] for one in history]
    assert "6 of 6 items are more than two standard deviations below" in dropped["why"].iloc[0]
    assert len(vx.tidy(portfolio(share=1.0)).history["item-0"]) == 60
    assert len(vx.tidy(vx.History.of(list(history)[:2])).history["item-0"]) == 60  # two items prove nothing
    assert len(vx.tidy(history, unfinished="keep").history["item-0"]) == 60
    cut = vx.tidy(history, unfinished=3)
    assert len(cut.history["item-0"]) == 57 and (cut.ledger["what"] == "unfinished period dropped").sum() == 18
    assert len(vx.tidy(cut.history, unfinished=3).history["item-0"]) == 57  # what was dropped is not dropped twice


def test_an_unfinished_end_that_was_kept_while_reading_is_dropped_while_tidying():
    days = pd.bdate_range("2024-01-01", "2024-04-09").astype(str)
    frame = pd.DataFrame({"day": days, "qty": 1.0})
    words = {"period": "day", "demand": "qty", "cadence": "monthly"}
    kept = vx.History.from_frame(frame, **words, unfinished="keep")
    assert len(kept["demand"]) == 4 and len(vx.tidy(kept).history["demand"]) == 3
    assert vx.profile(kept)["unfinished"].tolist() == [True]


HISTORIES = st.lists(
    st.floats(-50, 1000).map(lambda value: round(value, 1)) | st.none(), min_size=1, max_size=60
).filter(lambda values: any(value is not None for value in values))
CHOICES = st.fixed_dictionaries({name: st.sampled_from(words) for name, words in RULES.items()})


@given(HISTORIES, CHOICES)
def test_tidying_twice_is_tidying_once(values, rules):
    once = vx.tidy(monthly(values), **rules)
    twice = vx.tidy(once.history, **rules)
    assert twice.history.values.tobytes() == once.history.values.tobytes()
    assert twice.history.actuals.tobytes() == once.history.actuals.tobytes()
    pd.testing.assert_frame_equal(twice.ledger, once.ledger)


@given(HISTORIES, CHOICES)
def test_no_rule_changes_a_value_that_the_ledger_does_not_list(values, rules):
    history = monthly(values)
    tidied = vx.tidy(history, **rules)
    series = tidied.history["smoker-01"]
    same = (series.values == series.actuals) | (np.isnan(series.values) & np.isnan(series.actuals))
    changed = set(series.periods[~same].tolist())
    listed = tidied.ledger.set_index("period")
    assert changed <= set(listed.index.to_numpy().astype("datetime64[s]").tolist())
    for period, after in zip(listed.index, listed["after"], strict=True):
        at = np.flatnonzero(series.periods == period.to_datetime64())[0]
        assert series.values[at] == after or (np.isnan(after) and np.isnan(series.values[at]))
    assert series.actuals.tobytes() == history["smoker-01"].values.tobytes()


@given(st.lists(st.floats(-1e3, 1e3), min_size=12, max_size=40), st.integers(6, 30), CHOICES)
def test_a_fold_sees_the_past_alone(values, stop, rules):
    """Change anything after the origin: what a method is given there stays the same, bit for bit."""
    stop = min(stop, len(values) - 1)
    rules = {key: value for key, value in rules.items() if key != "duplicates"}
    given_ = vx.tidy(monthly(values), unfinished="keep", **rules).history["smoker-01"]
    other = vx.tidy(monthly([*values[:stop], *(7e5 for _ in values[stop:])]), unfinished="keep", **rules).history
    one, two = (training_span(series, stop) for series in (given_, other["smoker-01"]))
    assert one.y.tobytes() == two.y.tobytes() and one.actuals.tobytes() == two.actuals.tobytes()
    cut = given_.between(1, stop).values
    assert one.y.tobytes() == cut[np.argmax(~np.isnan(cut)) :].tobytes()


def test_backtests_train_on_tidied_and_score_raw_values():
    values = seasonal_values(5, 84)
    values[78] *= 4  # a outlying order in the holdout of the last origins
    raw = monthly(values)
    tidied = vx.tidy(raw, outliers="repair", unfinished="keep").history
    assert tidied.values[78] < 0.5 * raw.values[78]
    scheme = vx.RollingOrigin(horizon=3, origins=8)
    trial = vx.backtest(tidied, ["naive"], scheme)
    errors = trial.errors[trial.errors["method"] == "naive"]
    assert set(errors.loc[errors["period"] == "2024-07-01", "actual"]) == {values[78]}
    after = errors[errors["origin"] == "2024-07-01"]["forecast"].iloc[0]
    expected = vx.tidy(raw.until("2024-07"), outliers="repair", unfinished="keep").history.values[-1]
    assert after == expected != values[78]
    plain = vx.backtest(raw, ["naive"], scheme)
    assert np.array_equal(trial.arrays.scales, plain.arrays.scales)  # errors are scaled by the raw past too


def test_spans_and_cadences_apply_the_rules_anew():
    tidied = vx.tidy(monthly(faulty()), gaps="interpolate", outliers="repair", negative="zero").history
    short = tidied.until("2022-12")["smoker-01"]
    alone = vx.tidy(monthly(faulty()[:60]), gaps="interpolate", outliers="repair", negative="zero").history["smoker-01"]
    assert np.array_equal(short.values, alone.values) and np.array_equal(short.actuals, alone.actuals, equal_nan=True)
    quarters = tidied.at_cadence("quarterly")["smoker-01"]
    assert np.isnan(quarters.actuals).sum() == 3 and not np.isnan(quarters.values).any()
    assert vx.History.of(list(tidied)).rules == tidied.rules
    assert np.array_equal(tidied.under(None).values, faulty(), equal_nan=True)
    assert tidied.to_frame().columns.tolist() == ["item", "period", "demand", "raw"]


def test_histories_under_different_rules_do_not_mix():
    """Their raw values would be lost, and forecasts scored against repaired ones."""
    tidied = vx.tidy(monthly([1, None, 3]), gaps="carry").history["smoker-01"]
    other = monthly([1, 2, 3], item="jar")["jar"]
    for series in ([tidied, other], [other, tidied]):
        with pytest.raises(vx.VeridexError, match="tidied by different rules; tidy them together"):
            vx.History.of(series)
    raw = vx.History.of([tidied.under(None), other])
    assert np.array_equal(raw["smoker-01"].values, [1, np.nan, 3], equal_nan=True)


def test_the_ledger_goes_with_the_publication(tmp_path):
    tidied = vx.tidy(monthly(faulty()), gaps="interpolate", outliers="repair", negative="zero")
    whats = tidied.ledger["what"].tolist()
    assert sorted(set(whats)) == ["gap filled", "negative set to zero", "outlier repaired"]
    assert any("Gap filled: 3 periods." in note for note in tidied.notes)
    publication = vx.publish(tidied.history, method="holt-winters", horizon=3)
    pd.testing.assert_frame_equal(publication.ledger, tidied.ledger)
    assert publication.manifest["data"]["tidying"] == "gaps interpolate, outliers repair, negative demand zero"
    assert publication.frame["value"][40] == faulty()[40]  # history is shown as it was read
    directory = vx.write(tidied, tmp_path / "out")
    again = vx.read_history(directory / "history.csv", item="item", demand="raw")
    assert again.values.tobytes() == tidied.history.actuals.tobytes()
    clean = vx.read_history(directory / "history.csv", item="item")
    assert clean.values.tobytes() == tidied.history.values.tobytes()
    for name in ("h.csv", "h.parquet"):
        back = vx.read_history(vx.write(tidied.history, tmp_path / name), item="item")
        assert back.values.tobytes() == tidied.history.values.tobytes()
    with pytest.raises(vx.VeridexError, match=r"a file ending in \.parquet, a file ending in \.csv or a database"):
        vx.write(tidied.history, tmp_path / "h.txt")
    with pytest.raises(vx.VeridexError, match="can be written"):
        vx.write(3, tmp_path / "x")


WRONG = [{"gaps": "fill"}, {"outliers": "drop"}, {"negative": "no"}, {"duplicates": "max"}, {"unfinished": -1}]


@pytest.mark.parametrize("rules", WRONG)
def test_unknown_rules_are_refused(rules):
    with pytest.raises(vx.VeridexError, match=rf"{next(iter(rules))}=.*: it is "):
        vx.tidy(monthly([1, 2, 3]), **rules)


def test_the_flow_of_the_nile():
    """Cobb (1978) dates a drop of the level to 1899; 1913 was the year of the lowest flow."""
    history = vx.History.from_numbers(NILE, start="1871", cadence="yearly", item="flow")
    ledger = vx.tidy(history).ledger
    assert [(str(row.period)[:4], row.what) for row in ledger.itertuples()] == [
        ("1899", "level shift noted"),
        ("1913", "outlier flagged"),
    ]
    assert "level down by 2" in ledger["why"][0]


@pytest.mark.parametrize("grows", [False, True])
def test_faults_are_found_where_they_were_put(grows):
    """Six standard deviations above a season that may grow with its level; four of them for a shift."""
    rng = np.random.default_rng(11)
    t = np.arange(96)
    expected = (100 + t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) if grows else 200 + 40 * np.sin(2 * np.pi * t / 12)
    sigma = 0.05 * expected if grows else np.full(96, 8.0)
    values = expected + sigma * rng.normal(size=96)
    values[70] += 6.5 * sigma[70]
    values[30:] += 4 * sigma[30]
    found = expect(values, 12)
    assert found.relative is grows and found.seasonal
    assert 70 in np.flatnonzero(found.outlying) and found.outlying.sum() <= 2
    assert [abs(shift.place - 30) <= 2 for shift in found.shifts] == [True]
    assert found.shifts[0].size == pytest.approx(4 * sigma[30], rel=0.5)


def test_a_december_is_no_outlier_and_an_event_is_no_error():
    values = 100 + np.random.default_rng(2).normal(size=30)
    values[11::12] += 60  # two and a half years: too short to prove a season
    assert not expect(values, 12).outlying.any()
    values[20] += 80
    assert np.flatnonzero(expect(values, 12).outlying).tolist() == [20]
    fair = vx.Events.from_frame(pd.DataFrame({"name": ["fair"], "first": ["2019-09-01"], "last": ["2019-09-09"]}))
    assert vx.tidy(monthly(values), outliers="repair", events=fair).ledger.empty
    assert vx.tidy(monthly(values), outliers="repair").ledger["before"].tolist() == [values[20]]


@pytest.mark.parametrize(
    "values",
    [[], [np.nan] * 20, [5.0] * 40, [0.0] * 40, [1e308, -1e308] * 10, [1e-308] * 20, np.arange(9.0), [1, np.nan] * 20],
    ids=["none", "unknown", "constant", "zero", "huge", "tiny", "short", "gappy"],
)
def test_odd_series_have_an_expectation_or_none(values):
    values = np.asarray(values, dtype=float)
    found = expect(values, 12)
    assert not found.outlying.any() and not found.shifts
    if values.size:
        mended = mend(monthly(values)["smoker-01"], TidyRules(gaps="seasonal", outliers="repair"))
        assert not np.isinf(mended.values).any()


def test_a_change_of_spread_is_dated():
    rng = np.random.default_rng(4)
    values = 300 + np.concatenate((rng.normal(size=60), 5 * rng.normal(size=60)))
    ledger = vx.tidy(vx.History.from_numbers(values, cadence="counted", item="queen-cage")).ledger
    row = ledger[ledger["what"] == "spread change noted"].iloc[0]
    assert abs(row["period"] - 61) <= 6 and "times what it was before" in row["why"]
    assert row["before"] == row["after"]


def test_a_rule_that_finds_nothing_to_do_says_so():
    whole = vx.History.from_numbers([3, 5, 4, 6, 5, 4, 3, 5, 6, 4], cadence="counted", item="x")
    said = " ".join(vx.tidy(whole, gaps="interpolate", outliers="repair", negative="zero").notes)
    for rule in ("gaps='interpolate'", "outliers='repair'", "negative='zero'"):
        assert f"{rule} had nothing to do: " in said
    holed = vx.History.from_numbers([3, None, 4, 6, 5, 4, 3, 5, 6, 4], cadence="counted", item="x")
    assert not any("nothing to do" in note for note in vx.tidy(holed, gaps="interpolate").notes)
    assert vx.tidy(whole).notes == ("There was nothing to repair.",)
