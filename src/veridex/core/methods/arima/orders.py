"""The search for ARIMA orders: differences by tests, a walk over the orders from a few corners, then a small grid.

All candidates have the same differences and so the same sample, which makes their criteria comparable. A candidate
whose autoregression comes near a unit root, or whose factors nearly cancel, is listed with the reason and not chosen.
Where the best takes one of two differences back, the search is made again with one less.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.differencing import advised_differences
from veridex.core.methods.arima.fitting import ALL, Attempt, blocks, completed, moves, size_of
from veridex.core.methods.arima.judging import PILED_UP
from veridex.core.methods.arima.walking import Sample, Tried, walk
from veridex.core.methods.fold.criteria import CRITERIA, criteria
from veridex.core.methods.fold.status import Status, short_reason
from veridex.core.numerics.arima.arma import largest_partial
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.smoothing.starts import bridge_unknown

__all__ = ["Candidate", "search_orders"]

SIGNIFICANCE = 5.0


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
        best, tried = _search(y, x, Orders(0, d, 0, 0, D, 0, season_length, int(d + D < 2)), criterion, most, thorough)
        # A single difference stays: a line with noise takes it back too, and keeps its slope as drift.
        if best is None or d == 0 or d + D < 2 or not _one_too_many(best):
            return best, tried
        d -= 1


def _one_too_many(best: Attempt) -> bool:
    """Whether the best model takes a difference back: its plain moving average has piled up at the edge."""
    return largest_partial(-blocks(best.orders, best.row)[1]) > PILED_UP


def _search(
    y: FloatArray, x: FloatArray | None, base: Orders, criterion: str, most: int, thorough: bool
) -> tuple[Attempt | None, list[Candidate]]:
    """Search with given differences."""
    x = np.empty((y.size, 0)) if x is None else x
    moving = [moves(x, base._replace(constant=constant)) for constant in range(2)]
    used = [np.ascontiguousarray(x[:, one]) for one in moving]
    sample = Sample(y, used[0], used[1], x.shape[1], base, CRITERIA.index(criterion))
    tried = Tried.room(10_000 if thorough else most, x.shape[1])
    walk(sample, tried, ALL, thorough)
    count, best = tried.at.tolist()
    found = []
    for i in range(count):
        orders = Orders(*tried.orders[i].tolist())
        k, own = size_of(orders), used[orders.constant]
        row = tried.rows[i, : k + own.shape[1] + 2]
        one = Attempt(orders, Status(tried.status[i]), row, tried.stats[i], tried.variables[i, :k])
        found.append(Candidate(completed(one, moving[orders.constant], own)))
    return found[best].tried if best >= 0 else None, found
