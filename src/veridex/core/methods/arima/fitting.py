"""One ARIMA model on plain arrays: fit it, replay it, judge it. The family in `arima` is built on this."""

import math
from dataclasses import dataclass, replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.methods.arima.conditional import conditional_fit
from veridex.core.methods.arima.judging import flags_of, is_refused
from veridex.core.methods.arima.rolled import CODES, fit_orders, replay_bare
from veridex.core.methods.fold.plan import STATS, Rows
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.collinear import dependent
from veridex.core.numerics.arima.models import Orders

__all__ = [
    "ALL",
    "Attempt",
    "attempt",
    "blocks",
    "completed",
    "dependent_columns",
    "effects_of",
    "held",
    "moves",
    "orders_of",
    "replay",
    "size_of",
    "without_effects",
]


def size_of(orders: Orders) -> int:
    """Coefficients of the four polynomials."""
    return orders.p + orders.q + orders.P + orders.Q


def orders_of(row: FloatArray) -> Orders:
    """The orders that a parameter row begins with."""
    return Orders(*row[: CODES - 1].astype(np.int64).tolist())


def held(row: FloatArray) -> FloatArray:
    """Coefficients, effects of drivers, constant and variance of a parameter row."""
    return row[CODES : CODES + size_of(orders_of(row)) + int(row[CODES - 1]) + 2]


def effects_of(row: FloatArray) -> FloatArray:
    """Effects of the drivers in a parameter row."""
    at = CODES + size_of(orders_of(row))
    return row[at : at + int(row[CODES - 1])]


def without_effects(row: FloatArray) -> FloatArray:
    """Coefficients, constant and variance of a parameter row."""
    if row[CODES - 1] == 0.0:
        return held(row)
    values, k = held(row), size_of(orders_of(row))
    return np.concatenate((values[:k], values[-2:]))


def blocks(orders: Orders, values: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Coefficients of the four polynomials: autoregression, moving average, and their seasonal ones."""
    a = orders.p
    b = a + orders.q
    c = b + orders.P
    return values[:a], values[a:b], values[b:c], values[c : c + orders.Q]


@dataclass(frozen=True, slots=True)
class Attempt:
    """A model as it was fitted, or why not.

    Attributes
    ----------
    orders : Orders
    status : Status
    row : ndarray, shape (coefficients + drivers + 2,)
    stats : ndarray, shape (STATS,)
    variables : ndarray, shape (free coefficients,)
        The search's variables at its end.
    """

    orders: Orders
    status: Status
    row: FloatArray
    stats: FloatArray
    variables: FloatArray

    @property
    def flags(self) -> tuple[str, ...]:
        """What is wrong with the estimates: near a unit root, piled up at the edge, factors that nearly cancel."""
        return () if self.status > Status.DONE else flags_of(self.orders, self.row)

    @property
    def refused(self) -> bool:
        """Whether a search may not choose it."""
        return self.status > Status.DONE or is_refused(self.orders, self.row)


ALL = np.ones(1000, dtype=np.int64)
"""Every coefficient is estimated."""


def attempt(
    orders: Orders,
    y: FloatArray,
    warm: FloatArray | None = None,
    free: IntArray | None = None,
    x: FloatArray | None = None,
    conditional: bool = False,
) -> Attempt:
    """Fit a model to a history whose first and last values are known, by exact maximum likelihood.

    `free` says with a 1 which coefficients are estimated, with a 0 which are held at zero; all are by default.
    `x`, of shape (n, r), holds drivers. `conditional` minimises the conditional sum of squares instead.
    """
    x = np.empty((y.size, 0)) if x is None else x
    mask = ALL[: size_of(orders)] if free is None else free
    k = size_of(orders) if free is None else int(mask.sum())
    moving = moves(x, orders)
    used = np.ascontiguousarray(x[:, moving])
    row, stats = np.full(size_of(orders) + used.shape[1] + 2, np.nan), np.full(STATS, np.nan)
    start = np.zeros(k + 1) if warm is None else warm
    status = Status(fit_orders(y, used, x.shape[1], orders, mask, start, row, stats))
    if conditional and status <= Status.DONE:
        if np.isnan(y).any():
            status = Status.UNKNOWN_INSIDE
        else:
            conditional_fit(y, used, orders, mask, start[1:], row, stats)
    return completed(Attempt(orders, status, row, stats, start[1:]), moving, used)


def completed(found: Attempt, moving: BoolArray, used: FloatArray) -> Attempt:
    """An attempt with the effects of all drivers, nought of those that do not move; told why, where they depend."""
    if not moving.size:
        return found
    status = found.status
    if status == Status.NO_FIT and dependent_columns(used, found.orders):
        status = Status.DEPENDENT
    row = np.full(found.row.size + int((~moving).sum()), np.nan if status > Status.DONE else 0.0)
    row[np.concatenate((np.ones(size_of(found.orders), dtype=bool), moving, [True, True]))] = found.row
    return replace(found, status=status, row=row)


def moves(x: FloatArray, orders: Orders) -> BoolArray:
    """Which driver columns still vary once differences are taken; the effects of the others cannot be told."""
    if not x.shape[1]:
        return np.zeros(0, dtype=bool)
    z = _differenced(x, orders)
    if orders.constant:
        z = z - z.mean(axis=0)
    moving: BoolArray = np.abs(z).max(axis=0, initial=0.0) > 1e-9 * np.abs(x).max(axis=0, initial=0.0)
    return moving


def dependent_columns(x: FloatArray, orders: Orders) -> list[int]:
    """The first column that those before it explain exactly, and those that do; none where there is no such column."""
    z = _differenced(x, orders)
    return dependent(np.column_stack((z, np.ones(z.shape[0]))) if orders.constant else z, x.shape[1])


def _differenced(x: FloatArray, orders: Orders) -> FloatArray:
    z = np.diff(x, orders.d, axis=0)
    return z[orders.m :] - z[: -orders.m] if orders.D else z


def replay(row: FloatArray, y: FloatArray, x: FloatArray | None, out: Rows) -> Status:
    """Filter what drivers leave of demand, forecast it, and put their effects on top.

    Unknown values at the end lengthen the way.
    """
    orders, values = orders_of(row), np.ascontiguousarray(without_effects(row))
    if x is None or row[CODES - 1] == 0.0:
        found = replay_bare(y, orders, values, out.fitted, out.points, out.std_error)
        return Status.DONE if found else Status.NO_FIT
    effect = x @ effects_of(row)
    if not replay_bare(y - effect[: y.size], orders, values, out.fitted, out.points, out.std_error):
        return Status.NO_FIT
    out.fitted += effect[: y.size]
    out.points += effect[y.size :]
    return Status.DONE if math.isfinite(float(out.points.sum())) else Status.NO_FIT
