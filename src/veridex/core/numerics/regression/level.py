"""A regression under a level that wanders: effects told apart from slow movements of demand.

    y_t = mu_t + z_t' b + e_t,    mu_t = mu_{t-1} + u_t,    var u = q var e

Given q, the filter of a level with a diffuse start whitens demand and every column alike, and b follows by least
squares (Kohn and Ansley, 1985, Biometrika 72, 505-508); q is where the likelihood is highest.

References: Harvey (1989), Forecasting, Structural Time Series Models and the Kalman Filter, sections 3.4 and 4.1.
"""

import math
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["LevelFit", "fit_level"]

GRID = np.array([0.0, *(10.0 ** (k / 2.0) for k in range(-12, 3))])
"""Values of q tried first: from a level that stands still to one that follows every value."""

SECTIONS = 6
"""Steps of the golden section search between the neighbours of the best of them."""

GOLDEN = 0.6180339887498949

DEPENDENT = 1e-10
"""Share of the largest eigenvalue below which columns are linearly dependent: such a direction has no effect."""


@dataclass(frozen=True, slots=True, eq=False)
class LevelFit:
    """The regression under its level.

    Attributes
    ----------
    effects : ndarray, shape (k,)
    covariance : ndarray, shape (k, k)
        Of the effects.
    q : float
    variance : float
        Of e, with the degrees of freedom.
    log_likelihood : float
        Gaussian, of the values after the first known one; variance concentrated out, constants left out.
    known : int
        Values that it is of.
    centre : ndarray, shape (k,)
        What the level at the end makes of each column: a forecast errs by (z - centre)' times the error of b.
    """

    effects: FloatArray
    covariance: FloatArray
    q: float
    variance: float
    log_likelihood: float
    known: int
    centre: FloatArray


@kernel
def _moments(columns: FloatArray, q: float, moments: FloatArray, levels: FloatArray) -> float:
    """Cross products of all columns (c, n), whitened by the filter of a level; returns the log determinant.

    The first column is demand: where it is NaN, nothing is seen of the others. `levels` (c,) is filled with their
    levels at the end.
    """
    c, n = columns.shape
    moments[:, :] = 0.0
    white = np.empty(c)
    begun, p, log_det = False, 1.0, 0.0
    for t in range(n):
        if begun:
            p += q
        if math.isnan(columns[0, t]):
            continue
        if not begun:
            begun = True
            for i in range(c):
                levels[i] = columns[i, t]
            continue
        f = p + 1.0
        gain, root = p / f, 1.0 / math.sqrt(f)
        log_det += math.log(f)
        for i in range(c):
            off = columns[i, t] - levels[i]
            white[i] = off * root
            levels[i] += gain * off
        for i in range(c):
            for j in range(i + 1):
                moments[i, j] += white[i] * white[j]
        p *= 1.0 - gain
    for i in range(c):
        for j in range(i):
            moments[j, i] = moments[i, j]
    return log_det


@kernel
def _left_over(moments: FloatArray, work: FloatArray) -> float:
    """Squares of demand that the other columns do not explain; one that others explain counts for nothing."""
    c = moments.shape[0]
    for i in range(c):
        for j in range(c):
            work[i, j] = moments[i, j]
    for j in range(c - 1, 0, -1):
        if not work[j, j] > DEPENDENT * moments[j, j]:
            continue
        for i in range(j):
            share = work[j, i] / work[j, j]
            for k in range(i + 1):
                work[i, k] -= share * work[j, k]
    return float(max(work[0, 0], 1e-12 * moments[0, 0]))


@kernel
def _log_likelihood(columns: FloatArray, q: float, known: int, work: FloatArray) -> float:
    """Of the values after the first, the variance concentrated out, constants left out; `work` is (2, c, c)."""
    levels = np.empty(columns.shape[0])
    log_det = _moments(columns, q, work[0], levels)
    rest = max(_left_over(work[0], work[1]), 1e-300)
    return -0.5 * (known * math.log(rest / known) + log_det)


@kernel
def _likeliest(columns: FloatArray, known: int, grid: FloatArray) -> float:
    """The likeliest q: the best of a grid, then by golden section between its neighbours."""
    c = columns.shape[0]
    work = np.empty((2, c, c))
    best, at = -np.inf, 0
    for i in range(grid.size):
        found = _log_likelihood(columns, grid[i], known, work)
        if found > best:
            best, at = found, i
    if at == 0:
        return 0.0
    low, high = math.log(grid[max(at - 1, 1)]), math.log(grid[min(at + 1, grid.size - 1)])
    likeliest = grid[at]
    left, right = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
    on_left = _log_likelihood(columns, math.exp(left), known, work)
    on_right = _log_likelihood(columns, math.exp(right), known, work)
    for _ in range(SECTIONS):
        if on_left > best:
            best, likeliest = on_left, math.exp(left)
        if on_right > best:
            best, likeliest = on_right, math.exp(right)
        if on_right > on_left:
            low, left, on_left = left, right, on_right
            right = low + GOLDEN * (high - low)
            on_right = _log_likelihood(columns, math.exp(right), known, work)
        else:
            high, right, on_right = right, left, on_left
            left = high - GOLDEN * (high - low)
            on_left = _log_likelihood(columns, math.exp(left), known, work)
    return float(likeliest)


def fit_level(y: FloatArray, columns: FloatArray, q: float | None = None) -> LevelFit:
    """Fit the regression of y (n,), NaN where unknown, on columns (n, k); with a q that is known, or the likeliest."""
    stacked = np.ascontiguousarray(np.vstack((y, columns.T)))
    known = max(int((~np.isnan(y)).sum()) - 1, 1)
    return _given(stacked, _likeliest(stacked, known, GRID) if q is None else q, known)


def _given(stacked: FloatArray, q: float, known: int) -> LevelFit:
    """The regression given q."""
    c = stacked.shape[0]
    moments, levels = np.empty((c, c)), np.zeros(c)
    log_det = _moments(stacked, q, moments, levels)
    scale = np.sqrt(np.where(np.diag(moments)[1:] > 0.0, np.diag(moments)[1:], 1.0))
    own, cross = moments[1:, 1:] / np.outer(scale, scale), moments[1:, 0] / scale
    values, vectors = np.linalg.eigh(own) if c > 1 else (np.empty(0), np.empty((0, 0)))
    kept = values > DEPENDENT * max(float(values.max(initial=0.0)), DEPENDENT)
    inverse = (vectors[:, kept] / values[kept]) @ vectors[:, kept].T
    effects = inverse @ cross
    rest = max(float(moments[0, 0] - effects @ cross), 1e-12 * float(moments[0, 0]), 1e-300)
    free = max(known - int(kept.sum()), 1)
    return LevelFit(
        effects=effects / scale,
        covariance=inverse / np.outer(scale, scale) * (rest / free),
        q=q,
        variance=rest / free,
        log_likelihood=-0.5 * (known * math.log(rest / max(known, 1)) + log_det),
        known=known,
        centre=levels[1:],
    )
