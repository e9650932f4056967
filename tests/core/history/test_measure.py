"""What demand is: whether it adds up, what its totals are, how it is written."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from veridex.core.readable import number, tick_number
from veridex.core.tidying.page import page
from veridex.core.tidying.profile import profile_items


def table(name, rng=None, level=20.0):
    rng = np.random.default_rng(2)
    periods = pd.date_range("2019-01-01", periods=72, freq="MS")
    values = level + 0.3 * level * np.sin(2 * np.pi * np.arange(72) / 12) + 0.05 * level * rng.normal(size=72)
    return pd.DataFrame({"item": "hive", "period": periods, name: values, "orders": 100.0})


def read(name, **words):
    return vx.History.from_frame(table(name), item="item", demand=name, cadence="monthly", **words)


@pytest.mark.parametrize(
    ("name", "words", "adds"),
    [
        ("units", {}, "sum"),
        ("forage_temperature", {}, "mean"),
        ("forage_temperature", {"adds": "sum"}, "sum"),
        ("weight", {"adds": "mean"}, "mean"),
        ("units", {"combine": "last"}, "mean"),
        ("pricey things", {}, "sum"),
    ],
)
def test_whether_demand_adds_up_is_told_by_its_column_or_stated(name, words, adds):
    history = read(name, **words)
    assert (history.measure.name, history.measure.adds) == (name, adds)
    guessed = adds == "mean" and "adds" not in words
    assert any("does not add up over time and items" in note for note in history.notes) == guessed


def test_what_averages_has_means_and_no_groups():
    history = read("temperature", unit="degrees")
    publication = vx.publish(history, method="trend-season", horizon=12)
    points = publication["hive"].outlook.points
    total = publication.totals.iloc[-1]
    assert total["forecast"] == pytest.approx(points.mean())
    assert total["lower_80"] < points.mean() < total["upper_80"]
    assert "temperature does not add up" in total["reason"]
    summed = vx.publish(read("temperature", adds="sum"), method="trend-season", horizon=12).totals.iloc[-1]
    assert total["lower_80"] == pytest.approx(summed["lower_80"] / 12, rel=0.02)
    assert history.at_cadence("quarterly")["hive"].values[0] == pytest.approx(history["hive"].values[:3].mean())
    row = vx.profile(history).iloc[0]
    assert np.isnan(row["volume"]) and np.isnan(row["volume_share"])
    assert "temperature has no volume" in page(profile_items(history)[0])
    trial = vx.backtest(history, ["naive", "seasonal-naive", "trend-season"], vx.RollingOrigin(horizon=3, origins=3))
    with pytest.raises(vx.VeridexError, match="temperature does not add up over items"):
        vx.publish(history, vx.decide(trial), horizon=3, groups=["all"])


def test_a_ratio_has_no_total():
    frame = table("units")
    history = vx.History.from_frame(frame, item="item", demand="units / orders", cadence="monthly")
    assert history.measure.adds == "ratio"
    total = vx.publish(history, method="seasonal-naive", horizon=6).totals
    assert total["forecast"].isna().all() and total["reason"].str.contains("ratio of two sums").all()


@pytest.mark.parametrize("place", ["csv", "parquet"])
def test_what_demand_is_counted_in_is_told_by_its_values_unless_stated(place, tmp_path):
    file = tmp_path / f"demand.{place}"
    kept = pd.DataFrame({"period": pd.period_range("2024-01", periods=12, freq="M").astype(str), "demand": 2.25})
    kept.to_csv(file, index=False) if place == "csv" else kept.to_parquet(file)
    words = {"cadence": "monthly"}
    assert vx.read_history(file, **words).measure.whole is None
    assert not next(iter(vx.read_history(file, **words))).support.whole
    assert vx.read_history(file, whole=True, **words).measure.whole is True


def test_a_measure_is_kept(tmp_path):
    history = read("temperature", unit="degrees", floor="none")
    publication = vx.publish(history, method="mean", horizon=3)
    vx.write(publication, tmp_path / "out")
    assert vx.read_publication(tmp_path / "out").head.demand.measure == history.measure
    assert not history["hive"].support.whole and read("units", whole=True)["hive"].support.whole
    bounds = vx.fit(read("units", whole=True), "mean").forecast(3).frame["upper_80"]
    assert (bounds == bounds.round()).all()
    with pytest.raises(vx.VeridexError, match="it adds up"):
        read("units", adds="both")


@pytest.mark.parametrize(
    ("value", "said", "tick"),
    [
        (39_480_000_000, "39.48 billion", "39.48 billion"),
        (1461, "1,461", "1,461"),
        (25_000, "25,000", "25 thousand"),
        (-3.5e6, "-3.5 million", "-3.5 million"),
        (0.0123456, "0.01235", "0.01235"),
    ],
)
def test_magnitudes_are_readable(value, said, tick):
    assert number(value) == said and tick_number(value, abs(value)) == tick
