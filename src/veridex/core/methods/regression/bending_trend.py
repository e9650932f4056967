"""A trend whose slope changes slowly, seasons, drivers and events, under a loss that outliers cannot bend."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import PlainFamily
from veridex.core.methods.fold.labels import change_label
from veridex.core.methods.fold.paths import effect_parts
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import DRIVER_SETTINGS, Value, number
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.collinear import dependent, told_apart
from veridex.core.methods.regression.harmonic import HARMONICS, SEASONS, check_harmonics
from veridex.core.methods.words import effect_words, signed
from veridex.core.numerics.regression.bending import LOWEST, Bent, bend, bend_given
from veridex.core.periods.seasons import season_name
from veridex.core.readable import number as shown
from veridex.core.readable import quantity

__all__ = ["BendingTrend"]

MOST_HARMONICS = 12
"""Harmonics of a season where their number is not stated."""

PER_HARMONIC = 5
"""Known periods for each coefficient of a season at least."""

HEAD = 3
"""A row begins with q, variance and degrees of freedom; then come the effects."""


@dataclass(frozen=True, slots=True)
class BendingPlan(Plan):
    """Harmonics of each season, and the bend if it is stated."""

    seasons: tuple[float, ...] = ()
    harmonics: tuple[int, ...] | None = None
    stated: float | None = None

    @property
    def most(self) -> int:
        """Harmonic columns at most."""
        return sum(2 * count for count in self._counts(None))

    def _counts(self, n: int | None) -> list[int]:
        """Harmonics of each season: stated, or as many as n periods support (a season seen less than twice, none)."""
        if self.harmonics is not None:
            return list(self.harmonics)
        found = []
        for length in self.seasons:
            count = min(MOST_HARMONICS, int(length // 2))
            if n is not None:
                count = 0 if n < 2 * length else min(count, max(1, n // (2 * PER_HARMONIC * len(self.seasons))))
            found.append(count)
        return found

    def basis(self, n: int, periods: int) -> tuple[FloatArray, list[tuple[float, int, str]]]:
        """Harmonic columns over `periods`, as n periods support them, and what each is: length, number, kind."""
        time = np.arange(1.0, periods + 1.0)
        columns, told = [], []
        for length, count in zip(self.seasons, self._counts(n), strict=True):
            for k in range(1, count + 1):
                for kind, harmonic in (("sin", np.sin), ("cos", np.cos)):
                    if kind == "cos" or 2 * k != length:
                        columns.append(harmonic(2.0 * np.pi * k * time / length))
                        told.append((length, k, kind))
        return (np.column_stack(columns) if columns else np.empty((periods, 0))), told


class BendingTrend(PlainFamily[BendingPlan]):
    """A smooth trend whose slope may change slowly, seasons, drivers and events, fitted with a robust loss.

    The trend's second differences are normal with a variance of q times that of the errors (Harvey, 1989, section 2.3);
    restricted maximum likelihood finds q (Patterson and Thompson, 1971), or ``bend=`` states its root, 0 for a straight
    line. A season is made of sines and cosines, as many as the history supports: up to twelve of a season seen at
    least twice, five values to a coefficient; ``seasons=`` and ``harmonics=`` state others. The further
    a residual, the less it counts, beyond 4.685 robust standard deviations not at all (Beaton and Tukey, 1974, from a
    start with Huber's loss), so that a outlying period moves little.

    Forecasts go on along the last slope. Standard errors hold the noise of the new value, the bending to come and the
    uncertainty of trend, seasons and effects, given q; bounds by Student's t. Fitted values know the whole history,
    like those of a regression. There is no likelihood that compares with other methods.
    """

    name = "bending-trend"
    seasons = "taken out"
    fixed_season = "harmonics"
    takes_drivers = True
    settings = (SEASONS, HARMONICS, number("bend", 0.0, 3.0), *DRIVER_SETTINGS)

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse numbers of harmonics that do not go with the seasons."""
        check_harmonics(self.name, settings)

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> BendingPlan:
        """Row: q, variance, degrees of freedom, effects of drivers and events, then those of the harmonics."""
        seasons = tuple(
            float(c) for c in settings.get("seasons") or ([sizes.season_length] if sizes.season_length > 1 else [])
        )
        harmonics = None if settings.get("harmonics") is None else tuple(settings["harmonics"])
        bend_root = settings.get("bend")
        stated = None if bend_root is None else max(2.0 * math.log10(max(bend_root, 1e-9)), LOWEST)
        draft = BendingPlan(sizes, 0, seasons=seasons, harmonics=harmonics, stated=stated)
        drivers = len(sizes.columns)
        return replace(draft, row_size=HEAD + drivers + 1 + draft.most, needs=f"{drivers + 7} known periods")

    def _regressors(self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, n: int) -> FloatArray:
        """Drivers, events and harmonics over span and lead times, as n known periods support them."""
        harmonics, _ = plan.basis(n, y.size + plan.horizon)
        return harmonics if x is None else np.hstack((x, harmonics))

    def run(self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate by robust restricted likelihood, and forecast."""
        known = y[~np.isnan(y)]
        n = known.size
        if n and known.min() == known.max():
            return Status.CONSTANT
        z = self._regressors(plan, y, x, n)
        used = self._used(plan, y, z)
        if n <= used.sum() + 4:
            return Status.TOO_SHORT
        found = bend(y, z[:, used], plan.stated)
        if found is None:
            return Status.DEPENDENT if x is not None else Status.NO_FIT
        if not found.variance > 0.0:
            return Status.CONSTANT
        effects = np.zeros(z.shape[1])
        effects[used] = found.effects
        out.row[:] = 0.0
        out.row[:HEAD] = (found.q, found.variance, found.degrees)
        drivers = len(plan.columns)
        out.row[HEAD : HEAD + drivers] = effects[:drivers]
        # How many periods the season was told from decides its number of harmonics.
        out.row[HEAD + drivers] = n
        out.row[HEAD + drivers + 1 : HEAD + 1 + effects.size] = effects[drivers:]
        out.stats[:] = (np.nan, n, int(used.sum()) + 4, 0)
        return self.replay(plan, y, x, out)

    def _used(self, plan: BendingPlan, y: FloatArray, z: FloatArray) -> Any:
        """Regressors whose effect can be told: harmonics; drivers and events that neither they nor a line explain."""
        drivers = len(plan.columns)
        past, known = z[: y.size][~np.isnan(y)], np.flatnonzero(~np.isnan(y))
        used = np.ones(z.shape[1], dtype=bool)
        if drivers:
            own = np.column_stack((np.ones(known.size), known.astype(np.float64), past[:, drivers:]))
            used[:drivers] = told_apart(own, past[:, :drivers])
        return used

    def _given(
        self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> tuple[Bent, FloatArray] | None:
        """The trend under a row's parameters, and the regressors that have an effect."""
        drivers = len(plan.columns)
        z = self._regressors(plan, y, x, int(row[HEAD + drivers]))
        effects = np.concatenate((row[HEAD : HEAD + drivers], row[HEAD + drivers + 1 :][: z.shape[1] - drivers]))
        used = effects != 0.0
        found = bend_given(y, z[:, used], effects[used], float(row[0]), float(row[1]))
        return None if found is None else (found, z[:, used])

    def replay(self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Bend the trend to what demand is under given effects, and continue it."""
        given = self._given(plan, y, x, out.row)
        if given is None:
            return Status.TOO_SHORT
        self._fill(plan, given[0], given[1], y.size, out)
        return Status.DONE

    def effects_ahead(self, plan: BendingPlan, row: FloatArray) -> FloatArray:
        """The effects of drivers and events."""
        return row[HEAD : HEAD + len(plan.columns)]

    def _fill(self, plan: BendingPlan, found: Bent, z: FloatArray, n: int, out: Rows) -> None:
        values = found.line + z @ found.effects
        out.fitted[:], out.points[:] = values[:n], values[n:]
        out.std_error[:] = np.sqrt(found.variance * (1.0 + found.line_variance[1:]))
        out.say_student(found.degrees)

    def _innovations(self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        """Residuals."""
        given = self._given(plan, y, x, row)
        if given is None:
            return np.full(y.size, np.nan)
        found, z = given
        return y - (found.line + z @ found.effects)[: y.size]

    def _coefficients(
        self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Level and slope at the end, the bend, the effects of drivers and events, and of the harmonics."""
        given = self._given(plan, y, x, row)
        assert given is not None
        found, _ = given
        n, drivers = y.size, len(plan.columns)
        _, told = plan.basis(int(row[HEAD + drivers]), 1)
        names = [c.name for c in plan.columns] + [f"{kind} {length / k:g}" for length, k, kind in told]
        effects = np.concatenate((row[HEAD : HEAD + drivers], row[HEAD + drivers + 1 :][: len(told)]))
        used = np.flatnonzero(effects)
        slope = found.line[n - 1] - found.line[n - 2]
        values = np.concatenate(([found.line[n - 1], slope, math.sqrt(found.q)], effects[used]))
        variances = np.concatenate(([found.line_variance[0], found.slope_variance, np.nan], np.diag(found.covariance)))
        # The level's own variance alone: regressors are told in the rows of their effects.
        variances[0] = np.nan if drivers else variances[0]
        head = ("level at the end", f"{change_label(series.cadence)} at the end", "bend")
        return Coefficients(
            (*head, *(names[j] for j in used)), values, np.sqrt(found.variance * variances), float(row[2])
        )

    def _contributions(
        self, plan: BendingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> dict[str, FloatArray]:
        """Trend, the part of each season, each driver (against its mean) and event."""
        given = self._given(plan, y, x, row)
        assert given is not None
        found, z = given
        drivers = len(plan.columns)
        parts = {} if x is None else effect_parts(plan.columns, row[HEAD : HEAD + drivers], x, y.size)
        seasons = self._seasons(plan, row, y.size + plan.horizon)
        whole = found.line + z @ found.effects
        return {"trend": whole - sum(parts.values()) - sum(seasons.values()), **seasons, **parts}

    def _seasons(self, plan: BendingPlan, row: FloatArray, periods: int) -> dict[str, FloatArray]:
        """The part of each season over so many periods."""
        at = HEAD + len(plan.columns)
        harmonics, told = plan.basis(int(row[at]), periods)
        found: dict[str, FloatArray] = {}
        for j, (length, _, _) in enumerate(told):
            name = season_name(length)
            found[name] = found.get(name, np.zeros(periods)) + harmonics[:, j] * row[at + 1 + j]
        return found

    def _words(self, plan: BendingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the seasons swing, how far the slope may bend, and what drivers and events do."""
        noun, unit = series.cadence.noun, series.unit
        step = math.sqrt(float(row[0] * row[1]))
        said = [
            f"A trend runs through the history whose slope may change, by about {quantity(step, unit)} a {noun} from "
            f"{noun} to {noun}; forecasts go on along the slope it ends with. Outlying {series.cadence.plural} "
            "count less."
        ]
        for name, season in self._seasons(plan, row, y.size).items():
            said.append(f"A {name} {series.cadence.plural} swings by {quantity(float(np.ptp(season)), unit)}.")
        if not self._seasons(plan, row, y.size):
            said.append("No season is seen.")
        if plan.columns:
            said.append(effect_words(plan.columns, row[HEAD : HEAD + len(plan.columns)], unit))
        return " ".join(said)

    def _equation(self, plan: BendingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Trend, harmonics and effects with their numbers."""
        drivers = len(plan.columns)
        _, told = plan.basis(int(row[HEAD + drivers]), 1)
        terms = "".join(
            f"{signed(float(b))} {c.name}[t]"
            for c, b in zip(plan.columns, row[HEAD : HEAD + drivers], strict=True)
            if b
        )
        season = " + season[t]" if told else ""
        spread, bends = math.sqrt(float(row[1])), math.sqrt(float(row[0] * row[1]))
        return (
            f"y[t] = trend[t]{season}{terms} + error[t], the standard deviation of an error {shown(spread)}\n"
            f"trend[t] = 2 trend[t-1] - trend[t-2] + bend[t], the standard deviation of a bend {shown(bends)}"
        )

    def dependent(self, plan: BendingPlan, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Drivers and events that explain each other, or that a line and harmonics explain."""
        n = int(np.count_nonzero(~np.isnan(y)))
        z = self._regressors(plan, y, x, n)
        known = np.flatnonzero(~np.isnan(y))
        line = np.column_stack((np.ones(known.size), known))
        used = np.flatnonzero(self._used(plan, y, z))
        found = dependent(np.hstack((z[known][:, used], line)), int((used < len(plan.columns)).sum()))
        return tuple(plan.columns[used[j]].name for j in found)

    def _variance(self, plan: BendingPlan, row: FloatArray) -> float:
        """Of the errors, robustly."""
        return float(row[1])
