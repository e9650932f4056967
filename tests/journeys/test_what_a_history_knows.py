"""Seasons in the plural, a measure, stock-outs and successors, through the real command."""

import io

import numpy as np
import pandas as pd
import pytest

from conftest import veridex


@pytest.fixture(scope="module")
def place(tmp_path_factory):
    return tmp_path_factory.mktemp("known")


@pytest.fixture(scope="module")
def days(place):
    """Two years of days of a honey stall, winter to summer and the half year after."""
    rng, t = np.random.default_rng(1), np.arange(910)
    week = np.array([0.0, 0.05, 0.1, 0.1, 0.2, -0.1, -0.35])[t % 7]
    y = rng.poisson(np.exp(4 + 0.4 * np.sin(2 * np.pi * t / 365.25 - 1.5) + week + 0.15 * rng.normal(size=910)))
    table = pd.DataFrame({"day": pd.date_range("2023-01-02", periods=910).strftime("%d/%m/%Y"), "jars": y})
    table.iloc[:730].to_csv(place / "stall.csv", index=False)
    return [str(place / "stall.csv"), "--period", "day", "--demand", "jars"], y


def told(*words):
    run = veridex(*words)
    assert run.returncode == 0, run.stderr
    return run


def test_two_years_of_days_have_a_week_and_a_year(days, place):
    words, y = days
    page = told("profile", *words).stdout
    assert "it repeats itself after 7 and 365.25 days" in page and "Level shift" not in page
    story = told("stationarity", *words).stdout
    assert "a season of 365.25 days that repeats itself" in story and "no season" not in story
    assert "it repeats itself after 7 periods" in story and "and after 365.25 periods" in story
    assert "A method that follows it: arima season=dummies" in story
    told("publish", *words, "--horizon", "180", "--origins", "4", "--to", str(place / "out"))
    ahead = pd.read_csv(place / "out" / "publication.csv").query("kind == 'forecast'")["value"].to_numpy()
    flat = np.abs(y[730:] - y[700:730].mean()).mean()
    assert np.abs(ahead - y[730:]).mean() < 0.5 * flat


def test_a_temperature_has_a_mean_and_no_sum(place):
    t = np.arange(96)
    values = (12 + 8 * np.sin(2 * np.pi * t / 12) + np.random.default_rng(2).normal(size=96)).round(1)
    table = pd.DataFrame({"month": pd.period_range("2017-01", periods=96, freq="M").astype(str), "temperature": values})
    table.to_csv(place / "air.csv", index=False)
    words = [str(place / "air.csv"), "--period", "month", "--demand", "temperature", "--unit", "degrees"]
    run = told("publish", *words, "--method", "trend-season", "--horizon", "12", "--to", str(place / "air"))
    assert "The mean of all 12: 1" in run.stdout and "degrees" in run.stdout and "together" not in run.stdout
    assert "temperature is taken for an average" in run.stderr


def test_long_amounts_are_written_in_magnitudes(place):
    months = pd.period_range("2017-01", periods=96, freq="M").astype(str)
    money = 4e10 * (1 + 0.2 * np.sin(2 * np.pi * np.arange(96) / 12)) + 1e9 * np.random.default_rng(3).normal(size=96)
    pd.DataFrame({"month": months, "money": money.round()}).to_csv(place / "money.csv", index=False)
    words = [str(place / "money.csv"), "--period", "month", "--demand", "money"]
    out = told("fit", *words, "--method", "holt-winters season=additive").stdout
    assert "e+" not in out and "billion" in out and "Quantities in billions." in out


def test_what_ran_out_is_at_least_what_was_sold(place):
    rng, t = np.random.default_rng(4), np.arange(72)
    mean = 100 * (1 + 0.3 * np.sin(2 * np.pi * t / 12))
    demand = mean * (1 + 0.25 * rng.normal(size=72))
    stock = np.quantile(demand / mean, 0.7) * mean
    months = pd.period_range("2019-01", periods=72, freq="M").astype(str)
    sold = pd.DataFrame(
        {"month": months, "sold": np.minimum(demand, stock).round(), "out": np.where(demand > stock, "y", "n")}
    )
    sold.iloc[:60].to_csv(place / "stock.csv", index=False)
    words = [str(place / "stock.csv"), "--period", "month", "--demand", "sold", "--method", "trend-season"]
    run = told("fit", *words, "--stock-out", "out", "--part", "forecast", "--as", "csv")
    ahead = pd.read_csv(io.StringIO(run.stdout))["forecast"].mean()
    assert ahead == pytest.approx(mean[60:].mean(), rel=0.05) and ahead > 1.04 * np.minimum(demand, stock)[:60].mean()
    assert "Months out of stock: 17; demand was at least what was sold" in run.stderr


def test_names_with_commas_and_items_that_replace_others(place):
    months = pd.period_range("2022-01", periods=36, freq="M").astype(str)
    rows = [("A-1", m, 100 + i) for i, m in enumerate(months[:24])] + [("A-2", m, 60) for m in months[24:]]
    table = pd.DataFrame(rows, columns=["Hive, type", "Month, year", "Net, sold"])
    table.to_excel(place / "sales.xlsx", index=False)
    pd.DataFrame({"item": ["A-2"], "replaces": ["A-1"], "factor": [0.5]}).to_csv(place / "new.csv", index=False)
    words = [str(place / "sales.xlsx"), "--item", '"Hive, type"', "--period", '"Month, year"', "--demand", "Net, sold"]
    run = told("profile", *words, "--successors", str(place / "new.csv"), "--as", "json")
    assert '"item": "A-2"' in run.stdout and '"item": "A-1"' not in run.stdout and '"periods": 36' in run.stdout
    assert "1 items continue the history of those they replace: A-2 that of A-1." in run.stderr
