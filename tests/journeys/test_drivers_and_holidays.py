"""What may explain demand, through the real command."""

import numpy as np
import pandas as pd
import pytest

from conftest import veridex


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
        ("own.csv", 2, "drivers='money': on 'own' it is demand itself, or a linear function of it; leave it out"),
        ("units", 2, "drivers='units': on 'own' it is demand itself"),
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
    wrong = veridex(*words, "--method", "arima p=1", "--holidays", "XX")
    assert wrong.returncode == 2 and "there is no calendar of this country or region" in wrong.stderr
