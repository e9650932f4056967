"""Where searches begin: a small grid of constants, each with the starting states that go best with them."""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import copy_into, kernel
from veridex.core.numerics.smoothing.recursion import (
    ALPHA,
    BETA_STAR,
    GAMMA,
    NONE,
    PHI,
    half_deviance,
    recursion,
)
from veridex.core.numerics.smoothing.region import Sought, put
from veridex.core.numerics.smoothing.slopes import By, Sample, slopes

__all__ = ["CORNERS", "GROUPS", "Room", "best_states", "corner_value"]

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


class Room(NamedTuple):
    """Arrays to work in: a parameter row, the states at the end, fitted values, and those of `slopes`."""

    row: FloatArray
    states: FloatArray
    fitted: FloatArray
    work: FloatArray


@kernel
def best_states(sample: Sample, which: IntArray, work: FloatArray, row: FloatArray) -> bool:
    """Move starting level and slope to where they are best given the constants: exact where errors are additive."""
    if which.size == 0:
        return True
    gradient, hessian = np.empty(which.size), np.empty((which.size, which.size))
    # Neither of the two says anything of starting states.
    value = slopes(sample, row, By(which, False, False), work, gradient, hessian)
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
def corner_value(corner: int, sample: Sample, sought: Sought, start: FloatArray, room: Room, best: FloatArray) -> float:
    """Leave a corner of the grid in `best`, with the season's constant that goes best with it; return its value."""
    y, form, floor = sample
    row, states, fitted, work = room
    k, begun = best.size, sought.constants
    size = min(2 if form.trend != NONE else 1, k - begun)
    which = sought.which[begun : begun + size]
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
        if not best_states(sample, which, work, row):
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
