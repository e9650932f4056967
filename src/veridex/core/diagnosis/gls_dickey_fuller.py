"""The Dickey-Fuller test after detrending by generalised least squares: more power near a unit root."""

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.dickey_fuller import mackinnon_critical, mackinnon_p_value, schwert_bound
from veridex.core.diagnosis.outcome import Outcome
from veridex.core.numerics.unit_root import adf_ratio

__all__ = ["gls_critical", "gls_dickey_fuller"]


# Elliott, Rothenberg and Stock (1996), table I.C: the trend case at 1, 5 and 10 percent.
_TREND_CRITICAL = {50: (-3.77, -3.19, -2.89), 100: (-3.58, -3.03, -2.74), 200: (-3.46, -2.93, -2.64)}
_TREND_LIMIT = (-3.48, -2.89, -2.57)


def gls_critical(n: int) -> tuple[float, float, float]:
    """Critical values of the trend case at 1, 5 and 10 percent, straight in 1 / n between the published lengths."""
    sizes = sorted(_TREND_CRITICAL)
    at = np.array([0.0, *(1.0 / size for size in reversed(sizes))])
    rows = np.array([_TREND_LIMIT, *(_TREND_CRITICAL[size] for size in reversed(sizes))])
    one, five, ten = (float(np.interp(1.0 / n, at, rows[:, i])) for i in range(3))
    return one, five, ten


def gls_dickey_fuller(
    y: FloatArray, *, lags: int | None = None, deterministic: Literal["level", "trend"] = "level"
) -> Outcome:
    """Test the null of a unit root: a *small* statistic speaks for stationarity.

    The level (or trend) is estimated after quasi-differencing at 1 - 7 / n (1 - 13.5 / n) and taken out; then
    Dickey and Fuller's regression without deterministic part.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    lags : int, optional
        Lagged changes; chosen by the modified AIC up to Schwert's bound if not given.
    deterministic : {"level", "trend"}

    Returns
    -------
    Outcome
        In the level case the limit law is Dickey and Fuller's without constant, with its p-values; for the trend case
        only critical values are published.

    References
    ----------
    .. [1] Elliott, Rothenberg and Stock (1996), Econometrica 64, 813-836.
    .. [2] Ng and Perron (2001), Econometrica 69, 1519-1554, for the modified AIC.
    """
    n = y.size
    outcome = Outcome(test=f"GLS Dickey-Fuller ({deterministic})", null="unit root")
    most_possible = (n - 6) // 2
    if most_possible < 0 or (lags is not None and lags > most_possible):
        return replace(outcome, reason=f"too little history: {n} periods, {2 * (lags or 0) + 6} needed")
    if y.min() == y.max():
        return replace(outcome, reason="all values are equal")
    rest = _detrended(y, deterministic)
    if lags is None:
        lags = _lags_by_modified_aic(rest, min(schwert_bound(n), most_possible))
    statistic, used = float(adf_ratio(np.ascontiguousarray(rest), lags, 0)), n - 1 - lags
    if math.isnan(statistic):
        return replace(outcome, lags=lags, reason="the regression is singular: the series is exactly regular")
    level = deterministic == "level"
    return replace(
        outcome,
        statistic=statistic,
        p_value=mackinnon_p_value(statistic, "none") if level else math.nan,
        lags=lags,
        critical=mackinnon_critical("none", used) if level else gls_critical(used),
        n=used,
    )


def _detrended(y: FloatArray, deterministic: str) -> FloatArray:
    n = y.size
    alpha = 1.0 - (7.0 if deterministic == "level" else 13.5) / n
    z = np.ones((n, 1)) if deterministic == "level" else np.column_stack((np.ones(n), np.arange(1.0, n + 1.0)))
    quasi_y, quasi_z = np.array(y), z.copy()
    quasi_y[1:] -= alpha * y[:-1]
    quasi_z[1:] -= alpha * z[:-1]
    return np.asarray(y - z @ np.linalg.lstsq(quasi_z, quasi_y, rcond=None)[0])


def _lags_by_modified_aic(y: FloatArray, most: int) -> int:
    """Ng and Perron's criterion: log variance + 2 (tau + lags) / n, tau what the last value's coefficient explains."""
    best, least = 0, math.inf
    change, before = np.diff(y), y[:-1]
    n = change.size - most
    for lags in range(most + 1):
        columns = [before[most:], *(change[most - j : change.size - j] for j in range(1, lags + 1))]
        design = np.column_stack(columns)
        target = change[most:]
        coefficients = np.linalg.lstsq(design, target, rcond=None)[0]
        variance = float(np.square(target - design @ coefficients).sum()) / n
        if variance <= 0:
            continue
        tau = float(coefficients[0] ** 2 * (before[most:] @ before[most:])) / variance
        criterion = math.log(variance) + 2.0 * (tau + lags) / n
        if criterion < least:
            best, least = lags, criterion
    return best
