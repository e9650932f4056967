"""How a fold is run, and how it is replayed: quietly, and with finite numbers or a reason."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.folds import Folds, settled
from veridex.core.methods.fold.plan import Rows
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.plain import closed

__all__ = ["gated", "replay_fold", "replay_unguarded", "roll_unguarded", "run_fold", "run_unguarded"]


def run_fold(
    family: Family[Any], plan: Any, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows
) -> Status:
    """Run one fold as `vx.fit` and the backtest both do: quietly, and with finite numbers or none.

    Demand near the limits of floating point overflows in places; what comes of it is a status, not a warning.
    """
    with np.errstate(all="ignore"):
        return run_unguarded(family, plan, y, x, warm, out)


def run_unguarded(
    family: Family[Any], plan: Any, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows
) -> Status:
    """The same where warnings are off already, as they are around all folds of an item."""
    if y.size == 0:
        return Status.TOO_SHORT
    if _lacks(family, x, y.size):
        return Status.DRIVER_UNKNOWN
    status = family.domain(plan, y, None)
    if status <= Status.DONE:
        status = gated(Status(family.run(plan, y, x, warm, out)), out, y, plan.sizes.floor)
    if status > Status.DONE:
        out.row.fill(np.nan)
        out.stats.fill(np.nan)
    return status


def roll_unguarded(
    family: Family[Any], plan: Any, folds: Folds, xs: Sequence[FloatArray | None] | None, warm: FloatArray
) -> None:
    """Run all folds of an item, each as `run_unguarded` does."""
    for o, x in enumerate(xs or ()):
        if folds.status[o] <= Status.DONE and _lacks(family, x, folds.span(o).size):
            folds.status[o] = Status.DRIVER_UNKNOWN
    family.roll(plan, folds, xs, warm)
    settled(folds, math.nan if plan.sizes.floor is None else plan.sizes.floor)


def _lacks(family: Family[Any], x: FloatArray | None, n: int) -> bool:
    """Whether a driver has no value where the family needs one."""
    return x is not None and not np.isfinite(x[n:] if family.bears_gaps else x).all()


def replay_fold(family: Family[Any], plan: Any, y: FloatArray, x: FloatArray | None, out: Rows) -> Status:
    """Carry the parameters in ``out.row`` over to the values that have come since, as quietly."""
    with np.errstate(all="ignore"):
        return replay_unguarded(family, plan, y, x, out)


def replay_unguarded(family: Family[Any], plan: Any, y: FloatArray, x: FloatArray | None, out: Rows) -> Status:
    """The same where warnings are off already."""
    if _lacks(family, x, y.size):
        return gated(Status.DRIVER_UNKNOWN, out, y, None)
    status = family.domain(plan, y, out.row)
    if status <= Status.DONE:
        status = Status(family.replay(plan, y, x, out))
    return gated(status, out, y, plan.sizes.floor)


def gated(status: Status, out: Rows, y: FloatArray, floor: float | None) -> Status:
    """The one gate behind every fold: finite numbers throughout, none below the floor; or none and the reason.

    The floor is stated, or None for that which the values show that the forecast is made from.
    """
    if status <= Status.DONE and not closed(out.points, out.std_error, y, math.nan if floor is None else floor):
        status = Status.NOT_FINITE
    if status > Status.DONE:
        for array in (out.points, out.std_error, out.law, out.fitted):
            array.fill(np.nan)
    return status
