"""Maximum likelihood estimates of exponential smoothing.

Symbols and parameter rows are those of `recursion`; the variance is concentrated out of the likelihood. That of a trend
or a season often has several tops, so several searches start from the best corners of a small grid, and the highest
top is taken.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.climb.damped import BETTER, ENDED, LOST, PROMISED, STEPS, VALUE, begin, judge, propose
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.smoothing.corners import CORNERS, GROUPS, Room, best_states, corner_value
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
from veridex.core.numerics.smoothing.region import EDGE, SHARES, STABLE, Asked, Sought, is_stable, put, sought_entries
from veridex.core.numerics.smoothing.slopes import By, Sample, slopes, slopes_work
from veridex.core.numerics.smoothing.starts import heuristic_starts

__all__ = ["DONE", "NOT_CONVERGED", "NO_FIT", "estimate_smoothing"]

DONE, NOT_CONVERGED, NO_FIT = 0, 1, 2

TOLERANCE = 1e-6
"""Promised gain in log-likelihood that is not worth another step."""

MAX_STEPS = 200

HOPE = 3.0
"""A search that would stay below the highest top at so many times its promised gain is given up."""

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
    sample: Sample, sought: Sought, z: FloatArray, row: FloatArray, to_beat: float, best: FloatArray, marks: IntArray
) -> float:
    """Search from `z`, which is overwritten by the end; return half the deviance there.

    A search that promises too little to come below `to_beat`, or that comes near `best` which has it, is given up.
    """
    k = z.size
    work = np.empty(slopes_work(sample.y.size, sample.form.m, k))
    by = By(sought.which, sought.shared, sought.apart)
    climb = begin(z, sought.low, sought.high, marks)
    gradient, hessian = np.empty(k), np.empty((k, k))
    put(z, sought, row)
    climb.figures[VALUE] = slopes(sample, row, by, work, climb.gradient, climb.hessian)
    if not math.isfinite(climb.figures[VALUE]):
        return np.inf
    for number in range(MAX_STEPS):
        if not propose(climb, TOLERANCE, np.inf):
            break
        value, promised = climb.figures[VALUE], climb.figures[PROMISED]
        if number > 2 and value - HOPE * promised > to_beat:
            break
        if math.isfinite(to_beat) and 0.0 <= value - to_beat < 0.1 and _is_near(z, best, sought):
            break
        put(climb.trial, sought, row)
        new_value = np.inf
        # A singular model promises nothing that can be trusted; more damping mends it.
        if not math.isnan(promised) and (sought.region == SHARES or is_stable(sample.form, row)):
            new_value = slopes(sample, row, by, work, gradient, hessian)
        became = judge(climb, new_value)
        if became == BETTER:
            copy_into(climb.gradient, gradient)
            for j in range(k):
                copy_into(climb.hessian[j], hessian[j])
        elif became == LOST:
            break
    return float(climb.figures[VALUE])


@kernel
def _search(sample: Sample, sought: Sought, row: FloatArray, best: FloatArray, marks: IntArray) -> float:
    """Climb from the best corner of each group; leave the highest top in `best` and return half its deviance."""
    k, form = best.size, sample.form
    groups = 2 if form.trend == NONE else len(GROUPS) - 1
    corners, values = np.empty((groups, k)), np.empty(groups)
    start, z, n = row.copy(), np.empty(k), sample.y.size
    room = Room(row, np.empty(2 + form.m), np.empty(n), np.empty(slopes_work(n, form.m, max(k, 2))))
    for group in range(groups):
        values[group] = np.inf
        for corner in range(GROUPS[group], GROUPS[group + 1]):
            phi = CORNERS[corner][2]
            if (form.trend != DAMPED and phi < 0.9) or (form.trend == DAMPED and phi == 1.0):
                continue
            value = corner_value(corner, sample, sought, start, room, z)
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
        value = _climb(sample, sought, z, row, best_value, best, marks)
        if value < best_value:
            best_value, ended = value, marks[ENDED]
            copy_into(best, z)
    by_phi = sought.constants - 1
    if not math.isfinite(best_value) or by_phi < 0 or sought.which[by_phi] != PHI:
        marks[ENDED] = ended
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
            if best_states(sample, which, room.work, row):
                for j in range(which.size):
                    z[sought.constants + j] = row[which[j]]
            value = _climb(sample, sought, z, row, best_value, best, marks)
            if value < best_value:
                best_value, ended = value, marks[ENDED]
                copy_into(best, z)
    marks[ENDED] = ended
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
    y: FloatArray, form: Form, asked: Asked, warm: FloatArray, row: FloatArray, stats: FloatArray
) -> int:
    """Estimate a form by maximum likelihood.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First value known, two seasons or more where there is a season, above zero for multiplicative forms.
    form : Form
        See `recursion`.
    asked : Asked
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
    error, trend, season, m = form
    region, starts, fixed = asked
    row[:] = 0.0
    row[PHI] = 0.9 if trend == DAMPED else 1.0
    for j in range(4):
        if not math.isnan(fixed[j]):
            row[j] = fixed[j]
    heuristic_starts(y, trend, season, m, row)
    sought = sought_entries(form, asked)
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

    sample = Sample(y, form, floor)
    best = np.empty(sought.which.size)
    marks = np.zeros(2, dtype=np.int64)
    best_value = np.inf
    start = row.copy()
    if region == STABLE and warm[STARTS + m] != 1.0:
        # The top among shares is where the search of the wider region begins.
        shares = sought_entries(form, Asked(SHARES, starts, fixed))
        if math.isfinite(_search(sample, shares, row, best, marks)):
            put(best, shares, row)
            copy_into(warm[: STARTS + m], row)
            warm[STARTS + m] = 1.0
        copy_into(row, start)
    if warm[STARTS + m] == 1.0:
        _from_before(warm, sought, best)
        best_value = _climb(sample, sought, best, row, np.inf, best, marks)
        if not math.isfinite(best_value):
            copy_into(row, start)
    if not math.isfinite(best_value):
        best_value = _search(sample, sought, row, best, marks)
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
    stats[3] = marks[STEPS]
    return DONE if marks[ENDED] == 1 else NOT_CONVERGED
