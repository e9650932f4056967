"""The walk over ARIMA orders, compiled: corners, then neighbours of the best, then a small grid around the end."""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.methods.arima.judging import is_refused
from veridex.core.methods.arima.rolled import fit_orders
from veridex.core.methods.fold.criteria import criterion_of
from veridex.core.methods.fold.plan import STATS
from veridex.core.numerics.arima.models import Orders, lost, small_size
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.plain import told

__all__ = ["MOST_P", "MOST_SEASONAL", "Sample", "Tried", "search_all", "walk"]

MOST_P, MOST_SEASONAL = 5, 2
"""Largest plain and seasonal orders of a search."""

CORNERS = ((0, 0, 0, 0), (1, 0, 1, 0), (0, 1, 0, 1), (1, 1, 0, 1), (2, 1, 0, 1))
"""Orders p, q, P, Q that a walk begins with."""

STEPS = (
    (0, 0, 0, 1),
    (0, 0, 1, 0),
    (0, 0, 0, -1),
    (0, 0, -1, 0),
    (0, 1, 0, 0),
    (1, 0, 0, 0),
    (0, -1, 0, 0),
    (-1, 0, 0, 0),
    (1, 1, 0, 0),
    (-1, -1, 0, 0),
    (0, 0, 1, -1),
    (0, 0, -1, 1),
    (1, -1, 0, 0),
    (-1, 1, 0, 0),
)
"""To the neighbours of p, q, P, Q, the likeliest first."""

FIRST_START = 0.1
"""Where a new coefficient starts that the neighbour does not have."""

ALL_THERE_ARE = 2 * (MOST_P + 1) ** 2 * (MOST_SEASONAL + 1) ** 2
"""Models within the largest orders, without a constant and with one."""

BETTER = 1e-9


class Sample(NamedTuple):
    """What models are fitted to, and how they are judged.

    Attributes
    ----------
    y : ndarray, shape (n,)
        First and last value known.
    bare, about : ndarray, shape (n, r)
        The drivers whose effects can be told, by models without a constant and with one.
    drivers : int
        All of them.
    base : Orders
        The differences and the season, which all models share; its constant says whether they may have one.
    criterion : int
        Its place among the criteria.
    """

    y: FloatArray
    bare: FloatArray
    about: FloatArray
    drivers: int
    base: Orders
    criterion: int


class Tried(NamedTuple):
    """Models that were tried (most), in order: orders, status, parameters, stats, the search's variables, worth.

    Worth is the criterion, infinite where it cannot be chosen; `at` holds how many there are and the best of them,
    below zero where there is none.
    """

    orders: IntArray
    status: IntArray
    rows: FloatArray
    stats: FloatArray
    variables: FloatArray
    worth: FloatArray
    at: IntArray

    @classmethod
    def room(cls, most: int, drivers: int) -> "Tried":
        """Room for so many models at most."""
        most, size = min(most, ALL_THERE_ARE), 2 * MOST_P + 2 * MOST_SEASONAL
        return cls(
            orders=np.zeros((most, len(Orders._fields)), dtype=np.int64),
            status=np.zeros(most, dtype=np.int64),
            rows=np.full((most, size + drivers + 2), np.nan),
            stats=np.full((most, STATS), np.nan),
            variables=np.zeros((most, size)),
            worth=np.full(most, np.inf),
            at=np.array([0, -1], dtype=np.int64),
        )


@kernel
def _orders(base: Orders, p: int, q: int, seasonal_p: int, seasonal_q: int, constant: int) -> Orders:
    return Orders(p, base.d, q, seasonal_p, base.D, seasonal_q, base.m, constant)


@kernel
def _start_from(tried: Tried, neighbour: int, orders: Orders, start: FloatArray) -> None:
    """A neighbour's variables as a warm start; a coefficient that it lacks starts small."""
    start[0] = 1.0
    begin, at = 0, 1
    for size, column in ((orders.p, 0), (orders.q, 2), (orders.P, 3), (orders.Q, 5)):
        theirs = tried.orders[neighbour, column]
        for j in range(size):
            start[at] = tried.variables[neighbour, begin + j] if j < theirs else FIRST_START
            at += 1
        begin += theirs


@kernel
def _visit(sample: Sample, tried: Tried, orders: Orders, neighbour: int, free: IntArray) -> bool:
    """Fit a model unless it was fitted before; say whether it is the new best."""
    count = tried.at[0]
    for i in range(count):
        same = True
        for j in range(tried.orders.shape[1]):
            same = same and tried.orders[i, j] == orders[j]
        if same:
            return False
    if count >= tried.status.size:
        return False
    k = small_size(orders)
    start = np.zeros(k + 1)
    if neighbour >= 0:
        _start_from(tried, neighbour, orders, start)
    x = sample.about if orders.constant == 1 else sample.bare
    row, stats = tried.rows[count, : k + x.shape[1] + 2], tried.stats[count]
    status = fit_orders(sample.y, x, sample.drivers, orders, free[:k], start, row, stats)
    tried.at[0] = count + 1
    tried.status[count] = status
    for j in range(tried.orders.shape[1]):
        tried.orders[count, j] = orders[j]
    for j in range(k):
        tried.variables[count, j] = start[1 + j]
    if status > 0 or is_refused(orders, row):
        return False
    worth = criterion_of(stats, sample.criterion)
    if not math.isfinite(worth):
        return False
    tried.worth[count] = worth
    if tried.at[1] >= 0 and not worth < tried.worth[tried.at[1]] - BETTER:
        return False
    tried.at[1] = count
    return True


@kernel
def _room(sample: Sample) -> tuple[int, int]:
    """Largest plain and seasonal orders that the length of the history allows."""
    known, season = told(sample.y)[0] - lost(sample.base), sample.base.m
    plain = min(MOST_P, max(known // 6 - 1, 0))
    seasonal = 0 if season < 2 else min(MOST_SEASONAL, max((known // season - 1) // 2, 0))
    return plain, seasonal


@kernel
def _first_constant(base: Orders) -> int:
    """Models without differences all have a constant."""
    return 1 if base.d + base.D == 0 else 0


@kernel
def _to_neighbour(sample: Sample, tried: Tried, free: IntArray, plain: int, seasonal: int) -> bool:
    """Move to the first neighbour of the best that is better; whether there is one."""
    here, base = tried.at[1], sample.base
    p, q = tried.orders[here, 0], tried.orders[here, 2]
    seasonal_p, seasonal_q, constant = tried.orders[here, 3], tried.orders[here, 5], tried.orders[here, 7]
    for a, b, c, d in STEPS:
        if min(p + a, q + b, seasonal_p + c, seasonal_q + d) < 0:
            continue
        if max(p + a, q + b) > plain or max(seasonal_p + c, seasonal_q + d) > seasonal:
            continue
        near = _orders(base, p + a, q + b, seasonal_p + c, seasonal_q + d, constant)
        if _visit(sample, tried, near, here, free):
            return True
    for other in range(_first_constant(base), base.constant + 1):
        if other != constant:
            near = _orders(base, p, q, seasonal_p, seasonal_q, other)
            if _visit(sample, tried, near, here, free):
                return True
    return False


@kernel
def walk(sample: Sample, tried: Tried, free: IntArray) -> None:
    """Walk from the best corner to better neighbours, then try a small grid around the end."""
    plain, seasonal = _room(sample)
    base = sample.base
    for constant in range(_first_constant(base), base.constant + 1):
        for p, q, seasonal_p, seasonal_q in CORNERS:
            if max(p, q) <= plain:
                corner = _orders(base, p, q, min(seasonal_p, seasonal), min(seasonal_q, seasonal), constant)
                _visit(sample, tried, corner, -1, free)
    if tried.at[1] < 0:
        return
    while _to_neighbour(sample, tried, free, plain, seasonal):
        pass
    here = tried.at[1]
    p, q = tried.orders[here, 0], tried.orders[here, 2]
    seasonal_p, seasonal_q, constant = tried.orders[here, 3], tried.orders[here, 5], tried.orders[here, 7]
    for a in range(-1, 2):
        for b in range(-1, 2):
            if 0 <= p + a <= plain and 0 <= q + b <= plain:
                _visit(sample, tried, _orders(base, p + a, q + b, seasonal_p, seasonal_q, constant), here, free)


@kernel
def search_all(sample: Sample, tried: Tried, free: IntArray) -> None:
    """Try every combination of small orders from scratch."""
    plain, seasonal = _room(sample)
    base = sample.base
    for constant in range(_first_constant(base), base.constant + 1):
        for p in range(min(3, plain) + 1):
            for q in range(min(3, plain) + 1):
                for seasonal_p in range(min(1, seasonal) + 1):
                    for seasonal_q in range(min(1, seasonal) + 1):
                        _visit(sample, tried, _orders(base, p, q, seasonal_p, seasonal_q, constant), -1, free)
