"""The Phillips-Perron test of a unit root."""

import math
from dataclasses import replace

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.dickey_fuller import Deterministic, mackinnon_critical, mackinnon_p_value
from veridex.core.diagnosis.long_run import bartlett_window, long_run
from veridex.core.diagnosis.outcome import Outcome

__all__ = ["phillips_perron"]


def phillips_perron(y: FloatArray, *, lags: int | None = None, deterministic: Deterministic = "level") -> Outcome:
    """Test the null of a unit root: a *small* p-value speaks for stationarity.

    The t ratio of Dickey and Fuller's regression without lagged changes, corrected for autocorrelation by the
    long-run variance of its residuals (Z-tau).

    Parameters
    ----------
    y : ndarray, shape (n,)
        Demand per period, oldest first, no NaN.
    lags : int, optional
        Bartlett window, default ``int(4 * (n / 100) ** 0.25)``.
    deterministic : {"none", "level", "trend"}

    References
    ----------
    .. [1] Phillips and Perron (1988), Biometrika 75, 335-346; in the form of Hamilton (1994), Time Series Analysis,
       equation 17.6.12.
    .. [2] MacKinnon (1994, 2010) for p-values and critical values: the limit law is Dickey and Fuller's.
    """
    n = max(y.size - 1, 0)
    window = bartlett_window(n) if lags is None else lags
    outcome = Outcome(test=f"Phillips-Perron ({deterministic})", null="unit root", lags=window)
    columns = [y[:-1]]
    columns += [np.ones(n)] if deterministic != "none" else []
    columns += [np.arange(1.0, n + 1.0)] if deterministic == "trend" else []
    needed = max(len(columns) + 4, window + 2)
    if y.size < needed:
        return replace(outcome, reason=f"too little history: {y.size} periods, {needed} needed")
    if y.min() == y.max():
        return replace(outcome, reason="all values are equal")
    if deterministic != "none":
        columns[0] = columns[0] - y.mean()  # the same ratio with more digits
    design = np.column_stack(columns)
    target = y[1:] if deterministic == "none" else y[1:] - y.mean()
    coefficients, _, rank, _ = np.linalg.lstsq(design, target, rcond=None)
    rest = target - design @ coefficients
    square = float(rest @ rest)
    if rank < design.shape[1] or square <= 1e-20 * float(y @ y):
        return replace(outcome, reason="the regression is singular: the series is exactly regular")
    variance = square / (n - design.shape[1])
    error = math.sqrt(variance * float(np.linalg.inv(design.T @ design)[0, 0]))
    short = square / n
    long = float(long_run(rest[:, None], window)[0, 0])
    if long <= 0:
        return replace(outcome, reason="the long-run variance is not above zero")
    ratio = (float(coefficients[0]) - 1.0) / error
    statistic = math.sqrt(short / long) * ratio - 0.5 * (long - short) * n * error / math.sqrt(long * variance)
    return replace(
        outcome,
        statistic=statistic,
        p_value=mackinnon_p_value(statistic, deterministic),
        critical=mackinnon_critical(deterministic, n),
        n=n,
    )
