"""Stock-outs: how far off the forecast mean is when periods out of stock are lower bounds."""

import numpy as np
import pandas as pd

import veridex as vx

__all__ = ["main"]

ITEMS, MONTHS = 60, 60
LOST = (0.15, 0.3, 0.45)
"""Shares of periods in which stock runs out."""


def main() -> None:
    """Print the bias of forecasts, in percent of the true mean, by share of periods out of stock and by treatment."""
    print("| demand | out of stock | sales as they are | left out | lower bounds | with the share in stock |")
    print("| --- | --- | --- | --- | --- | --- |")
    for name in ("normal", "counts", "skewed"):
        for lost in LOST:
            cells = np.array([_biases(name, lost, i) for i in range(ITEMS)])
            cells = np.nanmean(cells, axis=0)
            print(
                f"| {name} | {100 * lost:.0f} % | " + " | ".join(f"{100 * b:+.1f} %" for b in cells) + " |", flush=True
            )


def _biases(name: str, lost: float, item: int) -> tuple[float, ...]:
    """Errors of the mean forecast of a year, relative to the truth, for the four treatments."""
    rng = np.random.default_rng([9, item, int(100 * lost), *name.encode()])
    t = np.arange(MONTHS + 12)
    mean = rng.uniform(20, 200) * (1 + rng.uniform(0.1, 0.4) * np.sin(2 * np.pi * (t + rng.uniform(0, 12)) / 12))
    spread = rng.uniform(0.15, 0.35)
    if name == "normal":
        demand = mean * (1 + spread * rng.normal(size=t.size))
    elif name == "counts":
        demand = rng.poisson(mean * rng.gamma(1 / spread**2, spread**2, size=t.size)).astype(float)
    else:
        demand = mean * np.exp(spread * rng.normal(size=t.size) - 0.5 * spread**2)
    # Stock follows the season as a planner knows it, and runs out where demand goes beyond it.
    ratio = np.quantile(demand[:MONTHS] / mean[:MONTHS], 1 - lost)
    stock = ratio * mean
    out = demand > stock
    sold = np.where(out, stock, demand)
    share = np.where(out, stock / demand, 1.0)
    past, truth = slice(0, MONTHS), float(mean[MONTHS:].mean())
    forecasts = [
        _forecast(sold[past]),
        _forecast(np.where(out, np.nan, sold)[past]),
        _forecast(sold[past], stock_out=np.where(out, "yes", "no")[past]),
        _forecast(sold[past], in_stock=share[past]),
    ]
    return tuple(forecast / truth - 1.0 for forecast in forecasts)


def _forecast(sold: np.ndarray, **stock: np.ndarray) -> float:
    months = pd.date_range("2018-01-01", periods=sold.size, freq="MS")
    table = pd.DataFrame({"period": months, "demand": sold, **stock})
    history = vx.History.from_frame(table, cadence="monthly", **{name: name for name in stock})
    return float(vx.fit(history, "trend-season").forecast(12).points.mean())
