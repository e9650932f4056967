"""One ARIMA model on plain arrays: fit it, replay it, judge it. The family in `arima` is built on this."""

import cmath
import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.methods.arima.conditional import conditional_fit
from veridex.core.methods.fold.plan import STATS, Rows
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.collinear import dependent
from veridex.core.numerics.arima import search as kernels
from veridex.core.numerics.arima.arma import largest_partial
from veridex.core.numerics.arima.models import Orders, largest_partials, lost, replay_arima
from veridex.core.numerics.plain import told

__all__ = [
    "CODES",
    "PILED_UP",
    "Attempt",
    "attempt",
    "blocks",
    "dependent_columns",
    "effects_of",
    "fewest",
    "flags_of",
    "held",
    "largest_partial",
    "moves",
    "orders_of",
    "replay",
    "replay_bare",
    "size_of",
    "without_effects",
]

CODES = 9
"""A row begins with the orders and the number of drivers; then coefficients, effects of drivers, constant, variance."""

NEAR_UNIT = 0.99
"""Largest partial autocorrelation of an autoregressive polynomial that a search accepts."""

PILED_UP = 0.999


def size_of(orders: Orders) -> int:
    """Coefficients of the four polynomials."""
    return orders.p + orders.q + orders.P + orders.Q


def fewest(orders: Orders, drivers: int = 0) -> int:
    """Known values that a model needs."""
    return orders.d + orders.D * orders.m + size_of(orders) + drivers + orders.constant + 3


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
        return self.status > Status.DONE or any(flag != "moving average at its edge" for flag in self.flags)


def flags_of(orders: Orders, values: FloatArray) -> tuple[str, ...]:
    """Flags of the coefficients that `values` begins with."""
    phi, theta, seasonal_phi, seasonal_theta = blocks(orders, values)
    found = []
    autoregressive, moving = largest_partials(values, orders)
    if autoregressive > NEAR_UNIT:
        found.append("near a unit root")
    if moving > PILED_UP:
        found.append("moving average at its edge")
    if _cancels(phi, theta) or _cancels(seasonal_phi, seasonal_theta):
        found.append("factors nearly cancel")
    return tuple(found)


def _cancels(phi: FloatArray, theta: FloatArray) -> bool:
    """Whether a root of 1 - phi_1 B - ... nearly equals one of 1 + theta_1 B + ..."""
    if phi.size == 0 or theta.size == 0:
        return False
    if phi.size == 1 and theta.size == 1:
        return bool(abs(phi[0] + theta[0]) < 0.05)
    ar, ma = _zeros(-phi), _zeros(theta)
    return bool(np.abs(ar[:, None] - ma[None, :]).min() < 0.05)


def _zeros(tail: FloatArray) -> NDArray[np.complex128]:
    """Zeros of x^k + tail[0] x^(k - 1) + ..., in closed form up to the second degree."""
    if tail.size == 1:
        return np.array([-tail[0]], dtype=np.complex128)
    if tail.size == 2:
        root = cmath.sqrt(0.25 * tail[0] ** 2 - tail[1])
        return np.array([-0.5 * tail[0] - root, -0.5 * tail[0] + root])
    return np.roots(np.concatenate(([1.0], tail))).astype(np.complex128)


ALL = np.ones(1000, dtype=np.int64)
"""Every coefficient is estimated."""

ENDED = {kernels.DONE: Status.DONE, kernels.NOT_CONVERGED: Status.NOT_CONVERGED, kernels.PERFECT: Status.CONSTANT}
"""What a search ended with; anything else is no fit."""


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
    x = np.empty((y.size, 0)) if x is None else np.ascontiguousarray(x)
    mask = ALL[: size_of(orders)] if free is None else free
    k = size_of(orders) if free is None else int(mask.sum())
    row, stats = np.full(size_of(orders) + x.shape[1] + 2, np.nan), np.full(STATS, np.nan)
    start = np.zeros(k + 1) if warm is None else warm
    known = told(y)[0]
    if (orders.P or orders.D or orders.Q) and orders.m < 2:
        return Attempt(orders, Status.NO_SEASON, row, stats, start[1:])
    if known < fewest(orders, x.shape[1]):
        return Attempt(orders, Status.TOO_SHORT, row, stats, start[1:])
    if conditional and known < y.size:
        return Attempt(orders, Status.UNKNOWN_INSIDE, row, stats, start[1:])
    if not x.shape[1] and not conditional:
        ended = kernels.estimate_arima(y, x, orders, mask, start, row, stats)
        return Attempt(orders, ENDED.get(ended, Status.NO_FIT), row, stats, start[1:])
    moving = moves(x, orders)
    short = np.full(row.size - int((~moving).sum()), np.nan)
    used = np.ascontiguousarray(x[:, moving])
    ended = kernels.estimate_arima(y, used, orders, mask, start, short, stats)
    if conditional and ended in (kernels.DONE, kernels.NOT_CONVERGED):
        conditional_fit(y, used, orders, mask, start[1:], short, stats)
    if ended == kernels.NO_FIT and dependent_columns(used, orders):
        return Attempt(orders, Status.DEPENDENT, row, stats, start[1:])
    row[:] = 0.0
    row[np.concatenate((np.ones(mask.size, dtype=bool), moving, [True, True]))] = short
    return Attempt(orders, ENDED.get(ended, Status.NO_FIT), row, stats, start[1:])


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
    orders, values = orders_of(row), without_effects(row)
    if x is not None and row[CODES - 1] > 0:
        effect = x @ effects_of(row)
        status = replay_bare(orders, y - effect[: y.size], values, out)
        out.fitted += effect[: y.size]
        out.points += effect[y.size :]
        return status if math.isfinite(float(out.points.sum())) else Status.NO_FIT
    return replay_bare(orders, y, values, out)


def replay_bare(orders: Orders, y: FloatArray, row: FloatArray, out: Rows) -> Status:
    """Filter with given coefficients, constant and variance, and forecast from the end."""
    last = y.size if y[-1] == y[-1] else int(np.flatnonzero(~np.isnan(y))[-1]) + 1
    gap = y.size - last
    points, std_error = np.empty(out.points.size + gap), np.empty(out.points.size + gap)
    if last <= lost(orders) or not replay_arima(y[:last], orders, row, out.fitted[:last], points, std_error):
        return Status.NO_FIT
    out.fitted[last:] = points[:gap]
    out.points[:], out.std_error[:] = points[gap:], std_error[gap:]
    return Status.DONE if math.isfinite(float(out.points[0])) else Status.NO_FIT
