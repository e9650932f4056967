"""Maximum likelihood estimates of exponential smoothing.

Symbols and parameter rows are those of `smoothing`. The search is that of Levenberg and Marquardt inside a box
(Nocedal and Wright, 2006, Numerical Optimization, 2nd ed., section 10.3), on the likelihood with the variance
concentrated out. The likelihood of a trend or a season often has several tops, so several searches start from
the best corners of a small grid, and the highest top is taken.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.climb.bounded_steps import HOPELESS, bounded_step, next_damping
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.smoothing.recursion import (
    ADDITIVE,
    ALPHA,
    BETA_STAR,
    DAMPED,
    GAMMA,
    LEVEL,
    MULTIPLICATIVE,
    NONE,
    PHI,
    SLOPE,
    STARTS,
    Form,
    half_deviance,
    recursion,
)
from veridex.core.numerics.smoothing.region import EDGE, SHARES, STABLE, Sought, is_stable, put, sought_entries
from veridex.core.numerics.smoothing.slopes import slopes, slopes_work
from veridex.core.numerics.smoothing.starts import heuristic_starts

__all__ = ["DONE", "NOT_CONVERGED", "NO_FIT", "estimate_smoothing"]

DONE, NOT_CONVERGED, NO_FIT = 0, 1, 2

TOLERANCE = 1e-6
"""Promised gain in log-likelihood that is not worth another step."""

MAX_STEPS = 200

HOPE = 3.0
"""A search that would stay below the highest top at so many times its promised gain is given up."""

CORNERS = (
    (0.002, 0.0, 0.97),
    (0.2, 0.0, 0.97),
    (0.7, 0.0, 0.97),
    (0.02, 0.8, 0.97),
    (0.12, 0.9, 0.97),
    (0.4, 0.4, 0.97),
    (0.7, 0.8, 0.97),
    (0.4, 0.35, 0.82),
    (0.7, 0.8, 0.82),
    (0.25, 0.12, 1.0),
)
"""Starts of alpha, Holt's constant and phi: the tops of simulated and real series were found near these."""

GROUPS = (0, 1, 3, 5, 9, 10)
"""First corner of each group: a level that stays, one that moves with a lasting slope, a restless slope on a slow
level, one on a quick level, a slow slope on a slow level. The best corner of each is climbed from. Without a trend
there are the first two groups; corners of a small phi are for damped trends, those of a phi of one for undamped ones.
"""

GAMMAS = (0.03, 0.35)

OTHER_PHIS = (0.82, 0.9, 0.97)
"""A slope that fades at once, soon or late: the best of each is looked for from the highest top found."""


@kernel
def _is_near(z: FloatArray, best: FloatArray, sought: Sought) -> bool:
    """Whether all constants lie within two percent of their range from those of the highest top."""
    furthest = 0.0
    for j in range(sought.constants):
        furthest = max(furthest, abs(z[j] - best[j]) / (sought.high[j] - sought.low[j]))
    return furthest < 0.02


@kernel
def _climb(
    y: FloatArray,
    form: Form,
    sought: Sought,
    floor: float,
    z: FloatArray,
    row: FloatArray,
    to_beat: float,
    best: FloatArray,
    marks: IntArray,
) -> float:
    """Search from `z`, which is overwritten by the end; return half the deviance there.

    A search that promises too little to come below `to_beat`, or that comes near `best` which has it, is given up.
    """
    k = z.size
    work = np.empty(slopes_work(y.size, form.m, k))
    gradient, hessian, step = np.empty(k), np.empty((k, k)), np.empty(k)
    new_gradient, new_hessian, trial = np.empty(k), np.empty((k, k)), np.empty(k)
    put(z, sought, row)
    value = slopes(y, form, row, sought.which, sought.shared, sought.apart, floor, work, gradient, hessian)
    damping = 1e-3
    marks[1] = 0
    if not math.isfinite(value):
        return np.inf
    for number in range(MAX_STEPS):
        promised = bounded_step(z, sought.low, sought.high, gradient, hessian, damping, step)
        if promised < TOLERANCE * (1.0 + damping):
            marks[1] = 1
            break
        if number > 2 and value - HOPE * promised > to_beat:
            break
        if math.isfinite(to_beat) and 0.0 <= value - to_beat < 0.1 and _is_near(z, best, sought):
            break
        for j in range(k):
            trial[j] = min(max(z[j] + step[j], sought.low[j]), sought.high[j])
        put(trial, sought, row)
        new_value = np.inf
        # A singular model promises nothing that can be trusted; more damping mends it.
        if not math.isnan(promised) and (sought.region == SHARES or is_stable(form, row)):
            new_value = slopes(
                y, form, row, sought.which, sought.shared, sought.apart, floor, work, new_gradient, new_hessian
            )
        marks[0] += 1
        damping = next_damping(damping, value - new_value, promised)
        if new_value < value:
            value = new_value
            copy_into(z, trial)
            gradient, new_gradient = new_gradient, gradient
            hessian, new_hessian = new_hessian, hessian
        elif damping > HOPELESS:
            marks[1] = 1
            break
    return value


@kernel
def _best_states(
    y: FloatArray,
    form: Form,
    which: IntArray,
    shared: bool,
    floor: float,
    work: FloatArray,
    gradient: FloatArray,
    hessian: FloatArray,
    row: FloatArray,
) -> bool:
    """Move starting level and slope to where they are best given the constants: exact where errors are additive."""
    if which.size == 0:
        return True
    value = slopes(y, form, row, which, shared, shared, floor, work, gradient, hessian)
    if not (math.isfinite(value) and hessian[0, 0] > 0.0):
        return False
    if which.size == 1:
        row[which[0]] -= gradient[0] / hessian[0, 0]
        return True
    slant = hessian[1, 0] / hessian[0, 0]
    rest = hessian[1, 1] - slant * hessian[1, 0]
    if not rest > 1e-12 * hessian[1, 1]:
        return False
    second = -(gradient[1] - slant * gradient[0]) / rest
    row[which[1]] += second
    row[which[0]] -= (gradient[0] + hessian[1, 0] * second) / hessian[0, 0]
    return True


@kernel
def _corner(
    corner: int,
    y: FloatArray,
    form: Form,
    sought: Sought,
    floor: float,
    start: FloatArray,
    row: FloatArray,
    states: FloatArray,
    fitted: FloatArray,
    work: FloatArray,
    best: FloatArray,
) -> float:
    """Leave a corner of the grid in `best`, with the season's constant that goes best with it; return its value."""
    k, begun = best.size, sought.constants
    size = min(2 if form.trend != NONE else 1, k - begun)
    which = sought.which[begun : begun + size]
    gradient, hessian = np.empty(2), np.empty((2, 2))
    z = np.empty(k)
    best_value = np.inf
    for c in range(2 if form.season != NONE else 1):
        for j in range(k):
            entry = sought.which[j]
            if entry == ALPHA:
                z[j] = CORNERS[corner][0]
            elif entry == BETA_STAR:
                z[j] = CORNERS[corner][1] * (CORNERS[corner][0] if sought.apart else 1.0)
            elif entry == GAMMA:
                z[j] = GAMMAS[c]
            elif entry == PHI:
                z[j] = CORNERS[corner][2]
            else:
                z[j] = start[entry]
            z[j] = min(max(z[j], sought.low[j]), sought.high[j])
        copy_into(row, start)
        put(z, sought, row)
        if not _best_states(y, form, which, sought.shared, floor, work, gradient, hessian, row):
            continue
        total, logs, count = recursion(y, form.error, form.trend, form.season, form.m, row, states, fitted)
        if not math.isfinite(total):
            # A step on relative errors went below zero: the states of the decomposition then.
            copy_into(row, start)
            put(z, sought, row)
            total, logs, count = recursion(y, form.error, form.trend, form.season, form.m, row, states, fitted)
        value = half_deviance(total, logs, count, floor)
        if value < best_value:
            best_value = value
            copy_into(best, z)
            for j in range(size):
                best[begun + j] = row[which[j]]
    return best_value


@kernel
def _search(
    y: FloatArray,
    form: Form,
    sought: Sought,
    floor: float,
    row: FloatArray,
    best: FloatArray,
    marks: IntArray,
) -> float:
    """Climb from the best corner of each group; leave the highest top in `best` and return half its deviance."""
    k = best.size
    groups = 2 if form.trend == NONE else len(GROUPS) - 1
    corners, values = np.empty((groups, k)), np.empty(groups)
    start, states, fitted, z = row.copy(), np.empty(2 + form.m), np.empty(y.size), np.empty(k)
    work, gradient, hessian = np.empty(slopes_work(y.size, form.m, max(k, 2))), np.empty(2), np.empty((2, 2))
    for group in range(groups):
        values[group] = np.inf
        for corner in range(GROUPS[group], GROUPS[group + 1]):
            phi = CORNERS[corner][2]
            if (form.trend != DAMPED and phi < 0.9) or (form.trend == DAMPED and phi == 1.0):
                continue
            value = _corner(corner, y, form, sought, floor, start, row, states, fitted, work, z)
            if value < values[group]:
                values[group] = value
                copy_into(corners[group], z)
    best_value, ended = np.inf, 0
    for _ in range(groups):
        group = 0
        for other in range(1, groups):
            if values[other] < values[group]:
                group = other
        if not math.isfinite(values[group]):
            break
        values[group] = np.inf
        copy_into(z, corners[group])
        copy_into(row, start)
        value = _climb(y, form, sought, floor, z, row, best_value, best, marks)
        if value < best_value:
            best_value, ended = value, marks[1]
            copy_into(best, z)
    by_phi = sought.constants - 1
    if not math.isfinite(best_value) or by_phi < 0 or sought.which[by_phi] != PHI:
        marks[1] = ended
        return best_value
    put(best, sought, row)
    if row[ALPHA] * row[BETA_STAR] < 0.02:
        # A lasting slope that fades is the same at every phi but for the first periods, and has several tops.
        top = best.copy()
        which = sought.which[sought.constants : min(sought.constants + 2, k)]
        for phi in OTHER_PHIS:
            if abs(top[by_phi] - phi) < 0.04:
                continue
            copy_into(z, top)
            z[by_phi] = phi
            put(z, sought, row)
            if _best_states(y, form, which, sought.shared, floor, work, gradient, hessian, row):
                for j in range(which.size):
                    z[sought.constants + j] = row[which[j]]
            value = _climb(y, form, sought, floor, z, row, best_value, best, marks)
            if value < best_value:
                best_value, ended = value, marks[1]
                copy_into(best, z)
    marks[1] = ended
    return best_value


@kernel
def _from_before(warm: FloatArray, sought: Sought, z: FloatArray) -> None:
    """Start from a neighbouring span's optimum, drawn back from the walls: a search on one may not see beyond it."""
    for j in range(z.size):
        z[j] = warm[sought.which[j]]
        if sought.shared and sought.which[j] == GAMMA:
            z[j] /= max(1.0 - warm[ALPHA], EDGE)
        if sought.apart and sought.which[j] == BETA_STAR:
            z[j] *= warm[ALPHA]
        if j < sought.constants:
            air = 0.01 * (sought.high[j] - sought.low[j]) if sought.region == SHARES else 0.0
            z[j] = min(max(z[j], sought.low[j] + air), sought.high[j] - air)


@kernel
def _centre_season(form: Form, row: FloatArray) -> None:
    """Let an additive season sum to zero, and a multiplicative one have the mean one; the forecasts stay the same."""
    centre = 0.0
    for j in range(form.m):
        centre += row[STARTS + j] / form.m
    for j in range(form.m):
        if form.season == ADDITIVE:
            row[STARTS + j] -= centre
        elif form.season == MULTIPLICATIVE:
            row[STARTS + j] /= centre
    if form.season == ADDITIVE:
        row[LEVEL] += centre
    elif form.season == MULTIPLICATIVE:
        row[LEVEL] *= centre
        row[SLOPE] *= centre


@kernel
def estimate_smoothing(
    y: FloatArray,
    error: int,
    trend: int,
    season: int,
    m: int,
    region: int,
    starts: int,
    fixed: FloatArray,
    warm: FloatArray,
    row: FloatArray,
    stats: FloatArray,
) -> int:
    """Estimate a form by maximum likelihood.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two seasons or more where there is a season, above zero for multiplicative forms.
    error, trend, season, m : int
        The form, see `recursion`.
    region : int
        SHARES or STABLE, see `smoothing_region`.
    starts : int
        NONE_ESTIMATED, LEVEL_ESTIMATED (level and slope) or ALL_ESTIMATED (the season too).
    fixed : ndarray, shape (4,)
        alpha, beta_star, gamma, phi where stated, NaN where to be estimated.
    warm : ndarray, shape (STARTS + m + 1,)
        Its last entry is 1 when the rest holds the optimum of a neighbouring span; overwritten.
    row : ndarray, shape (STARTS + m + 1,)
        Filled; the variance is the squared innovations' sum over n less the estimated quantities.
    stats : ndarray, shape (4,)
        Filled with log-likelihood, values used, quantities estimated (starts and variance included), steps.

    Returns
    -------
    int
        DONE, NOT_CONVERGED, or NO_FIT where too few values are left for the variance.
    """
    n = y.size
    form = Form(error, trend, season, m)
    row[:] = 0.0
    row[PHI] = 0.9 if trend == DAMPED else 1.0
    for j in range(4):
        if not math.isnan(fixed[j]):
            row[j] = fixed[j]
    heuristic_starts(y, trend, season, m, row)
    sought = sought_entries(form, region, starts, fixed)
    known = 0
    mean_square = 0.0
    for t in range(n):
        if not math.isnan(y[t]):
            known += 1
            mean_square += y[t] * y[t]
    estimated = sought.constants + 1 + (trend != NONE) + (m - 1 if season != NONE else 0)
    if known - estimated < 1:
        return NO_FIT
    # A perfect fit has no likelihood; the floor keeps its logarithm finite.
    floor = 1e-20 * (mean_square / known if error == ADDITIVE else 1.0) + 1e-300

    best = np.empty(sought.which.size)
    marks = np.zeros(2, dtype=np.int64)
    best_value = np.inf
    start = row.copy()
    if region == STABLE and warm[STARTS + m] != 1.0:
        # The top among shares is where the search of the wider region begins.
        shares = sought_entries(form, SHARES, starts, fixed)
        if math.isfinite(_search(y, form, shares, floor, row, best, marks)):
            put(best, shares, row)
            copy_into(warm[: STARTS + m], row)
            warm[STARTS + m] = 1.0
        copy_into(row, start)
    if warm[STARTS + m] == 1.0:
        _from_before(warm, sought, best)
        best_value = _climb(y, form, sought, floor, best, row, np.inf, best, marks)
        if not math.isfinite(best_value):
            copy_into(row, start)
    if not math.isfinite(best_value):
        best_value = _search(y, form, sought, floor, row, best, marks)
    if not math.isfinite(best_value):
        return NO_FIT
    put(best, sought, row)
    if season != NONE:
        _centre_season(form, row)
    states, fitted = np.empty(2 + m), np.empty(n)
    total, logs, count = recursion(y, error, trend, season, m, row, states, fitted)
    for j in range(STARTS + m):
        warm[j] = row[j]
    warm[STARTS + m] = 1.0
    row[STARTS + m] = total / (known - estimated)
    stats[0] = -half_deviance(total, logs, count, floor) - 0.5 * known * (math.log(2.0 * math.pi) + 1.0)
    stats[1] = known
    stats[2] = estimated + 1
    stats[3] = marks[0]
    return DONE if marks[1] == 1 else NOT_CONVERGED
