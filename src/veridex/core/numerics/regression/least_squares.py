"""Least squares by Householder reflections, on small dense designs."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["least_squares", "triangular_inverse"]


@kernel
def least_squares(design: FloatArray, target: FloatArray, coefficients: FloatArray) -> float:
    """Solve min |target - design @ coefficients|; return the residual sum of squares.

    Parameters
    ----------
    design : ndarray, shape (n, k), n >= k
        Overwritten: its upper triangle becomes R of the QR decomposition.
    target : ndarray, shape (n,)
        Overwritten by Q' target; the residuals live in its last n - k entries.
    coefficients : ndarray, shape (k,)
        Filled; all NaN where the columns are linearly dependent.

    Returns
    -------
    float
        The residual sum of squares, or -1 where the columns are linearly dependent.

    References
    ----------
    .. [1] Golub and Van Loan (2013), Matrix Computations, 4th ed., section 5.3.2.
    """
    n, k = design.shape
    for j in range(k):
        whole = 0.0
        for i in range(n):
            whole += design[i, j] * design[i, j]
        below = 0.0
        for i in range(j, n):
            below += design[i, j] * design[i, j]
        # What is left of a column that the earlier ones explain is rounding error only.
        if below <= 1e-26 * whole or whole == 0.0:
            coefficients[:] = np.nan
            return -1.0
        pivot = -math.copysign(math.sqrt(below), design[j, j])
        v0 = design[j, j] - pivot
        # The reflector is v / v0 with v0 scaled to one; beta = -v0 / pivot.
        beta = -v0 / pivot
        for i in range(j + 1, n):
            design[i, j] /= v0
        for other in range(j + 1, k):
            dot = design[j, other]
            for i in range(j + 1, n):
                dot += design[i, j] * design[i, other]
            dot *= beta
            design[j, other] -= dot
            for i in range(j + 1, n):
                design[i, other] -= dot * design[i, j]
        dot = target[j]
        for i in range(j + 1, n):
            dot += design[i, j] * target[i]
        dot *= beta
        target[j] -= dot
        for i in range(j + 1, n):
            target[i] -= dot * design[i, j]
        design[j, j] = pivot
    for j in range(k - 1, -1, -1):
        value = target[j]
        for other in range(j + 1, k):
            value -= design[j, other] * coefficients[other]
        coefficients[j] = value / design[j, j]
    residual = 0.0
    for i in range(k, n):
        residual += target[i] * target[i]
    return residual


@kernel
def triangular_inverse(design: FloatArray, inverse: FloatArray) -> None:
    """Fill `inverse` (k, k) with R^-1 from a design that `least_squares` has overwritten.

    The covariance of the coefficients is variance * R^-1 R^-T.
    """
    k = inverse.shape[0]
    inverse[:, :] = 0.0
    for j in range(k):
        inverse[j, j] = 1.0 / design[j, j]
        for i in range(j - 1, -1, -1):
            total = 0.0
            for other in range(i + 1, j + 1):
                total += design[i, other] * inverse[other, j]
            inverse[i, j] = -total / design[i, i]
