"""One value of a driver per period: from rows, from finer periods, from coarser ones."""

import numpy as np

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.item import locked
from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError

__all__ = ["gathered", "held", "regular"]


def regular(
    ordinals: IntArray, values: FloatArray, rule: str | None, name: str, cadence: Cadence
) -> tuple[int, FloatArray]:
    """One value per period from the rows of one item, in order of date."""
    heads = np.flatnonzero(np.concatenate(([True], np.diff(ordinals) != 0)))
    sizes = np.diff(np.append(heads, ordinals.size))
    if (sizes > 1).any():
        if rule not in ("sum", "mean", "last", "max"):
            period = cadence.text(int(ordinals[heads[np.argmax(sizes > 1)]]))
            problem = f"{name!r} has several rows in {period}; say how they become one, as in combine='mean'"
            raise ParameterError("combine", repr(rule), problem)
        values = np.array([_one_of(run, rule) for run in np.split(values, heads[1:])])
    ordinals = ordinals[heads]
    whole = np.full(int(ordinals[-1] - ordinals[0]) + 1, np.nan)
    whole[ordinals - ordinals[0]] = values
    return int(ordinals[0]), locked(whole)


def _one_of(run: FloatArray, rule: str) -> float:
    if rule == "last":
        return float(run[-1])
    if rule == "max":
        return float(run.max())
    return float(run.sum() if rule == "sum" else run.mean())


def gathered(start: int, values: FloatArray, finer: Cadence, coarser: Cadence, rule: str) -> tuple[int, FloatArray]:
    """From finer periods to coarser ones; one that is not wholly there is unknown."""
    inside = coarser.ordinals(finer.starts(np.arange(start - 1, start + values.size + 1)))
    first, last = int(inside[1]), int(inside[-2])
    bounds = finer.ordinals(coarser.starts(np.arange(first, last + 2)))
    if (np.diff(bounds) < 1).any():
        raise ParameterError("gather", repr(rule), f"{coarser.name} is finer than {finer.name}; say 'hold'")
    whole = np.full(last - first + 1, np.nan)
    for k in range(whole.size):
        low, high = int(bounds[k]) - start, int(bounds[k + 1]) - start
        if low >= 0 and high <= values.size:
            whole[k] = _one_of(values[low:high], rule)
    return first, locked(whole)


def held(start: int, values: FloatArray, coarser: Cadence, finer: Cadence, rule: str) -> tuple[int, FloatArray]:
    """Every finer period has the value of the coarser one in which it begins."""
    bounds = finer.ordinals(coarser.starts(np.array([start, start + values.size])))
    ordinals = np.arange(int(bounds[0]), int(bounds[1]))
    if ordinals.size < values.size:
        raise ParameterError("gather", repr(rule), f"{finer.name} is coarser than {coarser.name}; say 'mean' or 'sum'")
    inside = np.clip(coarser.ordinals(finer.starts(ordinals)) - start, 0, values.size - 1)
    return int(bounds[0]), locked(values[inside])
