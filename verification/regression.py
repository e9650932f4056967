"""Regressions: intervals on their own data, the choice of drivers, drivers in ARIMA against a dense computation."""

import sys
from pathlib import Path

import numpy as np
import pandas as pd

import veridex as vx
from veridex.core.methods.arima.fitting import attempt, blocks
from veridex.core.numerics.arima import arma
from veridex.core.numerics.arima.models import Orders

# The slow computation that the tests hold the likelihood against.
sys.path.append(str(Path(__file__).parents[1] / "tests"))
from reference import dense_arima

__all__ = ["main"]

DRAWS, N, HORIZON = 2000, 96, 12
CHOICES = 1000
CASES = 200
TIME = np.arange(1.0, N + HORIZON + 1)
SEASON = 20 * np.sin(2 * np.pi * TIME / 12) + 5 * np.cos(2 * np.pi * TIME / 6)
FORMS = {
    "linear-trend": 100 + 0.5 * TIME,
    "poly-trend degree=2": 100 + 0.5 * TIME - 0.002 * TIME**2,
    "trend-season": 100 + 0.5 * TIME + SEASON,
    "harmonic harmonics=[2]": 100 + 0.5 * TIME + SEASON,
    "linear-trend transform=log": 4 + 0.01 * TIME,
    "bending-trend": 100 + 0.5 * TIME + SEASON,
}
BENDS = 0.03


def main() -> None:
    coverage()
    choice()
    drivers()


def series_of(values: np.ndarray) -> vx.History:
    return vx.History.from_numbers(values, cadence="monthly", start="2010-01", item="jars")


def drivers_of(columns: np.ndarray) -> vx.Drivers:
    names = [f"x{j + 1}" for j in range(columns.shape[1])]
    frame = pd.DataFrame(columns, columns=names)
    frame.insert(0, "period", np.arange(1, len(columns) + 1))
    return vx.Drivers.from_frame(frame, cadence="counted", known_ahead="all")


def coverage() -> None:
    few = DRAWS // 4
    print(f"Percent of actuals inside 80 and 95 % intervals, {DRAWS} series of {N} months per method, normal errors")
    print(f"around its own form (`bending-trend`: {few} series, with bends of {BENDS} standard deviations of an error")
    print("too; a log-normal law with the logarithm). Simulation error at one lead 0.5.\n")
    print("| method | 80 %: lead 1 | 6 | 12 | 95 %: lead 1 | 6 | 12 |\n| --- | --- | --- | --- | --- | --- | --- |")
    for text, form in FORMS.items():
        rng = np.random.default_rng(21)
        inside = np.zeros((2, HORIZON))
        draws = DRAWS // 4 if text == "bending-trend" else DRAWS
        for _ in range(draws):
            noise = rng.normal(size=N + HORIZON)
            y = form + (0.1 if "log" in text else 5.0) * noise
            if text == "bending-trend":
                y += 5.0 * BENDS * np.cumsum(np.cumsum(rng.normal(size=y.size)))
            y = np.exp(y) if "log" in text else y
            forecast = vx.fit(series_of(y[:N]), text).forecast(HORIZON)
            inside += (y[N:] >= forecast.lower) & (y[N:] <= forecast.upper)
        shares = 100 * inside / draws
        print(f"| {text} | " + " | ".join(f"{shares[i, step - 1]:.1f}" for i in (0, 1) for step in (1, 6, 12)) + " |")
    print(flush=True)


def choice() -> None:
    rng = np.random.default_rng(22)
    n, k, real = 120, 20, 4
    whole, false = 0, 0
    for _ in range(CHOICES):
        x = rng.normal(size=(n, k))
        # An effect of four standard errors, of a regression on all columns with errors of variance one.
        errors = np.sqrt(np.diag(np.linalg.inv(np.cov(x.T) * n)))
        y = x[:, :real] @ (4.0 * errors[:real]) + rng.normal(size=n)
        fitted = vx.fit(vx.History.from_numbers(y, cadence="counted"), "driver-regression", drivers=drivers_of(x))
        kept = set(fitted.coefficients["name"]) - {"intercept"}
        true = {f"x{j + 1}" for j in range(real)}
        whole += true <= kept
        false += len(kept - true)
    print(f"`driver-regression keep=chosen`, {CHOICES} draws of {k} independent drivers, {real} of them real, n = {n}:")
    print(
        f"all real drivers kept in {100 * whole / CHOICES:.1f} % (bar 95); false ones {false / CHOICES:.2f} (bar 1.5)\n"
    )


def drivers() -> None:
    rng = np.random.default_rng(23)
    worst = {False: 0.0, True: 0.0}
    beaten = 0
    for i in range(CASES):
        p, d, q, seasonal_p, D, seasonal_q = (int(order) for order in rng.integers(0, (3, 2, 3, 2, 2, 2)))
        m = int(rng.choice([3, 4, 6]))
        o = Orders(p, d, q, seasonal_p, D, seasonal_q, m, int(rng.integers(2)))
        x = rng.normal(size=(int(rng.integers(45, 90)), int(rng.integers(1, 4)))).cumsum(axis=0)
        y = 50 + rng.normal(size=len(x)).cumsum() + x @ rng.normal(size=x.shape[1])
        holes = i % 3 == 0
        if holes:
            y[rng.choice(np.arange(15, y.size - 1), 3, replace=False)] = np.nan
        one = attempt(o, y, x=x)
        if one.status > 0 or edge(one.row, o):
            continue
        found = blocks(o, one.row)
        effects, constant = one.row[-2 - x.shape[1] : -2], one.row[-2]
        args = (found[:2], found[2:], (o.d, o.D), o.m, constant)
        slow = dense_arima(y - x @ effects, *args, terms=20_000)
        worst[holes] = max(worst[holes], abs(one.stats[0] - slow) / max(abs(slow), 1.0))
        for j in range(x.shape[1]):
            for change in (-1e-3, 1e-3):
                moved = effects.copy()
                moved[j] += change
                beaten += dense_arima(y - x @ moved, *args) > slow + 1e-9
    print(f"ARIMA with 1 to 3 drivers, {CASES} random models on 45 to 89 values: largest relative difference of the")
    print(f"log-likelihood from a dense covariance {worst[False]:.1e} (all known), {worst[True]:.1e} (unknown values);")
    print(
        f"effects moved by a thousandth did better in {beaten} cases (bars 1e-8 and 0). Models at an edge are left out."
    )


def edge(row: np.ndarray, o: Orders) -> bool:
    """Whether a polynomial has come so near the unit circle that the dense side would need more than 20,000 terms."""
    phi, theta, seasonal_phi, seasonal_theta = blocks(o, row)
    return not all(
        arma.is_stable(block / 0.99 ** np.arange(1, block.size + 1), sign)
        for block, sign in ((phi, 1.0), (theta, -1.0), (seasonal_phi, 1.0), (seasonal_theta, -1.0))
    )
