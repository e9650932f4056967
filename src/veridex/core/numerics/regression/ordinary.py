"""Ordinary least squares to the last digit, the errors of its coefficients, and polynomials on a stable basis."""

import math
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.regression.least_squares import least_squares, triangular_inverse

__all__ = [
    "WELL",
    "chebyshev_design",
    "gaussian_log_likelihood",
    "in_powers",
    "newey_west",
    "ordinary_least_squares",
    "solve",
]


WELL = 30.0
"""Up to this condition (columns scaled) plain QR keeps its digits even where little is explained."""

ROUNDS = 6


@kernel
def solve(design: FloatArray, target: FloatArray, coefficients: FloatArray, factor: FloatArray) -> tuple[float, float]:
    """Coefficients and R^-1 by plain QR; the residual sum of squares, below zero where columns depend on each other,
    and the condition with all columns scaled. Design and target are overwritten.
    """
    k = coefficients.size
    squares = np.zeros(k)
    for t in range(target.size):
        for j in range(k):
            squares[j] += design[t, j] * design[t, j]
    total, worst = least_squares(design, target, coefficients), 0.0
    if total >= 0.0:
        triangular_inverse(design, factor)
        for j in range(k):
            own = 0.0
            for i in range(k):
                own += factor[j, i] * factor[j, i]
            worst = max(worst, math.sqrt(squares[j] * own))
    return total, worst


def ordinary_least_squares(design: FloatArray, target: FloatArray) -> tuple[FloatArray, FloatArray, float] | None:
    """Solve min |target - design b|, with iterative refinement where the columns are nearly dependent.

    Parameters
    ----------
    design : ndarray, shape (n, k), n >= k
    target : ndarray, shape (n,)

    Returns
    -------
    tuple or None
        Coefficients, shape (k,); R^-1, shape (k, k), whose rows give the covariance R^-1 R^-T over the variance; the
        residual sum of squares. None where the columns are dependent.

    References
    ----------
    .. [1] Golub and Van Loan (2013), Matrix Computations, 4th ed., section 5.3.
    .. [2] Bjorck (1967), Iterative refinement of linear least squares solutions, BIT 7, 257-278.
    """
    k = design.shape[1]
    coefficients, factor = np.empty(k), np.zeros((k, k))
    if k == 0:
        return coefficients, factor, float(target @ target)
    total, condition = solve(design.copy(), target.copy(), coefficients, factor)
    if total < 0.0:
        return None
    if condition > WELL:
        coefficients, total = _refined(design, target, coefficients)
    return coefficients, factor, total


def _refined(design: FloatArray, target: FloatArray, coefficients: FloatArray) -> tuple[FloatArray, float]:
    """Refine coefficients and residuals together, each in two numbers; the residuals of both equations are exact."""
    q, r = np.linalg.qr(design)
    high, low = coefficients, np.zeros_like(coefficients)
    rest, more = target - design @ high, np.zeros_like(target)
    for _ in range(ROUNDS):
        products, errors = _two_products(design, high)
        terms = np.column_stack((target, -rest, -more, -products, -errors, -design * low))
        f = np.array([math.fsum(row) for row in terms.tolist()])
        products, errors = _two_products(design.T, rest)
        terms = np.column_stack((-products, -errors, -design.T * more))
        g = np.array([math.fsum(row) for row in terms.tolist()])
        inner = q.T @ f - np.linalg.solve(r.T, g)
        high, low = _two_sum(high, low + np.linalg.solve(r, inner))
        rest, more = _two_sum(rest, more + (f - q @ inner))
    return high, math.fsum((rest * rest + 2.0 * rest * more).tolist())


def _two_sum(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The sum and what rounding took from it (Knuth, 1998, The Art of Computer Programming 2, section 4.2.2)."""
    total = a + b
    part = total - a
    return total, (a - (total - part)) + (b - part)


def _two_products(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Elementwise products and what rounding took from them (Dekker, 1971, Numerische Mathematik 18, 224-242)."""
    split = 134217729.0
    a_high, b_high = split * a, split * b
    a_high, b_high = a_high - (a_high - a), b_high - (b_high - b)
    a_low, b_low = a - a_high, b - b_high
    product = a * b
    return product, ((a_high * b_high - product) + a_high * b_low + a_low * b_high) + a_low * b_low


def newey_west(design: FloatArray, errors: FloatArray, factor: FloatArray, lags: int | None = None) -> FloatArray:
    """Covariance of coefficients that holds with autocorrelated errors of changing spread.

    Bartlett weights up to `lags`, by default ``floor(4 (n / 100)^(2/9))``, and the factor n / (n - k) for small
    samples.

    Parameters
    ----------
    design : ndarray, shape (n, k)
    errors : ndarray, shape (n,)
    factor : ndarray, shape (k, k)
        R^-1.
    lags : int, optional

    References
    ----------
    .. [1] Newey and West (1987), Econometrica 55, 703-708; (1994), Review of Economic Studies 61, 631-653 (the lags).
    """
    n, k = design.shape
    lags = int(4.0 * (n / 100.0) ** (2.0 / 9.0)) if lags is None else lags
    moments = design * errors[:, None]
    middle = moments.T @ moments
    for lag in range(1, lags + 1):
        product = moments[lag:].T @ moments[:-lag]
        middle += (1.0 - lag / (lags + 1.0)) * (product + product.T)
    bread = factor @ factor.T
    return np.asarray(n / (n - k) * bread @ middle @ bread)


def chebyshev_design(x: FloatArray, low: float, high: float, degree: int) -> FloatArray:
    """Chebyshev polynomials 0 to `degree` of x, with [low, high] brought to [-1, 1]; shape (n, degree + 1)."""
    scaled = (2.0 * x - low - high) / (high - low)
    design = np.ones((x.size, degree + 1))
    if degree:
        design[:, 1] = scaled
    for j in range(2, degree + 1):
        design[:, j] = 2.0 * scaled * design[:, j - 1] - design[:, j - 2]
    return design


def to_powers(degree: int, low: float, high: float) -> NDArray[np.object_]:
    """Exact matrix from coefficients of the scaled Chebyshev polynomials to those of 1, x, x^2, ...

    Rational numbers, since the sums cancel: shape (degree + 1, degree + 1), of `Fraction`.
    """
    slope = Fraction(2) / (Fraction(high) - Fraction(low))
    shift = -(Fraction(low) + Fraction(high)) / (Fraction(high) - Fraction(low))
    columns: list[list[Fraction]] = [[Fraction(1)], [shift, slope]]
    for _ in range(2, degree + 1):
        before, last = columns[-2], columns[-1]
        product = [2 * shift * c for c in last] + [Fraction(0)]
        for j, c in enumerate(last):
            product[j + 1] += 2 * slope * c
        for j, c in enumerate(before):
            product[j] -= c
        columns.append(product)
    matrix = np.full((degree + 1, degree + 1), Fraction(0), dtype=object)
    for j, column in enumerate(columns[: degree + 1]):
        matrix[: len(column), j] = column
    return matrix


def in_powers(coefficients: FloatArray, factor: FloatArray, low: float, high: float) -> tuple[FloatArray, FloatArray]:
    """Coefficients of 1, x, x^2, ... and their R^-1 from those of the scaled Chebyshev polynomials."""
    matrix = to_powers(coefficients.size - 1, low, high)
    exact = matrix @ np.array([Fraction(c) for c in coefficients.tolist()], dtype=object)
    rows = matrix @ np.array([[Fraction(v) for v in row] for row in factor.tolist()], dtype=object)
    return exact.astype(np.float64), rows.astype(np.float64)


@kernel
def gaussian_log_likelihood(total: float, n: int) -> float:
    """Log-likelihood of n normal errors with this sum of squares, the variance at its maximum."""
    return float(-0.5 * n * (math.log(2.0 * math.pi * max(total / n, 1e-300)) + 1.0))
