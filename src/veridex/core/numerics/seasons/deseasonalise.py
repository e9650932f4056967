"""A fixed season, taken out before a method without a season looks at a series, and put back."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.smoothing.recursion import ADDITIVE, MULTIPLICATIVE
from veridex.core.numerics.smoothing.starts import bridge_unknown, seasonal_means

__all__ = ["fixed_season", "put_back", "taken_out"]


@kernel
def fixed_season(y: FloatArray, multiplicative: bool, season: FloatArray) -> None:
    """Classical decomposition: the mean, phase by phase, of what a centred average over the season leaves.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two lengths or more; NaN is bridged for the average and left out of the means.
    multiplicative : bool
        Ratios with the mean one instead of differences that sum to zero.
    season : ndarray, shape (season,)
        Filled, by phase, counted from the first value.

    References
    ----------
    .. [1] Makridakis, Wheelwright and Hyndman (1998), Forecasting: Methods and Applications, section 3.4.
    """
    filled = np.empty(y.size)
    bridge_unknown(y, filled)
    seasonal_means(y, filled, y.size, MULTIPLICATIVE if multiplicative else ADDITIVE, season.size, season)


@kernel
def taken_out(y: FloatArray, season: FloatArray, ratio: bool, left: FloatArray) -> float:
    """What a season leaves of demand, into `left`; the sum of the logarithms of its ratios at known values."""
    logs = 0.0
    for t in range(y.size):
        own = season[t % season.size]
        left[t] = y[t] / own if ratio else y[t] - own
        if ratio and not math.isnan(y[t]):
            logs += math.log(own)
    return logs


@kernel
def put_back(season: FloatArray, ratio: bool, fitted: FloatArray, points: FloatArray, std_error: FloatArray) -> None:
    """Put a season back into one-step forecasts and those after them."""
    n, m = fitted.size, season.size
    for t in range(n):
        fitted[t] = fitted[t] * season[t % m] if ratio else fitted[t] + season[t % m]
    for h in range(points.size):
        own = season[(n + h) % m]
        points[h] = points[h] * own if ratio else points[h] + own
        if ratio:
            std_error[h] *= own
