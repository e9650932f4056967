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

__all__ = ["MOST_P", "MOST_SEASONAL", "Sample", "Tried", "walk"]

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

ALL, BEGIN, STEP, GRID = range(4)
"""Phases of a search: every combination of small orders, and that is all; or corners, then neighbours, then a grid."""


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
def _is_known(tried: Tried, orders: Orders) -> bool:
    """Whether a model was tried before."""
    for i in range(tried.at[0]):
        same = True
        for j in range(tried.orders.shape[1]):
            same = same and tried.orders[i, j] == orders[j]
        if same:
            return True
    return False


@kernel
def _room(sample: Sample) -> tuple[int, int]:
    """Largest plain and seasonal orders that the length of the history allows."""
    known, season = told(sample.y)[0] - lost(sample.base), sample.base.m
    plain = min(MOST_P, max(known // 6 - 1, 0))
    seasonal = 0 if season < 2 else min(MOST_SEASONAL, max((known // season - 1) // 2, 0))
    return plain, seasonal


@kernel
def _length(sample: Sample, phase: int, plain: int, seasonal: int) -> int:
    """How many models a phase has."""
    constants = sample.base.constant + 1 - (1 if sample.base.d + sample.base.D == 0 else 0)
    if phase == ALL:
        return constants * (min(3, plain) + 1) ** 2 * (min(1, seasonal) + 1) ** 2
    if phase == BEGIN:
        return constants * len(CORNERS)
    return len(STEPS) + 2 if phase == STEP else 9


@kernel
def _candidate(
    sample: Sample, tried: Tried, phase: int, index: int, here: int, plain: int, seasonal: int
) -> tuple[bool, Orders]:
    """A model of a phase by its number, and whether it is within the room that there is."""
    base = sample.base
    least = 1 if base.d + base.D == 0 else 0
    p, q, seasonal_p, seasonal_q, constant = 0, 0, 0, 0, least
    if phase == ALL:
        wide, high = min(3, plain) + 1, min(1, seasonal) + 1
        seasonal_q, index = index % high, index // high
        seasonal_p, index = index % high, index // high
        q, index = index % wide, index // wide
        p, constant = index % wide, least + index // wide
    elif phase == BEGIN:
        constant = least + index // len(CORNERS)
        p, q, seasonal_p, seasonal_q = CORNERS[index % len(CORNERS)]
        seasonal_p, seasonal_q = min(seasonal_p, seasonal), min(seasonal_q, seasonal)
    else:
        p, q, constant = tried.orders[here, 0], tried.orders[here, 2], tried.orders[here, 7]
        seasonal_p, seasonal_q = tried.orders[here, 3], tried.orders[here, 5]
        if phase == GRID:
            p, q = p + index // 3 - 1, q + index % 3 - 1
        elif index < len(STEPS):
            a, b, c, d = STEPS[index]
            p, q, seasonal_p, seasonal_q = p + a, q + b, seasonal_p + c, seasonal_q + d
        else:
            constant = index - len(STEPS)
    fits = 0 <= p <= plain and 0 <= q <= plain and 0 <= seasonal_p <= seasonal and 0 <= seasonal_q <= seasonal
    fits = fits and least <= constant <= base.constant
    return fits, Orders(p, base.d, q, seasonal_p, base.D, seasonal_q, base.m, constant)


@kernel
def walk(sample: Sample, tried: Tried, free: IntArray, thorough: bool) -> None:
    """Walk from the best corner to better neighbours, then try a small grid around the end; or try all, if thorough."""
    plain, seasonal = _room(sample)
    phase, index, here = (ALL if thorough else BEGIN), 0, -1
    while True:
        if index == _length(sample, phase, plain, seasonal):
            if phase in (ALL, GRID) or tried.at[1] < 0:
                return
            phase, index, here = phase + 1, 0, tried.at[1]
        fits, orders = _candidate(sample, tried, phase, index, here, plain, seasonal)
        index += 1
        count = tried.at[0]
        if not fits or count >= tried.status.size or _is_known(tried, orders):
            continue
        k = small_size(orders)
        start = np.zeros(k + 1)
        if here >= 0:
            _start_from(tried, here, orders, start)
        x = sample.about if orders.constant == 1 else sample.bare
        row, stats = tried.rows[count, : k + x.shape[1] + 2], tried.stats[count]
        # The one call of all that is large: it is compiled into this function.
        status = fit_orders(sample.y, x, sample.drivers, orders, free[:k], start, row, stats)
        tried.at[0], tried.status[count] = count + 1, status
        for j in range(tried.orders.shape[1]):
            tried.orders[count, j] = orders[j]
        for j in range(k):
            tried.variables[count, j] = start[1 + j]
        worth = np.inf if status > 0 or is_refused(orders, row) else criterion_of(stats, sample.criterion)
        if not math.isfinite(worth):
            continue
        tried.worth[count] = worth
        if tried.at[1] < 0 or worth < tried.worth[tried.at[1]] - BETTER:
            tried.at[1] = count
            if phase == STEP:
                index, here = 0, count
