"""Methods for intermittent demand: Croston's, its bias-corrected form, and the one that sees an item grow obsolete."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np
from scipy.special import gammaincinv, ndtr

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import Components, put_compound
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import number
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.intermittent import CHANCES, INTERVALS, estimate_intermittent, run_intermittent
from veridex.core.numerics.plain import told
from veridex.core.readable import number as shown
from veridex.core.readable import quantity

__all__ = ["Croston", "SyntetosBoylan", "TeunterSyntetosBabai"]

ALPHA, BETA, SIZE, OFTEN, SPREAD, VARIANCE = 0, 1, 2, 3, 4, 5
"""A parameter row: constants, starting size, starting interval or chance, variance of sizes, of one-step errors."""

BEGINNING = 12
"""Known periods that starting values are taken from: with those of the whole history nothing would seem to change."""

NEGATIVE, TOO_SHORT = int(Status.NEGATIVE), int(Status.TOO_SHORT)

NEEDS = "4 known periods, and demand in at least two of them or in none"


@dataclass(frozen=True, slots=True)
class IntermittentPlan(Plan):
    """The constants stated, NaN where they are to be estimated."""

    stated: FloatArray = field(default_factory=lambda: np.full(2, np.nan), repr=False)


class _Intermittent(RolledFamily[IntermittentPlan]):
    """Demand as a size that comes now and then."""

    drivers = "none"
    settings = (number("alpha", 0.0, 1.0), number("beta", 0.0, 1.0))
    kind: ClassVar[int] = INTERVALS
    correction: ClassVar[float] = 0.0
    source: ClassVar[str]

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> IntermittentPlan:
        """Row: see the head of the file."""
        stated = np.array([math.nan if settings.get(key) is None else settings[key] for key in ("alpha", "beta")])
        return IntermittentPlan(sizes, row_size=6, needs=NEEDS, stated=stated)

    def domain(self, plan: IntermittentPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Demand below zero is none that comes now and then."""
        return Status.NEGATIVE if told(y)[1] < 0.0 else Status.DONE

    def _roll(self, plan: IntermittentPlan, folds: Folds, warm: FloatArray) -> None:
        """Estimate the constants by least squares one step ahead, and forecast."""
        _roll(folds, self.kind, self.correction, plan.stated)

    def replay(self, plan: IntermittentPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion, and spread demand ahead as its stated law says."""
        _ahead(y, self.kind, self.correction, out.row, out.fitted, out.points, out.std_error, out.law)
        return Status.DONE

    def paths(
        self, plan: IntermittentPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Draw from the law: a normal shock stands for the probability of demand that is no larger."""
        size, chance = self._ends(y, row)
        return _quantiles(ndtr(shocks), chance, size, row[SPREAD])

    def _ends(self, y: FloatArray, row: FloatArray) -> tuple[float, float]:
        """Mean size and chance of demand at the end of the history, whose product is the forecast."""
        size, chance = _ends(y, self.kind, self.correction, row, np.empty(y.size))
        return float(size), float(chance)

    def _coefficients(
        self, plan: IntermittentPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Constants and where they led; squared errors give no standard errors."""
        size, chance = self._ends(y, row)
        often = (
            ("chance of demand", chance)
            if self.kind == CHANCES
            else ("periods between demands", 1.0 / chance if chance else 0.0)
        )
        names = ("alpha", "beta", "size", often[0], "standard deviation of sizes")
        values = np.array([row[ALPHA], row[BETA], size, often[1], math.sqrt(row[SPREAD])])
        return Coefficients(names, values, np.full(5, np.nan), memory=frozenset({"alpha", "beta"}))

    def _words(self, plan: IntermittentPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how often, how much, and how fast both are forgotten."""
        size, chance = self._ends(y, row)
        noun = series.cadence.noun
        if size == 0.0:
            return "There never was any demand, so none is expected; nothing was estimated."
        forgets = (
            "it hardly changes" if row[ALPHA] < 0.01 else memory(row[ALPHA], replace(series.cadence, noun="demand"))
        )
        return (
            f"Demand comes in {shown(100 * chance, 3)} % of {series.cadence.plural}, {quantity(size, series.unit)} at "
            f"a time, {quantity(chance * size, series.unit)} a {noun} on average. Of its size: {forgets}. "
            f"{self._aging(row[BETA])} No trend and no season is seen."
        )

    def _aging(self, beta: float) -> str:
        if beta < 0.001:
            return "How often demand comes hardly changes."
        if self.kind == CHANCES:
            return "Every period without demand lowers the forecast."
        return "Periods without demand change nothing until the next demand comes."

    def _equation(self, plan: IntermittentPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The two recursions with their numbers."""
        factor = 1.0 - self.correction * row[BETA]
        share = "" if factor == 1.0 else f"{shown(factor)} "
        often = "chance" if self.kind == CHANCES else "interval"
        seen = "demand[t]" if self.kind == CHANCES else "periods since the last demand"
        when = "always, demand[t] being 1 or 0" if self.kind == CHANCES else "where y[t] > 0"
        joined = f"size[t-1] {often}[t-1]" if self.kind == CHANCES else f"size[t-1] / {often}[t-1]"
        return (
            f"forecast[t] = {share}{joined}\n"
            f"size[t] = size[t-1] + {shown(row[ALPHA])} (y[t] - size[t-1]) where y[t] > 0\n"
            f"{often}[t] = {often}[t-1] + {shown(row[BETA])} ({seen} - {often}[t-1]) {when}"
        )

    def _variance(self, plan: IntermittentPlan, row: FloatArray) -> float:
        """Mean squared one-step error."""
        return float(row[VARIANCE])


@kernel
def _start(y: FloatArray) -> tuple[float, float]:
    """Mean size and chance of demand in the beginning, which reaches to the second demand at least."""
    known, demands, total = 0, 0, 0.0
    for t in range(y.size):
        if math.isnan(y[t]):
            continue
        if known >= BEGINNING and demands >= 2:
            break
        known += 1
        if y[t] > 0.0:
            demands += 1
            total += y[t]
    return total / demands, demands / known


@kernel
def _ends(y: FloatArray, kind: int, correction: float, row: FloatArray, fitted: FloatArray) -> tuple[float, float]:
    """Mean size and chance of demand at the end of the history."""
    ends = np.empty(3)
    run_intermittent(y, kind, correction, row[ALPHA], row[BETA], row[SIZE], row[OFTEN], fitted, ends)
    chance = ends[1] if kind == CHANCES else min(1.0 / ends[1], 1.0)
    return (1.0 - correction * row[BETA]) * ends[0], chance


@kernel
def _ahead(
    y: FloatArray,
    kind: int,
    correction: float,
    row: FloatArray,
    fitted: FloatArray,
    points: FloatArray,
    std_error: FloatArray,
    law: Components,
) -> None:
    """Forecast from the end of the history, and set the law."""
    size, chance = _ends(y, kind, correction, row, fitted)
    mean = chance * size
    spread = math.sqrt(max(chance * (row[SPREAD] + size * size) - mean * mean, 0.0))
    for h in range(points.size):
        points[h], std_error[h] = mean, spread
    put_compound(law, chance, size, row[SPREAD])


@kernel
def _roll(folds: Folds, kind: int, correction: float, stated: FloatArray) -> None:
    """Estimate and forecast from every origin."""
    found, ends, asked = np.empty(2), np.empty(3), np.empty(2)
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        y, fitted = folds.values[folds.ends[o] : folds.ends[o + 1]], folds.fitted[folds.ends[o] : folds.ends[o + 1]]
        known, demands = 0, 0
        for t in range(y.size):
            if not math.isnan(y[t]):
                known += 1
                demands += y[t] > 0.0
        row, stats = folds.rows[o], folds.stats[o]
        stats[0], stats[1], stats[2], stats[3] = math.nan, known, 0.0, 0.0
        if told(y)[1] < 0.0:
            folds.status[o] = NEGATIVE
        elif demands == 0:
            row[:] = 0.0
            row[OFTEN] = 0.0 if kind == CHANCES else known + 1.0
        elif known < 4 or demands < 2:
            folds.status[o] = TOO_SHORT
        else:
            size, chance = _start(y)
            often = chance if kind == CHANCES else 1.0 / chance
            asked[0], asked[1] = stated[0], stated[1]
            if demands == known and math.isnan(stated[1]):
                asked[1] = 0.0  # demand in every period tells nothing of how often it comes, and has no bias to correct
            estimate_intermittent(y, kind, correction, asked, size, often, found)
            total = run_intermittent(y, kind, correction, found[0], found[1], size, often, fitted, ends)
            row[ALPHA], row[BETA], row[SIZE], row[OFTEN] = found[0], found[1], size, often
            row[SPREAD], row[VARIANCE] = ends[2] / (demands - 1), total / known
            stats[2] = 4.0 + math.isnan(asked[0]) + math.isnan(asked[1])
        if folds.status[o] <= 0:
            _ahead(y, kind, correction, row, fitted, folds.points[o], folds.std_error[o], folds.law[o])


def _quantiles(shares: FloatArray, chance: float, size: float, spread: float) -> FloatArray:
    """Quantiles of a demand that is zero, or with a chance a gamma-distributed size of this mean and variance."""
    if chance <= 0.0 or size <= 0.0:
        return np.zeros(shares.shape)
    inside = np.clip((shares - (1.0 - chance)) / chance, 0.0, 1.0)
    if spread <= 1e-12 * size * size:
        return np.where(inside > 0.0, size, 0.0)
    return np.asarray(gammaincinv(size * size / spread, inside) * spread / size)


class Croston(_Intermittent):
    """Sizes of demand and the periods between them, each smoothed when there is demand; the forecast is their ratio.

    Croston (1972), Operational Research Quarterly 23, 289-303, with a constant for sizes (alpha) and one for intervals
    (beta), both with the least squared one-step error inside 0.05 to 0.3; starting values are the means of the first
    twelve periods, or of as many as it takes to the second demand.
    The forecast is flat. Standard error and bounds are those of a compound law, the same at every lead time: with the
    chance 1 / interval a gamma-distributed size with the smoothed mean and the variance of sizes around their
    forecasts, otherwise nothing; given the parameters. Sizes that are whole numbers are treated as if they were not.
    """

    name = "croston"


class SyntetosBoylan(_Intermittent):
    """Croston's method times ``1 - beta / 2``, which takes out the bias of a ratio of two estimates.

    Syntetos and Boylan (2005), International Journal of Forecasting 21, 303-314. Standard error and
    bounds are as for `croston`, sizes being corrected, and so are the constants.
    """

    name = "sba"
    correction = 0.5


class TeunterSyntetosBabai(_Intermittent):
    """Sizes smoothed at demands, and the chance of demand smoothed in every period: without demand it falls.

    Teunter, Syntetos and Babai (2011), European Journal of Operational Research 214, 606-615. Standard error
    and bounds are as for `croston`, with the chance as it is smoothed, and so are the constants.
    """

    name = "tsb"
    kind = CHANCES
