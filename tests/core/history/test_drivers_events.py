"""Drivers and events: aligned, lagged, converted, and never known before their time."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx

MONTHS = ["2024-01", "2024-02", "2024-03", "2024-05"]
FRAME = pd.DataFrame({"month": MONTHS, "price": [10.0, 11, 11, 12], "rain": [3, None, 5, 6], "note": list("abcd")})


def drivers(**words):
    return vx.Drivers.from_frame(FRAME, **({"period": "month", "known_ahead": ["price"]} | words))


def test_columns_are_aligned_and_what_is_missing_is_named():
    found = drivers()
    assert found.names == ("price", "rain") and found.known_ahead == ("price",)
    assert "Left out the columns note: they hold no numbers." in found.notes
    assert repr(found) == "Drivers(monthly: price (known ahead), rain)"
    start = found.cadence.period("2023-12")
    x = found.over("smoker-01", start, 7)
    assert np.array_equal(x[:, 0], [np.nan, 10, 11, 11, np.nan, 12, np.nan], equal_nan=True)
    lost = found.missing("smoker-01", start, 7)
    assert lost.to_numpy().tolist() == [
        ["price", "2023-12", "2023-12", 1],
        ["price", "2024-04", "2024-04", 1],
        ["price", "2024-06", "2024-06", 1],
        ["rain", "2023-12", "2023-12", 1],
        ["rain", "2024-02", "2024-02", 1],
        ["rain", "2024-04", "2024-04", 1],
        ["rain", "2024-06", "2024-06", 1],
    ]


def test_lags_and_changes():
    chosen = drivers().chosen(["price@1", "change(price)", "change(price)@2", "rain@3", "rain"])
    x = chosen.over("any", chosen.cadence.period("2024-01"), 5)
    nan = np.nan
    assert np.array_equal(x[:, 0], [nan, 10, 11, 11, nan], equal_nan=True)
    assert np.array_equal(x[:, 1], [nan, 1, 0, nan, nan], equal_nan=True)
    assert np.array_equal(x[:, 2], [nan, nan, nan, 1, 0], equal_nan=True)
    assert np.array_equal(x[:, 3], [nan, nan, nan, 3, nan], equal_nan=True)
    assert [chosen.lead_known(name) for name in chosen.names] == [None, None, None, 3, 0]
    with pytest.raises(vx.VeridexError, match="there are price, rain, with lags as in price@1"):
        drivers().chosen(["prise@1"])


def test_values_per_item_and_for_every_item(tmp_path):
    (tmp_path / "promo.csv").write_text("sku,month,promo\na,2024-01,1\nb,2024-02,1\na,2024-02,0\n")
    FRAME[["month", "price"]].to_csv(tmp_path / "price.csv", index=False)
    both = [tmp_path / "promo.csv", tmp_path / "price.csv"]
    found = vx.read_drivers(both, period="month", item="sku", known_ahead=["promo", "price"])
    start = found.cadence.period("2024-01")
    assert found.over("a", start, 2).tolist() == [[1, 10], [0, 11]]
    assert np.array_equal(found.over("b", start, 2), [[np.nan, 10], [1, 11]], equal_nan=True)
    assert np.isnan(found.over("c", start, 2)[:, 0]).all()
    for words, message in (
        ({"known_ahead": ["prise"]}, "no file has such a column; they have sku, month, promo, month, price"),
        ({"period": "day"}, "no column 'day' for the driver table"),
    ):
        with pytest.raises(vx.VeridexError, match=message):
            vx.read_drivers(both, **({"period": "month", "item": "sku"} | words))
    with pytest.raises(vx.VeridexError, match="both tables have a driver of this name"):
        vx.read_drivers([both[1], both[1]], period="month")
    with pytest.raises(vx.VeridexError, match="name at least one file"):
        vx.read_drivers([])


def test_several_rows_of_a_period_need_a_rule():
    frame = pd.DataFrame({"day": ["2024-01-05", "2024-01-01", "2024-02-01"], "rain": [2.0, 4, 7]})
    words = {"period": "day", "cadence": "monthly"}
    with pytest.raises(vx.VeridexError, match="'rain' has several rows in 2024-01; say how they become one"):
        vx.Drivers.from_frame(frame, **words)
    for rule, value in (("sum", 6), ("mean", 3), ("last", 2), ("max", 4)):
        found = vx.Drivers.from_frame(frame, **words, combine=rule)
        assert found.over("", found.cadence.period("2024-01"), 2).ravel().tolist() == [value, 7]


@pytest.mark.parametrize(("rule", "expected"), [("sum", 31 + 465), ("mean", 16), ("last", 31), ("max", 31)])
def test_to_a_coarser_cadence_by_a_stated_rule(rule, expected):
    days = pd.date_range("2024-01-01", "2024-02-10")
    frame = pd.DataFrame({"day": days, "rain": np.arange(1.0, len(days) + 1)})
    daily = vx.Drivers.from_frame(frame, period="day")
    monthly = daily.at_cadence("monthly", {"rain": rule})
    values = monthly.over("", monthly.cadence.period("2024-01"), 2).ravel()
    assert values[0] == {"sum": 496}.get(rule, expected) and np.isnan(values[1])  # February is not wholly there
    assert f"Drivers were brought from daily to monthly: rain {rule}." in monthly.notes
    with pytest.raises(vx.VeridexError, match="'rain' needs one of"):
        daily.at_cadence("monthly", {})


def test_to_a_finer_cadence_values_are_held():
    weekly = drivers(columns=["price"]).at_cadence("weekly", "hold")
    x = weekly.over("", weekly.cadence.period("2024-01-08"), 6).ravel()
    assert x.tolist() == [10, 10, 10, 10, 11, 11]  # the week of 29 January begins in January
    with pytest.raises(vx.VeridexError, match="weekly is finer than monthly; say 'hold'"):
        drivers(columns=["price"]).at_cadence("weekly", "mean")
    with pytest.raises(vx.VeridexError, match="yearly is coarser than monthly; say 'mean' or 'sum'"):
        drivers(columns=["price"]).at_cadence("yearly", "hold")
    with pytest.raises(vx.VeridexError, match="convert one with at_cadence"):
        weekly.joined(drivers(columns=["rain"], known_ahead=()))


def events(*rows):
    return vx.Events.from_frame(pd.DataFrame(rows, columns=["name", "first", "last", "lead_in", "echo"]))


@pytest.mark.parametrize(
    ("cadence", "start", "expected"),
    [
        ("monthly", "2024-02", [3 / 29, 8 / 31, 0]),  # felt from 27 February to 8 March
        ("weekly", "2024-02-19", [0, 6 / 7, 5 / 7]),
        ("workday", "2024-02-26", [0, 1, 1]),
        ("daily", "2024-02-26", [0, 1, 1]),
        ("quarterly", "2024-Q1", [11 / 91, 0, 0]),
        ("12 hours", "2024-02-26", [0, 0, 1]),
    ],
)
def test_an_event_is_felt_by_the_share_of_days(cadence, start, expected):
    fair = events(("fair", "2024-03-01", "2024-03-04", 3, 4))
    assert fair.on(cadence, start, 3).values.ravel() == pytest.approx(expected)
    assert fair.on(cadence, vx.Cadence.named(cadence).period(start), 3).names == ("fair",)


@given(st.lists(st.tuples(st.integers(0, 700), st.integers(0, 20)), min_size=1, max_size=8))
def test_shares_agree_with_counting_days(spans):
    """A plain count over the calendar, day by day; days that two happenings share count once."""
    first = np.datetime64("2023-01-01")
    rows = [("fair", str(first + begin), str(first + begin + length), 0, 0) for begin, length in spans]
    felt = {int(begin) + i for begin, length in spans for i in range(length + 1)}
    values = events(*rows).on("monthly", "2023-01", 24).values.ravel()
    for month, value in enumerate(values):
        low = np.datetime64("2023-01") + month
        days = [int((day - first).astype(int)) for day in np.arange(low.astype("M8[D]"), (low + 1).astype("M8[D]"))]
        assert value == pytest.approx(np.mean([day in felt for day in days]))


def test_an_event_seen_once_is_left_out_and_said():
    rows = [("fair", f"{year}-03-01", f"{year}-03-02", 0, 0) for year in (2022, 2023, 2024)]
    happening = events(*rows, ("jubilee", "2023-06-01", "2023-06-01", 0, 0), ("move", "2025-01-01", "2025-01-01", 0, 0))
    monthly = vx.Cadence.named("monthly")
    found = happening.estimable(monthly, monthly.period("2022-01"), 30, ahead=12)
    assert found.names == ("fair",) and found.values.shape == (42, 1) and found.left_out == ("jubilee", "move")
    assert found.notes[0].startswith("Event 'jubilee' happened once in the training span: too seldom")
    assert found.notes[1].startswith("Event 'move' happened never in the training span")
    early = happening.estimable(monthly, monthly.period("2022-01"), 12, ahead=12)
    assert early.names == ()
    touched = happening.touched(monthly, monthly.period("2023-03"), 4)
    assert touched.tolist() == [False] * 4  # two days are less than a tenth of a month
    with pytest.raises(vx.VeridexError, match="counted periods have no days"):
        happening.on("counted", 1, 3)


def test_events_add_up_and_come_back(tmp_path):
    one, two = events(("fair", "2024-03-01", "2024-03-02", 1, 2)), events(("move", "2024-05-01", "2024-05-01", 0, 0))
    both = one + two + one
    assert len(both) == 2 and both == two + one and repr(both) == "Events(2 events, 2 times in all)"
    both.to_frame().to_csv(tmp_path / "events.csv", index=False)
    assert vx.read_events(tmp_path / "events.csv") == both
    (tmp_path / "bare.csv").write_text("name,first\nfair,2024-03-01\n")
    assert vx.read_events(tmp_path / "bare.csv").to_frame()["last"].tolist() == [pd.Timestamp("2024-03-01")]
    for text, message in (
        ("name,first,last\nfair,2024-03-02,2024-03-01\n", "bare.csv, row 2: an event ends before it begins"),
        ("name,last\nfair,2024-03-02\n", "no column 'first' for the event"),
        ("name,first,echo\nfair,2024-03-02,1.5\n", "'1.5' is no whole number of days"),
        ("name,first\nfair,soon\n", "row 2, column 'first': 'soon' is no date"),
    ):
        (tmp_path / "bare.csv").write_text(text)
        with pytest.raises(vx.VeridexError, match=message):
            vx.read_events(tmp_path / "bare.csv")


def test_public_holidays():
    found = vx.read_holidays(["GB-ENG", "DE-BY"], 2024, 2025, echo=1).to_frame()
    christmas = found[found["name"] == "Christmas Day"]
    assert christmas["first"].dt.strftime("%Y-%m-%d").tolist() == ["2024-12-25", "2025-12-25"]
    assert (christmas["echo"] == 1).all() and "Corpus Christi" in set(found["name"])  # Bavaria's own
    assert "Corpus Christi" not in set(vx.read_holidays("GB-ENG", 2024, 2024).names)
    for codes, words in (("XX", "no calendar of this country"), ("DE-XX", "no calendar of this country")):
        with pytest.raises(vx.VeridexError, match=words):
            vx.read_holidays(codes, 2024, 2024)
    with pytest.raises(vx.VeridexError, match="it comes before since=2024"):
        vx.read_holidays("GB", 2024, 2023)
