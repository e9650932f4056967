"""Exponential smoothing as innovations state-space models: the recursion and its likelihood.

Symbols follow Hyndman, Koehler, Ord and Snyder (2008), *Forecasting with Exponential Smoothing*: level l,
slope b, seasonal states s, constants alpha, beta, gamma, phi; the recursion is their error-correction form
(Table 2.2 and 2.3). `beta_star` is Holt's constant, the share of the newest change of level that enters the
slope: beta = alpha * beta_star.

Forecasts do not depend on whether errors are additive or multiplicative: with a forecast f, the correction of a
multiplicative error e / f written out is that of the additive error e. Only the likelihood and the spread of
what is to come tell the two apart. So nine recursions (three trends, three seasons) serve eighteen models.

A parameter row is alpha, beta_star, gamma, phi, l0, b0, s0[0..m-1], variance; entries a form does not have
are neutral (0, or 1 for phi). Seasonal states are kept by phase: s[t mod m], t counted from the first value.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = [
    "ADDITIVE",
    "ALPHA",
    "BETA_STAR",
    "DAMPED",
    "GAMMA",
    "LEVEL",
    "MULTIPLICATIVE",
    "NONE",
    "PHI",
    "SLOPE",
    "STARTS",
    "Form",
    "half_deviance",
    "recursion",
]

NONE, ADDITIVE, MULTIPLICATIVE = 0, 1, 2
DAMPED = 2
"""The second kind of trend; error and season use MULTIPLICATIVE for theirs."""

ALPHA, BETA_STAR, GAMMA, PHI, LEVEL, SLOPE, STARTS = 0, 1, 2, 3, 4, 5, 6


class Form(NamedTuple):
    """A smoothing form: error, trend and season as the constants above count them; season length, 1 without season."""

    error: int
    trend: int
    season: int
    m: int


@kernel
def recursion(
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    row: FloatArray,
    states: FloatArray,
    fitted: FloatArray,
) -> tuple[float, float, int]:
    """Run a form over `y`; leave the one-step forecasts in `fitted` and the last states in `states`.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Oldest first. NaN is an unknown value: the states then move on without a correction.
    error, trend, season : int
        ADDITIVE or MULTIPLICATIVE; NONE, ADDITIVE or DAMPED; NONE, ADDITIVE or MULTIPLICATIVE.
    m : int
        Season length; 1 without season.
    row : ndarray, shape (STARTS + m + 1,)
        Parameters, see the head of the file.
    states : ndarray, shape (2 + m,)
        Filled with l, b, s[0..m-1] after the last value.
    fitted : ndarray, shape (n,)
        Filled with the forecast of each value from those before it.

    Returns
    -------
    tuple of float, float, int
        Sum of squared innovations (infinite where a multiplicative error met a forecast not above zero), sum of
        the logarithms of forecasts (0 for additive errors), number of known values.
    """
    alpha, gamma = row[ALPHA], row[GAMMA]
    beta = alpha * row[BETA_STAR]
    phi = row[PHI]
    level, slope = row[LEVEL], row[SLOPE]
    s = states[2:]
    for j in range(m):
        s[j] = row[STARTS + j]
    total, logs, product, count = 0.0, 0.0, 1.0, 0
    phase = 0
    for t in range(y.size):
        if trend != NONE:
            slope *= phi
            level += slope
        seasonal = s[phase]
        forecast, e = level, y[t] - level
        if season == ADDITIVE:
            forecast += seasonal
            e -= seasonal
        elif season == MULTIPLICATIVE:
            # The error of the adjusted value: this division does not wait for the level, so it costs no time.
            forecast *= seasonal
            e = y[t] / seasonal - level
        fitted[t] = forecast
        if not math.isnan(e):
            count += 1
            if error == MULTIPLICATIVE:
                share = e / (level if season == MULTIPLICATIVE else forecast)
                if not forecast > 0.0:
                    total = np.inf
                total += share * share
                # A product is cheaper than a sum of logarithms.
                product *= forecast
                if product > 1e100 or product < 1e-100:
                    logs += math.log(product)
                    product = 1.0
            elif season == MULTIPLICATIVE:
                total += (e * seasonal) ** 2
            else:
                total += e * e
            if season == ADDITIVE:
                s[phase] = seasonal + gamma * e
            elif season == MULTIPLICATIVE:
                s[phase] = seasonal + gamma * seasonal * e / level
            level += alpha * e
            slope += beta * e
        phase += 1
        if phase == m:
            phase = 0
    states[0] = level
    states[1] = slope
    return total, logs + math.log(product), count


@kernel
def half_deviance(total: float, logs: float, count: int, floor: float) -> float:
    """Negative log-likelihood with the variance concentrated out, less its constant."""
    if not math.isfinite(total):
        return np.inf
    return 0.5 * count * math.log(max(total / count, floor)) + logs
