"""The driver rows of a fold: recorded where they are known at the origin, forecast where they are only observed."""

import math
import zlib
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import widened
from veridex.core.methods.catalogue import methods
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.running import gated, replay_fold, run_fold
from veridex.core.methods.fold.status import Status
from veridex.core.preparation.regressors import Regressors

__all__ = ["DriverRows", "driver_rows", "fill_with_futures"]

PATHS = 100
"""Simulated futures of the observed-only drivers, for the uncertainty that they bring."""

LATEST = 3
"""Periods by which an observed-only driver may lag behind demand."""

AHEAD = methods(("smoothing", "naive"))
"""Methods that forecast a driver; the second where the first cannot be fitted."""


@dataclass(frozen=True, slots=True, eq=False)
class DriverRows:
    """Driver rows of a fold.

    Attributes
    ----------
    x : ndarray, shape (n + horizon, columns)
    futures : ndarray, shape (paths, horizon, columns), or None
        What may come instead of the last `horizon` rows; None where all of them are known.
    skipped : int
        Periods at the begin of the span that were left out: up to the first in which demand and all drivers are known.
    late : tuple of str
        Drivers whose last values in the span are not recorded yet: forecast, like those after the origin.
    """

    x: FloatArray
    futures: FloatArray | None
    skipped: int
    late: tuple[str, ...] = ()


def driver_rows(
    regressors: Regressors,
    series: ItemHistory,
    start: int,
    y: FloatArray,
    horizon: int,
    foresight: str = "none",
) -> DriverRows:
    """Make the driver rows for a training span and the lead times after it.

    Parameters
    ----------
    regressors : Regressors
    series : ItemHistory
        The item: drivers have the seasons that it may have.
    start : int
        Ordinal of the first period of the span.
    y : ndarray, shape (n,)
        Demand of the span.
    horizon : int
        Lead times.
    foresight : {"none", "perfect"}
        Whether observed-only drivers are forecast from what was known at the origin, or their recorded values used.
    """
    n = y.size
    x = regressors.recorded(series.item, start, n, horizon)
    ends = [_known(x[:, j], n + lead, n) for j, lead in enumerate(regressors.leads(horizon))]
    observed = [lead < horizon for lead in regressors.leads(horizon)]
    tails = {j: end for j, end in enumerate(ends) if observed[j] and (foresight == "none" or end < n)}
    complete = ~np.isnan(y)
    for j in range(x.shape[1]):
        complete &= ~np.isnan(x[:n, j]) | (np.arange(n) >= tails.get(j, n))
    skipped = int(np.argmax(complete)) if complete.any() else 0
    paths = {}
    for j, end in tails.items():
        x[end:, j], paths[j] = _forecast(x[skipped:end, j].copy(), Sizes.of(series, n + horizon - end))
    futures = np.repeat(x[None, n:], PATHS, axis=0) if paths else None
    for j, drawn in paths.items():
        assert futures is not None
        width = min(drawn.shape[1], horizon)
        futures[:, horizon - width :, j] = drawn[:, drawn.shape[1] - width :]
    late = tuple(regressors.columns[j].name for j, end in tails.items() if end < n)
    return DriverRows(np.ascontiguousarray(x[skipped:]), futures, skipped, late)


def _known(column: FloatArray, reach: int, n: int) -> int:
    """Up to where a driver is recorded and known at the origin: its values may come late, but not have gaps."""
    recorded = np.flatnonzero(~np.isnan(column[:reach]))
    end = int(recorded[-1]) + 1 if recorded.size else 0
    return end if end >= max(n - LATEST, 1) else reach


def _shocks(seed: int, horizon: int) -> FloatArray:
    """Standard normal numbers (PATHS, horizon), those of a shorter horizon first.

    Each comes with its opposite (Hammersley and Morton, 1956, Proceedings of the Cambridge Philosophical Society 52,
    449-475), lead times have variance one and, as far as there are paths for it, nothing in common: the spread of what
    is linear in them is told without noise.
    """
    half = np.random.default_rng([0, seed]).standard_normal((horizon, PATHS // 2))
    for t, row in enumerate(half):
        earlier = half[: min(t, PATHS // 2 - 1)]
        row -= (earlier @ row) @ earlier / row.size
        row /= np.sqrt(np.square(row).mean())
    return np.ascontiguousarray(np.concatenate((half, -half), axis=1).T)


def _forecast(values: FloatArray, sizes: Sizes) -> tuple[FloatArray, FloatArray]:
    """Points and simulated paths of a driver, from its known values."""
    horizon = sizes.horizon
    shocks = _shocks(zlib.crc32(values.tobytes()), horizon)
    if np.isnan(values).all():
        return np.full(horizon, np.nan), np.full(shocks.shape, np.nan)
    for one in AHEAD:
        family = one.family
        plan = family.plan(one.settings, sizes._replace(floor=-math.inf))
        rows = Rows.allocate(plan, values.size)
        if run_fold(family, plan, values, None, np.zeros(plan.warm_size), rows) <= Status.DONE:
            paths = family.paths(plan, values, None, rows.row, shocks)
            return rows.points, np.where(np.isfinite(paths), paths, rows.points)
    return np.full(horizon, np.nan), np.full(shocks.shape, np.nan)


def fill_with_futures(
    family: Family[Plan], plan: Plan, y: FloatArray, rows: DriverRows, status: Status, out: Rows
) -> Status:
    """Add what the drivers' futures bring to the uncertainty of a forecast that was made with their expectations.

    Each simulated future gives forecasts of its own, by formula where the method has one. Their spread is added to the
    variance, and the law is stretched around the points in proportion.
    """
    if rows.futures is None or status > Status.DONE:
        return status
    points = family.told_futures(plan, rows.x, rows.futures, out)
    if points is None:
        points = _replayed(family, plan, y, rows.x.copy(), rows.futures, out)
    spread = points.var(axis=0)
    if not np.isfinite(spread).all():
        return status
    wider = np.sqrt(out.std_error**2 + spread)
    factor = np.divide(wider, out.std_error, out=np.ones_like(wider), where=out.std_error > 0.0)
    widened(out.law, out.points, factor)
    out.std_error[:] = wider
    return gated(status, out, y, -math.inf)


def _replayed(
    family: Family[Plan], plan: Plan, y: FloatArray, x: FloatArray, futures: FloatArray, out: Rows
) -> FloatArray:
    """Points under each future, from a replay of its own."""
    trial = Rows.allocate(plan, y.size)
    trial.row[:] = out.row
    points = np.empty((futures.shape[0], plan.horizon))
    for i, future in enumerate(futures):
        x[y.size :] = future
        replay_fold(family, plan, y, x, trial)
        points[i] = trial.points
    return points
