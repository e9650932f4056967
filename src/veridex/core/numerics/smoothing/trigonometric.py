"""Smoothing with seasons of several lengths, each a few turning pairs of states.

With level l, slope b (damped by phi) and for every harmonic a pair (s, s*) that turns by its angle each period:

    y_t = l_{t-1} + phi b_{t-1} + sum of turned s_{t-1} + e_t
    l_t = l_{t-1} + phi b_{t-1} + alpha e_t,    b_t = phi b_{t-1} + beta e_t
    (s_t, s*_t) = turned (s_{t-1}, s*_{t-1}) + (gamma e_t, 0)

one gamma for each season (De Livera, Hyndman and Snyder, 2011, Journal of the American Statistical Association 106,
1513-1527, equations 2 and 3, without the constant of s*). The starting states enter the errors linearly: given the
constants they follow by least squares (their section 3.1).
"""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.compiled import kernel

__all__ = ["Turning", "filter_turning", "seeds_of"]

RIDGE = 1e-10


class Turning(NamedTuple):
    """What turns, and how fast states follow errors.

    Attributes
    ----------
    angles : ndarray, shape (H,)
        Of the harmonics, per period.
    seasons : ndarray of int, shape (H,)
        Which season each belongs to.
    alpha, beta, phi : float
    gammas : ndarray, shape (S,)
    trend : bool
    """

    angles: FloatArray
    seasons: IntArray
    alpha: float
    beta: float
    phi: float
    gammas: FloatArray
    trend: bool


@kernel
def filter_turning(
    y: FloatArray,
    of: Turning,
    states: FloatArray,
    fitted: FloatArray,
) -> None:
    """Run the recursion over y (n,), NaN where unknown, from states (2 + 2 H,), which are moved to the end."""
    cosines, sines = np.cos(of.angles), np.sin(of.angles)
    for t in range(y.size):
        drift = of.phi * states[1] if of.trend else 0.0
        expected = states[0] + drift
        for j in range(of.angles.size):
            c, s = cosines[j], sines[j]
            a, b = states[2 + 2 * j], states[3 + 2 * j]
            states[2 + 2 * j], states[3 + 2 * j] = c * a + s * b, c * b - s * a
            expected += states[2 + 2 * j]
        fitted[t] = expected
        error = 0.0 if math.isnan(y[t]) else y[t] - expected
        states[0] += drift + of.alpha * error
        states[1] = drift + of.beta * error if of.trend else 0.0
        for j in range(of.angles.size):
            states[2 + 2 * j] += of.gammas[of.seasons[j]] * error


@kernel
def _responses(
    y: FloatArray,
    of: Turning,
    rows: FloatArray,
) -> None:
    """What each starting state adds to the forecast of each period, rows (2 + 2 H, n): the way of nothing from it."""
    nothing, states = np.zeros(y.size), np.empty(rows.shape[0])
    for t in range(y.size):
        if math.isnan(y[t]):
            nothing[t] = np.nan
    for i in range(rows.shape[0]):
        for j in range(states.size):
            states[j] = 1.0 if i == j else 0.0
        filter_turning(nothing, of, states, rows[i])


def seeds_of(y: FloatArray, of: Turning) -> tuple[FloatArray, float]:
    """The starting states that explain y best given the constants, and the squares that are left."""
    m = 2 + 2 * of.angles.size
    rows, plain = np.empty((m, y.size)), np.empty(y.size)
    _responses(y, of, rows)
    filter_turning(y, of, np.zeros(m), plain)
    known = ~np.isnan(y)
    used = np.ones(m, dtype=bool)
    used[1] = of.trend
    x, target = rows[used][:, known].T, (y - plain)[known]
    moments = x.T @ x
    moments[np.diag_indices_from(moments)] *= 1.0 + RIDGE
    seeds = np.zeros(m)
    try:
        seeds[used] = np.linalg.solve(moments, x.T @ target)
    except np.linalg.LinAlgError:
        return seeds, math.inf
    left = target - x @ seeds[used]
    return seeds, float(left @ left)
