"""A unit root test that allows one break in level, trend or both, at a date the data choose."""

from dataclasses import replace
from typing import Literal

import numpy as np

from veridex.core.arrays import FloatArray
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
    change = np.diff(y)
    used = change.size - lags
    time = np.arange(lags + 1, n, dtype=np.float64)
    fixed = [np.ones(used), time, *(change[lags - j : change.size - j] for j in range(1, lags + 1))]
    target, before = change[lags:], y[lags:-1]
    smallest, place = np.inf, None
    for at in range(max(int(TRIM * n), lags + 2), int((1 - TRIM) * n) + 1):
        moved = []
        if breaks in ("level", "both"):
            moved.append((time >= at).astype(float))
        if breaks in ("trend", "both"):
            moved.append(np.maximum(time - at + 1, 0.0))
        ratio = _ratio(np.column_stack((*fixed, *moved)), before, target)
        if ratio < smallest:
            smallest, place = ratio, at
    if place is None:
        return replace(outcome, lags=lags, reason="the regression is singular: the series is exactly regular")
    return replace(outcome, statistic=float(smallest), lags=lags, n=used, place=place)


def _ratio(others: FloatArray, column: FloatArray, target: FloatArray) -> float:
    """T ratio of one column beside others, by taking the others out of both sides first."""
    q, r = np.linalg.qr(others)
    if np.abs(np.diag(r)).min() <= 1e-10 * np.abs(np.diag(r)).max():
        return np.inf
    left, right = column - q @ (q.T @ column), target - q @ (q.T @ target)
    square = float(left @ left)
    if square <= 1e-20 * float(column @ column):
        return np.inf
    slope = float(left @ right) / square
    rest = right - slope * left
    variance = float(rest @ rest) / (target.size - others.shape[1] - 1)
    return slope / np.sqrt(variance / square) if variance > 0 else np.inf
