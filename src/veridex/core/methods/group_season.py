"""The season of an item's neighbours on the item's own level."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import PlainFamily
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory
from veridex.core.numerics import theta as kernels
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


@dataclass(frozen=True, slots=True)
class GroupSeasonPlan(Plan):
    """The season to borrow, from the origin on; None where nobody lends one."""

    borrowed: FloatArray | None = None


class GroupSeason(PlainFamily[GroupSeasonPlan]):
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

    def run(self, plan: GroupSeasonPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Take the borrowed season out, smooth what is left, and forecast."""
        known, lowest, highest = told(y)
        if plan.season_length < 2:
            return Status.NO_SEASON
        if known < FEWEST:
            return Status.TOO_SHORT
        if lowest == highest:
            return Status.CONSTANT
        if plan.borrowed is None or not np.isfinite(plan.borrowed).all():
            return Status.NO_NEIGHBOURS
        both, turned, left = _season(out.row), y.size % plan.season_length, np.empty_like(y)
        both[:, turned:], both[:, :turned] = np.split(plan.borrowed, [plan.season_length - turned], axis=1)
        taken_out(y, both[0], True, left)
        total = kernels.estimate_theta(left, np.nan, False, out.row)
        out.row[kernels.VARIANCE] = total / max(known - ESTIMATED, 1)
        out.stats[:] = (np.nan, known, ESTIMATED + 1, 0)
        return self._ahead(left, known, out)

    def domain(self, plan: GroupSeasonPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Shares of a level are above zero, and so is the level."""
        if row is not None and not (_season(row)[0] > 0.0).all():
            return Status.NOT_ITS_OWN
        return Status.NEGATIVE if told(y)[1] < 0.0 else Status.DONE

    def replay(self, plan: GroupSeasonPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion on what is left, forecast, and put the season back."""
        left = np.empty_like(y)
        taken_out(y, _season(out.row)[0], True, left)
        return self._ahead(left, told(y)[0], out)

    def _ahead(self, left: FloatArray, known: int, out: Rows) -> int:
        """Forecast from what the season leaves of so many known values."""
        season, unsure = _season(out.row)
        kernels.replay_theta(left, out.row, out.fitted, out.points, out.std_error)
        doubt = out.points * unsure[np.arange(left.size, left.size + out.points.size) % season.size]
        put_back(season, True, out.fitted, out.points, out.std_error)
        out.std_error[:] = np.hypot(out.std_error, doubt)
        out.say_estimated(known, ESTIMATED)
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
