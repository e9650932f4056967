"""Demand that was at least so much: what it is expected to have been in periods out of stock."""

import math
from functools import lru_cache

import numpy as np
from scipy.special import log_ndtr

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.periods.seasons import Turns
from veridex.core.reading.expectation import expect

__all__ = ["learned_values"]

ROUNDS = 30
FREELY, HALFWAY = 6, 0.5
"""After so many rounds values go half of their way: those between two readings of trend and season settle there."""

SETTLED = 0.002
"""Share of the spread by which no filled value moves any more."""

FEWEST = 4
"""Known values below which nothing is expected of the others."""

FAR = 6.0
"""Robust standard deviations beyond which a value does not say how wide the others spread."""


def learned_values(series: ItemHistory) -> FloatArray:
    """Demand as a method learns from it: periods out of stock at what is expected of them, given what was sold.

    Sales while there was stock are a lower bound of demand, and stock runs out because demand was high: leaving such
    periods out is too low, and so is taking what was sold. By expectation and maximisation (Dempster, Laird and Rubin,
    1977, Journal of the Royal Statistical Society B 39, 1-38) they take the mean of a normal law above its bound
    (Tobin, 1958, Econometrica 26, 24-36; Nahmias, 1994, Naval Research Logistics 41, 739-757) around what trend and
    season lead to expect, which is found anew with them; where the share of the period in stock is known, what was
    sold and the rest of the period at the pace that expectation and sales make likely.
    """
    values = np.array(series.values)
    if series.censored is None or not (np.isnan(values) & series.stock_outs).any():
        return values
    bounds, shares = (np.ascontiguousarray(row).tobytes() for row in series.censored)
    return _filled(values.tobytes(), bounds, shares, series.season_length, series.turns).copy()


@lru_cache(maxsize=64)
def _filled(values: bytes, bounds: bytes, shares: bytes, season_length: int, turns: Turns) -> FloatArray:
    """The same for bytes: methods of a fold ask for the same span one after the other."""
    y, low, share = (np.frombuffer(one, dtype=np.float64) for one in (values, bounds, shares))
    known = ~np.isnan(y)
    unknown = ~known & np.isfinite(low)
    if known.sum() < FEWEST:
        return np.where(unknown, np.maximum(low, np.nanmean(y) if known.any() else 0.0), y)
    filled = np.where(unknown, np.maximum(low, float(np.nanmean(y))), y)
    told = unknown & ~np.isnan(share)
    left = np.zeros(y.size)
    for turn in range(ROUNDS):
        expected, weight = _expected(filled, season_length, turns)
        variance = _variance(filled - expected, weight, np.where(told, 0.0, left), known, unknown)
        spread = weight * math.sqrt(max(variance, 1e-300))
        mean, left = _above(expected, spread, low)
        mean = np.where(told, low + (1.0 - share) * np.maximum(_pace(expected, low, share), 0.0), mean)
        moved = float(np.abs(mean - filled)[unknown].max())
        step = 1.0 if turn < FREELY else HALFWAY
        filled = np.where(unknown, np.maximum(low, filled + step * (mean - filled)), y)
        if moved <= SETTLED * float(spread.mean()):
            break
    return filled


def _pace(expected: FloatArray, sold: FloatArray, share: FloatArray) -> FloatArray:
    """Demand of a whole period at the pace of its part in stock, drawn to what is expected.

    The best linear guess where a period's pace differs from its expectation as much as parts of a period differ from
    its pace: the part seen counts by share / (1 + share).
    """
    with np.errstate(invalid="ignore", divide="ignore"):
        seen = np.where(share > 0.0, sold / share, expected)
    return np.asarray(expected + share / (1.0 + share) * (seen - expected))


def _expected(filled: FloatArray, season_length: int, turns: Turns) -> tuple[FloatArray, FloatArray]:
    """What is expected of each period, and what its spread is in proportion to: the level where it grows with that."""
    found = expect(filled, season_length, turns=turns)
    if not np.isfinite(found.values).all():
        mean = float(np.nanmean(filled))
        return np.full(filled.size, mean), np.ones(filled.size)
    weight = np.abs(found.values) if found.relative else np.ones(filled.size)
    return found.values, np.maximum(weight, 1e-300)


def _above(mean: FloatArray, spread: FloatArray, low: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Mean of a normal law above a bound, and the share of its variance that is left there."""
    at = np.where(np.isfinite(low), (low - mean) / spread, -40.0)
    ratio = np.exp(-0.5 * at * at - 0.5 * math.log(2.0 * math.pi) - log_ndtr(-at))
    return mean + spread * ratio, np.clip(1.0 + at * ratio - ratio * ratio, 0.0, 1.0)


def _variance(rest: FloatArray, weight: FloatArray, left: FloatArray, known: BoolArray, unknown: BoolArray) -> float:
    """Of residuals in proportion: with what is not known of those that were filled, without those far off."""
    squares = np.square(rest / weight)
    own = squares[known]
    near = known & (squares <= FAR**2 * max(float(np.median(own)), 1e-300) / 0.4549)
    count = int(near.sum() + unknown.sum())
    base = float(squares[near | unknown].sum()) / count
    lost = float(left[unknown].sum()) / count
    return base / max(1.0 - lost, 0.2)
