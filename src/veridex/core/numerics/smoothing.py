"""Exponential smoothing as innovations state-space models: recursion, likelihood, estimation, forecast.

Symbols follow Hyndman, Koehler, Ord and Snyder (2008), *Forecasting with Exponential Smoothing*: level l,
slope b, seasonal states s, constants alpha, beta, gamma, phi; the recursion is their error-correction form
(Table 2.2 and 2.3). `beta_star` is Holt's constant, the share of the newest change of level that enters the
slope: beta = alpha * beta_star.

A parameter row is alpha, beta_star, gamma, phi, l0, b0, s0[0..m-1], variance; entries a form does not have
are neutral (0, or 1 for phi). Seasonal states are kept by phase: s[t mod m], t counted from the first value.
"""

import math

import numpy as np

from veridex.core.numerics.compiled import FloatArray, kernel
from veridex.core.numerics.minimise import CONVERGED, ITERATIONS, MARKS, STATE, advance, work_size

__all__ = [
    "ADDITIVE",
    "DAMPED",
    "DONE",
    "MULTIPLICATIVE",
    "NONE",
    "NOT_CONVERGED",
    "NO_FIT",
    "STARTS",
    "estimate_smoothing",
    "recursion",
]

NONE, ADDITIVE, MULTIPLICATIVE = 0, 1, 2
DAMPED = 2
"""The second kind of trend; error and season use MULTIPLICATIVE for theirs."""

ALPHA, BETA_STAR, GAMMA, PHI, LEVEL, SLOPE, STARTS = 0, 1, 2, 3, 4, 5, 6

DONE, NOT_CONVERGED, NO_FIT = 0, 1, 2

SMALLEST = 1e-4
"""Constants are searched in [SMALLEST, 1 - SMALLEST], phi in [0.8, 0.98], gamma below 1 - alpha."""

EDGE = 3.0
"""Warm starts keep constants between 5 and 95 percent of their range."""

TOLERANCE = 1e-6
MAX_ITERATIONS = 200


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
        Oldest first. NaN is an unknown value: the states then move on without a correction, which is exact.
    error, trend, season : int
        ADDITIVE or MULTIPLICATIVE; NONE, ADDITIVE or DAMPED; NONE, ADDITIVE or MULTIPLICATIVE. A multiplicative
        season goes with multiplicative errors.
    m : int
        Cycle length; 1 without season.
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
            share = e / (forecast if season == ADDITIVE else level) if error == MULTIPLICATIVE else 0.0
            if error == MULTIPLICATIVE:
                if not forecast > 0.0:
                    total = np.inf
                total += share * share
                # A product is cheaper than a sum of logarithms.
                product *= forecast
                if product > 1e100 or product < 1e-100:
                    logs += math.log(product)
                    product = 1.0
            else:
                total += e * e
            if season == ADDITIVE:
                s[phase] = seasonal + gamma * e
            elif season == MULTIPLICATIVE:
                s[phase] = seasonal + gamma * seasonal * share
            level += alpha * e
            slope += beta * e
        phase += 1
        if phase == m:
            phase = 0
    states[0] = level
    states[1] = slope
    return total, logs + math.log(product), count


@kernel
def _half_deviance(total: float, logs: float, count: int, floor: float) -> float:
    """Negative log-likelihood with the variance concentrated out, less its constant."""
    if not math.isfinite(total):
        return np.inf
    return 0.5 * count * math.log(max(total / count, floor)) + logs


@kernel
def _bridge_unknown(y: FloatArray, filled: FloatArray) -> None:
    """Copy `y` with straight lines over unknown values; the starting values alone are taken from it."""
    last = -1
    for t in range(y.size):
        filled[t] = y[t]
        if math.isnan(y[t]):
            continue
        for gap in range(last + 1, t):
            if last < 0:
                filled[gap] = y[t]
            else:
                filled[gap] = y[last] + (y[t] - y[last]) * (gap - last) / (t - last)
        last = t
    for gap in range(last + 1, y.size):
        filled[gap] = y[last]


@kernel
def _seasonal_starts(y: FloatArray, season: int, m: int, s: FloatArray) -> None:
    """Classical decomposition of the first five cycles: means by phase of what a centred average leaves."""
    n = min(y.size, 5 * m)
    half = m // 2
    counts = np.zeros(m)
    s[:m] = 0.0
    for t in range(half, n - half):
        if m % 2 == 1:
            average = 0.0
            for k in range(t - half, t + half + 1):
                average += y[k]
        else:
            average = 0.5 * (y[t - half] + y[t + half])
            for k in range(t - half + 1, t + half):
                average += y[k]
        average /= m
        s[t % m] += y[t] - average if season == ADDITIVE else y[t] / average
        counts[t % m] += 1.0
    centre = 0.0
    for j in range(m):
        s[j] /= counts[j]
        centre += s[j] / m
    for j in range(m):
        s[j] = s[j] - centre if season == ADDITIVE else s[j] / centre


@kernel
def _line(y: FloatArray, n: int, line: FloatArray) -> None:
    """Fill `line` with mean, slope and residual standard deviation of the first n values over time."""
    middle = 0.5 * (n - 1)
    mean = 0.0
    for t in range(n):
        mean += y[t] / n
    cross, square = 0.0, 0.0
    for t in range(n):
        cross += (t - middle) * (y[t] - mean)
        square += (t - middle) ** 2
    slope = cross / square if n > 1 else 0.0
    rest = 0.0
    for t in range(n):
        rest += (y[t] - mean - slope * (t - middle)) ** 2
    line[0], line[1], line[2] = mean, slope, math.sqrt(rest / n)


@kernel
def _start(y: FloatArray, trend: int, season: int, m: int, row: FloatArray) -> tuple[float, float]:
    """Put heuristic starting states into `row`; return the scales on which l0 and b0 are then searched."""
    n = y.size
    adjusted = np.empty(n)
    _bridge_unknown(y, adjusted)
    s = row[STARTS : STARTS + m]
    s[:] = 0.0
    if season != NONE:
        _seasonal_starts(adjusted, season, m, s)
        for t in range(n):
            adjusted[t] = adjusted[t] - s[t % m] if season == ADDITIVE else adjusted[t] / s[t % m]
    line = np.zeros(3)
    span = min(n, max(10, 2 * m))
    _line(adjusted, span, line)
    mean, slope, rest = line[0], line[1], line[2]
    scale = max(rest, 1e-6 * abs(mean), 1e-300)
    row[SLOPE] = 0.0
    row[LEVEL] = mean
    if trend != NONE:
        row[SLOPE] = slope
        row[LEVEL] = mean - slope * 0.5 * (span + 1)
    return scale, max(scale / span, 0.1 * abs(slope))


@kernel
def _squash(u: float, low: float, high: float) -> float:
    return low + (high - low) / (1.0 + math.exp(-u))


@kernel
def _stretch(value: float, low: float, high: float) -> float:
    share = min(max((value - low) / (high - low), 1e-9), 1.0 - 1e-9)
    return math.log(share / (1.0 - share))


@kernel
def _unpack(
    u: FloatArray,
    fixed: FloatArray,
    trend: int,
    season: int,
    centre: FloatArray,
    scales: FloatArray,
    row: FloatArray,
) -> None:
    """Turn the optimiser's free variables into a parameter row; `fixed` holds NaN where a constant is free."""
    k = 0
    if math.isnan(fixed[ALPHA]):
        high = 1.0 - SMALLEST if math.isnan(fixed[GAMMA]) else min(1.0 - SMALLEST, 1.0 - fixed[GAMMA])
        row[ALPHA] = _squash(u[k], SMALLEST, high)
        k += 1
    if trend != NONE and math.isnan(fixed[BETA_STAR]):
        row[BETA_STAR] = _squash(u[k], SMALLEST, 1.0 - SMALLEST)
        k += 1
    if season != NONE and math.isnan(fixed[GAMMA]):
        row[GAMMA] = (1.0 - row[ALPHA]) * _squash(u[k], SMALLEST, 1.0 - SMALLEST)
        k += 1
    if trend == DAMPED and math.isnan(fixed[PHI]):
        row[PHI] = _squash(u[k], 0.8, 0.98)
        k += 1
    row[LEVEL] = centre[0] + scales[0] * u[k]
    if trend != NONE:
        row[SLOPE] = centre[1] + scales[1] * u[k + 1]


@kernel
def _pack(
    alpha: float,
    beta: float,
    gamma: float,
    phi: float,
    fixed: FloatArray,
    trend: int,
    season: int,
    u: FloatArray,
) -> None:
    """Put a starting point with the given constants into `u`; the starting states stay at their heuristics."""
    u[:] = 0.0
    k = 0
    if math.isnan(fixed[ALPHA]):
        u[k] = _stretch(alpha, SMALLEST, 1.0 - SMALLEST)
        k += 1
    if trend != NONE and math.isnan(fixed[BETA_STAR]):
        u[k] = _stretch(beta, SMALLEST, 1.0 - SMALLEST)
        k += 1
    if season != NONE and math.isnan(fixed[GAMMA]):
        u[k] = _stretch(gamma, SMALLEST, 1.0 - SMALLEST)
        k += 1
    if trend == DAMPED and math.isnan(fixed[PHI]):
        u[k] = _stretch(phi, 0.8, 0.98)


@kernel
def _leave_edges(u: FloatArray, constants: int) -> None:
    """Draw constants back from the edge of their region: a search that starts on it sees no slope."""
    for j in range(constants):
        u[j] = min(max(u[j], -EDGE), EDGE)


@kernel
def _free(fixed: FloatArray, trend: int, season: int) -> int:
    count = 1 + (trend != NONE)
    count += math.isnan(fixed[ALPHA])
    count += trend != NONE and math.isnan(fixed[BETA_STAR])
    count += season != NONE and math.isnan(fixed[GAMMA])
    count += trend == DAMPED and math.isnan(fixed[PHI])
    return count


@kernel
def _objective(
    u: FloatArray,
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    fixed: FloatArray,
    centre: FloatArray,
    scales: FloatArray,
    floor: float,
    row: FloatArray,
    states: FloatArray,
    fitted: FloatArray,
) -> float:
    """Negative log-likelihood at `u`, less its constant."""
    _unpack(u, fixed, trend, season, centre, scales, row)
    total, logs, count = recursion(y, error, trend, season, m, row, states, fitted)
    return _half_deviance(total, logs, count, floor)


@kernel
def _screen(
    search: int,
    best: FloatArray,
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    fixed: FloatArray,
    centre: FloatArray,
    scales: FloatArray,
    floor: float,
    row: FloatArray,
    states: FloatArray,
    fitted: FloatArray,
) -> float:
    """Leave the best of a small grid of constants in `best`; return its objective."""
    beta, phi = (0.05, 0.96) if search == 0 else (0.4, 0.86)
    u = np.empty(best.size)
    best_value = np.inf
    for a in range(4):
        for c in range(2 if season != NONE else 1):
            _pack(0.05 + 0.25 * a, beta, 0.05 + 0.3 * c, phi, fixed, trend, season, u)
            value = _objective(u, y, error, trend, season, m, fixed, centre, scales, floor, row, states, fitted)
            if value < best_value or (a == 0 and c == 0):
                best_value = value
                best[:] = u
    return best_value


@kernel
def estimate_smoothing(
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    fixed: FloatArray,
    warm: FloatArray,
    row: FloatArray,
    stats: FloatArray,
) -> int:
    """Estimate a form by maximum likelihood.

    The constants and the starting level and slope are searched; the seasonal starting values come from a
    classical decomposition of the first five cycles, which forecasts as well as searching them and is faster.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two cycles or more where there is a season, above zero for multiplicative forms.
    error, trend, season, m : int
        The form, see `recursion`; `error` is ADDITIVE or MULTIPLICATIVE.
    fixed : ndarray, shape (4,)
        alpha, beta_star, gamma, phi where stated, NaN where to be estimated.
    warm : ndarray, shape (7,)
        ``warm[0]`` is 1 when the rest holds the optimum of a neighbouring span; overwritten.
    row : ndarray, shape (STARTS + m + 1,)
        Filled; the variance is the squared innovations' sum over n less the estimated quantities.
    stats : ndarray, shape (4,)
        Filled with log-likelihood, values used, quantities estimated (starts and variance included), iterations.

    Returns
    -------
    int
        DONE, NOT_CONVERGED, or NO_FIT where too few values are left for the variance.
    """
    n = y.size
    states = np.empty(2 + m)
    fitted = np.empty(n)
    row[:] = 0.0
    row[PHI] = 0.9 if trend == DAMPED else 1.0
    for j in range(4):
        if not math.isnan(fixed[j]):
            row[j] = fixed[j]
    scales = np.empty(2)
    scales[0], scales[1] = _start(y, trend, season, m, row)
    centre = row[LEVEL : LEVEL + 2].copy()

    k = _free(fixed, trend, season)
    known = 0
    mean_square = 0.0
    for t in range(n):
        if not math.isnan(y[t]):
            known += 1
            mean_square += y[t] * y[t]
    estimated = k + (m - 1 if season != NONE else 0)
    if known - estimated < 1:
        return NO_FIT
    # A perfect fit has no likelihood; the floor keeps its logarithm finite.
    floor = 1e-20 * (mean_square / known if error == ADDITIVE else 1.0) + 1e-300

    u = np.empty(k)
    best = np.empty(k)
    best_value = np.inf
    ended, iterations = 0, 0
    # The likelihood of a trend often has two tops: one search starts from a lasting, one from a nervous trend.
    # A neighbouring span's optimum makes both needless.
    for search in range(1 if trend == NONE or warm[0] == 1.0 else 2):
        value = np.inf
        if search == 0 and warm[0] == 1.0:
            u[:] = warm[1 : 1 + k]
            _leave_edges(u, k - (2 if trend != NONE else 1))
            value = _objective(u, y, error, trend, season, m, fixed, centre, scales, floor, row, states, fitted)
        if not math.isfinite(value):
            value = _screen(search, u, y, error, trend, season, m, fixed, centre, scales, floor, row, states, fitted)
        work = np.empty(work_size(k))
        marks = np.zeros(MARKS, dtype=np.int64)
        while advance(u, value, work, marks, TOLERANCE, MAX_ITERATIONS):
            value = _objective(u, y, error, trend, season, m, fixed, centre, scales, floor, row, states, fitted)
        iterations += marks[ITERATIONS]
        if work[0] < best_value:
            best_value, ended = work[0], marks[STATE]
            best[:] = u
    if not math.isfinite(best_value):
        return NO_FIT
    u[:] = best
    _unpack(u, fixed, trend, season, centre, scales, row)
    total, logs, count = recursion(y, error, trend, season, m, row, states, fitted)
    warm[0] = 1.0
    warm[1 : 1 + k] = u
    row[STARTS + m] = total / (known - estimated)
    stats[0] = -_half_deviance(total, logs, count, floor) - 0.5 * known * (math.log(2.0 * math.pi) + 1.0)
    stats[1] = known
    stats[2] = estimated + 1
    stats[3] = iterations
    return DONE if ended == CONVERGED else NOT_CONVERGED
