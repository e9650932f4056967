"""The law that a fit had for each period of its own span, one step ahead: what bounds of fitted values are read off."""

from typing import NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import FIRST, KIND, Components, Kind
from veridex.core.laws.laws import Laws
from veridex.core.laws.support import Support
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.plan import Plan, Rows
from veridex.core.methods.fold.running import replay_fold
from veridex.core.methods.fold.status import Status
from veridex.core.scoring.levels import shares_of

__all__ = ["OneStep", "one_step"]


class OneStep(NamedTuple):
    """Of each period of a span: standard error (n,) and bounds (levels, n) of its one-step forecast; NaN without."""

    std_error: FloatArray
    lower: FloatArray
    upper: FloatArray


def one_step(
    family: Family[Plan],
    plan: Plan,
    y: FloatArray,
    x: FloatArray | None,
    row: FloatArray,
    fitted: FloatArray,
    support: Support,
    levels: tuple[float, ...],
) -> OneStep:
    """Replay the parameters up to each period, and read its law off around the fitted value.

    Parameters
    ----------
    family, plan
        `plan` with a horizon of one.
    y : ndarray, shape (n,)
    x : ndarray, shape (n + 1, columns), or None
    row : ndarray
        The parameters.
    fitted : ndarray, shape (n,)
    support : Support
    levels : tuple of float
    """
    n = y.size
    std_error, moved = np.full((2, n), np.nan)
    laws = np.full((n, *Rows.allocate(plan, 1).law.shape[1:]), np.nan)
    with np.errstate(all="ignore"):
        for t in np.flatnonzero(~np.isnan(fitted)).tolist():
            if t == 0:
                continue
            rows = Rows.allocate(plan, t)
            rows.row[:] = row
            if replay_fold(family, plan, y[:t], None if x is None else x[: t + 1], rows) <= Status.DONE:
                std_error[t], laws[t], moved[t] = rows.std_error[0], rows.law[0], fitted[t] - rows.points[0]
        _at_the_end(laws, std_error)
        bounds = Laws.of(laws, *support).quantile(shares_of(levels)).T.reshape(2, len(levels), n)
    return OneStep(std_error, *(bounds + moved))


def _at_the_end(laws: Components, std_error: FloatArray) -> None:
    """Give laws the degrees of freedom, and what they allow for estimation, of the last one.

    A replay up to an early period takes the parameters for estimates from what is before it; here they are from all.
    """
    last = np.flatnonzero(~np.isnan(std_error))
    if not last.size:
        return
    kinds, end = laws[..., KIND], laws[last[-1]]
    student, transformed = kinds == Kind.STUDENT, kinds == Kind.TRANSFORMED
    scale = end[:, FIRST + 1] * (std_error / std_error[last[-1]])[:, None]
    laws[..., FIRST + 1] = np.where(student, scale, np.where(transformed, end[:, FIRST + 1], laws[..., FIRST + 1]))
    for kind, place in ((student, FIRST + 2), (transformed, FIRST + 3)):
        laws[..., place] = np.where(kind, end[:, place], laws[..., place])
