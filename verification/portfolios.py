"""Portfolios simulated from six processes whose method is known, each item with many futures of its own."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

import veridex as vx

__all__ = ["FUTURES", "HORIZON", "ITEMS", "PROCESSES", "Portfolio", "portfolio"]

ITEMS, N, HORIZON, FUTURES, SEASON_LENGTH = 200, 96, 12, 100, 12
BURN = 36
"""Periods before the history, in which differenced processes come apart from where they began."""

Draw = Callable[[np.random.Generator, np.ndarray], np.ndarray]
"""Turns parameters of its own and shocks (futures, periods) into demand."""


@dataclass(frozen=True)
class Portfolio:
    """Histories, what came after each of them (items, futures, horizon), and the method that made them."""

    name: str
    true: str
    history: vx.History
    futures: np.ndarray


def level(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    alpha, spread = rng.uniform(0.1, 0.6), rng.uniform(4, 12)
    state = np.full(shocks.shape[0], rng.uniform(80, 300))
    y = np.empty(shocks.shape)
    for t, shock in enumerate(spread * shocks.T):
        y[:, t] = state + shock
        state = state + alpha * shock
    return y


def winters(rng: np.random.Generator, shocks: np.ndarray, multiplicative: bool) -> np.ndarray:
    alpha, beta, gamma = rng.uniform(0.1, 0.4), rng.uniform(0.0, 0.002), rng.uniform(0.02, 0.2)
    base, slope, spread = rng.uniform(150, 400), rng.uniform(0.0, 1.0), rng.uniform(0.03, 0.08)
    harmonic = rng.uniform(0.1, 0.4) * np.sin(
        2 * np.pi * (np.arange(SEASON_LENGTH) + rng.uniform(0, 12)) / SEASON_LENGTH
    )
    count = shocks.shape[0]
    state, trend = np.full(count, base), np.full(count, slope)
    season = np.tile(1 + harmonic if multiplicative else base * harmonic, (count, 1))
    y = np.empty(shocks.shape)
    for t, shock in enumerate(spread * shocks.T):
        ahead, s = state + trend, season[:, t % SEASON_LENGTH].copy()
        if multiplicative:
            y[:, t] = ahead * s * (1 + shock)
            state, trend = ahead * (1 + alpha * shock), trend + beta * ahead * shock
            season[:, t % SEASON_LENGTH] = s * (1 + gamma * (1 - alpha) * shock)
        else:
            error = base * shock
            y[:, t] = ahead + s + error
            state, trend = ahead + alpha * error, trend + beta * error
            season[:, t % SEASON_LENGTH] = s + gamma * (1 - alpha) * error
    return y


def additive(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    return winters(rng, shocks, multiplicative=False)


def multiplicative(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    return winters(rng, shocks, multiplicative=True)


def integrated(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    """Changes follow an ARMA (1, 1)."""
    phi, theta, spread = rng.uniform(0.2, 0.8), rng.uniform(-0.5, 0.2), rng.uniform(2, 6)
    change = np.zeros(shocks.shape)
    for t in range(1, shocks.shape[1]):
        change[:, t] = phi * change[:, t - 1] + shocks[:, t] + theta * shocks[:, t - 1]
    return rng.uniform(300, 600) + spread * change.cumsum(axis=1)


def seasonally_integrated(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    """Twice differenced demand is a product of two moving averages."""
    theta, seasonal, spread = rng.uniform(-0.8, -0.2), rng.uniform(-0.8, -0.3), rng.uniform(3, 8)
    w = shocks.copy()
    w[:, 1:] += theta * shocks[:, :-1]
    w[:, SEASON_LENGTH:] += seasonal * shocks[:, :-SEASON_LENGTH]
    w[:, SEASON_LENGTH + 1 :] += theta * seasonal * shocks[:, : -SEASON_LENGTH - 1]
    harmonic = rng.uniform(30, 100) * np.sin(
        2 * np.pi * (np.arange(shocks.shape[1]) + rng.uniform(0, 12)) / SEASON_LENGTH
    )
    y = w.cumsum(axis=1)
    for t in range(SEASON_LENGTH, y.shape[1]):
        y[:, t] += y[:, t - SEASON_LENGTH]
    return 400 + harmonic + spread * y


def trend_and_season(rng: np.random.Generator, shocks: np.ndarray) -> np.ndarray:
    season = rng.normal(size=SEASON_LENGTH) * rng.uniform(10, 40)
    t = np.arange(shocks.shape[1])
    return rng.uniform(150, 400) + rng.uniform(-0.4, 1.0) * t + season[t % SEASON_LENGTH] + rng.uniform(5, 25) * shocks


PROCESSES: dict[str, tuple[str, Draw]] = {
    "level": ("simple-smoothing", level),
    "additive season": ("holt-winters season=additive", additive),
    "multiplicative season": ("holt-winters season=multiplicative", multiplicative),
    "integrated": ("arima p=1 d=1 q=1", integrated),
    "seasonally integrated": ("arima p=0 d=1 q=1 P=0 D=1 Q=1", seasonally_integrated),
    "trend and dummies": ("trend-season", trend_and_season),
}


def portfolio(name: str, draw: int, items: int = ITEMS) -> Portfolio:
    """One portfolio of a process; all futures of an item share its history."""
    true, make = PROCESSES[name]
    histories, futures = [], []
    for i in range(items):
        rng = np.random.default_rng(np.random.SeedSequence([11, draw, i, *name.encode()]))
        past = rng.normal(size=BURN + N)
        ahead = rng.normal(size=(FUTURES, HORIZON))
        shocks = np.concatenate((np.tile(past, (FUTURES, 1)), ahead), axis=1)
        y = make(rng, shocks)[:, BURN:]
        item = f"item-{i:03d}"
        histories.append(vx.History.from_numbers(y[0, :N], start="2018-01", cadence="monthly", item=item)[item])
        futures.append(y[:, N:])
    return Portfolio(name, true, vx.History.of(histories), np.array(futures))
