"""A fixed season, taken out before a method without a season looks at a series."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.smoothing.starts import bridge_unknown

__all__ = ["fixed_season"]


def _centred_average(filled: FloatArray, season_length: int) -> FloatArray:
    """A moving average over a season, its ends halved where that is even; NaN near the ends."""
    weights = np.full(2 * (season_length // 2) + 1, 1.0 / season_length)
    if season_length % 2 == 0:
        weights[[0, -1]] *= 0.5
    trend = np.full(filled.size, np.nan)
    half = weights.size // 2
    if filled.size > 2 * half:
        trend[half : filled.size - half] = np.convolve(filled, weights, mode="valid")
    return trend


def _phase_means(rest: FloatArray, season_length: int) -> FloatArray:
    """Mean by phase of what is known; NaN where nothing is."""
    known = ~np.isnan(rest)
    phases = np.arange(rest.size)[known] % season_length
    with np.errstate(invalid="ignore"):
        return np.asarray(
            np.bincount(phases, rest[known], season_length) / np.bincount(phases, minlength=season_length)
        )


def fixed_season(y: FloatArray, season_length: int, *, multiplicative: bool) -> FloatArray:
    """Classical decomposition: the mean, phase by phase, of what a centred average over the season leaves.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two lengths or more; NaN is bridged for the average and left out of the means.
    season_length : int
    multiplicative : bool
        Ratios with the mean one instead of differences that sum to zero.

    Returns
    -------
    ndarray, shape (season,)
        By phase, counted from the first value.

    References
    ----------
    .. [1] Makridakis, Wheelwright and Hyndman (1998), Forecasting: Methods and Applications, section 3.4.
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    trend = _centred_average(filled, season_length)
    if multiplicative:
        phases = _phase_means(y / trend, season_length)
        return np.asarray(phases / phases.mean())
    phases = _phase_means(y - trend, season_length)
    return np.asarray(phases - phases.mean())
