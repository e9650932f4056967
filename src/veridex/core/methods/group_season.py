"""The season of an item's neighbours on the item's own level."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import Components
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Plan, Rows, Sizes, put_estimated
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory
from veridex.core.numerics import theta as kernels
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.plain import told
from veridex.core.numerics.seasons.deseasonalise import put_back, taken_out
from veridex.core.readable import number as shown
from veridex.core.readable import quantity
from veridex.errors import SettingError

__all__ = ["GroupSeason"]

FEWEST = 6
"""Known values from which on a level can be smoothed."""

ESTIMATED = 4
"""Quantities estimated from the item itself: constant, level, line; the season is the neighbours'."""

TOO_SHORT, CONSTANT, NEGATIVE = int(Status.TOO_SHORT), int(Status.CONSTANT), int(Status.NEGATIVE)
NO_SEASON, NO_NEIGHBOURS = int(Status.NO_SEASON), int(Status.NO_NEIGHBOURS)


@dataclass(frozen=True, slots=True)
class GroupSeasonPlan(Plan):
    """The season to borrow from the origin on, or those of several folds (O, 2, season); None where nobody lends."""

    borrowed: FloatArray | None = None


class GroupSeason(RolledFamily[GroupSeasonPlan]):
    """A smoothed level with the season of a group of items.

    Demand is divided by the season that its neighbours show (see `veridex.core.reading.neighbours`: pooled ratios,
    drawn by the evidence towards none and towards the item's own), what is left is forecast by a level that drifts by
    half the slope of a line, as `theta` has it, and the season put back. ``group=COLUMN`` names the key column whose
    items share a season; without it items whose seasons go together are found. Standard error at lead h:
    ``sigma sqrt(1 + (h - 1) alpha^2)`` times the season, and the level times the standard error of the season; bounds
    by Student's t.
    """

    name = "group-season"
    settings = (Setting("group", None, "a key column of the history", lambda value: isinstance(value, str)),)
    borrows = True

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a transform: shares of a level are no shares of its logarithm."""
        if settings.get("transform") != "none":
            raise SettingError(self.name, "its season is shares of a level; leave transform out")

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> GroupSeasonPlan:
        """Row: alpha, starting level, w, line, variance, then season and standard errors from the first value on."""
        lent = None if sizes.borrowed is None else sizes.borrowed.get(settings.get("group") or "")
        return GroupSeasonPlan(
            sizes,
            row_size=kernels.ENTRIES + 2 * sizes.season_length,
            needs=f"{FEWEST} known periods, and neighbours that have shown every period of the season",
            borrowed=lent,
        )

    def _roll(self, plan: GroupSeasonPlan, folds: Folds, warm: FloatArray) -> None:
        """Take the borrowed season out, smooth what is left, and forecast."""
        lent = np.full((2, plan.season_length), np.nan) if plan.borrowed is None else plan.borrowed
        _roll(folds, np.array(np.broadcast_to(lent, (folds.status.size, *lent.shape[-2:]))))

    def domain(self, plan: GroupSeasonPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Shares of a level are above zero, and so is the level."""
        if row is not None and not (_season(row)[0] > 0.0).all():
            return Status.NOT_ITS_OWN
        return Status.NEGATIVE if told(y)[1] < 0.0 else Status.DONE

    def replay(self, plan: GroupSeasonPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion on what is left, forecast, and put the season back."""
        _ahead(y, plan.season_length, out.row, out.fitted, out.points, out.std_error, out.law)
        return Status.DONE

    def _coefficients(
        self, plan: GroupSeasonPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Constant, level, and borrowed season with what is not known of it."""
        first = series.start + len(series) - y.size
        names = [
            "alpha",
            "starting level",
            *(f"season {series.phase_name(first + j)}" for j in range(plan.season_length)),
        ]
        season, unsure = _season(row)
        values, errors = np.concatenate((row[:2], season)), np.concatenate((np.full(2, np.nan), unsure))
        return Coefficients(tuple(names), values, errors, memory=frozenset({"alpha"}))

    def _words(self, plan: GroupSeasonPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what drifts, and how far the borrowed season swings."""
        season, drift = _season(row)[0], float(row[kernels.WEIGHT] * row[kernels.SLOPE])
        way = "rises" if drift >= 0 else "falls"
        return (
            f"The season of its neighbours, from {shown(100 * season.min(), 3)} to {shown(100 * season.max(), 3)} % of "
            f"the level, is taken out first and put back after. A level is carried forward; "
            f"{memory(row[0], series.cadence)}. From it demand {way} by {quantity(abs(drift), series.unit)} a "
            f"{series.cadence.noun}."
        )

    def _equation(self, plan: GroupSeasonPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The recursion with its numbers, far from its start."""
        return (
            f"level[t] = level[t-1] + {shown(float(row[0]))} (y[t] / season[t] - level[t-1])\n"
            f"forecast[n+h] = season[n+h] (level[n] + {shown(float(row[kernels.WEIGHT] * row[kernels.SLOPE]))} h)"
        )

    def _variance(self, plan: GroupSeasonPlan, row: FloatArray) -> float:
        """Variance of the one-step errors of what is left."""
        return float(row[kernels.VARIANCE])


def _season(row: FloatArray) -> FloatArray:
    """The season and its standard errors in a row, shape (2, season)."""
    return row[kernels.ENTRIES :].reshape(2, -1)


@kernel
def _ahead(
    y: FloatArray,
    m: int,
    row: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    std_error: FloatArray,
    law: Components,
) -> None:
    """Forecast what the season in the row leaves of demand, put it back with what is not known of it, set the law."""
    n, left = y.size, np.empty(y.size)
    season, unsure = row[kernels.ENTRIES : kernels.ENTRIES + m], row[kernels.ENTRIES + m :]
    taken_out(y, season, True, left)
    kernels.replay_theta(left, row, fitted, points, std_error)
    doubts = np.empty(points.size)
    for h in range(points.size):
        doubts[h] = points[h] * unsure[(n + h) % m]
    put_back(season, True, fitted, points, std_error)
    for h in range(points.size):
        std_error[h] = math.hypot(std_error[h], doubts[h])
    put_estimated(law, points, std_error, told(y)[0], ESTIMATED, True)


@kernel
def _roll(folds: Folds, lent: FloatArray) -> None:
    """Estimate and forecast from every origin, with what neighbours lend there."""
    m = lent.shape[2]
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        begin, end = folds.ends[o], folds.ends[o + 1]
        y, row, stats = folds.values[begin:end], folds.rows[o], folds.stats[o]
        known, lowest, highest = told(y)
        if lowest < 0.0:
            folds.status[o] = NEGATIVE
        elif m < 2:
            folds.status[o] = NO_SEASON
        elif known < FEWEST:
            folds.status[o] = TOO_SHORT
        elif lowest == highest:
            folds.status[o] = CONSTANT
        else:
            for j in range(m):
                # Lent from the origin on; kept from the first value on.
                at = kernels.ENTRIES + (y.size + j) % m
                row[at], row[at + m] = lent[o, 0, j], lent[o, 1, j]
                if not math.isfinite(lent[o, 0, j] + lent[o, 1, j]):
                    folds.status[o] = NO_NEIGHBOURS
        if folds.status[o] > 0:
            continue
        left = np.empty(y.size)
        taken_out(y, row[kernels.ENTRIES : kernels.ENTRIES + m], True, left)
        row[kernels.VARIANCE] = kernels.estimate_theta(left, np.nan, False, row) / max(known - ESTIMATED, 1)
        stats[0], stats[1], stats[2], stats[3] = np.nan, known, ESTIMATED + 1, 0.0
        _ahead(y, m, row, folds.fitted[begin:end], folds.points[o], folds.std_error[o], folds.law[o])
