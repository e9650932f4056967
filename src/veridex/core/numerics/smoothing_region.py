"""What is searched when smoothing constants are estimated, and where: free entries of the row, walls, admissibility.

Symbols and parameter rows are those of `smoothing`.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.numerics.compiled import FloatArray, IntArray, kernel
from veridex.core.numerics.smoothing import (
    ALPHA,
    BETA_STAR,
    DAMPED,
    GAMMA,
    LEVEL,
    NONE,
    PHI,
    SLOPE,
    STARTS,
    Form,
)

__all__ = [
    "ADMISSIBLE",
    "ALL_ESTIMATED",
    "HEURISTIC",
    "LEVEL_ESTIMATED",
    "USUAL",
    "Sought",
    "is_admissible",
    "put",
    "sought_entries",
]

USUAL, ADMISSIBLE = 0, 1
"""Regions of the constants: weights between zero and one, or wherever the past is forgotten."""

HEURISTIC, LEVEL_ESTIMATED, ALL_ESTIMATED = 0, 1, 2
"""Which starting states are estimated; the others come from a decomposition of the first cycles."""

SMALLEST = 1e-4
"""In the usual region constants lie in [SMALLEST, 1 - SMALLEST], gamma below 1 - alpha."""

LEAST_PHI, MOST_PHI = 0.8, 0.98


class Sought(NamedTuple):
    """The unknowns of a search: their entries in the row, constants first, and the walls they stay between.

    `shared` says that gamma is sought as its share of 1 - alpha, `apart` that beta is sought itself instead of its
    share of alpha.
    """

    which: IntArray
    low: FloatArray
    high: FloatArray
    shared: bool
    apart: bool
    constants: int
    region: int


@kernel
def sought_entries(form: Form, region: int, starts: int, fixed: FloatArray) -> Sought:
    """Entries of the row that are searched; of the season all but the last, whose part the level takes."""
    found = np.empty(STARTS + form.m, dtype=np.int64)
    k = 0
    for constant in range(4):
        has = constant == ALPHA or (constant == GAMMA and form.season != NONE)
        has = has or (constant == BETA_STAR and form.trend != NONE) or (constant == PHI and form.trend == DAMPED)
        if has and math.isnan(fixed[constant]):
            found[k] = constant
            k += 1
    constants = k
    if starts != HEURISTIC:
        found[k] = LEVEL
        k += 1
        if form.trend != NONE:
            found[k] = SLOPE
            k += 1
    if starts == ALL_ESTIMATED and form.season != NONE:
        for j in range(form.m - 1):
            found[k] = STARTS + j
            k += 1
    which = np.empty(k, dtype=np.int64)
    for j in range(k):
        which[j] = found[j]
    shared = region == USUAL and form.season != NONE and math.isnan(fixed[ALPHA]) and math.isnan(fixed[GAMMA])
    apart = region == ADMISSIBLE and form.trend != NONE and math.isnan(fixed[BETA_STAR])
    low, high = np.empty(k), np.empty(k)
    for j in range(k):
        low[j], high[j] = -np.inf, np.inf
    for j in range(constants):
        low[j], high[j] = SMALLEST, 1.0 - SMALLEST
        if which[j] == PHI:
            low[j], high[j] = LEAST_PHI, MOST_PHI
        elif region == ADMISSIBLE and which[j] == BETA_STAR:
            low[j], high[j] = 0.0, 4.0
        elif region == ADMISSIBLE:
            high[j] = 2.0
        elif which[j] == ALPHA and not math.isnan(fixed[GAMMA]):
            high[j] = max(min(high[j], 1.0 - fixed[GAMMA]), low[j])
        elif which[j] == GAMMA and not shared:
            high[j] = max(min(high[j], 1.0 - fixed[ALPHA]), low[j])
    return Sought(which, low, high, shared, apart, constants, region)


@kernel
def put(z: FloatArray, sought: Sought, row: FloatArray) -> None:
    """Write the unknowns into the row."""
    for j in range(z.size):
        row[sought.which[j]] = z[j]
    if sought.shared:
        row[GAMMA] *= 1.0 - row[ALPHA]
    if sought.apart:
        row[BETA_STAR] /= row[ALPHA]


@kernel
def is_admissible(form: Form, row: FloatArray) -> bool:
    """Whether the weights of the past die out: the reduced form's moving average has no zero inside the circle.

    The impulse response 1 + sum of c_j B^j, multiplied by the polynomial of the unit (and damped) roots, is a
    polynomial of degree m + 1 at most; it is stepped down, and stays outside the circle as long as each last
    coefficient is below one in size (Hyndman, Koehler, Ord and Snyder, 2008, chapter 10; Monahan, 1984,
    Biometrika 71, 403-404, for the stepping).
    """
    _, trend, season, m = form
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    cycle = m if season != NONE else 1
    degree = cycle + (trend != NONE)
    impulse = np.zeros(degree + 1)
    impulse[0] = 1.0
    damping, reach = 1.0, 0.0
    for j in range(1, degree + 1):
        impulse[j] = alpha
        if trend != NONE:
            damping *= phi
            reach += damping
            impulse[j] += beta * reach
        if season != NONE and j % m == 0:
            impulse[j] += gamma
    c = np.zeros(degree + 1)
    for j in range(degree + 1):
        c[j] += impulse[j]
        if j >= cycle:
            c[j] -= impulse[j - cycle]
    if trend != NONE:
        # phi enters the slope before it is added, so that the damped root is phi itself.
        for j in range(degree, 0, -1):
            c[j] -= phi * c[j - 1]
    previous = np.empty(degree + 1)
    for order in range(degree, 0, -1):
        last = c[order]
        if not abs(last) < 1.0 - 1e-9:
            return False
        for j in range(order + 1):
            previous[j] = c[j]
        for j in range(order):
            c[j] = (previous[j] - last * previous[order - j]) / (1.0 - last * last)
    return True
