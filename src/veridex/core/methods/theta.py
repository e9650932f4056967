"""The theta method, and its optimised variant."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import PlainFamily
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import choice, number, yes_no
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory, signed
from veridex.core.numerics import theta as kernels
from veridex.core.numerics.plain import told
from veridex.core.numerics.seasons.deseasonalise import fixed_season, put_back, taken_out
from veridex.core.numerics.seasons.profile import shows_season
from veridex.core.readable import number as shown
from veridex.core.readable import quantity

__all__ = ["Theta"]

KINDS = ("none", "additive", "multiplicative")
KIND = kernels.ENTRIES
"""Entry of the row, after the kernel's, that says which kind of season was taken out; the season follows."""


@dataclass(frozen=True, slots=True)
class ThetaPlan(Plan):
    """Constant, variant and season as stated."""

    alpha: float = math.nan
    optimised: bool = False
    season: str = "auto"

    def estimated(self, kind: str) -> int:
        """Quantities estimated, the variance not counted, with this kind of season."""
        stated = not math.isnan(self.alpha)
        return 4 + self.optimised - stated + (self.season_length - 1 if kind != "none" else 0)


class Theta(PlainFamily[ThetaPlan]):
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

    def run(self, plan: ThetaPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Take the season out where there is one, estimate by least squares, and forecast."""
        known, lowest, highest = told(y)
        kind = _kind(plan, y, known, lowest, highest)
        if isinstance(kind, Status):
            return kind
        estimated = plan.estimated(kind)
        if known < estimated + 2:
            return Status.TOO_SHORT
        season = np.full(plan.season_length, 1.0 if kind == "multiplicative" else 0.0)
        if kind != "none":
            season = fixed_season(y, plan.season_length, multiplicative=kind == "multiplicative")
            if not np.isfinite(season).all() or (kind == "multiplicative" and season.min() <= 0):
                return Status.TOO_SHORT
        left = np.empty_like(y)
        logs = taken_out(y, season, kind == "multiplicative", left)
        total = kernels.estimate_theta(left, plan.alpha, plan.optimised, out.row)
        out.row[kernels.VARIANCE] = total / (known - estimated)
        out.row[KIND] = KINDS.index(kind)
        out.row[KIND + 1 :] = season
        likelihood = -0.5 * known * (math.log(2 * math.pi * total / known) + 1) - logs if total > 0 else math.nan
        out.stats[:] = (likelihood, known, estimated + 1, 0)
        return self._ahead(plan, left, known, out)

    def domain(self, plan: ThetaPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """A season that multiplies needs demand above zero; a run chooses its own kind."""
        if row is None or KINDS[int(row[KIND])] != "multiplicative" or (y[~np.isnan(y)] > 0.0).all():
            return Status.DONE
        return Status.NOT_POSITIVE

    def replay(self, plan: ThetaPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the adjusted recursion, forecast, and put the season back."""
        left = np.empty_like(y)
        taken_out(y, out.row[KIND + 1 :], KINDS[int(out.row[KIND])] == "multiplicative", left)
        return self._ahead(plan, left, told(y)[0], out)

    def _ahead(self, plan: ThetaPlan, left: FloatArray, known: int, out: Rows) -> int:
        """Forecast from what the season leaves of so many known values."""
        kind = KINDS[int(out.row[KIND])]
        kernels.replay_theta(left, out.row, out.fitted, out.points, out.std_error)
        if kind != "none":
            put_back(out.row[KIND + 1 :], kind == "multiplicative", out.fitted, out.points, out.std_error)
        out.say_estimated(known, plan.estimated(kind))
        return Status.DONE

    def _coefficients(
        self, plan: ThetaPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Constant, starting level, theta, the line; least squares one step ahead gives no standard errors here."""
        theta = 1.0 / (1.0 - row[kernels.WEIGHT]) if row[kernels.WEIGHT] < 1.0 else math.inf
        names = [
            "alpha",
            "starting level",
            "theta",
            "intercept of the line",
            f"{change_label(series.cadence)} of the line",
        ]
        values = [row[0], row[1], theta, row[3], row[4]]
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


def _kind(plan: ThetaPlan, y: FloatArray, known: int, lowest: float, highest: float) -> str | Status:
    """Which season to take out, or why it cannot be."""
    if known < 3:
        return Status.TOO_SHORT
    if lowest == highest:
        return Status.CONSTANT
    positive = lowest > 0
    if plan.season == "auto":
        if not shows_season(y, plan.season_length):
            return "none"
        return "multiplicative" if positive else "additive"
    if plan.season == "none":
        return "none"
    if plan.season_length < 2:
        return Status.NO_SEASON
    if y.size < 2 * plan.season_length:
        return Status.TOO_SHORT
    return plan.season if plan.season == "additive" or positive else Status.NOT_POSITIVE
