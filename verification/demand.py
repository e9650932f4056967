"""Kinds of demand that nothing was tuned to, each item with many futures of its own; portfolios are mixed from them."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import pandas as pd

import veridex as vx

__all__ = ["FUTURES", "HORIZON", "ITEMS", "KINDS", "Mixed", "mixed"]

ITEMS, OTHERS, MONTHS, HORIZON, FUTURES = 60, 4, 60, 12, 100
"""Items of the kind that a portfolio is about, items of each other kind beside them, usual months of history."""


class Drawn(NamedTuple):
    """A history, shape (n,), and what may come after it, shape (futures, horizon)."""

    past: np.ndarray
    futures: np.ndarray


Kind = Callable[[np.random.Generator, int], Drawn]
"""Draws the item of a number."""


def split(n: int, y: np.ndarray) -> Drawn:
    """Independent periods: the first row's past, everybody's future."""
    return Drawn(y[0, :n], y[:, n:])


def wave(rng: np.random.Generator, n: int, size: float) -> np.ndarray:
    """A season of two harmonics over history and horizon."""
    t = np.arange(n + HORIZON)
    first, second = rng.uniform(0, 12, size=2)
    return size * (np.sin(2 * np.pi * (t + first) / 12) + 0.4 * np.sin(4 * np.pi * (t + second) / 12))


def noise(rng: np.random.Generator, n: int) -> np.ndarray:
    return rng.normal(size=(FUTURES, n + HORIZON))


def carried(n: int, shocks: np.ndarray) -> np.ndarray:
    """The same past for every future."""
    return np.concatenate((np.tile(shocks[:1, :n], (FUTURES, 1)), shocks[:, n:]), axis=1)


def counts(rng: np.random.Generator, _item: int) -> Drawn:
    """Whole numbers around a seasonal mean, with more spread than Poisson's."""
    mean = np.exp(np.log(rng.uniform(1.5, 25)) + wave(rng, MONTHS, rng.uniform(0.2, 0.6)))
    size = rng.uniform(2, 15)
    shape = (FUTURES, MONTHS + HORIZON)
    return split(MONTHS, rng.poisson(mean * rng.gamma(size, 1 / size, size=shape)).astype(float))


def lumpy(rng: np.random.Generator, _item: int) -> Drawn:
    """Now and then a whole number of very different size."""
    chance, mu, sigma = rng.uniform(0.2, 0.5), rng.uniform(0.5, 2.5), rng.uniform(0.7, 1.1)
    shape = (FUTURES, MONTHS + HORIZON)
    sizes = np.maximum(np.round(np.exp(mu + sigma * rng.normal(size=shape))), 1.0)
    return split(MONTHS, np.where(rng.random(shape) < chance, sizes, 0.0))


def erratic(rng: np.random.Generator, _item: int) -> Drawn:
    """Log-normal around a mean that wanders a little."""
    mu, sigma, phi = rng.uniform(3, 6), rng.uniform(0.4, 0.8), rng.uniform(0.0, 0.5)
    shocks = carried(MONTHS, noise(rng, MONTHS))
    log = np.zeros(shocks.shape)
    for t in range(1, log.shape[1]):
        log[:, t] = phi * log[:, t - 1] + sigma * shocks[:, t]
    return split(MONTHS, np.exp(mu + log))


def growing(rng: np.random.Generator, _item: int) -> Drawn:
    """Growth by 1 to 3 % a month, season and noise in proportion."""
    t = np.arange(MONTHS + HORIZON)
    log = rng.uniform(3, 5) + np.log1p(rng.uniform(0.01, 0.03)) * t + wave(rng, MONTHS, rng.uniform(0.1, 0.3))
    return split(MONTHS, np.exp(log + rng.uniform(0.05, 0.15) * noise(rng, MONTHS)))


def shifted(rng: np.random.Generator, _item: int) -> Drawn:
    """A level that doubled or halved 5 to 14 months before the history ends."""
    level = np.full(MONTHS + HORIZON, rng.uniform(80, 300))
    level[MONTHS - rng.integers(5, 15) :] *= rng.choice([0.5, 0.6, 1.6, 2.0])
    y = level * (1 + wave(rng, MONTHS, rng.uniform(0.0, 0.2)) + rng.uniform(0.06, 0.15) * noise(rng, MONTHS))
    return split(MONTHS, y)


def ramp(rng: np.random.Generator, _item: int) -> Drawn:
    """A new item that finds its customers."""
    n = int(rng.integers(14, 21))
    mean = rng.uniform(60, 300) * (1 - np.exp(-(np.arange(n + HORIZON) + 1.0) / rng.uniform(6, 18)))
    return split(n, np.maximum(np.round(mean * (1 + rng.uniform(0.08, 0.2) * noise(rng, n))), 0.0))


def short(rng: np.random.Generator, item: int, months: tuple[int, ...] = (24, 30, 36, 42, 48)) -> Drawn:
    """A plain season, and few years to see it in."""
    n = months[item % len(months)]
    t = np.arange(n + HORIZON)
    log = rng.uniform(3, 6) + rng.uniform(-0.005, 0.01) * t + wave(rng, n, rng.uniform(0.2, 0.5))
    return split(n, np.exp(log + rng.uniform(0.08, 0.25) * noise(rng, n)))


def months_18(rng: np.random.Generator, item: int) -> Drawn:
    return short(rng, item, (18,))


def steady(rng: np.random.Generator, _item: int, common: np.ndarray | None = None) -> Drawn:
    """A wandering level with a season; some of its shocks are everybody's where there are such."""
    shocks = carried(MONTHS, noise(rng, MONTHS))
    if common is not None:
        shocks = np.sqrt(0.4) * common + np.sqrt(0.6) * shocks
    base, spread, alpha = rng.uniform(100, 400), rng.uniform(0.04, 0.12), rng.uniform(0.1, 0.5)
    level = base * spread * (alpha * np.cumsum(shocks, axis=1) + (1 - alpha) * shocks)
    return split(MONTHS, base + level + base * wave(rng, MONTHS, rng.uniform(0.05, 0.3)))


def together(rng: np.random.Generator, item: int) -> Drawn:
    """Items of a group of fifteen share shocks."""
    common = np.random.default_rng([77, item // 15])
    return steady(rng, item, carried(MONTHS, noise(common, MONTHS)))


KINDS: dict[str, Kind] = {
    "steady": steady,
    "seasonal counts": counts,
    "lumpy": lumpy,
    "erratic": erratic,
    "growing": growing,
    "recent shift": shifted,
    "24 to 48 months": short,
    "18 months": months_18,
    "ramps": ramp,
    "common shocks": together,
}


@dataclass(frozen=True)
class Mixed:
    """A portfolio: histories of a kind and of all others, what came after those of the kind, and after all together."""

    kind: str
    history: vx.History
    items: tuple[str, ...]
    futures: np.ndarray
    together: np.ndarray


def mixed(kind: str, draw: int = 0, items: int = ITEMS) -> Mixed:
    """Sixty items of a kind among some of every other, all ending together."""
    rows, futures, together = [], [], np.zeros((FUTURES, HORIZON))
    for name in KINDS:
        for i in range(items if name == kind else OTHERS):
            rng = np.random.default_rng(np.random.SeedSequence([13, draw, i, *name.encode()]))
            made = KINDS[name](rng, i)
            months = np.datetime64("2025-01", "M") - np.arange(made.past.size, 0, -1)
            one = {"item": f"{name} {i:02d}", "family": f"{name} {i // 15}", "month": months, "demand": made.past}
            rows.append(pd.DataFrame(one))
            together += made.futures
            if name == kind:
                futures.append(made.futures)
    words = {"item": ["item", "family"], "period": "month", "demand": "demand", "cadence": "monthly"}
    history = vx.History.from_frame(pd.concat(rows), absent="unknown", **words)
    names = tuple(name for name in history.names if name.startswith(kind))
    return Mixed(kind, history, names, np.array(futures), together)
