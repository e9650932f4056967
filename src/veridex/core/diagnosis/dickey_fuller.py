"""The augmented Dickey-Fuller test."""

import math
from dataclasses import replace
from typing import Literal

import numpy as np
from scipy.special import ndtr

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.outcome import Outcome
from veridex.core.numerics.unit_root import adf_lags, adf_ratio

__all__ = [
    "Choose",
    "Deterministic",
    "dickey_fuller",
    "lags_by",
    "mackinnon_critical",
    "mackinnon_p_value",
    "schwert_bound",
]

Choose = Literal["aic", "bic", "t"]
CHOICES = ("aic", "bic", "t")
FIXED = {"none": 0, "level": 1, "trend": 2}
Deterministic = Literal["none", "level", "trend"]

# MacKinnon (1994), Journal of Business and Economic Statistics 12, 167-176, tables 3 and 4 (one variable):
# polynomials in the statistic whose normal probability is the p-value, left and right of a changeover point.
_SMALL_P = {
    "none": (0.6344, 1.2378, 0.032496),
    "level": (2.1659, 1.4412, 0.038269),
    "trend": (3.2512, 1.6047, 0.049588),
}
_LARGE_P = {
    "none": (0.4797, 0.93557, -0.06999, 0.033066),
    "level": (1.7339, 0.93202, -0.12745, -0.010368),
    "trend": (2.5261, 0.61654, -0.37956, -0.060285),
}
_CHANGEOVER = {"none": -1.04, "level": -1.61, "trend": -2.89}
_SMALLEST = {"none": -19.04, "level": -18.83, "trend": -16.18}
_LARGEST = {"none": math.inf, "level": 2.74, "trend": 0.70}

# MacKinnon (2010), Queen's University working paper 1227, table 2 (N = 1): critical value at 1, 5 and 10 percent
# is b0 + b1 / T + b2 / T^2 + b3 / T^3.
_CRITICAL = {
    "none": (
        (-2.56574, -2.2358, -3.627, 0.0),
        (-1.94100, -0.2686, -3.365, 31.223),
        (-1.61682, 0.2656, -2.714, 25.364),
    ),
    "level": (
        (-3.43035, -6.5393, -16.786, -79.433),
        (-2.86154, -2.8903, -4.234, -40.040),
        (-2.56677, -1.5384, -2.809, 0.0),
    ),
    "trend": (
        (-3.95877, -9.0531, -28.428, -134.155),
        (-3.41049, -4.3904, -9.036, -45.374),
        (-3.12705, -2.5856, -3.925, -22.380),
    ),
}


def mackinnon_p_value(statistic: float, deterministic: Deterministic) -> float:
    """Asymptotic p-value of a Dickey-Fuller t statistic from MacKinnon's (1994) response surfaces.

    Examples
    --------
    >>> round(mackinnon_p_value(-2.86154, "level"), 4)
    0.05
    """
    if statistic > _LARGEST[deterministic]:
        return 1.0
    if statistic < _SMALLEST[deterministic]:
        return 0.0
    small = statistic <= _CHANGEOVER[deterministic]
    terms = _SMALL_P[deterministic] if small else _LARGE_P[deterministic]
    return float(ndtr(sum(b * statistic**power for power, b in enumerate(terms))))


def mackinnon_critical(deterministic: Deterministic, n: int) -> tuple[float, float, float]:
    """Critical values at 1, 5 and 10 percent for n values, from MacKinnon's (2010) response surfaces.

    Examples
    --------
    >>> [round(value, 3) for value in mackinnon_critical("level", 100)]
    [-3.498, -2.891, -2.582]
    """
    one, five, ten = (sum(b / n**power for power, b in enumerate(row)) for row in _CRITICAL[deterministic])
    return one, five, ten


def schwert_bound(n: int) -> int:
    """Most lagged differences to consider: int(12 (n / 100)^(1/4)) (Schwert, 1989, JBES 7, 147-159)."""
    return int(12.0 * (n / 100.0) ** 0.25)


def dickey_fuller(
    y: FloatArray, *, lags: int | None = None, deterministic: Deterministic = "level", choose: Choose = "aic"
) -> Outcome:
    """Test the null of a unit root: a *small* p-value speaks for stationarity.

    Regresses the change of y on its last value, `lags` lagged changes, and a constant and trend if so asked.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    lags : int, optional
        Lagged changes; chosen up to Schwert's bound, on a common sample, if not given.
    deterministic : {"none", "level", "trend"}
    choose : {"aic", "bic", "t"}
        How lags are chosen: by Akaike's or Schwarz's criterion, or from the most down until the last lag's t ratio is
        significant at 10 %.

    Returns
    -------
    Outcome
        The p-value is asymptotic; the critical values hold for the number of values used. Not available, with
        a reason, where y is constant or too short.

    References
    ----------
    .. [1] Said and Dickey (1984), Biometrika 71, 599-607.
    .. [2] MacKinnon (1994, 2010), as in the tables above.
    """
    outcome = Outcome(test=f"Dickey-Fuller ({deterministic})", null="unit root")
    fixed = FIXED[deterministic]
    most = schwert_bound(y.size) if lags is None else lags
    # Each lag costs a value and a coefficient; a few degrees of freedom must be left.
    most_possible = (y.size - fixed - 4) // 2
    if most_possible < 0 or (lags is not None and lags > most_possible):
        needed = 2 * (lags or 0) + fixed + 4
        return replace(outcome, reason=f"too little history: {y.size} periods, {needed} needed")
    if y.min() == y.max():
        return replace(outcome, reason="all values are equal")
    if lags is None:
        lags = lags_by(choose, y, min(most, most_possible), deterministic)
    statistic = float(adf_ratio(np.ascontiguousarray(y), lags, fixed))
    if math.isnan(statistic):
        return replace(outcome, lags=lags, reason="the regression is singular: the series is exactly regular")
    n = y.size - 1 - lags
    return replace(
        outcome,
        statistic=statistic,
        p_value=mackinnon_p_value(statistic, deterministic),
        lags=lags,
        critical=mackinnon_critical(deterministic, n),
        n=n,
    )


def lags_by(choose: Choose, y: FloatArray, most: int, deterministic: Deterministic) -> int:
    """The number of lagged changes that a criterion prefers; all candidates are fitted to the same values."""
    # Around their mean the same columns are further from being dependent.
    centred = y if deterministic == "none" else y - y.mean()
    return int(adf_lags(np.ascontiguousarray(centred), most, FIXED[deterministic], CHOICES.index(choose)))
