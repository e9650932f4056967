"""The theta method, and its optimised variant."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import Components
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.plan import Plan, Rows, Sizes, put_estimated
from veridex.core.methods.fold.settings import choice, number, yes_no
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory, signed
from veridex.core.numerics import theta as kernels
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.plain import told
from veridex.core.numerics.seasons.deseasonalise import fixed_season, put_back, taken_out
from veridex.core.numerics.seasons.profile import CHANCE, season_tests
from veridex.core.readable import number as shown
from veridex.core.readable import quantity

__all__ = ["Theta"]

KINDS = ("none", "additive", "multiplicative")
NONE, ADDITIVE, MULTIPLICATIVE, AUTO = 0, 1, 2, 3

DONE, TOO_SHORT, CONSTANT = int(Status.DONE), int(Status.TOO_SHORT), int(Status.CONSTANT)
NO_SEASON, NOT_POSITIVE = int(Status.NO_SEASON), int(Status.NOT_POSITIVE)

KIND = kernels.ENTRIES
"""Entry of the row, after the kernel's, that says which kind of season was taken out; the season follows."""


@dataclass(frozen=True, slots=True)
class ThetaPlan(Plan):
    """Constant, variant and season as stated."""

    alpha: float = math.nan
    optimised: bool = False
    season: str = "auto"


class Theta(RolledFamily[ThetaPlan]):
    """Simple smoothing that drifts by a share of the slope of a line through the whole history.

    A season that the history shows (an F test, see `veridex.core.numerics.seasons.profile`) is taken out first: by
    classical decomposition, with ratios where demand is above zero throughout, with differences otherwise
    (Assimakopoulos and Nikolopoulos, 2000, International Journal of Forecasting 16, 521-530, who go by the
    autocorrelation at the season's lag, which sees hardly any season within four years). theta is two, which lets
    half of the slope drift (Hyndman and Billah, 2003, International Journal of Forecasting 19, 287-290);
    ``optimised=yes`` estimates it, from one upwards (Fiorucci et al., 2016, the same 32, 1151-1161). Standard error
    at lead h: ``sigma sqrt(1 + (h - 1) alpha^2)`` times the season where it is a ratio, given the parameters and
    the season; normal bounds.
    """

    name = "theta"
    seasons = "taken out"
    settings = (
        yes_no("optimised"),
        choice("season", "auto", *KINDS, default="auto"),
        number("alpha", 0.001, 1.0),
    )

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> ThetaPlan:
        """Row: alpha, starting level, w, line, variance, kind of season, season."""
        alpha = settings.get("alpha")
        return ThetaPlan(
            sizes,
            row_size=kernels.ENTRIES + 1 + sizes.season_length,
            needs="6 known periods, and two seasons of them where it takes a season out",
            alpha=math.nan if alpha is None else float(alpha),
            optimised=bool(settings["optimised"]),
            season=settings["season"],
        )

    def _roll(self, plan: ThetaPlan, folds: Folds, warm: FloatArray) -> None:
        """Take the season out where there is one, estimate by least squares, and forecast."""
        kind = AUTO if plan.season == "auto" else KINDS.index(plan.season)
        seasonal = season_tests(folds.values, folds.ends, plan.season_length)[1] < CHANCE
        _roll(folds, kind, seasonal, plan.alpha, plan.optimised, plan.season_length)

    def domain(self, plan: ThetaPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """A season that multiplies needs demand above zero; a run chooses its own kind."""
        if row is None or KINDS[int(row[KIND])] != "multiplicative" or (y[~np.isnan(y)] > 0.0).all():
            return Status.DONE
        return Status.NOT_POSITIVE

    def replay(self, plan: ThetaPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the adjusted recursion, forecast, and put the season back."""
        _ahead(y, out.row, plan.alpha, plan.optimised, out.fitted, out.points, out.std_error, out.law)
        return Status.DONE

    def _coefficients(
        self, plan: ThetaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Constant, start, how far the slope is followed, the line; least squares gives no standard errors here."""
        names = [
            "alpha",
            "starting level",
            "share of the slope",  # theta itself may be without bound
            "intercept of the line",
            f"{change_label(series.cadence)} of the line",
        ]
        values = [row[0], row[1], row[kernels.WEIGHT], row[3], row[4]]
        if row[KIND]:
            first = series.start + len(series) - y.size
            names += [f"season {series.phase_name(first + j)}" for j in range(plan.season_length)]
            values += row[KIND + 1 :].tolist()
        return Coefficients(tuple(names), np.array(values), np.full(len(names), np.nan), memory=frozenset({"alpha"}))

    def _words(self, plan: ThetaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say what drifts, and which season was taken out."""
        kind, noun = KINDS[int(row[KIND])], series.cadence.noun
        drift = float(row[kernels.WEIGHT] * row[kernels.SLOPE])
        way = "rises" if drift >= 0 else "falls"
        season = (
            "No season was taken out."
            if kind == "none"
            else f"A fixed {kind} season was taken out first and put back after."
        )
        return (
            f"A level is carried forward; {memory(row[0], series.cadence)}. From it demand {way} by "
            f"{quantity(abs(drift), series.unit)} a {noun}, {shown(100 * row[kernels.WEIGHT], 3)} % of the slope of a "
            f"straight line through the whole history. {season}"
        )

    def _equation(self, plan: ThetaPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The recursion with its numbers, far from its start."""
        alpha, weight = float(row[0]), float(row[kernels.WEIGHT])
        kind = KINDS[int(row[KIND])]
        y_name = "y[t]" if kind == "none" else "adjusted[t]"
        lines = [
            f"forecast[t] = level[t-1]{signed(weight * row[3])} d[t-1]{signed(weight * row[4] / alpha)} (1 - d[t])",
            f"d[t] = {shown(1 - alpha)}^t",
            f"level[t] = level[t-1]{signed(alpha)} ({y_name} - level[t-1])",
            f"forecast[n+h] = forecast[n+1]{signed(weight * row[4])} (h - 1)",
        ]
        if kind != "none":
            lines.append(f"adjusted[t] = y[t] {'/' if kind == 'multiplicative' else '-'} season[t]")
        spread = shown(math.sqrt(row[kernels.VARIANCE]))
        return "\n".join([*lines, f"the standard deviation of one-step errors {spread}"])

    def _variance(self, plan: ThetaPlan, row: FloatArray) -> float:
        """Variance of the one-step errors of the adjusted series."""
        return float(row[kernels.VARIANCE])


@kernel
def _kind(y: FloatArray, stated: int, seasonal: bool, m: int) -> tuple[int, int]:
    """Which season to take out, and why it cannot be."""
    known, lowest, highest = told(y)
    if known < 3:
        return NONE, TOO_SHORT
    if lowest == highest:
        return NONE, CONSTANT
    if stated == AUTO:
        return (MULTIPLICATIVE if lowest > 0.0 else ADDITIVE) if seasonal else NONE, DONE
    if stated == NONE:
        return NONE, DONE
    if m < 2:
        return stated, NO_SEASON
    if y.size < 2 * m:
        return stated, TOO_SHORT
    return stated, NOT_POSITIVE if stated == MULTIPLICATIVE and not lowest > 0.0 else DONE


@kernel
def _estimated(kind: int, m: int, alpha: float, optimised: bool) -> int:
    """Quantities estimated, the variance not counted, with this kind of season."""
    return 4 + optimised - (not math.isnan(alpha)) + (m - 1 if kind != NONE else 0)


@kernel
def _ahead(
    y: FloatArray,
    row: FloatArray,
    alpha: float,
    optimised: bool,
    fitted: FloatArray,
    points: FloatArray,
    std_error: FloatArray,
    law: Components,
) -> None:
    """Forecast what the season leaves of demand, put the season back, and set the law."""
    kind, season, left = int(row[KIND]), row[KIND + 1 :], np.empty(y.size)
    taken_out(y, season, kind == MULTIPLICATIVE, left)
    kernels.replay_theta(left, row, fitted, points, std_error)
    if kind != NONE:
        put_back(season, kind == MULTIPLICATIVE, fitted, points, std_error)
    put_estimated(law, points, std_error, told(y)[0], _estimated(kind, season.size, alpha, optimised), True)


@kernel
def _roll(folds: Folds, stated: int, seasonal: BoolArray, alpha: float, optimised: bool, m: int) -> None:
    """Estimate and forecast from every origin."""
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        begin, end = folds.ends[o], folds.ends[o + 1]
        y, row, stats = folds.values[begin:end], folds.rows[o], folds.stats[o]
        kind, hindered = _kind(y, stated, seasonal[o], m)
        known, estimated = told(y)[0], _estimated(kind, m, alpha, optimised)
        if hindered == DONE and known < estimated + 2:
            hindered = TOO_SHORT
        season, lowest = row[KIND + 1 :], np.inf
        season[:] = 1.0 if kind == MULTIPLICATIVE else 0.0
        if hindered == DONE and kind != NONE:
            fixed_season(y, kind == MULTIPLICATIVE, season)
            for j in range(m):
                lowest = min(lowest, season[j])
                if not math.isfinite(season[j]):
                    hindered = TOO_SHORT
            if kind == MULTIPLICATIVE and not lowest > 0.0:
                hindered = TOO_SHORT
        folds.status[o] = hindered
        if hindered != DONE:
            continue
        left = np.empty(y.size)
        logs = taken_out(y, season, kind == MULTIPLICATIVE, left)
        total = kernels.estimate_theta(left, alpha, optimised, row)
        row[kernels.VARIANCE], row[KIND] = total / (known - estimated), kind
        spread = math.log(2.0 * math.pi * total / known) if total > 0.0 else math.nan
        stats[0] = -0.5 * known * (spread + 1.0) - logs
        stats[1], stats[2], stats[3] = known, estimated + 1.0, 0.0
        _ahead(y, row, alpha, optimised, folds.fitted[begin:end], folds.points[o], folds.std_error[o], folds.law[o])
