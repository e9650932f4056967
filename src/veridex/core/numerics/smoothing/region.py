"""What is searched when smoothing constants are estimated, and where: free entries of the row, walls, stability.

Symbols and parameter rows are those of `smoothing`.
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.smoothing.recursion import (
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
    "ALL_ESTIMATED",
    "EDGE",
    "LEVEL_ESTIMATED",
    "NONE_ESTIMATED",
    "SHARES",
    "STABLE",
    "Asked",
    "Sought",
    "constants_at_edge",
    "is_stable",
    "put",
    "sought_entries",
]

SHARES, STABLE = 0, 1
"""Where constants are sought: shares between zero and one (Gardner, 2006, International Journal of Forecasting 22,
section 3), gamma at most 1 - alpha, or wherever the past is forgotten."""

NONE_ESTIMATED, LEVEL_ESTIMATED, ALL_ESTIMATED = 0, 1, 2
"""Which starting states are estimated; the others come from a decomposition of the first seasons."""

EDGE = 1e-6
"""Least share among stable constants: a level that never moves forgets nothing."""

NEAR = 1e-3
"""As near to its wall a constant is called at its edge, and has no standard error: the likelihood is lopsided there."""

LEAST_PHI, MOST_PHI = 0.5, 0.99
"""A slope that fades by half in one period is hardly one; one that keeps a third of itself over a hundred periods
cannot be told from a lasting one in the histories there are. Measured: docs/verification.md, Constants."""


class Asked(NamedTuple):
    """What is to be estimated.

    Attributes
    ----------
    region : int
        SHARES or STABLE.
    starts : int
        NONE_ESTIMATED, LEVEL_ESTIMATED (level and slope) or ALL_ESTIMATED (the season too).
    fixed : ndarray, shape (4,)
        alpha, beta_star, gamma, phi where stated, NaN where to be estimated.
    """

    region: int
    starts: int
    fixed: FloatArray


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
def sought_entries(form: Form, asked: Asked) -> Sought:
    """Entries of the row that are searched; of the season all but the last, whose part the level takes."""
    region, starts, fixed = asked
    found = np.empty(STARTS + form.m, dtype=np.int64)
    k = 0
    for constant in range(4):
        has = constant == ALPHA or (constant == GAMMA and form.season != NONE)
        has = has or (constant == BETA_STAR and form.trend != NONE) or (constant == PHI and form.trend == DAMPED)
        if has and math.isnan(fixed[constant]):
            found[k] = constant
            k += 1
    constants = k
    if starts != NONE_ESTIMATED:
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
    shared = region == SHARES and form.season != NONE and math.isnan(fixed[ALPHA]) and math.isnan(fixed[GAMMA])
    apart = region == STABLE and form.trend != NONE and math.isnan(fixed[BETA_STAR])
    low, high = np.empty(k), np.empty(k)
    for j in range(k):
        low[j], high[j] = -np.inf, np.inf
    for j in range(constants):
        low[j], high[j] = 0.0, 1.0
        if which[j] == PHI:
            low[j], high[j] = LEAST_PHI, MOST_PHI
        elif region == STABLE and which[j] == BETA_STAR:
            low[j], high[j] = 0.0, 4.0
        elif region == STABLE:
            low[j], high[j] = EDGE, 2.0
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


def constants_at_edge(row: FloatArray, region: int) -> BoolArray:
    """Which of alpha, beta_star, gamma and phi lie on a wall of where they are sought, shape (4,)."""
    low, high = np.array([0.0, 0.0, 0.0, LEAST_PHI]), np.array([1.0, 1.0, 1.0 - row[ALPHA], MOST_PHI])
    if region == STABLE:
        low, high = low + np.array([EDGE, 0.0, EDGE, 0.0]), np.array([np.inf, np.inf, np.inf, MOST_PHI])
    return np.asarray((row[:4] <= low + NEAR) | (row[:4] >= high - NEAR))


@kernel
def is_stable(form: Form, row: FloatArray) -> bool:
    """Whether the weights of the past die out: the reduced form's moving average has no zero inside the circle.

    The impulse response 1 + sum of c_j B^j, multiplied by the polynomial of the unit (and damped) roots, is a
    polynomial of degree m + 1 at most; it is stepped down, and stays outside the circle as long as each last
    coefficient is below one in size (Hyndman, Koehler, Ord and Snyder, 2008, chapter 10; Monahan, 1984,
    Biometrika 71, 403-404, for the stepping).
    """
    _, trend, season, m = form
    alpha, gamma, phi = row[ALPHA], row[GAMMA], row[PHI]
    beta = alpha * row[BETA_STAR]
    season_length = m if season != NONE else 1
    degree = season_length + (trend != NONE)
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
        if j >= season_length:
            c[j] -= impulse[j - season_length]
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
