"""Damped Gauss-Newton steps inside a box: the inner part of a bounded least-squares search."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["HOPELESS", "bounded_step", "next_damping"]

HOPELESS = 1e10
"""Damping at which no step gains anything: rounding has the last word."""


@kernel
def _solve(hessian: FloatArray, right: FloatArray, free: FloatArray, damping: float, factor: FloatArray) -> bool:
    """Solve the damped system of the free unknowns by Cholesky, `right` overwritten; False where it is singular."""
    k = right.size
    for i in range(k):
        if free[i] == 0.0:
            continue
        for j in range(i + 1):
            if free[j] == 0.0:
                continue
            entry = hessian[i, j] * (1.0 + damping if i == j else 1.0)
            for h in range(j):
                if free[h] != 0.0:
                    entry -= factor[i, h] * factor[j, h]
            if i == j:
                if not entry > 1e-14 * hessian[i, i]:
                    return False
                factor[i, i] = math.sqrt(entry)
            else:
                factor[i, j] = entry / factor[j, j]
        for h in range(i):
            if free[h] != 0.0:
                right[i] -= factor[i, h] * right[h]
        right[i] /= factor[i, i]
    for i in range(k - 1, -1, -1):
        if free[i] == 0.0:
            continue
        for h in range(i + 1, k):
            if free[h] != 0.0:
                right[i] -= factor[h, i] * right[h]
        right[i] /= factor[i, i]
    return True


@kernel
def bounded_step(
    z: FloatArray,
    low: FloatArray,
    high: FloatArray,
    gradient: FloatArray,
    hessian: FloatArray,
    damping: float,
    step: FloatArray,
) -> float:
    """Minimise a damped quadratic model over a box; return the decrease that the model promises.

    The way to the minimum is followed to the first wall of the box; the unknown that hit it stays there, and the
    others are solved for again.

    Parameters
    ----------
    z, low, high : ndarray, shape (k,)
        Where the model was made, inside the box; walls may be infinite.
    gradient : ndarray, shape (k,)
    hessian : ndarray, shape (k, k)
        Lower triangle of a positive semidefinite matrix.
    damping : float
        Each diagonal entry is raised by this share of itself.
    step : ndarray, shape (k,)
        Filled with the move.

    Returns
    -------
    float
        NaN where the model is singular.

    References
    ----------
    .. [1] Nocedal and Wright (2006), Numerical Optimization, 2nd ed., sections 10.3 and 16.5.
    """
    k = z.size
    free, factor = np.ones(k), np.empty((k, k))
    for i in range(k):
        step[i] = 0.0
        at_wall = (z[i] <= low[i] and gradient[i] > 0.0) or (z[i] >= high[i] and gradient[i] < 0.0)
        if at_wall or not hessian[i, i] > 0.0:
            free[i] = 0.0
    right = np.empty(k)
    for _ in range(k + 1):
        for i in range(k):
            right[i] = -gradient[i]
            for j in range(k):
                entry = hessian[i, j] if i >= j else hessian[j, i]
                right[i] -= entry * step[j] * (1.0 + damping if i == j else 1.0)
        if not _solve(hessian, right, free, damping, factor):
            return np.nan
        share, first = 1.0, -1
        for i in range(k):
            if free[i] != 0.0 and right[i] != 0.0:
                room = (high[i] if right[i] > 0.0 else low[i]) - z[i] - step[i]
                if abs(room) < share * abs(right[i]):
                    share, first = abs(room / right[i]), i
        for i in range(k):
            if free[i] != 0.0:
                step[i] += share * right[i]
        if first < 0:
            break
        free[first] = 0.0
    promised = 0.0
    for i in range(k):
        promised -= gradient[i] * step[i] + 0.5 * hessian[i, i] * step[i] * step[i]
        for j in range(i):
            promised -= hessian[i, j] * step[i] * step[j]
    return promised


@kernel
def next_damping(damping: float, gain: float, promised: float) -> float:
    """Trust the quadratic model more where it kept its promise, less where it did not, far less where it lost.

    References
    ----------
    .. [1] Marquardt (1963), Journal of the Society for Industrial and Applied Mathematics 11, 431-441.
    """
    if not gain > 0.0:
        return max(damping, 1e-4) * 10.0
    kept = gain / promised
    if kept > 0.75:
        return damping * 0.1
    return damping * 4.0 if kept < 0.25 else damping
