"""Forecasts of exponential smoothing: means and standard deviations of demand at each lead time.

Symbols and parameter rows are those of `smoothing`.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.smoothing.recursion import (
    ADDITIVE,
    ALPHA,
    BETA_STAR,
    GAMMA,
    LEVEL,
    MULTIPLICATIVE,
    NONE,
    PHI,
    SLOPE,
    STARTS,
    recursion,
)

__all__ = ["replay_smoothing", "simulate_smoothing", "smoothing_components"]


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
    std_error: FloatArray,
) -> None:
    """Run given parameters over `y` and forecast from its end.

    Parameters
    ----------
    y, error, trend, season, m, row
        As in `estimate_smoothing`.
    fitted : ndarray, shape (n,)
        Filled with one-step forecasts.
    points, std_error : ndarray, shape (horizon,)
        Filled with the mean and the standard deviation of demand at each lead time, given the parameters.

    References
    ----------
    .. [1] Hyndman, Koehler, Ord and Snyder (2008), Forecasting with Exponential Smoothing, section 6.2
       (class 1, additive errors, and class 2, multiplicative errors without a multiplicative season: closed
       forms) and 6.3 (class 3, multiplicative errors and season: exact moments, here for normal errors).
    """
    n = y.size
    states = np.empty(2 + m)
    recursion(y, error, trend, season, m, row, states, fitted)
    if season == MULTIPLICATIVE:
        _forecast_multiplicative(n, trend, season, m, row, states, points, std_error)
    else:
        _forecast_additive(n, error, trend, season, m, row, states, points, std_error)


@kernel
def _forecast_additive(
    n: int,
    error: int,
    trend: int,
    season: int,
    m: int,
    row: FloatArray,
    states: FloatArray,
    points: FloatArray,
    std_error: FloatArray,
) -> None:
    """Points of a linear form; its variance, which for multiplicative errors grows with the squares forecast."""
    alpha, gamma, phi, variance = row[ALPHA], row[GAMMA], row[PHI], row[STARTS + m]
    beta = alpha * row[BETA_STAR]
    horizon = points.size
    felt, second = np.empty(horizon), np.empty(horizon)
    spread = 1.0
    damping, reach = 1.0, 0.0
    for h in range(1, horizon + 1):
        damping *= phi
        reach += damping
        point = states[0]
        if trend != NONE:
            point += reach * states[1]
        if season == ADDITIVE:
            point += states[2 + (n + h - 1) % m]
        points[h - 1] = point
        if error == MULTIPLICATIVE:
            second[h - 1] = point * point
            for j in range(1, h):
                second[h - 1] += variance * felt[j] * felt[j] * second[h - 1 - j]
            std_error[h - 1] = math.sqrt((1.0 + variance) * second[h - 1] - point * point)
        else:
            std_error[h - 1] = math.sqrt(variance * spread)
        # The weight with which a shock h periods back is still felt.
        c = alpha
        if trend != NONE:
            c += beta * reach
        if season == ADDITIVE and h % m == 0:
            c += gamma
        if h < horizon:
            felt[h] = c
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
    std_error: FloatArray,
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
        std_error[h - 1] = math.sqrt(max(square * (1.0 + variance) - point * point, 0.0))


@kernel
def simulate_smoothing(
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    rows: FloatArray,
    shocks: FloatArray,
    paths: FloatArray,
) -> None:
    """Simulate what comes after `y`.

    Parameters
    ----------
    y, error, trend, season, m
        As in `recursion`.
    rows : ndarray, shape (r, STARTS + m + 1)
        Parameters; path i uses row i modulo r.
    shocks : ndarray, shape (paths, horizon)
        Standard normal.
    paths : ndarray, shape (paths, horizon)
        Filled; NaN from where a multiplicative error meets a forecast not above zero.
    """
    states, now, fitted = np.empty(2 + m), np.empty(2 + m), np.empty(y.size)
    last = -1
    for i in range(paths.shape[0]):
        row = rows[i % rows.shape[0]]
        if rows.shape[0] > 1 or last < 0:
            recursion(y, error, trend, season, m, row, states, fitted)
            last = i
        copy_into(now, states)
        sigma = math.sqrt(row[STARTS + m])
        alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
        beta = alpha * row[BETA_STAR]
        for h in range(paths.shape[1]):
            phase = 2 + (y.size + h) % m
            if trend != NONE:
                now[1] *= phi
                now[0] += now[1]
            level, seasonal = now[0], now[phase]
            forecast = level
            if season == ADDITIVE:
                forecast += seasonal
            elif season == MULTIPLICATIVE:
                forecast *= seasonal
            e = sigma * shocks[i, h]
            if error == MULTIPLICATIVE:
                e *= forecast if forecast > 0.0 else np.nan
            paths[i, h] = forecast + e
            if season == MULTIPLICATIVE:
                e /= seasonal
                now[phase] += gamma * seasonal * e / level
            elif season == ADDITIVE:
                now[phase] += gamma * e
            now[0] += alpha * e
            now[1] += beta * e


@kernel
def smoothing_components(
    y: FloatArray, error: int, trend: int, season: int, m: int, row: FloatArray, parts: FloatArray
) -> None:
    """Level, slope and season after each period.

    Parameters
    ----------
    y, error, trend, season, m, row
        As in `recursion`.
    parts : ndarray, shape (3, n)
        Filled; a form without slope or season has zero there (one for a multiplicative season).
    """
    states, fitted = np.empty(2 + m), np.empty(1)
    moving = row.copy()
    for t in range(y.size):
        phase = t % m
        # One step at a time: the season of this phase is put first, and back again.
        recursion_row = moving.copy()
        for j in range(m):
            recursion_row[STARTS + j] = moving[STARTS + (phase + j) % m]
        recursion(y[t : t + 1], error, trend, season, m, recursion_row, states, fitted)
        moving[LEVEL], moving[SLOPE] = states[0], states[1]
        moving[STARTS + phase] = states[2]
        parts[0, t], parts[1, t], parts[2, t] = states[0], states[1], states[2]
