"""What folds of ARIMA write down: parameter rows, what the next fold remembers, forecasts of a row."""

from functools import lru_cache

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.methods.arima.fitting import Attempt, attempt, orders_of, replay, size_of
from veridex.core.methods.arima.rolled import CODES
from veridex.core.methods.fold.plan import Rows
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.plain import told

__all__ = ["fill", "keep", "kept_orders", "past_rows", "spelled", "store"]


def kept_orders(y: FloatArray, x: FloatArray | None, warm: FloatArray) -> Attempt | None:
    """The orders of the last search estimated anew; None before a search, or where they do not fit any more."""
    if not warm.size or warm[0] != 1.0:
        return None
    orders = orders_of(warm[1:])
    start = np.concatenate(([1.0], warm[1 + CODES : 1 + CODES + size_of(orders)]))
    found = attempt(orders, y, start, x=x)
    return None if found.refused else found


def keep(found: Attempt, warm: FloatArray) -> None:
    """Remember orders and optimum for the next fold."""
    if warm.size:
        warm[0] = 1.0
        warm[1 : 1 + CODES] = (*found.orders, 0)
        warm[1 + CODES : 1 + CODES + found.variables.size] = found.variables


@lru_cache
def spelled(o: Orders) -> str:
    """Orders as settings."""
    seasonal = f" P={o.P} D={o.D} Q={o.Q}" if o.P + o.D + o.Q else ""
    return f"p={o.p} d={o.d} q={o.q}{seasonal} constant={'yes' if o.constant else 'no'}"


def past_rows(x: FloatArray | None, n: int) -> FloatArray | None:
    """The driver rows of the span."""
    return None if x is None else x[:n]


def store(found: Attempt, row: FloatArray) -> None:
    """Write orders and estimates into a parameter row."""
    row[:CODES] = (*found.orders, found.row.size - size_of(found.orders) - 2)
    row[CODES : CODES + found.row.size] = found.row


def fill(y: FloatArray, x: FloatArray | None, row: FloatArray, out: Rows) -> Status:
    """Forecasts and bounds of one model."""
    status, orders = replay(row, y, x, out), orders_of(row)
    known = told(y)[0] - orders.d - orders.D * orders.m
    estimated = size_of(orders) + orders.constant + int(row[CODES - 1])
    out.say_estimated(max(known, 1), estimated, divided=False)
    return status
