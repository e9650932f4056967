"""The profile: what is in a history, checked against plain computations and what was put there."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.diagnosis.seasons import candidate_seasons
from veridex.core.tidying.page import page
from veridex.core.tidying.profile import profile_items


def of(values, **words):
    return vx.profile(vx.History.from_numbers(values, **({"cadence": "counted"} | words))).iloc[0]


@pytest.mark.parametrize(
    ("values", "interval", "variation", "kind"),
    [
        # Syntetos, Boylan and Croston (2005): cut-offs 1.32 and 0.49.
        ([5, 6, 5, 6, 5, 6], 1.0, 0.25 / 5.5**2, "smooth"),
        ([1, 1, 20, 1, 1, 1], 1.0, None, "erratic"),
        ([0, 4, 0, 0, 4, 0, 4, 0, 0, 4], 9 / 4, 0.0, "intermittent"),
        ([1, 0, 0, 30, 0, 0, 1, 0, 1], 9 / 4, None, "lumpy"),
        ([0, 0, 0], np.nan, np.nan, "none"),
    ],
)
def test_demand_classes(values, interval, variation, kind):
    row = of(values)
    sizes = np.array([value for value in values if value])
    expected = np.var(sizes) / np.mean(sizes) ** 2 if variation is None else variation
    span = row["periods"] - row["leading_zeros"] - row["trailing_zeros"]
    assert row["demand_class"] == kind
    if kind != "none":
        assert row["demand_interval"] == pytest.approx(span / sizes.size) and row["cv_squared"] == pytest.approx(
            expected
        )
        assert row["demand_interval"] == pytest.approx(interval, abs=0.3)


def test_counts_and_shares(demand, data):
    table = vx.profile(demand, vx.read_events(data / "events.csv")).set_index("item")
    assert len(table) == 30 and table["volume_share"].sum() == pytest.approx(100)
    assert table["volume_rank"].tolist() == table["volume"].rank(ascending=False).astype(int).tolist()
    for series in demand:
        row, y = table.loc[series.item], series.values
        assert (row["periods"], row["known"], row["unknown"]) == (len(y), (~np.isnan(y)).sum(), np.isnan(y).sum())
        assert (row["zeros"], row["negative"]) == ((y == 0).sum(), (y < 0).sum())
        assert row["mean"] == pytest.approx(np.nanmean(y)) and row["volume"] == pytest.approx(np.nansum(y))
    assert table["unfinished"].all()
    assert table.loc["smoker-02", "out_of_stock"] == 2 and table["duplicates"].sum() == 3
    assert table.loc["pollen-patty", "leading_zeros"] == 15
    assert table.index[table["retired"]].tolist() == ["feeder-rapid"]
    assert table.loc["suit-ventilated", "shift_periods"] == ("2022-03",)
    for item, period in (
        ("gloves-leather", "2021-11"),
        ("jar-honey-250", "2023-06"),
        ("wax-sheet-national", "2019-08"),
    ):
        assert period in table.loc[item, "outlier_periods"]
    assert table.loc["queen-cage", "spread_change"][:4] in ("2021", "2022")
    assert table.loc["fondant-12kg", "season_strength"] > 0.9 > 0.4 > table.loc["fondant-12kg", "trend_strength"]
    assert table.loc["frames-plastic-10", "trend_strength"] > 0.9
    assert all(table.loc[item, "seasons"][:1] == (12,) for item in ("fondant-12kg", "smoker-01", "jar-honey-500"))
    assert table["outliers"].sum() < 0.01 * table["periods"].sum()


def test_the_profile_of_a_tidied_history_is_that_of_its_raw_values():
    raw = monthly([*seasonal_values(1, 60), None])
    tidied = vx.tidy(raw, gaps="seasonal", unfinished="keep").history
    pd.testing.assert_frame_equal(vx.profile(tidied), vx.profile(raw))
    pd.testing.assert_frame_equal(vx.profile(raw["smoker-01"]), vx.profile(raw))


@pytest.mark.parametrize(
    ("build", "season_length", "expected"),
    [
        (lambda t: np.sin(2 * np.pi * t / 12), 12, (12,)),
        (lambda t: np.sin(2 * np.pi * t / 7) + (t % 7 == 3), 7, (7,)),
        (lambda t: np.sin(2 * np.pi * t / 18), 12, (18,)),
        (lambda t: 0 * t, 12, ()),
        (lambda t: np.random.default_rng(1).normal(size=t.size), 12, ()),
    ],
)
def test_candidate_seasons(build, season_length, expected):
    t = np.arange(240.0)
    noise = 0.05 * np.random.default_rng(0).normal(size=240)
    found = candidate_seasons(build(t) + (noise if build(t).any() else 0), season_length)
    assert found[:1] == expected


def test_a_page_reads_well():
    values = seasonal_values(2, 84)
    values[[10, 11]] = np.nan
    values[33] *= 3
    text = page(profile_items(monthly(values))[0])
    assert text.splitlines()[0] == "smoker-01: monthly demand in units, 2018-01 to 2024-12, 84 months."
    assert "2 unknown (2018-11, 2018-12)" in text
    assert "smooth: wanted in nearly every period, in even quantities" in text
    assert "it repeats itself after 12 months" in text
    assert "Outlier in 2020-10: " in text and "an outlier from 3.5 on" in text
    assert "100.0 % of all items, rank 1." in text
    short = page(profile_items(vx.History.from_numbers([0, 0, 0], cadence="counted"))[0])
    assert "Demand is never wanted" in short and "Too few values to tell" in short
