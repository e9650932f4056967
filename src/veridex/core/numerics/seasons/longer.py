"""Seasons that stand above another: the year over the week, the week over the day. Found, and described by a few sines.

Demand is gathered over whole turns of the shorter season, which leaves neither that season nor the memory from one
period to the next; what is left is regressed on a line and the harmonics of the longer season under a level that
wanders. A level that wanders also swings: a season is shown where its harmonics raise the likelihood more than they do
where there is none (see `CRITICAL`), a test at frequencies that are known beforehand (Bloomfield, 2000, Fourier
Analysis of Time Series, 2nd ed., chapter 8), for which hardly two turns suffice.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.special import chdtrc

from veridex.core.arrays import FloatArray
from veridex.core.numerics.regression.level import LevelFit, fit_level

__all__ = ["FEWEST_TURNS", "MOST_HARMONICS", "STATED_TURNS", "Longer", "harmonics", "longer_seasons"]

FEWEST_TURNS = 1.5
"""Turns from which on a season may be shown; see `CRITICAL`."""

STATED_TURNS = 1.25
"""Turns from which on a season that is stated is told from a line."""

CRITICAL = ((1.5, 2.0), (22.0, 15.0))
"""Twice the gain in log-likelihood that shows a season with two harmonics, by the number of turns seen.

Simulated on series without a season: 1 to 3 in a hundred show as much on the average over white noise, autoregressions
and levels that wander, of pure random walks up to 8; by the chi-squared law with four degrees of freedom it would be
one in two hundred from two turns on."""

TESTED = 2
"""Harmonics that a season is tested with."""

MOST_HARMONICS = 6
FEW_HARMONICS = 2
"""Harmonics of a season at most, and of one that was not seen twice; one that is too short to show itself has one."""

TWICE = 1.98
"""Turns that are as good as two: two years of days."""

LEAST_BLOCK_RATIO = 4.0
"""A longer season holds at least so many shorter ones, or is not gathered over them."""

FEWEST_BLOCKS = 12

TRIMMED_FROM = 5
"""Periods of a block from which on its largest and its smallest are left out: one outlier does not move a block."""


@dataclass(frozen=True, slots=True, eq=False)
class Longer:
    """A season above another, from the first period of a span on.

    Attributes
    ----------
    length : float
        Periods.
    relative : bool
        Whether it multiplies demand: its effects are then those of logarithms.
    effects : ndarray, shape (2 K,)
        Of sine and cosine of each harmonic.
    covariance : ndarray, shape (2 K, 2 K)
    centre : ndarray, shape (2 K,)
        As in `veridex.core.numerics.regression.level`.
    gain : float
        Twice what its first harmonics add to the log-likelihood.
    needed : float
        What shows a season.
    strength : float
        Share of what the line leaves that it explains, 0 to 1.
    """

    length: float
    relative: bool
    effects: FloatArray
    covariance: FloatArray
    centre: FloatArray
    gain: float = math.nan
    needed: float = math.nan
    strength: float = math.nan

    @property
    def p_value(self) -> float:
        """Of the gain under the chi-squared law; more is asked of a season, since a level that wanders swings too."""
        return float(chdtrc(min(2 * TESTED, self.effects.size), self.gain))

    def at(self, places: FloatArray) -> FloatArray:
        """What it adds at places counted from the first period: to demand, or to its logarithm."""
        return np.asarray(harmonics(places, self.length, self.effects.size // 2) @ self.effects)

    def doubt(self, places: FloatArray) -> FloatArray:
        """Variance of what it adds, against the level at the end of the span."""
        apart = harmonics(places, self.length, self.effects.size // 2) - self.centre
        return np.asarray(np.einsum("ti,ij,tj->t", apart, self.covariance, apart))

    def taken_out(self, y: FloatArray) -> FloatArray:
        """Demand without it."""
        own = self.at(np.arange(y.size, dtype=np.float64))
        return y * np.exp(-own) if self.relative else y - own


def harmonics(places: FloatArray, length: float, count: int, block: int = 1) -> FloatArray:
    """Sines and cosines of a season, shape (n, 2 count); their means over `block` periods around each place."""
    columns = []
    for k in range(1, count + 1):
        angle = 2.0 * math.pi * k / length
        shrunk = math.sin(angle * block / 2.0) / (block * math.sin(angle / 2.0)) if block > 1 else 1.0
        columns += [shrunk * np.sin(angle * places), shrunk * np.cos(angle * places)]
    return np.column_stack(columns)


def longer_seasons(
    y: FloatArray,
    first: int,
    lengths: Sequence[float],
    *,
    stated: bool = False,
    additive: bool = False,
    fewest: float = STATED_TURNS,
    beside: FloatArray | None = None,
) -> tuple[Longer, ...]:
    """Find which of the seasons above the first a span shows, each in what the shorter ones leave.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand, NaN where unknown.
    first : int
        Length of the first season; 1 for none.
    lengths : sequence of float
        Candidates, the shortest first.
    stated : bool
        They are known to be there: described without a test, once there is enough history.
    additive : bool
        Never look for one that multiplies.
    fewest : float
        Turns from which on one that is stated is described.
    beside : ndarray, shape (n, k), optional
        Columns that may explain demand too, drivers: a season is what they leave.
    """
    told = beside is not None and beside.size > 0
    columns = np.ascontiguousarray(beside).tobytes() if told and beside is not None else b""
    first = 1 if any(round(length) == first for length in lengths) else first
    return _found(y.tobytes(), first, tuple(lengths), fewest if stated else FEWEST_TURNS, stated, additive, columns)


@lru_cache(maxsize=64)
def _found(
    values: bytes, first: int, lengths: tuple[float, ...], fewest: float, stated: bool, additive: bool, columns: bytes
) -> tuple[Longer, ...]:
    """The same for bytes: methods of a fold ask for the same span one after the other."""
    y = np.frombuffer(values, dtype=np.float64)
    beside = np.frombuffer(columns, dtype=np.float64).reshape(y.size, -1)
    found: list[Longer] = []
    shorter = first
    for length in lengths:
        block = shorter if length >= LEAST_BLOCK_RATIO * shorter else 1
        one = None if y.size < fewest * length else _look(y, block, length, stated, additive, beside)
        if one is not None:
            found.append(one)
            y = one.taken_out(y)
        shorter = round(length) if float(length).is_integer() else shorter
    return tuple(found)


def _look(y: FloatArray, block: int, length: float, stated: bool, additive: bool, beside: FloatArray) -> Longer | None:
    """The season, where the span shows it or it is stated."""
    turns = y.size / length
    gathered, places = _blocks(y, block)
    known = ~np.isnan(gathered)
    if known.sum() < FEWEST_BLOCKS or gathered[known].min() == gathered[known].max():
        return None
    base = [(places - places.mean()) / y.size]
    base += [_means(column, block) for column in beside.T if column.min() < column.max()]
    plain = np.column_stack(base)
    fits = [_fitted(gathered, plain, places, length, block)]
    if not additive and float(gathered[known].min()) > 0.0:
        fits.append(_fitted(np.log(gathered), plain, places, length, block))
    jacobian = float(np.log(gathered[known][1:]).sum()) if len(fits) > 1 else 0.0
    relative = len(fits) > 1 and fits[1].with_it.log_likelihood - jacobian > fits[0].with_it.log_likelihood
    best = fits[int(relative)]
    gain = 2.0 * (best.with_it.log_likelihood - best.without.log_likelihood)
    needed = float(np.interp(2.0 * turns / TWICE, *CRITICAL))
    if gain < needed and not stated:
        return None
    fit, count = _described(best, plain, places, length, block, turns)
    own = slice(plain.shape[1], plain.shape[1] + 2 * count)
    swing = float(np.var(harmonics(places, length, count, block) @ fit.effects[own]))
    left = float(np.nanvar(best.values - plain @ fit.effects[: plain.shape[1]]))
    return Longer(
        length=float(length),
        relative=relative,
        effects=fit.effects[own],
        covariance=fit.covariance[own, own],
        centre=fit.centre[own],
        gain=gain,
        needed=needed,
        strength=min(swing / left, 1.0) if left > 0.0 else 0.0,
    )


@dataclass(frozen=True, slots=True, eq=False)
class _Tested:
    """Gathered values, or their logarithms, without and with the season's first harmonics."""

    values: FloatArray
    without: LevelFit
    with_it: LevelFit


def _fitted(values: FloatArray, plain: FloatArray, places: FloatArray, length: float, block: int) -> _Tested:
    count = min(TESTED, int(length / block // 2))
    columns = np.hstack((plain, harmonics(places, length, count, block)))
    return _Tested(values, fit_level(values, plain), fit_level(values, columns))


def _described(
    found: _Tested, plain: FloatArray, places: FloatArray, length: float, block: int, turns: float
) -> tuple[LevelFit, int]:
    """As many harmonics as Akaike's criterion, corrected for few values, finds worth their coefficients."""
    allowed = MOST_HARMONICS if turns >= TWICE else FEW_HARMONICS if turns >= FEWEST_TURNS else 1
    most = min(allowed, int(length / block // 2))
    best: tuple[float, int] | None = None
    for count in range(1, most + 1):
        fit = fit_level(found.values, np.hstack((plain, harmonics(places, length, count, block))), found.with_it.q)
        quantities = plain.shape[1] + 2 * count + 2
        free = fit.known - quantities - 1
        if free < 1:
            break
        criterion = -2.0 * fit.log_likelihood + 2.0 * quantities * fit.known / free
        if best is None or criterion < best[0]:
            best = (criterion, count)
    if best is None:
        return found.with_it, min(TESTED, most)
    return fit_level(found.values, np.hstack((plain, harmonics(places, length, best[1], block)))), best[1]


def _blocks(y: FloatArray, block: int) -> tuple[FloatArray, FloatArray]:
    """Demand gathered over whole turns of a shorter season, the last of them whole, and the places of their middles.

    Means of what is known, less what its phase of the season differs; without the largest and the smallest where a turn
    is long. A turn known to less than half is unknown.
    """
    count = y.size // block
    off = y.size - count * block
    places = off + (np.arange(count) + 0.5) * block - 0.5
    if block == 1:
        return y, np.asarray(places)
    table = y[off:].reshape(count, block)
    known = ~np.isnan(table)
    table = table - _phase_medians(table, known)
    if block >= TRIMMED_FROM:
        ordered = np.sort(np.where(known, table, np.inf), axis=1)
        sizes = known.sum(axis=1)
        inside = (np.arange(block) >= 1) & (np.arange(block) < sizes[:, None] - 1)
        with np.errstate(invalid="ignore", divide="ignore"):
            means = np.where(inside, ordered, 0.0).sum(axis=1) / inside.sum(axis=1)
    else:
        sizes = known.sum(axis=1)
        with np.errstate(invalid="ignore", divide="ignore"):
            means = np.where(known, table, 0.0).sum(axis=1) / sizes
    return np.where(2 * sizes > block, means, np.nan), np.asarray(places)


def _phase_medians(table: FloatArray, known: FloatArray) -> FloatArray:
    """What each phase of the shorter season differs, by medians over turns: nothing on the average."""
    seen = known.any(axis=0)
    found = np.zeros(table.shape[1])
    found[seen] = np.nanmedian(table[:, seen], axis=0)
    found[seen] -= found[seen].mean()
    return found


def _means(column: FloatArray, block: int) -> FloatArray:
    """A column of drivers gathered alike."""
    count = column.size // block
    return np.asarray(column[column.size - count * block :].reshape(count, block).mean(axis=1))
