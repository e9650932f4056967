"""What a file says beside dates and quantities: ratios, statuses, zones, fiscal years; and spans told by the clock."""

import datetime as dt

import numpy as np
import pandas as pd
import pytest
import sqlalchemy as sql

import veridex as vx
from conftest import monthly

LINES = pd.DataFrame(
    {
        "day": ["2024-01-03", "2024-01-20", "2024-02-07", "2024-02-27", "2024-04-30"],
        "units": [10, 20, 5, 5, 9],
        "orders": [1, 4, 1, 1, 3],
        "state": ["ok", "OK", "Void", "ok", "cancelled"],
    }
)
WORDS = {"period": "day", "cadence": "monthly"}


def test_a_ratio_is_one_of_sums_at_every_cadence():
    history = vx.History.from_frame(LINES, **WORDS, demand="units / orders", absent="zero")
    assert np.array_equal(history.values, [6, 5, np.nan, 3], equal_nan=True)
    assert "Months in which the ratio divides by zero: 1; it is unknown there." in history.notes
    quarters = history.at_cadence("quarterly")
    assert quarters.values[0] == 40 / 7 and np.isnan(quarters.values[1])  # not the mean of 6 and 5
    assert history.until("2024-02").at_cadence("yearly").values.size == 1
    assert history.since("2024-02")["demand"].parts.tolist() == [[10, 0, 9], [2, 0, 3]]
    tidied = vx.tidy(history, gaps="interpolate").history
    assert tidied.values.tolist() == [6, 5, 4, 3]
    with pytest.raises(vx.VeridexError, match="a ratio divides two sums"):
        vx.History.from_frame(LINES, **WORDS, demand="units / orders", combine="mean")
    with pytest.raises(vx.VeridexError, match="a ratio divides two sums; leave gather='sum'"):
        history.at_cadence("quarterly", gather="mean")
    with pytest.raises(vx.VeridexError, match="no column 'visits' for the demand"):
        vx.History.from_frame(LINES, **WORDS, demand="units / visits")


def test_a_column_whose_name_looks_like_a_ratio_is_a_column():
    frame = LINES.rename(columns={"units": "kg / box"})
    assert vx.History.from_frame(frame, **WORDS, demand="kg / box").values[0] == 30


def test_invalid_rows_are_left_out_and_counted(tmp_path):
    history = vx.History.from_frame(LINES, **WORDS, demand="units", status="state")
    assert history.values.tolist() == [30, 5]
    said = "2 rows are invalid by 'state' and were left out ('void' 1, 'cancelled' 1); kept: 'ok' 3."
    assert history.notes[0] == said
    mine = vx.History.from_frame(LINES, **WORDS, demand="units", status="state", invalid=["ok"])
    assert np.array_equal(mine.values, [5, np.nan, 9], equal_nan=True)
    none = vx.History.from_frame(LINES, **WORDS, demand="units", status="state", invalid=["lost"])
    assert none.notes[0] == "No row is invalid by 'state': it says 'ok' 3, 'void' 1, 'cancelled' 1."
    # Rows keep their numbers: the fault is in row 4 of the file, whatever was left out before it.
    LINES.assign(units=["void", 1, "x", 2, 3], state=["void", "ok", "ok", "ok", "ok"]).to_csv(tmp_path / "a.csv")
    with pytest.raises(vx.VeridexError, match="row 4, column 'units': 'x' is no number"):
        vx.read_history(tmp_path / "a.csv", **WORDS, demand="units", status="state")
    for words, message in (({"invalid": ["x"]}, "with status="), ({"status": "stat"}, "Did you mean 'state'")):
        with pytest.raises(vx.VeridexError, match=message):
            vx.History.from_frame(LINES, **WORDS, demand="units", **words)


@pytest.mark.parametrize(
    ("words", "stamps", "first"),
    [
        # Summer time began in London at one o'clock on 31 March 2024.
        ({"cadence": "daily", "tz": "Europe/London"}, ["31T00:30Z", "31T23:30Z"], ["2024-03-31", "2024-04-01"]),
        ({"cadence": "daily", "tz": "America/New_York"}, ["31T03:30Z", "31T23:30Z"], ["2024-03-30", "2024-03-31"]),
        (
            {"cadence": "hourly", "tz": "Europe/London"},
            ["31T00:30+00:00", "31T02:30+01:00"],
            ["2024-03-31T00", "2024-03-31T01"],
        ),
        ({"tz": "Europe/Berlin"}, ["29T23:00Z", "30T23:00Z", "31T22:00Z"], ["2024-03-30", "2024-04-01"]),
    ],
)
def test_zoned_stamps_lie_on_local_days_and_finer_ones_in_utc(words, stamps, first):
    frame = pd.DataFrame({"at": [f"2024-03-{stamp}" for stamp in stamps], "units": 1.0})
    for column in (frame["at"], pd.to_datetime(frame["at"], utc=True)):
        history = vx.History.from_frame(frame.assign(at=column), period="at", demand="units", **words)
        series = history["demand"]
        assert [str(series.periods[0])[: len(first[0])], str(series.periods[-1])[: len(first[1])]] == first
        assert any("time zone" in note for note in history.notes)


def test_zones_that_do_not_tell_are_refused():
    frame = pd.DataFrame({"at": ["2024-03-31T00:30Z", "2024-04-01 00:30"], "units": 1.0})
    words = {"period": "at", "demand": "units", "cadence": "daily"}
    for column, tz, message in (
        (frame["at"], "UTC", "has stamps with a time zone and stamps without one"),
        (frame["at"][:1], None, "state whose days are meant, as in tz='Europe/London'"),
        *((frame["at"][:1], tz, "it is a place such as 'Europe/London'") for tz in ("Larkmoor", "", "../zone")),
    ):
        with pytest.raises(vx.VeridexError, match=message):
            vx.History.from_frame(pd.DataFrame({"at": column, "units": 1.0}), **words, tz=tz)


@pytest.mark.parametrize(
    ("texts", "words", "cadence", "first"),
    [
        (["FY24", "FY25", "FY26"], {"fiscal_start": "april"}, "yearly-april", "2023-04"),
        (["2024", "2025", "2026"], {"fiscal_start": 4, "fiscal_named": "start"}, "yearly-april", "2024-04"),
        (["FY2024-Q1", "FY2024-Q2"], {"fiscal_start": "february"}, "quarterly-february", "2023-02"),
        (["Q4 FY24", "Q3 FY24"], {"fiscal_start": "october"}, "quarterly", "2024-Q2"),
        (["2024-Q1", "2024-Q2"], {"fiscal_start": "january"}, "quarterly", "2024-Q1"),
        (["2024-05", "2024-06", "2025-04"], {"fiscal_start": "april", "cadence": "yearly"}, "yearly-april", "2024-04"),
    ],
)
def test_fiscal_years_and_quarters(texts, words, cadence, first):
    history = vx.History.from_frame(pd.DataFrame({"when": texts, "units": 1.0}), period="when", demand="units", **words)
    series = history["demand"]
    assert history.cadence.name == cadence == vx.Cadence.named(cadence).name
    assert history.cadence.text(series.start) == first and len(series) == len(set(history.cadence.iso(series.periods)))
    assert history.season_length == (1 if cadence.startswith("yearly") else 4)


def test_fiscal_years_need_their_first_month():
    frame = pd.DataFrame({"when": ["FY24", "FY25"], "units": 1.0})
    with pytest.raises(vx.VeridexError, match="State the first month of the fiscal year, as in fiscal_start='april'"):
        vx.History.from_frame(frame, period="when", demand="units", cadence="yearly")
    with pytest.raises(vx.VeridexError, match="it is a month, 'april' or 4"):
        vx.History.from_frame(frame, period="when", demand="units", fiscal_start="spring")


@pytest.mark.parametrize(
    ("cadence", "start", "n", "span", "as_of", "first", "last"),
    [
        ("monthly", "2020-01", 60, "2 years", None, "2023-01", "2024-12"),
        ("weekly", "2024-01-01", 60, "1 quarter", None, "2024-W48", "2025-W08"),
        ("daily", "2024-01-01", 60, "last 4 weeks", None, "2024-02-02", "2024-02-29"),
        ("hourly", "2024-01-01", 60, "1 day", None, "2024-01-02 12:00", "2024-01-03 11:00"),
        ("monthly", "2024-01", 12, "last complete month", "2024-11-23", "2024-01", "2024-10"),
        ("monthly", "2024-01", 12, "last complete quarter", "2024-11-23", "2024-01", "2024-09"),
        ("weekly", "2024-01-01", 20, "last complete month", "2024-03-15", "2024-W01", "2024-W08"),
        ("hourly", "2024-01-01", 60, "last complete hour", "2024-01-02 05:59", "2024-01-01 00:00", "2024-01-02 04:00"),
        ("30 minutes", "2024-01-01", 9, "last complete period", "2024-01-01T01:31",
         "2024-01-01 00:00", "2024-01-01 01:00"),
        ("monthly", "2020-01", 12, "last complete year", dt.datetime(2026, 11, 27), "2020-01", "2020-12"),
    ],
)  # fmt: skip
def test_spans_told_by_the_clock(cadence, start, n, span, as_of, first, last):
    history = vx.History.from_numbers(np.arange(float(n)), start=start, cadence=cadence)
    kept = history.until(span, as_of=as_of) if as_of else history.last(span)
    series, text = kept["demand"], history.cadence.text
    assert (text(series.start), text(series.start + len(series) - 1)) == (first, last)


def test_spans_that_do_not_tell_are_refused():
    history = monthly([1, 2, 3])
    for cut, words in (
        (lambda: history.last("a while"), "a span such as '2 years'"),
        (lambda: history.until("last complete month"), "state the instant, as in as_of="),
        (lambda: history.until("last complete month", as_of="now"), "state the instant"),  # the core asks no clock
        (lambda: vx.History.from_numbers([1, 2], cadence="counted").last("2 years"), "a number of periods"),
    ):
        with pytest.raises(vx.VeridexError, match=words):
            cut()


HOSTILE = {
    "a formula": "sku,month,qty\n=1+1,2024-01,1\n=1+1,2024-02,2\n",
    "a path": "sku,month,qty\n../../etc/passwd,2024-01,1\n../../etc/passwd,2024-02,2\n",
    "markup": "sku,month,qty\n<b>[red],2024-01,1\n<b>[red],2024-02,2\n",
    "huge": "sku,month,qty\na,2024-01,1e308\na,2024-02,1e308\na,2024-03,-1e308\n",
    "far away": "sku,month,qty\na,1600-01,1\na,2599-12,2\n",
    "quotes": 'sku,month,qty\n"a ""b"", c\nd",2024-01,1\n"a ""b"", c\nd",2024-02,1\n',
}


@pytest.mark.parametrize("kind", HOSTILE)
def test_hostile_contents_go_through_profile_and_tidy(tmp_path, kind):
    path = tmp_path / "demand.csv"
    path.write_text(HOSTILE[kind])
    history = vx.read_history(path, item="sku", period="month", demand="qty")
    assert len(vx.profile(history)) == 1
    tidied = vx.tidy(history, gaps="interpolate", outliers="repair", unfinished="keep")
    vx.write(tidied, tmp_path / "out")
    again = vx.read_history(tmp_path / "out" / "history.csv", item="item", cadence="monthly")
    assert again.names == history.names and again.values.tobytes() == tidied.history.values.tobytes()
    vx.write(vx.publish(tidied.history, method="naive", horizon=2), tmp_path / "published")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["demand.csv", "out", "published"]


def test_a_database_of_many_users(postgresql, data):
    engine = sql.create_engine(postgresql)
    lines = pd.read_csv(data / "orders.csv", dtype={"sku": str})
    lines["order_date"] = pd.to_datetime(lines["order_date"])
    lines.to_sql("orders", engine, index=False)
    words = {"item": "sku", "period": "order_date", "demand": "quantity", "cadence": "monthly", "status": "status"}
    kept = vx.read_history(postgresql, table="orders", **words)
    plain = vx.read_history(data / "orders.csv", **words)
    assert kept.names == plain.names and kept.values.tobytes() == plain.values.tobytes()
    asked = vx.read_history(postgresql, query="select * from orders where region = 'north'", **words)
    assert 0 < asked.values.sum() < kept.values.sum()
    with pytest.raises(vx.VeridexError, match="it has no table 'nosuch'"):
        vx.read_history(postgresql, table="nosuch", **words)
    engine.dispose()


@pytest.mark.parametrize(
    ("periods", "lines"),
    [
        (["2024-01", "2024-02", "2024-02", "2024-04", "2024-05"], False),  # a repeated row is a repeated row
        (["2024-01", "2024-01", "2024-02", "2024-02", "2024-04", "2024-05", "2024-06", "2024-07"], False),
        (["2024-01", "2024-01", "2024-02", "2024-02", "2024-04", "2024-04", "2024-05"], True),  # as by region
        (["2024-01-01", "2024-01-09", "2024-02-02", "2024-04-03"], True),
        (["2024-01-31", "2024-02-29", "2024-04-30", "2024-05-31"], False),
    ],
)
def test_months_are_no_lines_of_orders_unless_most_come_several_times(periods, lines):
    frame = pd.DataFrame({"period": periods, "demand": np.arange(1.0, len(periods) + 1)})
    history = vx.History.from_frame(frame, cadence="monthly", unfinished="keep")
    values = history[history.names[0]].values
    assert any("order lines" in note for note in history.notes) == lines
    assert values[2] == 0.0 if lines else np.isnan(values[2])  # March has no row


@pytest.mark.parametrize(
    ("every", "cadence", "said"),
    [
        (1, "weekly", "every date is day 1 of a month, 1 month apart; say 'monthly'"),
        (1, "daily", "say 'monthly', or leave it out"),
        (3, "monthly", "3 months apart; say 'quarterly'"),
        (1, "quarterly", ""),
        (1, "monthly", ""),
    ],
)
def test_a_cadence_finer_than_the_dates_is_refused_with_the_evidence(every, cadence, said):
    periods = pd.date_range("2022-01-01", periods=24, freq="MS")[::every]
    frame = pd.DataFrame({"period": periods, "demand": np.arange(1.0, len(periods) + 1)})
    if not said:
        assert len(vx.History.from_frame(frame, cadence=cadence)) == 1
        return
    with pytest.raises(vx.VeridexError, match=said):
        vx.History.from_frame(frame, cadence=cadence)


@pytest.mark.parametrize("kind", ["object", "category", "str"])
def test_an_empty_cell_is_none_of_the_others(kind):
    """A missing date or key was that of the last spelling, without a word."""
    for empty, said in (("period", "row 3, column 'period'"), ("item", "row 3, column 'item'")):
        cells = {"period": ["2022-01", "2022-02", "2022-03", "2022-04"], "item": ["a", "b", "b", "a"]}
        cells[empty][2] = None
        frame = pd.DataFrame({name: pd.Series(own).astype(kind) for name, own in cells.items()})
        with pytest.raises(vx.VeridexError, match=said):
            vx.History.from_frame(frame.assign(demand=[1, 2, 3, 4]), item="item", cadence="monthly")


def test_all_kinds_of_bad_cells_are_told_at_once(tmp_path):
    path = tmp_path / "sales.csv"
    path.write_text("month,sku,units\n2022-01,a,3\n2022-02,a,x\nsoon,a,4\n2022-04,,5\n2022-05,a,y\n")
    with pytest.raises(vx.VeridexError) as told:
        vx.read_history(path, period="month", demand="units", item="sku")
    said = str(told.value)
    for part in (
        "row 4, column 'month': 'soon' is no date",
        "row 3, column 'units': 'x' is no number (2 such cells in all)",
        "row 5, column 'sku': '' is no item key",
    ):
        assert part in said
    assert (told.value.column, [one.column for one in told.value.also]) == ("month", ["units", "sku"])


def test_weeks_are_not_put_into_months():
    weeks = pd.date_range("2022-01-03", periods=30, freq="7D")
    frame = pd.DataFrame({"period": weeks, "demand": np.arange(1.0, 31)})
    with pytest.raises(vx.VeridexError, match="every date is a Monday, and weeks lie in two months; say 'weekly'"):
        vx.History.from_frame(frame, cadence="monthly")
    orders = pd.concat((frame, frame))  # several rows of a date: orders that are entered on Mondays
    assert len(vx.History.from_frame(orders, cadence="monthly")) == 1
    assert (
        len(vx.History.from_frame(frame, cadence="weekly")) == len(vx.History.from_frame(frame, cadence="daily")) == 1
    )
