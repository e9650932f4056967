"""The last look at an item before it is published: what of it must not be trusted, said where people see it."""

import math
from collections.abc import Sequence

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.publication.dossier import Caution, ItemPublication, Outlook
from veridex.core.readable import number
from veridex.core.reading.item_reading import ItemReading

__all__ = ["cautions"]

SURE = 2.576
"""Standard errors (99 %) by which intervals must have held less than they claim; each origin counts as one trial."""

WIDE = 80.0
"""Level of an interval from which on its law's mean lies inside, unless nearly all of it is at one end."""

BEYOND = 3.0
"""A forecast beyond this multiple of the highest, or below the lowest by it, is like nothing in the past."""


def cautions(one: ItemPublication, read: ItemReading, past: FloatArray, levels: Sequence[float]) -> tuple[Caution, ...]:
    """What must not be trusted.

    Parameters
    ----------
    one : ItemPublication
        With its forecasts and evidence.
    read : ItemReading
        What the item is taken for.
    past : ndarray, shape (n,)
        All that is known of its demand; NaN is unknown.
    levels : sequence of float
        Of its intervals.
    """
    if one.outlook is None or not one.available:
        return ()
    found = (
        _held_too_little(one),
        _lost(one),
        _outside(one.outlook, levels),
        _unlike(one.outlook.points, past),
        _unfinished(read),
    )
    return tuple(said for said in found if said is not None)


def _held_too_little(one: ItemPublication) -> Caution | None:
    """Whether published intervals held far less than they claim."""
    if one.outlook is None or one.scores is None or one.scores.origins < 1:
        return None
    for row in one.held.get(one.outlook.bands.kind, ()):
        error = math.sqrt(row.level * (100.0 - row.level) / one.scores.origins)
        if row.coverage < row.level - SURE * error:
            return Caution(
                "intervals",
                f"its {row.level:g} % intervals held {row.coverage:.3g} % of {row.cells} actuals when tested",
            )
    return None


def _outside(outlook: Outlook, levels: Sequence[float]) -> Caution | None:
    """Whether a forecast lies outside its own intervals, as the mean of a law that is mostly at nothing does."""
    wide, points = [level >= WIDE for level in levels], outlook.points
    lower, upper = outlook.bands.lower[wide], outlook.bands.upper[wide]
    if not ((points < lower) | (points > upper)).any():
        return None
    return Caution("intervals", "some of its forecasts lie outside their own intervals: nearly all is at one end")


def _lost(one: ItemPublication) -> Caution | None:
    """Whether what is published lost to the benchmark, as it may where a planner decides."""
    scores = one.scores
    if scores is None or not scores.error > scores.benchmark_error:
        return None
    return Caution("benchmark", f"it had more error than {scores.benchmark} when tested")


def _unfinished(read: ItemReading) -> Caution | None:
    """Whether it is forecast from a last period that is only half there."""
    if not read.unfinished:
        return None
    noun = read.cadence.noun
    return Caution("unfinished", f"the last {noun} it is forecast from is not over: `veridex tidy` leaves that out")


def _unlike(points: FloatArray, past: FloatArray) -> Caution | None:
    """Whether a forecast is like nothing that was sold before."""
    sold = np.abs(past[np.isfinite(past) & (past != 0.0)])
    if not sold.size:
        return None
    least, most = float(sold.min()), float(sold.max())
    highest = float(np.abs(points).max())
    if highest > BEYOND * most:
        return Caution("size", f"it reaches {number(highest, 3)}, {highest / most:.2g} times the most ever known")
    whole = np.isfinite(past).sum() == sold.size
    if whole and float(points.min()) < least / BEYOND:
        return Caution(
            "size", f"it falls to {number(float(points.min()), 3)}; the least ever known is {number(least, 3)}"
        )
    return None
