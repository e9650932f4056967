"""Fixtures shared by all rooms."""

from importlib.resources import files

import numpy as np
import pytest
from hypothesis import settings

import veridex as vx

# How long an example takes says nothing on a busy machine; the same examples every time, so that a failure is a fact.
settings.register_profile("veridex", deadline=None, derandomize=True)
settings.load_profile("veridex")

METHODS = [
    "mean",
    "naive",
    "seasonal-naive",
    "drift",
    "simple-smoothing",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative",
    "arima p=1 d=1 q=1",
    "arima p=2 d=0 q=1",
    "trend-dummies",
]


def monthly(values, item="smoker-01", start="2018-01"):
    return vx.History.from_numbers(values, start=start, cadence="monthly", item=item, unit="units")


def seasonal_values(seed=0, n=96):
    rng = np.random.default_rng(seed)
    t = np.arange(n)
    return (100 + 0.5 * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=n))


@pytest.fixture(scope="session")
def orders_csv():
    return files("veridex.demo") / "data" / "orders.csv"


@pytest.fixture(scope="session")
def orders(orders_csv):
    return vx.read_history(
        orders_csv, item="sku", period="order_date", demand="quantity", cadence="monthly", unit="units"
    )


@pytest.fixture(scope="session")
def trial(orders):
    return vx.backtest(orders, scheme=vx.RollingOrigin(horizon=6, origins=8))


@pytest.fixture(scope="session")
def verdict(trial):
    return vx.decide(trial)


@pytest.fixture(scope="session")
def publication(orders, verdict):
    return vx.publish(orders, verdict, horizon=8)
