"""Demand whose season is the business of others too: short histories in families, weeks, days, growth."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pandas as pd

import veridex as vx

__all__ = ["KINDS", "Grouped", "grouped"]

FUTURES, FAMILY = 100, 15


@dataclass(frozen=True)
class Grouped:
    """Histories of one cadence in families of fifteen, and what came after each of them (items, futures, horizon)."""

    kind: str
    history: vx.History
    futures: np.ndarray
    horizon: int

    @property
    def items(self) -> tuple[str, ...]:
        """Those that it is about: the items that are younger than their season, or all."""
        young = tuple(one.item for one in self.history if len(one) < self.history.season_length)
        return young or tuple(self.history.names)


@dataclass(frozen=True)
class Kind:
    """A kind of demand: its cadence, how many items and lead times, and how an item is drawn.

    `draw` gets a generator of the item, one of its family, and the item's number; it returns means over history and
    horizon, shape (n + horizon,), and the size of noise on logs.
    """

    cadence: str
    items: int
    horizon: int
    draw: Callable[[np.random.Generator, np.random.Generator, int], tuple[np.ndarray, float]]


def season(rng: np.random.Generator, n: int, length: float, size: float, second: float = 0.4) -> np.ndarray:
    """Two harmonics of a season."""
    t, shift = np.arange(n), rng.uniform(0, length, size=2)
    turn = 2 * np.pi / length
    return size * (np.sin(turn * (t + shift[0])) + second * np.sin(2 * turn * (t + shift[1])))


def months(
    own: np.random.Generator, family: np.random.Generator, n: int, drift: tuple[float, float] = (-0.005, 0.01)
) -> tuple[np.ndarray, float]:
    """A season that the family shares, told apart by where the calendar stands at the end, and a little of its own."""
    shared = season(family, 96, 12, 0.35)[-(n + 12) :]
    log = own.uniform(3, 6) + shared + season(own, n + 12, 12, 0.06) + own.uniform(*drift) * np.arange(n + 12)
    return log, own.uniform(0.12, 0.25)


def short(own: np.random.Generator, family: np.random.Generator, item: int) -> tuple[np.ndarray, float]:
    return months(own, family, (18, 21, 24, 27, 30)[item % 5])


def all_18(own: np.random.Generator, family: np.random.Generator, _item: int) -> tuple[np.ndarray, float]:
    return months(own, family, 18)


def beside_long(own: np.random.Generator, family: np.random.Generator, item: int) -> tuple[np.ndarray, float]:
    """A third of the family is new."""
    return months(own, family, (18, 72, 24, 84, 66, 72)[item % 6])


def beside_young(own: np.random.Generator, family: np.random.Generator, item: int) -> tuple[np.ndarray, float]:
    """Half of the family has months that no origin can test."""
    return months(own, family, (6, 72, 8, 84, 9, 72)[item % 6])


def growth(own: np.random.Generator, _family: np.random.Generator, _item: int) -> tuple[np.ndarray, float]:
    """Growth by 1 to 3 % a month, season and noise in proportion."""
    log = (
        own.uniform(3, 5)
        + np.log1p(own.uniform(0.01, 0.03)) * np.arange(72)
        + season(own, 72, 12, own.uniform(0.1, 0.3))
    )
    return log, own.uniform(0.05, 0.15)


def weeks(own: np.random.Generator, family: np.random.Generator, _item: int) -> tuple[np.ndarray, float]:
    """Two years of weeks with one smooth season, partly the family's."""
    log = own.uniform(3, 6) + season(family, 117, 52.18, 0.25, 0.1) + season(own, 117, 52.18, 0.12, 0.1)
    return log + own.uniform(-0.001, 0.002) * np.arange(117), own.uniform(0.2, 0.35)


def days(own: np.random.Generator, _family: np.random.Generator, _item: int) -> tuple[np.ndarray, float]:
    """Three years of days with a week and a year."""
    n = 3 * 365 + 28
    week = np.tile(own.normal(0, 0.25, size=7), n // 7 + 1)[:n]
    log = own.uniform(3, 6) + week + season(own, n, 365.25, own.uniform(0.2, 0.4))
    return log + own.uniform(-0.0001, 0.0003) * np.arange(n), own.uniform(0.15, 0.3)


def seldom(own: np.random.Generator, family: np.random.Generator, _item: int) -> tuple[np.ndarray, float]:
    """Mean demand of spares that are wanted now and then; the season shows in the sum of the family alone."""
    return np.log(own.uniform(0.3, 1.2)) + season(family, 72, 12, 0.6), 0.0


KINDS = {
    "18 to 30 months": Kind("monthly", 60, 12, short),
    "18 months, all": Kind("monthly", 60, 12, all_18),
    "18 beside long ones": Kind("monthly", 60, 12, beside_long),
    "6 to 9 months": Kind("monthly", 60, 12, beside_young),
    "growth": Kind("monthly", 60, 12, growth),
    "now and then, seasonal": Kind("monthly", 60, 12, seldom),
    "two years of weeks": Kind("weekly", 30, 13, weeks),
    "days, week and year": Kind("daily", 15, 28, days),
}

ENDS = {
    "monthly": np.datetime64("2025-01", "M"),
    "weekly": np.datetime64("2025-01-06"),
    "daily": np.datetime64("2025-01-06"),
}
APART = {"monthly": 1, "weekly": 7, "daily": 1}


def grouped(name: str, draw: int = 0) -> Grouped:
    """One portfolio of a kind, all histories ending together."""
    kind, rows, futures = KINDS[name], [], []
    for i in range(kind.items):
        own = np.random.default_rng(np.random.SeedSequence([19, draw, i, *name.encode()]))
        family = np.random.default_rng(np.random.SeedSequence([91, draw, i // FAMILY, *name.encode()]))
        log, size = kind.draw(own, family, i)
        n = log.size - kind.horizon
        if size == 0.0:  # counts
            past, ahead = (
                own.poisson(np.exp(log[:n])).astype(float),
                own.poisson(np.exp(log[n:]), (FUTURES, kind.horizon)),
            )
        else:
            past = np.exp(log[:n] + size * own.normal(size=n))
            ahead = np.exp(log[n:] + size * own.normal(size=(FUTURES, kind.horizon)))
        futures.append(ahead)
        periods = ENDS[kind.cadence] - APART[kind.cadence] * np.arange(n, 0, -1)
        one = {"item": f"item {i:03d}", "family": f"family {i // FAMILY}", "period": periods, "demand": past}
        rows.append(pd.DataFrame(one))
    words = {"item": ["item", "family"], "period": "period", "demand": "demand", "cadence": kind.cadence}
    history = vx.History.from_frame(pd.concat(rows), absent="unknown", **words)
    return Grouped(name, history, np.array(futures), kind.horizon)
