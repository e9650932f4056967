"""A unit root test that allows one break in level, trend or both, at a date the data choose."""

from dataclasses import replace
from typing import Literal

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.diagnosis.dickey_fuller import lags_by, schwert_bound
from veridex.core.diagnosis.outcome import Outcome

__all__ = ["Break", "zivot_andrews"]

Break = Literal["level", "trend", "both"]

# Zivot and Andrews (1992), tables 2 to 4, at 1, 5 and 10 percent.
_CRITICAL = {
    "level": (-5.34, -4.80, -4.58),
    "trend": (-4.93, -4.42, -4.11),
    "both": (-5.57, -5.08, -4.82),
}
TRIM = 0.15

SINGULAR = 1e-12
"""A square that keeps less than this share when others are taken out of it is rounding."""


def zivot_andrews(y: FloatArray, *, lags: int | None = None, breaks: Break = "level") -> Outcome:
    """Test the null of a unit root without break against stationarity around a trend with one break.

    Dickey and Fuller's regression with a constant, a trend, and a step (and a bend) is fitted for each date between 15
    and 85 percent of the series; the smallest t ratio counts, and `place` is the first position after the break.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    lags : int, optional
        Lagged changes; those that AIC chooses without a break if not given.
    breaks : {"level", "trend", "both"}

    References
    ----------
    .. [1] Zivot and Andrews (1992), Journal of Business and Economic Statistics 10, 251-270. Only critical values are
       published.
    """
    n = y.size
    outcome = Outcome(test=f"Zivot-Andrews (break in {breaks})", null="unit root", critical=_CRITICAL[breaks])
    most = (n - 10) // 2
    if most < 0 or (lags is not None and lags > most):
        return replace(outcome, reason=f"too little history: {n} periods, {2 * (lags or 0) + 10} needed")
    if y.min() == y.max():
        return replace(outcome, reason="all values are equal")
    if lags is None:
        lags = lags_by("aic", y, min(schwert_bound(n), most), "trend")
    ratios, first = _ratios(y, lags, breaks)
    if not np.isfinite(ratios).any():
        return replace(outcome, lags=lags, reason="the regression is singular: the series is exactly regular")
    smallest = int(np.nanargmin(ratios))
    return replace(outcome, statistic=float(ratios[smallest]), lags=lags, n=n - 1 - lags, place=first + smallest)


def _ratios(y: FloatArray, lags: int, breaks: Break) -> tuple[FloatArray, int]:
    """T ratios of the last value for each date of the break, NaN where singular; and the first date.

    What all dates have in common is taken out once. Inner products with steps and bends are then sums from a date on,
    and sums of these: a date costs a few products, not a factorisation.
    """
    n = y.size
    scaled = (y - y.mean()) / y.std()
    change = np.diff(scaled)
    time = np.arange(lags + 1, n, dtype=np.float64)
    shared = [np.ones(time.size), time / n, *(change[lags - j : change.size - j] for j in range(1, lags + 1))]
    q, r = np.linalg.qr(np.column_stack(shared))
    first, last = max(int(TRIM * n), lags + 2), int((1 - TRIM) * n)
    if last < first or np.abs(np.diag(r)).min() <= SINGULAR * np.abs(np.diag(r)).max():
        return np.full(1, np.nan), first
    before, target = (one - q @ (q.T @ one) for one in (scaled[lags:-1], change[lags:]))
    at = np.arange(first, last + 1) - (lags + 1)
    moved = [_from(at, q, before, target)] if breaks != "trend" else []
    if breaks != "level":
        moved.append(_from(at, *(np.cumsum(one[::-1], axis=0)[::-1] for one in (q, before, target))))
    inner, apart = _inner(time.size - at.astype(np.float64), [own for own, _, _ in moved], breaks)
    left, right = (np.stack([one[place] for one in moved], axis=1) for place in (1, 2))
    weights = np.linalg.solve(inner, np.stack((left, right), axis=2))
    square = before @ before - np.einsum("dm,dm->d", left, weights[:, :, 0])
    product = before @ target - np.einsum("dm,dm->d", left, weights[:, :, 1])
    apart &= square > SINGULAR * (before @ before)
    with np.errstate(all="ignore"):
        rest = target @ target - np.einsum("dm,dm->d", right, weights[:, :, 1]) - product**2 / square
        ratios = product / np.sqrt(square * rest / (time.size - len(shared) - len(moved) - 1))
    perfect = apart & (rest <= SINGULAR * (change @ change))
    return np.where(apart & ~perfect.any(), ratios, np.nan), first


def _inner(count: FloatArray, projected: list[FloatArray], breaks: Break) -> tuple[FloatArray, BoolArray]:
    """Inner products of step and bend for each date without what is shared, and whether they stand apart from it.

    `count` has the values from each date on: a step's square is their number, a bend's the sum of their squares.
    """
    squares = {"level": count, "trend": count * (count + 1.0) * (2.0 * count + 1.0) / 6.0}
    own = [squares[one] for one in ("level", "trend") if breaks in (one, "both")]
    inner = np.empty((count.size, len(projected), len(projected)))
    for i, mine in enumerate(projected):
        for j, theirs in enumerate(projected):
            whole = own[i] if i == j else count * (count + 1.0) / 2.0
            inner[:, i, j] = whole - np.einsum("dk,dk->d", mine, theirs)
    apart = np.linalg.det(inner) > SINGULAR * np.prod(own, axis=0)
    inner[~apart] = np.eye(len(projected))
    return inner, apart


def _from(at: IntArray, *arrays: FloatArray) -> tuple[FloatArray, ...]:
    """Sums of each array's rows from each date on."""
    return tuple(np.cumsum(one[::-1], axis=0)[::-1][at] for one in arrays)
