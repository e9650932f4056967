"""What estimation adds to the uncertainty of ARIMA forecasts: models drawn around the estimates."""

import zlib

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import drawn
from veridex.core.methods.arima.fitting import held, orders_of, replay, size_of
from veridex.core.methods.arima.rolled import CODES
from veridex.core.methods.arima.tables import arima_covariance
from veridex.core.methods.fold.plan import Plan, Rows
from veridex.core.methods.fold.status import Status

__all__ = ["fill_with_estimation"]

DRAWS = 1000
FEWEST = 100


def fill_with_estimation(
    plan: Plan, y: FloatArray, x: FloatArray | None, last: int, conditional: bool, out: Rows
) -> bool:
    """Replace standard errors and laws by those of a mixture of models drawn from the law of the estimates.

    Coefficients and constant are drawn from the normal law with the observed covariance, the variance from its
    scaled inverse chi-squared law; a draw that is not stationary is left out. Each model's forecast and spread are a
    normal law per lead time; the mixture's quantiles are those of a value drawn from each. The seed is made of the
    history, so that the same span gives the same bounds.

    Parameters
    ----------
    plan : Plan
    y : ndarray, shape (n,)
    x : ndarray, shape (n + horizon, r), or None
    last : int
        Length of the history up to its last known value.
    conditional : bool
    out : Rows
        With its row filled; `std_error` and `law` are replaced where at least a hundred draws are stationary.

    Returns
    -------
    bool
        Whether they were.
    """
    orders = orders_of(out.row)
    known, k = y[:last], size_of(orders) + int(out.row[CODES - 1])
    covariance = arima_covariance(known, out.row, None if x is None else x[:last], conditional)
    free = np.flatnonzero(~np.isnan(np.diag(covariance)))
    rng = np.random.default_rng(np.random.SeedSequence([0, zlib.crc32(y.tobytes())]))
    root = np.linalg.cholesky(covariance[np.ix_(free, free)]) if free.size else np.zeros((0, 0))
    used = int(np.count_nonzero(~np.isnan(known))) - orders.d - orders.D * orders.m
    degrees = max(used - k - orders.constant, 1)
    trial, values = Rows.allocate(plan, y.size), []
    for _ in range(DRAWS):
        full = out.row.copy()
        row = held(full)
        row[free] += root @ rng.standard_normal(free.size)
        # The variance in the row is the mean square, not yet divided by the degrees of freedom.
        row[-1] *= used / rng.chisquare(degrees)
        shock = rng.standard_normal(plan.horizon)
        if replay(full, y, x, trial) == Status.DONE and np.isfinite(trial.std_error).all():
            values.append(trial.points + trial.std_error * shock)
    if len(values) < FEWEST:
        return False
    sample = np.array(values)
    out.std_error[:] = sample.std(axis=0)
    drawn(out.law, sample)
    return True
