"""ARMA models by exact Gaussian maximum likelihood.

    phi(B) z_t = theta(B) a_t,   phi(B) = 1 - phi_1 B - ...,   theta(B) = 1 + theta_1 B + ...

The covariance of w = phi(B) z (zeros before the sample) has displacement rank two; its triangular factor is
grown a column a step from two generators by a Schur recursion. One evaluation costs three multiply-adds per
value and order, and the recursion falls into the plain innovations filter once its variance has settled.
"""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import copy_into, kernel

__all__ = [
    "LARGEST",
    "arma_log_likelihood",
    "conditional_errors",
    "is_stable",
    "largest_partial",
    "to_coefficients",
    "to_variables",
    "whiten",
]

SETTLED = 1e-10
"""The innovations variance is within this of its limit: the plain recursion takes over."""

LARGEST = 300.0
"""Cap on the optimiser's variables: partial autocorrelations up to 1 - 6e-6."""


@kernel
def _generators(phi: FloatArray, theta: FloatArray, g: FloatArray, h: FloatArray) -> bool:
    """Fill the two generators of the displaced covariance of phi(B) z; False where z is not stationary.

    Solves phi(x) b(1/x) + phi(1/x) b(x) = theta(x) theta(1/x) for b by stepping phi down to a constant and
    back up: with a = a' + k x^n a'(1/x), the trial b = c - k x^n c(1/x) reproduces (1 - k^2) times the same
    equation of lower degree in c, and what stands at the highest power is taken off first.

    Parameters
    ----------
    phi, theta : ndarray, shape (p,) and (q,)
        Coefficients; max(p, q) is N below.
    g : ndarray, shape (N + 1,)
        Filled; ``g[0]`` is the variance of z over the variance of a.
    h : ndarray, shape (N + 1,)
        Filled; its last entry is zero.
    """
    p, q = phi.size, theta.size
    top = max(p, q)
    a = np.zeros(top + 1)
    a[0] = 1.0
    for j in range(p):
        a[j + 1] = -phi[j]
    c = np.zeros(top + 1)
    for lag in range(q + 1):
        for j in range(q + 1 - lag):
            left = 1.0 if j == 0 else theta[j - 1]
            right = 1.0 if j + lag == 0 else theta[j + lag - 1]
            c[lag] += left * right
    down = a.copy()
    old = np.empty(top + 1)
    reflections = np.zeros(top + 1)
    tops = np.zeros(top + 1)
    for n in range(top, 0, -1):
        tops[n] = c[n]
        for j in range(n):
            c[n - j] -= tops[n] * down[j]
        c[0] -= 2.0 * tops[n] * down[n]
        k = down[n]
        if not abs(k) < 1.0:
            return False
        reflections[n] = k
        rest = 1.0 - k * k
        copy_into(old[: n + 1], down)
        for j in range(n):
            down[j] = (old[j] - k * old[n - j]) / rest
            c[j] /= rest
    b = np.zeros(top + 1)
    b[0] = 0.5 * c[0]
    for n in range(1, top + 1):
        copy_into(old[: n + 1], b)
        for j in range(n + 1):
            b[j] = old[j] - reflections[n] * old[n - j]
        b[n] += tops[n]
    for j in range(top + 1):
        g[j] = b[j] + b[0] * a[j]
    for j in range(top):
        h[j] = b[j + 1] - b[0] * a[j + 1]
    h[top] = 0.0
    return True


@kernel
def whiten(
    phi: FloatArray,
    theta: FloatArray,
    columns: FloatArray,
    scaled: FloatArray,
    roots: FloatArray,
    ahead: FloatArray,
) -> float:
    """Turn columns of observations into independent innovations of equal variance.

    Parameters
    ----------
    phi, theta : ndarray, shape (p,) and (q,)
    columns : ndarray, shape (r, n)
        One or more series that go through the same filter, oldest first.
    scaled : ndarray, shape (r, n)
        Filled with one-step errors over the root of their relative variance.
    roots : ndarray, shape (n,)
        Filled with those roots.
    ahead : ndarray, shape (r, N), N = max(p, q)
        Filled with the predictions of phi(B) z for the N periods after the last.

    Returns
    -------
    float
        The logarithm of the product of the relative variances (the log-determinant of the covariance of z
        over the variance of a), NaN where phi is not stationary.

    References
    ----------
    .. [1] Kailath and Sayed (1995), Displacement structure: theory and applications, SIAM Review 37, 297-386.
    """
    p, top = phi.size, max(phi.size, theta.size)
    r, n = columns.shape
    g = np.empty(top + 1)
    h = np.empty(top + 1)
    if not _generators(phi, theta, g, h):
        return np.nan
    ahead[:, :] = 0.0
    log_product, product = 0.0, 1.0
    settled = n
    for t in range(n):
        v = g[0]
        if not v > 0.0:
            return np.nan
        product *= v
        if product > 1e100 or product < 1e-100:
            log_product += math.log(product)
            product = 1.0
        roots[t] = math.sqrt(v)
        for i in range(r):
            w = columns[i, t]
            for j in range(min(p, t)):
                w -= phi[j] * columns[i, t - 1 - j]
            e = w
            if top > 0:
                e -= ahead[i, 0]
                x = e / v
                for j in range(1, top):
                    ahead[i, j - 1] = ahead[i, j] + g[j] * x
                ahead[i, top - 1] = g[top] * x
            scaled[i, t] = e / roots[t]
        rho = h[0] / v
        for j in range(top + 1):
            g_old, h_old = g[j], h[j]
            g[j] = g_old - rho * h_old
            if j > 0:
                h[j - 1] = h_old - rho * g_old
        h[top] = 0.0
        if abs(g[0] - 1.0) < SETTLED:
            settled = t + 1
            break
    # From here on the variance is one and the generator is theta: the plain innovations recursion.
    for j in range(1, top + 1):
        g[j] = theta[j - 1] if j <= theta.size else 0.0
    # Without a moving average what was carried ahead has run out after a few steps.
    carried = n if theta.size > 0 else min(n, settled + top)
    for i in range(r):
        for t in range(settled, n):
            e = columns[i, t]
            for j in range(min(p, t)):
                e -= phi[j] * columns[i, t - 1 - j]
            if t < carried and top > 0:
                e -= ahead[i, 0]
                for j in range(1, top):
                    ahead[i, j - 1] = ahead[i, j] + g[j] * e
                ahead[i, top - 1] = g[top] * e
            scaled[i, t] = e
    for t in range(settled, n):
        roots[t] = 1.0
    return log_product + math.log(product)


@kernel
def to_coefficients(u: FloatArray, sign: float, coefficients: FloatArray) -> None:
    """Free variables to partial autocorrelations u / sqrt(1 + u^2), and these to a stable polynomial."""
    old = np.empty(coefficients.size)
    for k in range(coefficients.size):
        value = min(max(u[k], -LARGEST), LARGEST)
        r = value / math.sqrt(1.0 + value * value)
        copy_into(old[:k], coefficients)
        for j in range(k):
            coefficients[j] = old[j] - r * old[k - 1 - j]
        coefficients[k] = r
    for k in range(coefficients.size):
        coefficients[k] *= sign


@kernel
def is_stable(coefficients: FloatArray, sign: float) -> bool:
    """Whether 1 - sign (c_1 B + c_2 B^2 + ...) has no zero inside the unit circle or on it."""
    a = sign * coefficients
    old = np.empty(a.size)
    for k in range(a.size - 1, -1, -1):
        r = a[k]
        if not abs(r) < 1.0:
            return False
        copy_into(old[:k], a)
        for j in range(k):
            a[j] = (old[j] + r * old[k - 1 - j]) / (1.0 - r * r)
    return True


@kernel
def to_variables(coefficients: FloatArray, sign: float, u: FloatArray) -> None:
    """The inverse of `to_coefficients`; partial autocorrelations outside (-0.95, 0.95) are drawn back to it."""
    a = sign * coefficients
    old = np.empty(a.size)
    for k in range(a.size - 1, -1, -1):
        r = min(max(a[k], -0.95), 0.95)
        u[k] = r / math.sqrt(1.0 - r * r)
        copy_into(old[:k], a)
        for j in range(k):
            a[j] = (old[j] + r * old[k - 1 - j]) / (1.0 - r * r)


@kernel
def arma_log_likelihood(z: FloatArray, phi: FloatArray, theta: FloatArray, mean: float) -> float:
    """Exact Gaussian log-likelihood of given coefficients, the variance concentrated out.

    Parameters
    ----------
    z : ndarray, shape (n,)
    phi, theta : ndarray, shape (p,) and (q,)
    mean : float

    Returns
    -------
    float
        Negative infinity where phi is not stationary.
    """
    n = z.size
    columns = np.empty((1, n))
    for t in range(n):
        columns[0, t] = z[t] - mean
    scaled = np.empty((1, n))
    ahead = np.empty((1, max(phi.size, theta.size)))
    log_product = whiten(phi, theta, columns, scaled, np.empty(n), ahead)
    if not math.isfinite(log_product):
        return -np.inf
    total = 0.0
    for t in range(n):
        total += scaled[0, t] * scaled[0, t]
    return -0.5 * (n * (math.log(2.0 * math.pi * total / n) + 1.0) + log_product)


@kernel
def conditional_errors(z: FloatArray, phi: FloatArray, theta: FloatArray, errors: FloatArray) -> None:
    """Errors of phi(B) z = theta(B) a given the first p values, with zeros before: the first p errors are zero."""
    for t in range(z.size):
        errors[t] = 0.0
        if t >= phi.size:
            errors[t] = z[t]
            for j in range(phi.size):
                errors[t] -= phi[j] * z[t - 1 - j]
            for j in range(min(theta.size, t)):
                errors[t] -= theta[j] * errors[t - 1 - j]


@kernel
def largest_partial(coefficients: FloatArray) -> float:
    """Largest partial autocorrelation of the polynomial 1 - c_1 B - c_2 B^2 - ...; zero without coefficients."""
    a, old, largest = coefficients.copy(), np.empty(coefficients.size), 0.0
    for n in range(coefficients.size, 0, -1):
        r = a[n - 1]
        largest = max(largest, abs(r))
        if largest >= 1.0:
            return float(largest)
        for j in range(n):
            old[j] = a[j]
        for j in range(n - 1):
            a[j] = (old[j] + r * old[n - 2 - j]) / (1.0 - r * r)
    return float(largest)
