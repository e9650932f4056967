"""What may explain demand, through the real command."""

import io

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import inside, veridex
from veridex.job.reading import rules_of


@pytest.fixture(scope="module")
def with_money(tmp_path_factory):
    """Demand with what explains it in the same file, and what is demand in other words; and a second file."""
    place = tmp_path_factory.mktemp("drivers")
    rng, months = np.random.default_rng(1), [f"{2020 + i // 12}-{i % 12 + 1:02d}" for i in range(48)]
    temp = np.round(10 + 8 * rng.normal(size=48), 2)
    units = np.round(100 + 3 * temp + rng.normal(0, 4, 48))
    own = {"month": months, "units": units, "temp": temp, "money": 12.5 * units + 3}
    pd.DataFrame(own).to_csv(place / "own.csv", index=False)
    days = [f"01/{month[5:]}/{month[:4]}" for month in months]  # read by the words that FILE is read by
    pd.DataFrame({"month": days, "temp": temp}).to_csv(place / "european.csv", index=False, sep=";", decimal=",")
    pd.DataFrame({"month": months, "rain": rng.normal(size=48)}).to_csv(place / "rain.csv", index=False)
    return place


@pytest.mark.parametrize(
    ("drivers", "code", "said"),
    [
        ("own.csv", 2, "Left out of the drivers: units, which say what demand is."),
        ("own.csv", 2, "--drivers 'money': on 'own' it is demand itself, or a linear function of it; leave it out"),
        ("units", 2, "--drivers 'units': on 'own' it is demand itself"),
        ("temp", 0, "One more of temp adds 2.9"),
        ("own.csv:temp", 0, "One more of temp adds 2.9"),
        ("temp,rain.csv", 0, "One more of temp adds 2.9"),
        ("rain.csv:rain,temp", 2, "rain.csv has no column 'temp' for the driver"),
        ("rain.csv:rain,money,own.csv:temp", 2, "rain.csv has no column 'money'"),
        ("nope.csv", 2, "there is no such file"),
        ("european.csv", 0, "One more of temp adds 2.9"),
    ],
)
def test_drivers_are_tables_or_columns_and_never_demand_itself(drivers, code, said, with_money):
    words = ["fit", "own.csv", "--period", "month", "--demand", "units", "--method", "driver-regression"]
    done = veridex(*words, "--cadence", "monthly", "--dates", "day-first", "--drivers", drivers, cwd=with_money)
    assert done.returncode == code and said in done.stdout.replace("\n", " ") + done.stderr


def test_public_holidays_are_events_by_name(data):
    words = ["fit", data / "weekly.csv", "--layout", "wide", "--items", "smoker-01", "--period", "week"]
    done = veridex(*words, "--method", "arima p=1", "--holidays", "GB-ENG")
    assert done.returncode == 0 and "A period full of Boxing Day" in done.stdout
    assert "the effects of Coronation of Charles III, " in done.stdout.replace("\n", " ")
    assert "observed" not in done.stdout.lower() and "substitute" not in done.stdout.lower()
    wrong = inside(*words, "--method", "arima p=1", "--holidays", "XX")
    assert wrong.returncode == 2 and "there is no calendar of this country or region" in wrong.stderr


def test_working_days_explain_and_divide_demand(tmp_path):
    days = vx.working_days("GB-ENG", 2018, 2026, cadence="monthly")
    months = pd.period_range("2018-01", periods=84, freq="M")
    worked = np.busday_count(months.start_time.values.astype("M8[D]"), (months + 1).start_time.values.astype("M8[D]"))
    own = days.over("", 576, 84)[:, 0]  # months since 1970
    assert (own <= worked).all() and own.sum() == worked.sum() - 8 * 7 - 3  # eight a year, a jubilee, a funeral, a king
    rng = np.random.default_rng(3)
    demand = own * 12 * np.exp(0.2 * np.sin(2 * np.pi * np.arange(84) / 12) + 0.02 * rng.normal(size=84))
    table = pd.DataFrame({"month": months.astype(str), "pots": demand.round(1)})
    table.iloc[:72].to_csv(tmp_path / "pots.csv", index=False)
    words = [str(tmp_path / "pots.csv"), "--period", "month", "--demand", "pots"]
    run = veridex("fit", *words, "--method", "theta", "--working-days", "GB-ENG", "--part", "forecast", "--as", "csv")
    assert run.returncode == 0, run.stderr
    points = pd.read_csv(io.StringIO(run.stdout))["forecast"].to_numpy()[:12]
    history = vx.History.from_frame(table.iloc[:72], period="month", demand="pots", cadence="monthly")
    alone = vx.fit(history, "theta").forecast(12).points
    assert np.abs(points - demand[72:]).mean() < 0.6 * np.abs(alone - demand[72:]).mean()
    divided = rules_of("per_working_day=GB-ENG gaps=interpolate")
    assert (divided.per_working_day, divided.gaps) == ("GB-ENG", "interpolate")
    with pytest.raises(vx.VeridexError, match="write rules as gaps=interpolate; they are gaps, outliers"):
        rules_of("negative=zero", ("gaps", "outliers"))
    tidied = inside("tidy", *words, "--per-working-day", "GB-ENG", "--to", str(tmp_path / "out"))
    assert tidied.returncode == 0, tidied.stderr
    assert "pots was divided by working_days" in tidied.stderr
