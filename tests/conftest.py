"""Fixtures shared by all rooms."""

import contextlib
import io
import os
import subprocess
import sys
import tempfile
from importlib.resources import files
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import settings

import veridex as vx
from servers import postgresql_server
from veridex.cli.entry import run

# What reads the keyboard puts the width of a screen into the environment; files have none.
os.environ.pop("COLUMNS", None)

# How long an example takes says nothing on a busy machine; the same examples every time, so that a failure is a fact.
settings.register_profile("veridex", deadline=None, derandomize=True)
settings.load_profile("veridex")

METHODS = [
    "mean",
    "naive",
    "seasonal-naive",
    "drift",
    "last-change",
    "seasonal-mean",
    "moving-average window=4",
    "moving-average weights=[3, 2, 1]",
    "simple-smoothing",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative",
    "holt",
    "holt damped=yes error=multiplicative",
    "smoothing",
    "smoothing average=yes criterion=bic season=additive",
    "theta",
    "croston",
    "sba",
    "tsb",
    "combination of=[naive, theta, moving-average weights=[2, 1]] weights=trimmed",
    "arima",
    "arima average=yes season=none",
    "arima p=1 season=dummies",
    "arima p=0 d=1 q=1 P=0 D=1 Q=1",
    "arima p=1 d=1 q=1",
    "arima p=2 d=0 q=1",
    "trend-season",
    "linear-trend",
    "poly-trend degree=2 transform=log",
    "harmonic",
    "bending-trend",
    "theta transform=box-cox",
    "tuned of=[moving-average window=2, seasonal-naive, naive] horizon=2 origins=4",
]
DRIVEN = ["driver-regression"]
"""Methods that are nothing without drivers."""


def monthly(values, item="smoker-01", start="2018-01", floor=None):
    return vx.History.from_numbers(values, start=start, cadence="monthly", item=item, unit="units", floor=floor)


def reread(fitted):
    """A fitted method after a journey through its file."""
    with tempfile.TemporaryDirectory() as directory:
        return vx.read_fitted(vx.write(fitted, Path(directory) / "model.json"))


def seasonal_values(seed=0, n=96):
    rng = np.random.default_rng(seed)
    t = np.arange(n)
    return (100 + 0.5 * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=n))


def portfolio(items=6, n=72):
    """Seasonal demand with noise and a few unknown months."""
    rng = np.random.default_rng(1)
    series = []
    for i in range(items):
        values = seasonal_values(i, n) + rng.normal(scale=5, size=n)
        values[rng.random(n) < 0.02] = np.nan
        series.append(monthly(values, item=f"item-{i}")[f"item-{i}"])
    return vx.History.of(series)


TEN = (
    *("extractor-bearing", "feeder-rapid", "fondant-12kg", "frames-pine-50", "hive-national"),
    *("hive-tool-j", "jar-hex-280", "jar-honey-500", "smoker-01", "suit-ventilated"),
)
DEMAND = {"item": "sku", "period": "month", "demand": "units", "stock_out": "out_of_stock", "unit": "units"}


@pytest.fixture(scope="session")
def data():
    return files("veridex.demo") / "data"


@pytest.fixture(scope="session")
def demand(data):
    """Monthly demand of thirty items as it was read, with every defect."""
    return vx.read_history(data / "demand.csv", **DEMAND)


@pytest.fixture(scope="session")
def ten_csv(data, tmp_path_factory):
    """A file of ten of them."""
    table = pd.read_csv(data / "demand.csv", dtype=str, keep_default_na=False)
    path = tmp_path_factory.mktemp("ten") / "ten.csv"
    table[table["sku"].isin(TEN)].to_csv(path, index=False)
    return path


@pytest.fixture(scope="session")
def orders(demand):
    """Ten of them, tidied."""
    tidied = vx.tidy(demand, gaps="interpolate").history
    return vx.History.of([tidied[item] for item in TEN])


@pytest.fixture(scope="session")
def trial(orders):
    return vx.backtest(orders, scheme=vx.RollingOrigin(horizon=6, origins=8))


@pytest.fixture(scope="session")
def verdict(trial):
    return vx.decide(trial)


@pytest.fixture(scope="session")
def publication(orders, verdict):
    return vx.publish(orders, verdict, horizon=8)


def counted(values):
    return vx.History.from_numbers(values, cadence="counted", item="jars")


def drivers_of(columns, known=()):
    """Drivers a, b, c ... over counted periods."""
    names = [chr(97 + j) for j in range(len(columns))]
    frame = pd.DataFrame({"period": np.arange(1, len(columns[0]) + 1), **dict(zip(names, columns, strict=True))})
    return vx.Drivers.from_frame(frame, cadence="counted", known_ahead=known or names)


def inside(*words, cwd=None):
    """The same command in this process: its start, which costs seconds, is left to `veridex`."""
    out, err = io.StringIO(), io.StringIO()
    before, here, code = sys.argv, Path.cwd(), 0
    try:
        sys.argv = ["veridex", *map(str, words)]
        os.chdir(here if cwd is None else cwd)
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            run()
    except SystemExit as end:
        code = int(end.code or 0)
    finally:
        sys.argv = before
        os.chdir(here)
    return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())


def veridex(*words, cwd=None):
    """The real command."""
    command = [str(Path(sys.executable).with_name("veridex")), *map(str, words)]
    environment = dict(os.environ)  # as Python sees it: readline puts the width of a screen behind its back
    return subprocess.run(command, capture_output=True, text=True, cwd=cwd, env=environment, check=False, timeout=120)


@pytest.fixture(scope="session")
def postgresql():
    """The address of a PostgreSQL server of our own, where its programs are installed."""
    with postgresql_server() as address:
        if address is None:
            pytest.skip("PostgreSQL's initdb and pg_ctl are not on the path")
        yield address
