"""The search for ARIMA orders: differences by tests, a walk over the orders from a few corners, then a small grid.

All candidates have the same differences and so the same sample, which makes their criteria comparable. A candidate
whose autoregression comes near a unit root, or whose factors nearly cancel, is listed with the reason and not chosen.
Where the best takes one of two differences back, the search is made again with one less.
"""

import itertools
import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.differencing import advised_differences
from veridex.core.methods.arima.fitting import PILED_UP, Attempt, attempt, blocks, largest_partial, size_of
from veridex.core.methods.fold.criteria import aicc_of, criteria
from veridex.core.methods.fold.status import short_reason
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.smoothing.starts import bridge_unknown

__all__ = ["MOST_P", "MOST_SEASONAL", "Candidate", "search_orders"]

MOST_P, MOST_SEASONAL = 5, 2
"""Largest plain and seasonal orders of a search."""

CORNERS = ((0, 0, 0, 0), (1, 0, 1, 0), (0, 1, 0, 1), (1, 1, 0, 1), (2, 1, 0, 1))
"""Orders p, q, P, Q that a walk begins with."""

SIGNIFICANCE = 5.0
FIRST_START = 0.1
"""Where a new coefficient starts that the neighbour does not have."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """A model that was tried."""

    tried: Attempt

    def entry(self) -> dict[str, Any]:
        """Its row among the candidates."""
        one, o = self.tried, self.tried.orders
        remark = "; ".join(one.flags) or short_reason(one.status)
        return {
            **{"p": o.p, "d": o.d, "q": o.q, "P": o.P, "D": o.D, "Q": o.Q, "constant": bool(o.constant)},
            **criteria(one.stats),
            "log_likelihood": one.stats[0],
            "variance": one.row[-1],
            "remark": f"refused: {remark}" if one.refused else remark,
        }


class _Walk:
    """Candidates tried so far, and the best of them."""

    def __init__(self, y: FloatArray, x: FloatArray | None, criterion: str, most: int) -> None:
        self.y, self.x, self.criterion, self.most = y, x, criterion, most
        self.tried: dict[Orders, Candidate] = {}
        self.best: Attempt | None = None
        self.lowest = math.inf

    def value(self, one: Attempt | None) -> float:
        """The criterion; infinite for what cannot be chosen."""
        if one is None or one.refused:
            return math.inf
        value = aicc_of(one.stats) if self.criterion == "aicc" else criteria(one.stats)[self.criterion]
        return value if math.isfinite(value) else math.inf

    def visit(self, orders: Orders, neighbour: Attempt | None = None) -> bool:
        """Fit a model unless it was fitted before; say whether it is the new best."""
        if orders in self.tried or len(self.tried) >= self.most:
            return False
        start = None if neighbour is None else _start_from(neighbour, orders)
        one = attempt(orders, self.y, start, x=self.x)
        self.tried[orders] = Candidate(one)
        value = self.value(one)
        if value < self.lowest - 1e-9:
            self.best, self.lowest = one, value
            return True
        return False


def search_orders(
    y: FloatArray,
    season_length: int,
    *,
    criterion: str = "aicc",
    most: int = 60,
    thorough: bool = False,
    x: FloatArray | None = None,
) -> tuple[Attempt | None, list[Candidate]]:
    """Find orders for a history whose first and last values are known.

    Parameters
    ----------
    y : ndarray, shape (n,)
    season_length : int
        1 for no season.
    criterion : {"aicc", "aic", "bic"}
    most : int
        Candidates at most.
    thorough : bool
        Try every combination of small orders from scratch instead of walking.
    x : ndarray, shape (n, r), optional
        Drivers; the differences are told from what ordinary least squares leaves of demand.

    Returns
    -------
    tuple
        The best attempt, None where nothing could be fitted; and everything tried, in order.

    References
    ----------
    .. [1] Hyndman and Khandakar (2008), Journal of Statistical Software 27(3), section 3 (walking over orders).
    """
    filled = np.empty_like(y)
    bridge_unknown(y, filled)
    if x is not None and x.shape[1]:
        design = np.column_stack((np.ones(y.size), x))
        filled -= x @ np.linalg.lstsq(design, filled, rcond=None)[0][1:]
    # Tests care for shape alone; squares of huge demand would overflow in them.
    D, d = advised_differences(filled / max(float(np.abs(filled).max()), 1e-300), season_length, SIGNIFICANCE)
    while True:
        best, tried = _search(_Walk(y, x, criterion, most), season_length, d, D, thorough)
        # A single difference stays: a line with noise takes it back too, and keeps its slope as drift.
        if best is None or d == 0 or d + D < 2 or not _one_too_many(best):
            return best, tried
        d -= 1


def _one_too_many(best: Attempt) -> bool:
    """Whether the best model takes a difference back: its plain moving average has piled up at the edge."""
    return largest_partial(-blocks(best.orders, best.row)[1]) > PILED_UP


def _search(walk: _Walk, season_length: int, d: int, D: int, thorough: bool) -> tuple[Attempt | None, list[Candidate]]:
    """Search with given differences."""
    constants = (1,) if d + D == 0 else ((0, 1) if d + D == 1 else (0,))
    room = _room(walk.y, season_length, d, D)

    def orders(p: int, q: int, seasonal_p: int, seasonal_q: int, constant: int) -> Orders:
        return Orders(p, d, q, seasonal_p, D, seasonal_q, season_length, constant)

    if thorough:
        walk.most = 10_000
        ranges = (range(min(3, room[0]) + 1),) * 2 + (range(min(1, room[1]) + 1),) * 2
        for constant, point in itertools.product(constants, itertools.product(*ranges)):
            walk.visit(orders(*point, constant))
    else:
        for constant, (p, q, seasonal_p, seasonal_q) in itertools.product(constants, CORNERS):
            if max(p, q) <= room[0]:
                walk.visit(orders(p, q, min(seasonal_p, room[1]), min(seasonal_q, room[1]), constant))
        moved = walk.best is not None
        while moved:
            moved = False
            here = walk.best
            assert here is not None
            for near in _neighbours(here.orders, room, constants):
                if walk.visit(near, here):
                    moved = True
                    break
        if walk.best is not None:
            here = walk.best
            for p, q in itertools.product(range(-1, 2), repeat=2):
                o = here.orders
                if 0 <= o.p + p <= room[0] and 0 <= o.q + q <= room[0]:
                    walk.visit(orders(o.p + p, o.q + q, o.P, o.Q, o.constant), here)
    return walk.best, list(walk.tried.values())


def _room(y: FloatArray, season_length: int, d: int, D: int) -> tuple[int, int]:
    """Largest plain and seasonal orders that the length of the history allows."""
    known = int(np.count_nonzero(~np.isnan(y))) - d - D * season_length
    plain = min(MOST_P, max(known // 6 - 1, 0))
    seasonal = 0 if season_length < 2 else min(MOST_SEASONAL, max((known // season_length - 1) // 2, 0))
    return plain, seasonal


def _neighbours(o: Orders, room: tuple[int, int], constants: tuple[int, ...]) -> list[Orders]:
    """Orders one step away, the likeliest first."""
    steps = [(0, 0, 0, 1), (0, 0, 1, 0), (0, 0, 0, -1), (0, 0, -1, 0), (0, 1, 0, 0), (1, 0, 0, 0), (0, -1, 0, 0)]
    steps += [(-1, 0, 0, 0), (1, 1, 0, 0), (-1, -1, 0, 0), (0, 0, 1, -1), (0, 0, -1, 1), (1, -1, 0, 0), (-1, 1, 0, 0)]
    found = []
    for step in steps:
        point = tuple(order + move for order, move in zip((o.p, o.q, o.P, o.Q), step, strict=True))
        if min(point) >= 0 and max(point[:2]) <= room[0] and max(point[2:]) <= room[1]:
            found.append(o._replace(p=point[0], q=point[1], P=point[2], Q=point[3]))
    found += [o._replace(constant=constant) for constant in constants if constant != o.constant]
    return found


def _start_from(neighbour: Attempt, orders: Orders) -> FloatArray:
    """A neighbour's variables as a warm start; a coefficient that it lacks starts small."""
    o, at, start = neighbour.orders, 0, [1.0]
    for own, theirs in zip((orders.p, orders.q, orders.P, orders.Q), (o.p, o.q, o.P, o.Q), strict=True):
        block = neighbour.variables[at : at + theirs]
        start += [float(block[j]) if j < theirs else FIRST_START for j in range(own)]
        at += theirs
    assert len(start) == size_of(orders) + 1
    return np.array(start)
