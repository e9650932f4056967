"""ARMA models by exact Gaussian maximum likelihood.

    phi(B) z_t = theta(B) a_t,   phi(B) = 1 - phi_1 B - ...,   theta(B) = 1 + theta_1 B + ...

The covariance of w = phi(B) z (zeros before the sample) has displacement rank two; its triangular factor is
grown a column a step from two generators by a Schur recursion. One evaluation costs three multiply-adds per
value and order, and the recursion falls into the plain innovations filter once its variance has settled.

A parameter row is phi[0..p-1], theta[0..q-1], the constant (the mean of z; 0 without one), the variance.
"""

import math

import numpy as np

from veridex.core.numerics.compiled import FloatArray, copy_into, kernel
from veridex.core.numerics.least_squares import least_squares
from veridex.core.numerics.minimise import CONVERGED, ITERATIONS, MARKS, STATE, advance, work_size

__all__ = [
    "DONE",
    "NOT_CONVERGED",
    "NO_FIT",
    "PERFECT",
    "arma_log_likelihood",
    "estimate_arma",
    "whiten",
]

DONE, NOT_CONVERGED, NO_FIT, PERFECT = 0, 1, 2, 3

SETTLED = 1e-10
"""The innovations variance is within this of its limit: the plain recursion takes over."""

TOLERANCE = 1e-9
MAX_ITERATIONS = 200
EDGE = 3.0
"""Warm starts keep partial autocorrelations below 0.95: a search that starts on the edge sees no slope."""

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
    settled = False
    for t in range(n):
        v = g[0]
        if not v > 0.0:
            return np.nan
        if not settled:
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
        if not settled:
            rho = h[0] / v
            for j in range(top + 1):
                g_old, h_old = g[j], h[j]
                g[j] = g_old - rho * h_old
                if j > 0:
                    h[j - 1] = h_old - rho * g_old
            h[top] = 0.0
            if abs(g[0] - 1.0) < SETTLED:
                settled = True
                g[0] = 1.0
                for j in range(1, top + 1):
                    g[j] = theta[j - 1] if j <= theta.size else 0.0
    return log_product + math.log(product)


@kernel
def _to_coefficients(u: FloatArray, sign: float, coefficients: FloatArray) -> None:
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
def _to_variables(coefficients: FloatArray, sign: float, u: FloatArray) -> None:
    """The inverse of `_to_coefficients`; partial autocorrelations outside (-0.95, 0.95) are drawn back to it."""
    a = sign * coefficients
    old = np.empty(a.size)
    for k in range(a.size - 1, -1, -1):
        r = min(max(a[k], -0.95), 0.95)
        u[k] = r / math.sqrt(1.0 - r * r)
        copy_into(old[:k], a)
        for j in range(k):
            a[j] = (old[j] + r * old[k - 1 - j]) / (1.0 - r * r)


@kernel
def _profile(
    u: FloatArray, columns: FloatArray, scaled: FloatArray, phi: FloatArray, theta: FloatArray, floor: float
) -> tuple[float, float, float]:
    """Negative log-likelihood less its constant, sum of squares and mean; both are concentrated out.

    ``columns[0]`` is the series, ``columns[1]``, if there, the column of ones that the mean multiplies: the
    mean is its generalised least-squares estimate through the same filter.
    """
    p = phi.size
    n = columns.shape[1]
    _to_coefficients(u[:p], 1.0, phi)
    _to_coefficients(u[p:], -1.0, theta)
    ahead = np.empty((columns.shape[0], max(p, theta.size)))
    log_product = whiten(phi, theta, columns, scaled, np.empty(n), ahead)
    if not math.isfinite(log_product):
        return np.inf, np.nan, np.nan
    mean = 0.0
    if columns.shape[0] > 1:
        cross, square = 0.0, 0.0
        for t in range(n):
            cross += scaled[0, t] * scaled[1, t]
            square += scaled[1, t] * scaled[1, t]
        mean = cross / square
    total = 0.0
    for t in range(n):
        e = scaled[0, t]
        if columns.shape[0] > 1:
            e -= mean * scaled[1, t]
        total += e * e
    return 0.5 * (n * math.log(max(total / n, floor)) + log_product), total, mean


@kernel
def _hannan_rissanen(z: FloatArray, mean: float, p: int, q: int, u: FloatArray) -> bool:
    """Starting values: regress z on its own lags and on the residuals of a long autoregression.

    References
    ----------
    .. [1] Hannan and Rissanen (1982), Biometrika 69, 81-94.
    """
    n = z.size
    long = min(max(p + q + 1, int(1.5 * math.log(n) * math.log(n)) // 2), n // 4)
    residuals = np.zeros(n)
    first = p
    if q > 0:
        rows = n - long
        if rows < long + 1 or long < 1:
            return False
        design = np.empty((rows, long))
        target = np.empty(rows)
        for t in range(rows):
            target[t] = z[t + long] - mean
            for j in range(long):
                design[t, j] = z[t + long - 1 - j] - mean
        solution = np.empty(long)
        if least_squares(design, target, solution) < 0.0:
            return False
        for t in range(long, n):
            residuals[t] = z[t] - mean
            for j in range(long):
                residuals[t] -= solution[j] * (z[t - 1 - j] - mean)
        first = max(p, long + q)
    rows = n - first
    if rows < p + q + 1:
        return False
    design = np.empty((rows, p + q))
    target = np.empty(rows)
    for t in range(rows):
        target[t] = z[t + first] - mean
        for j in range(p):
            design[t, j] = z[t + first - 1 - j] - mean
        for j in range(q):
            design[t, p + j] = residuals[t + first - 1 - j]
    solution = np.empty(p + q)
    if least_squares(design, target, solution) < 0.0:
        return False
    _to_variables(solution[:p], 1.0, u[:p])
    _to_variables(solution[p:], -1.0, u[p:])
    return True


@kernel
def estimate_arma(
    z: FloatArray, p: int, q: int, constant: bool, warm: FloatArray, row: FloatArray, stats: FloatArray
) -> int:
    """Estimate an ARMA model of a differenced series by exact maximum likelihood.

    Parameters
    ----------
    z : ndarray, shape (n,)
        No NaN.
    p, q : int
    constant : bool
        Whether z has a mean of its own.
    warm : ndarray, shape (1 + p + q,)
        ``warm[0]`` is 1 when the rest holds the optimum of a neighbouring span; overwritten.
    row : ndarray, shape (p + q + 2,)
        Filled, see the head of the file; the variance is the maximum-likelihood one (sum over n).
    stats : ndarray, shape (4,)
        Filled with log-likelihood, values used, quantities estimated (variance included), iterations.

    Returns
    -------
    int
        DONE, NOT_CONVERGED, NO_FIT, or PERFECT where nothing is left to be explained.

    References
    ----------
    .. [1] Brockwell and Davis (1991), Time Series: Theory and Methods, 2nd ed., section 8.7 (the likelihood).
    .. [2] Monahan (1984), Biometrika 71, 403-404 (the stationary parametrisation).
    """
    n, k = z.size, p + q
    columns = np.ones((2 if constant else 1, n))
    copy_into(columns[0], z)
    average = 0.0
    if constant:
        for t in range(n):
            average += z[t] / n
    square, whole = 0.0, 0.0
    for t in range(n):
        square += (z[t] - average) ** 2
        whole += z[t] * z[t]
    if square <= 1e-24 * whole or whole == 0.0:
        return PERFECT
    floor = 1e-20 * square / n
    scaled = np.empty(columns.shape)
    phi, theta = np.empty(p), np.empty(q)
    best, best_value = np.zeros(k), np.inf
    ended, iterations = 0, 0
    # Near-cancelling factors make two tops: search from regression estimates and from a small constant. A
    # neighbouring span's optimum makes both needless.
    for search in range(1 if warm[0] == 1.0 or k == 0 else 2):
        u = np.full(k, 0.1)
        if warm[0] == 1.0:
            for j in range(k):
                u[j] = min(max(warm[1 + j], -EDGE), EDGE)
        elif search == 1 and not _hannan_rissanen(z, average, p, q, u):
            continue
        value = _profile(u, columns, scaled, phi, theta, floor)[0]
        work = np.empty(work_size(k))
        marks = np.zeros(MARKS, dtype=np.int64)
        while advance(u, value, work, marks, TOLERANCE, MAX_ITERATIONS):
            value = _profile(u, columns, scaled, phi, theta, floor)[0]
        iterations += marks[ITERATIONS]
        if work[0] < best_value:
            best_value, ended = work[0], marks[STATE]
            copy_into(best, u)
    u = best
    value, total, mean = _profile(u, columns, scaled, phi, theta, floor)
    if not math.isfinite(value):
        return NO_FIT
    warm[0] = 1.0
    copy_into(warm[1:], u)
    copy_into(row[:p], phi)
    copy_into(row[p:k], theta)
    row[k] = mean
    row[k + 1] = total / n
    stats[0] = -value - 0.5 * n * (math.log(2.0 * math.pi) + 1.0)
    stats[1] = n
    stats[2] = k + (1 if constant else 0) + 1
    stats[3] = iterations
    return DONE if ended == CONVERGED else NOT_CONVERGED


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
