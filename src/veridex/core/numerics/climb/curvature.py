"""Standard errors from the curvature of a log-likelihood."""

from collections.abc import Callable

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["observed_covariance", "observed_errors"]


def observed_errors(
    log_likelihood: Callable[[FloatArray], float], at: FloatArray, free: FloatArray, scales: FloatArray
) -> FloatArray:
    """Standard errors: the roots of the diagonal of `observed_covariance`."""
    return np.sqrt(np.diag(observed_covariance(log_likelihood, at, free, scales)))


def observed_covariance(
    log_likelihood: Callable[[FloatArray], float], at: FloatArray, free: FloatArray, scales: FloatArray
) -> FloatArray:
    """Covariance of estimates from the observed information, by central second differences.

    Parameters
    ----------
    log_likelihood : callable
        Of a parameter vector, shape (k,).
    at : ndarray, shape (k,)
        The maximum.
    free : ndarray of bool, shape (k,)
        Parameters that are estimated and not at a bound; the others are held.
    scales : ndarray, shape (k,)
        Size of a noticeable change of each parameter; the differences step 1e-3 of it.

    Returns
    -------
    ndarray, shape (k, k)
        NaN where held, and everywhere if the likelihood does not curve downwards.

    References
    ----------
    .. [1] Efron and Hinkley (1978), Biometrika 65, 457-483 (observed information).
    """
    where = np.flatnonzero(free)
    covariance = np.full((at.size, at.size), np.nan)
    steps = 1e-3 * scales[where]
    k = where.size
    if k == 0:
        return covariance

    def shifted(i: int, a: float, j: int, b: float) -> float:
        point = at.copy()
        point[where[i]] += a * steps[i]
        point[where[j]] += b * steps[j]
        return log_likelihood(point)

    centre = log_likelihood(at)
    information = np.empty((k, k))
    for i in range(k):
        information[i, i] = -(shifted(i, 1, i, 0) - 2 * centre + shifted(i, -1, i, 0)) / steps[i] ** 2
        for j in range(i):
            crossed = shifted(i, 1, j, 1) - shifted(i, 1, j, -1) - shifted(i, -1, j, 1) + shifted(i, -1, j, -1)
            information[i, j] = information[j, i] = -crossed / (4 * steps[i] * steps[j])
    if not np.isfinite(information).all():
        return covariance
    values, vectors = np.linalg.eigh(information)
    if values[0] <= 1e-12 * values[-1]:
        return covariance
    covariance[np.ix_(where, where)] = (vectors / values) @ vectors.T
    return covariance
