"""Cadences, histories, spans, and rows added up to them."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly
from veridex.core.history.only import only_item
from veridex.core.periods.cadence import CADENCES
from veridex.core.tables import grouping


@pytest.mark.parametrize(
    ("cadence", "spellings", "text", "neighbour"),
    [
        ("yearly", ["2024", "2024-07-09"], "2024", "2025"),
        ("quarterly", ["2024-Q3", "2024Q3", "2024-08", "2024-09-30"], "2024-Q3", "2024-Q4"),
        ("monthly", ["2024-02", "2024-02-29", "2024-02-01 13:45", "Feb-24", "feb '24"], "2024-02", "2024-03"),
        ("monthly", ["Jan-98"], "1998-01", "1998-02"),
        ("weekly-wednesday", ["2024-03-06", "2024-03-12"], "2024-03-06", "2024-03-13"),
        ("workday", ["2024-03-08"], "2024-03-08", "2024-03-11"),
        ("hourly", ["2024-03-08T10:59"], "2024-03-08 10:00", "2024-03-08 11:00"),
        ("1 hour", ["2024-03-08T10:59"], "2024-03-08 10:00", "2024-03-08 11:00"),
        ("1 minute", ["2024-03-08 10:59:30"], "2024-03-08 10:59", "2024-03-08 11:00"),
        ("10 minutes", ["2024-03-08 10:59"], "2024-03-08 10:50", "2024-03-08 11:00"),
        # ISO 8601: the first week of 2025 began on Monday 30 December 2024.
        ("weekly", ["2025-W01", "2025-01-05", "2024-12-30"], "2025-W01", "2025-W02"),
        ("daily", ["2024-02-28", "2024-02-28T23:59"], "2024-02-28", "2024-02-29"),
        ("counted", ["17", " 17"], "17", "18"),
    ],
)
def test_spellings_meet_in_one_period(cadence, spellings, text, neighbour):
    spacing = vx.Cadence.named(cadence)
    ordinals = {spacing.period(spelling) for spelling in spellings}
    assert len(ordinals) == 1
    (ordinal,) = ordinals
    assert spacing.text(ordinal) == text
    assert spacing.text(ordinal + 1) == neighbour


@given(st.sampled_from(CADENCES), st.integers(-1200, 2000))
def test_ordinals_survive_stamps_and_text(cadence, ordinal):
    if cadence.name == "yearly":
        ordinal = ordinal // 20
    assert int(cadence.ordinals(cadence.starts(np.array([ordinal])))[0]) == ordinal
    assert cadence.period(cadence.text(ordinal)) == ordinal


@pytest.mark.parametrize("word", ["2024-13", "2024-02-30", "soon", "now", "0100-01-01", "2024-01-01T10:00+02:00", ""])
def test_unreadable_periods_are_refused(word):
    with pytest.raises(vx.VeridexError, match="monthly periods are given as"):
        vx.Cadence.named("monthly").period(word)


def test_bare_numbers():
    series = monthly([12, None, 11])["smoker-01"]
    assert (series.item, series.measure.unit, series.season_length, len(series)) == ("smoker-01", "units", 12, 3)
    assert np.array_equal(series.values, [12, np.nan, 11], equal_nan=True)
    assert series.periods.tolist() == np.array(["2018-01", "2018-02", "2018-03"], dtype="datetime64[s]").tolist()
    assert series.periods.dtype == np.dtype("datetime64[s]")
    with pytest.raises(ValueError, match="read-only"):
        series.values[0] = 1
    assert vx.History.from_numbers([1, 2], cadence="counted")["demand"].periods.tolist() == [1, 2]


def test_spans_keep_both_ends():
    series = monthly(np.arange(1.0, 25))["smoker-01"]
    assert series.since("2018-03").until("2018-05").values.tolist() == [3, 4, 5]
    assert series.last(2).values.tolist() == [23, 24]
    assert series.between(13, 15).values.tolist() == [13, 14, 15]
    assert series.between(23, 60).periods[0] == np.datetime64("2019-11-01")
    history = vx.History.of([series, monthly([1, 2], item="jar", start="2020-01")["jar"]])
    kept = history.until("2018-02")
    assert kept.names == ("smoker-01",)
    assert kept.notes == ("1 item has no period until 2018-02 and was left out.",)
    assert history.last(1).to_frame()["demand"].tolist() == [24, 2]
    for wrong in (lambda: series.since("2030-01"), lambda: series.last(0), lambda: series.between(3, 2)):
        with pytest.raises(vx.VeridexError):
            wrong()


def table(rows):
    return pd.DataFrame(rows, columns=["sku", "day", "qty"])


def test_order_lines_are_added_up_and_the_unfinished_month_is_left_out():
    days = pd.bdate_range("2024-01-01", "2024-04-12").astype(str)
    frame = table([("a", day, 2.0) for day in days] + [("b", "2024-02-10", 5.0), ("c", "2024-04-02", 1.0)])
    history = vx.History.from_frame(frame, item="sku", period="day", demand="qty", cadence="monthly")
    assert history["a"].values.tolist() == [46, 42, 42]  # 23, 21 and 21 working days
    assert history["b"].values.tolist() == [5, 0]  # sold from February on, nothing in March
    assert history.names == ("a", "b")
    assert history.notes == (
        "77 order lines added up per item and month.",
        "Left out the unfinished last month 2024-04: the order lines end on 2024-04-12.",
        "Months without a row: 1, taken as nothing sold (absent='unknown' for the other meaning).",
        "1 items have no finished month and were left out.",
    )
    kept = vx.History.from_frame(
        frame, item="sku", period="day", demand="qty", cadence="monthly", unfinished="keep", absent="unknown"
    )
    assert kept["a"].values.tolist()[-1] == 20
    assert np.array_equal(kept["b"].values, [5.0])  # unknown after its last row: the span ends there


def test_a_month_that_ends_on_a_weekend_is_finished():
    days = pd.bdate_range("2024-01-01", "2024-03-29").astype(str)  # 30 and 31 March were a weekend
    history = vx.History.from_frame(
        table([("a", day, 1.0) for day in [*days, days[5]]]), item="sku", period="day", demand="qty", cadence="monthly"
    )
    assert len(history["a"]) == 3


def test_a_row_per_period_leaves_gaps_unknown():
    frame = table([("007", "2024-01", 3), ("007", "2024-04", 4), ("12", "2024-02", None)])
    history = vx.History.from_frame(frame, item="sku", period="day", demand="qty", cadence="monthly")
    assert np.array_equal(history["007"].values, [3, np.nan, np.nan, 4], equal_nan=True)
    assert np.isnan(history["12"].values).all()
    assert history.notes[0] == "Rows without a quantity: 1; the demand of their months is unknown."
    assert "taken as unknown demand (absent='zero' for the other meaning)" in history.notes[1]
    assert history.items["unknown"].tolist() == [2, 1]


ROWS = st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 300), st.floats(-1e6, 1e6)), min_size=1, max_size=40)


@given(ROWS, st.randoms())
def test_row_order_never_matters(rows, random):
    def read(lines):
        frame = table([(sku, np.datetime64("2024-01-01") + day, qty) for sku, day, qty in lines])
        return vx.History.from_frame(frame, item="sku", period="day", demand="qty", cadence="weekly")

    shuffled = random.sample(rows, len(rows))
    one, other = read(rows), read(shuffled)
    assert one.names == other.names and one.notes == other.notes
    assert one.values.tobytes() == other.values.tobytes()


@given(
    ROWS, st.sampled_from(["sum", "count", "mean"]), st.sampled_from(["monthly", "weekly-friday", "daily", "workday"])
)
def test_adding_up_on_a_grid_equals_adding_up_in_order(rows, combine, cadence):
    spacing = vx.Cadence.named(cadence)
    stamps = np.datetime64("2024-01-01", "s") + 86400 * np.arange(401)
    lines = grouping.Rows(
        codes=np.array(["abc".index(sku) for sku, _, _ in rows]),
        stamps=stamps,
        dates=np.array([day for _, day, _ in rows]),
        demand=np.array([np.rint(100 * qty) / 100 for _, _, qty in rows]),
    )
    fast = grouping.group_rows(lines, spacing, combine, 2)
    slow = grouping._sorted(lines, spacing.ordinals(stamps), combine, 2)
    assert (fast.codes.tolist(), fast.ordinals.tolist()) == (slow.codes.tolist(), slow.ordinals.tolist())
    assert np.array_equal(fast.values, slow.values) and fast.dates_differ == slow.dates_differ


@given(ROWS, st.integers(1, 99), st.integers(0, 3))
def test_splitting_an_order_line_never_matters(rows, share, decimals):
    """Quantities as they are written, of few decimals: a line of 20 may as well be lines of 12.30 and 7.70."""
    lines = [("a", 1, 2.0), ("a", 2, 3.0), *((sku, day, round(abs(qty), decimals)) for sku, day, qty in rows)]

    def read(lines):
        frame = table([(sku, np.datetime64("2024-01-01") + day, qty) for sku, day, qty in lines])
        return vx.History.from_frame(frame, item="sku", period="day", demand="qty", cadence="monthly")

    (sku, day, qty), rest = lines[-1], lines[:-1]
    part = round(qty * share / 100, decimals)
    parts = [(sku, day, part), (sku, day, round(qty - part, decimals))]
    assert read(lines).values.tobytes() == read(rest + parts).values.tobytes()


@given(st.lists(st.floats(0, 1e9) | st.none(), min_size=1, max_size=30))
def test_a_frame_of_a_history_gives_the_history_back(numbers):
    history = monthly(numbers)
    again = vx.History.from_frame(history.to_frame(), item="item", cadence="monthly")
    assert np.array_equal(again.values, history.values, equal_nan=True)
    assert again.starts.tolist() == history.starts.tolist()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"cadence": "monthy"}, "Did you mean 'monthly'"),
        ({"item": "skuu"}, "no column 'skuu' for the item; its columns are sku, day, qty. Did you mean 'sku'"),
        ({"absent": "maybe"}, "it is one of 'zero', 'unknown'"),
        ({"seasons": 0}, "state up to 4 different lengths from 2 periods on, as in (7, 365.25), or 1 for none"),
        ({"seasons": 1.5}, "state up to 4 different lengths"),
        ({"seasons": (7, 7)}, "state up to 4 different lengths"),
        ({"seasons": "week"}, "state up to 4 different lengths"),
        ({"frame": table([])}, "has 0 periods; a history needs 1"),
        (
            {"frame": table([("a", "2024-01", 1), ("a", "x", 1), ("a", "y", 1)])},
            "row 2, column 'day': 'x' is no date (2",
        ),
        ({"frame": table([("a", "2024-01", "ten")])}, "row 1, column 'qty': 'ten' is no number"),
        ({"frame": table([("a", "2024-01", np.inf)])}, "'inf' is no finite number"),
        ({"frame": table([("a", pd.Timestamp("2024-01", tz="UTC"), 1)])}, "carries time zones; state whose days"),
    ],
)
def test_bad_tables_are_refused(change, words):
    call = {"frame": table([("a", "2024-01", 1)]), "item": "sku", "period": "day", "demand": "qty"}
    call |= {"cadence": "monthly"} | change
    with pytest.raises(vx.VeridexError) as caught:
        vx.History.from_frame(call.pop("frame"), **call)
    assert words in str(caught.value)


def test_one_series_is_asked_for_where_one_is_wanted():
    two = vx.History.of([monthly([1.0])["smoker-01"], monthly([2.0], item="jar")["jar"]])
    with pytest.raises(vx.VeridexError, match=r"pick one: history\['smoker-01'\]"):
        only_item(two)
    with pytest.raises(vx.VeridexError, match="no item 'jarr' in this history of 2: smoker-01, jar"):
        two["jarr"]
    with pytest.raises(vx.VeridexError, match="need their first period"):
        vx.History.from_numbers([1], cadence="monthly")


@pytest.mark.parametrize(
    ("cadence", "start", "coarser", "n", "expected"),
    [
        ("daily", "2024-01-30", "monthly", 2 + 29 + 31, [np.nan, 29, 31]),
        ("daily", "2024-01-01", "weekly", 10, [7, np.nan]),
        ("daily", "2024-01-01", "weekly-wednesday", 10, [np.nan, 7, np.nan]),
        ("monthly", "2024-01", "quarterly", 7, [3, 3, np.nan]),
        ("quarterly", "2023-Q2", "yearly", 8, [np.nan, 4, np.nan]),
        ("workday", "2024-01-01", "weekly", 10, [5, 5]),
        ("workday", "2024-01-01", "monthly", 23 + 20, [23, np.nan]),
        ("hourly", "2024-01-01", "daily", 48, [24, 24]),
        ("10 minutes", "2024-01-01", "hourly", 7, [6, np.nan]),
    ],
)
def test_coarser_cadences_add_up_and_parts_are_unknown(cadence, start, coarser, n, expected):
    history = vx.History.from_numbers(np.ones(n), start=start, cadence=cadence, item="jar")
    coarse = history.at_cadence(coarser)
    assert coarse.cadence.name == coarser and coarse.season_length == coarse.cadence.season_length
    assert np.array_equal(coarse["jar"].values, expected, equal_nan=True)
    mean = history.at_cadence(coarser, gather="mean")["jar"].values
    assert np.array_equal(mean, np.where(np.isnan(expected), np.nan, 1.0), equal_nan=True)


def test_what_does_not_fit_is_refused():
    weekly = vx.History.from_numbers(np.ones(9), start="2024-W01", cadence="weekly")
    for coarser in ("monthly", "daily", "counted"):
        with pytest.raises(vx.VeridexError, match="cadence="):
            weekly.at_cadence(coarser)
    with pytest.raises(vx.VeridexError, match="one cadence"):
        vx.History.of([weekly["demand"], monthly([1.0])["smoker-01"]])
    with pytest.raises(vx.VeridexError, match="one item at least"):
        vx.History.of([])


def test_weekend_orders_of_a_workday_history_belong_to_monday():
    frame = table([("a", "2024-03-01", 1), ("a", "2024-03-02", 2), ("a", "2024-03-04", 4), ("a", "2024-03-05", 8)])
    history = vx.History.from_frame(frame, item="sku", period="day", demand="qty", cadence="workday")
    assert history["a"].values.tolist() == [1, 6, 8]
    assert history.notes[0] == "1 rows of a Saturday or Sunday were put to the Monday after."
    assert [str(p)[:10] for p in history["a"].periods] == ["2024-03-01", "2024-03-04", "2024-03-05"]
