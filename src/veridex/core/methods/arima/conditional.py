"""ARIMA by conditional sum of squares: what came before the sample is taken as given, its errors as zero."""

import math

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.numerics.arima.arma import conditional_errors
from veridex.core.numerics.arima.likelihood import to_small
from veridex.core.numerics.arima.models import Orders, columns_of, expand, small_size

__all__ = ["conditional_fit", "conditional_log_likelihood"]


def conditional_fit(
    y: FloatArray,
    x: FloatArray,
    orders: Orders,
    free: IntArray,
    variables: FloatArray,
    row: FloatArray,
    stats: FloatArray,
) -> None:
    """Minimise the conditional sum of squares from the exact estimates; overwrite `variables`, `row` and `stats`.

    The first p + P m differenced values are conditioned on, the errors before are zero. Coefficients stay stationary
    and invertible. The variance is the mean square; the log-likelihood is that of the values after the first.

    References
    ----------
    .. [1] Box, Jenkins, Reinsel and Ljung (2015), Time Series Analysis, 5th ed., section 7.1.2.
    """
    from scipy.optimize import least_squares as minimise_squares  # costs a worker more memory than it is used

    columns = columns_of(y, x, orders)
    k, size = variables.size, small_size(orders)
    effects = columns.shape[0] - 1
    scale = max(float(np.abs(columns[0]).max()), 1e-300)
    units = np.array([scale / max(float(np.abs(column).max()), 1e-300) for column in columns[1:]])
    small = np.empty(size)

    def errors(at: FloatArray) -> FloatArray:
        if not to_small(at[:k], orders, free, small):
            return np.full(columns.shape[1] - _skipped(orders), 1e10)
        z = columns[0] - (at[k:] * units) @ columns[1:]
        return _errors(z, orders, small) / scale

    before = row[size : size + effects] if orders.constant else row[size : size + x.shape[1]]
    start = np.concatenate((variables, before / units))
    if start.size == 0 or columns.shape[1] - _skipped(orders) <= start.size:
        found, rounds = start, 0
    else:
        solved = minimise_squares(errors, start, method="lm", xtol=1e-12, ftol=1e-12)
        found, rounds = solved.x, solved.nfev
    rest = errors(found) * scale
    to_small(found[:k], orders, free, small)
    variables[:] = found[:k]
    row[:size] = small
    row[size : size + effects] = found[k:] * units
    row[-1] = float(np.mean(rest**2))
    stats[0] = _log_likelihood(rest)
    stats[1], stats[3] = rest.size, rounds


def conditional_log_likelihood(y: FloatArray, orders: Orders, point: FloatArray) -> float:
    """Log-likelihood of the values after the first p + P m, the variance concentrated out.

    Parameters
    ----------
    y : ndarray, shape (n,)
        All known.
    orders : Orders
    point : ndarray, shape (p + q + P + Q + 1,)
        The coefficients and the constant (0 without one).
    """
    z = columns_of(y, np.empty((y.size, 0)), orders)[0] - point[-1]
    return _log_likelihood(_errors(z, orders, point[:-1]))


def _skipped(orders: Orders) -> int:
    return orders.p + orders.P * orders.m


def _errors(z: FloatArray, orders: Orders, small: FloatArray) -> FloatArray:
    phi, theta = np.empty(_skipped(orders)), np.empty(orders.q + orders.Q * orders.m)
    expand(small, orders, phi, theta)
    found = np.empty(z.size)
    conditional_errors(z, phi, theta, found)
    return found[phi.size :]


def _log_likelihood(errors: FloatArray) -> float:
    return -0.5 * errors.size * (math.log(2.0 * math.pi * float(np.mean(errors**2))) + 1.0)
