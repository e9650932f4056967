"""Forecasts of exponential smoothing: means and standard deviations of demand at each lead time.

Symbols and parameter rows are those of `smoothing`.
"""

import math

import numpy as np

from veridex.core.numerics.compiled import FloatArray, kernel
from veridex.core.numerics.smoothing import (
    ADDITIVE,
    ALPHA,
    BETA_STAR,
    GAMMA,
    MULTIPLICATIVE,
    NONE,
    PHI,
    STARTS,
    recursion,
)

__all__ = ["replay_smoothing"]


@kernel
def replay_smoothing(
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    row: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    stderr: FloatArray,
) -> None:
    """Run given parameters over `y` and forecast from its end.

    Parameters
    ----------
    y, error, trend, season, m, row
        As in `estimate_smoothing`.
    fitted : ndarray, shape (n,)
        Filled with one-step forecasts.
    points, stderr : ndarray, shape (horizon,)
        Filled with the mean and the standard deviation of demand at each lead time, given the parameters.

    References
    ----------
    .. [1] Hyndman, Koehler, Ord and Snyder (2008), Forecasting with Exponential Smoothing, section 6.2
       (class 1, additive errors: closed form) and 6.3 (class 3, multiplicative errors: exact moments of the
       product of trend and season, here for normal errors).
    """
    n = y.size
    states = np.empty(2 + m)
    recursion(y, error, trend, season, m, row, states, fitted)
    if error == ADDITIVE:
        _forecast_additive(n, trend, season, m, row, states, points, stderr)
    else:
        _forecast_multiplicative(n, trend, season, m, row, states, points, stderr)


@kernel
def _forecast_additive(
    n: int,
    trend: int,
    season: int,
    m: int,
    row: FloatArray,
    states: FloatArray,
    points: FloatArray,
    stderr: FloatArray,
) -> None:
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    spread = 1.0
    damping, reach = 1.0, 0.0
    for h in range(1, points.size + 1):
        stderr[h - 1] = math.sqrt(row[STARTS + m] * spread)
        damping *= phi
        reach += damping
        points[h - 1] = states[0]
        if trend != NONE:
            points[h - 1] += reach * states[1]
        if season == ADDITIVE:
            points[h - 1] += states[2 + (n + h - 1) % m]
        # The weight with which a shock h periods back is still felt.
        c = alpha
        if trend != NONE:
            c += beta * reach
        if season == ADDITIVE and h % m == 0:
            c += gamma
        spread += c * c


@kernel
def _forecast_multiplicative(
    n: int,
    trend: int,
    season: int,
    m: int,
    row: FloatArray,
    states: FloatArray,
    points: FloatArray,
    stderr: FloatArray,
) -> None:
    """First and second moments of (level, slope) times the one seasonal state that a lead time meets.

    Each period multiplies the trend states by F + G e and, when it is that season's turn, the seasonal state
    by 1 + gamma e, with e normal: E e^2 = variance, E e^4 = 3 variance^2.
    """
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    if trend == NONE:
        phi, beta = 0.0, 0.0
    variance = row[STARTS + m]
    f = np.array([[1.0, phi], [0.0, phi]])
    g = np.array([[alpha, alpha * phi], [beta, beta * phi]])
    for h in range(1, points.size + 1):
        season_state = states[2 + (n + h - 1) % m] if season == MULTIPLICATIVE else 1.0
        mean = states[:2] * season_state
        second = np.empty((2, 2))
        for i in range(2):
            for j in range(2):
                second[i, j] = mean[i] * mean[j]
        for step in range(1, h):
            turn = season == MULTIPLICATIVE and (h - step) % m == 0
            gain = gamma if turn else 0.0
            new_mean = np.zeros(2)
            new_second = np.zeros((2, 2))
            for i in range(2):
                for j in range(2):
                    new_mean[i] += (f[i, j] + gain * variance * g[i, j]) * mean[j]
                    for a in range(2):
                        for b in range(2):
                            both = f[i, a] * f[j, b]
                            crossed = g[i, a] * f[j, b] + f[i, a] * g[j, b]
                            shocks = g[i, a] * g[j, b]
                            new_second[i, j] += second[a, b] * (
                                both * (1.0 + gain * gain * variance)
                                + 2.0 * gain * variance * crossed
                                + shocks * (variance + 3.0 * gain * gain * variance * variance)
                            )
            mean = new_mean
            second = new_second
        point = mean[0] + phi * mean[1]
        square = second[0, 0] + 2.0 * phi * second[0, 1] + phi * phi * second[1, 1]
        points[h - 1] = point
        stderr[h - 1] = math.sqrt(max(square * (1.0 + variance) - point * point, 0.0))
