"""Smoothing with seasons of several lengths, each a few turning pairs of states: `smoothing seasons=[7, 365.25]`."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.criteria import criteria
from veridex.core.methods.fold.family import PlainFamily
from veridex.core.methods.fold.paths import linear_paths
from veridex.core.methods.fold.plan import STATS, Plan, Rows, Sizes
from veridex.core.methods.fold.status import Status
from veridex.core.methods.words import memory, signed
from veridex.core.numerics.smoothing.trigonometric import Turning, filter_turning, seeds_of
from veridex.core.periods.seasons import season_name
from veridex.core.readable import number, quantity

__all__ = ["TurningSmoothing"]

FEW, MANY, SHORT = 3, 4, 60
"""Harmonics of a season where their number is not stated: of one longer than `SHORT` periods, and of others."""

TWICE = 1.98
"""Turns of the longest season that are needed: two years of days."""

STARTS = {"alpha": 0.1, "share": 0.1, "phi": 0.97, "gamma": 0.01}
BOUNDS = {"alpha": (1e-4, 0.9999), "share": (1e-4, 0.9999), "phi": (0.8, 0.99), "gamma": (0.0, 0.3)}
"""Where constants are sought: beta as a share of alpha, phi of a damped trend, a gamma for each season."""

HEAD = 6
"""A row begins with trend, alpha, beta, phi, variance and estimated; then gammas, then starting states."""


@dataclass(frozen=True, slots=True)
class TurningPlan(Plan):
    """Seasons, their harmonics, and which trends are tried."""

    seasons: tuple[float, ...] = ()
    harmonics: tuple[int, ...] = ()
    trends: tuple[str, ...] = ()
    criterion: str = "aicc"

    def turning(self, trend: str, constants: FloatArray) -> Turning:
        """The model of a kind of trend, with alpha, beta, phi and gammas."""
        pairs = [
            (2.0 * math.pi * k / length, i)
            for i, length in enumerate(self.seasons)
            for k in range(1, self.harmonics[i] + 1)
        ]
        angles, owners = (np.array(column) for column in zip(*pairs, strict=True))
        alpha, beta, phi = (float(one) for one in constants[:3])
        return Turning(angles, owners.astype(np.int64), alpha, beta, phi, constants[3:].copy(), trend != "none")

    def sought(self, trend: str) -> list[str]:
        """The constants that are estimated."""
        own = {"none": [], "additive": ["share"], "damped": ["share", "phi"]}[trend]
        return ["alpha", *own, *["gamma"] * len(self.seasons)]

    def constants(self, trend: str, found: FloatArray) -> FloatArray:
        """Alpha, beta, phi and gammas from what was sought."""
        named = dict(zip(self.sought(trend), found.tolist(), strict=False))
        beta = named["alpha"] * named.get("share", 0.0)
        phi = named.get("phi", 1.0)
        return np.concatenate(([named["alpha"], beta, phi], found[found.size - len(self.seasons) :]))

    @property
    def states(self) -> int:
        """Level, slope and the pairs."""
        return 2 + 2 * sum(self.harmonics)


TRENDS = {"auto": ("none", "damped"), "none": ("none",), "additive": ("additive",), "damped": ("damped",)}
CODES = ("none", "additive", "damped")


class TurningSmoothing(PlainFamily[TurningPlan]):
    """Level, trend and seasons of several lengths that change slowly, each of a few turning pairs of states.

    See `veridex.core.numerics.smoothing.trigonometric` for the model and its source. Lengths may be fractions; up to
    four harmonics of a season of up to 60 periods, three of a longer one, or as many as ``harmonics=`` says. Errors are
    additive. The trend, none or damped, is the one that the criterion prefers. Constants and starting states minimise
    the squares of the errors; standard errors of forecasts are given the constants.
    """

    name = "smoothing"

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> TurningPlan:
        """Row: trend, alpha, beta, phi, variance, estimated; gammas; starting states."""
        lengths = tuple(float(one) for one in settings["seasons"])
        counts = settings.get("harmonics") or [
            min(FEW if length > SHORT else MANY, int(length // 2)) for length in lengths
        ]
        draft = TurningPlan(sizes, 0, seasons=lengths, harmonics=tuple(counts))
        return TurningPlan(
            sizes,
            row_size=HEAD + len(lengths) + draft.states,
            warm_size=2 + len(BOUNDS) + len(lengths),
            needs=f"{math.ceil(TWICE * max(lengths))} periods, two turns of the longest season",
            searched=(0,) if settings["trend"] == "auto" else (),
            seasons=lengths,
            harmonics=tuple(counts),
            trends=TRENDS[settings["trend"]],
            criterion=settings["criterion"],
        )

    def run(self, plan: TurningPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate with each trend, keep the best, and forecast."""
        known = y[~np.isnan(y)]
        if y.size < TWICE * max(plan.seasons) or known.size < plan.states + 10:
            return Status.TOO_SHORT
        if known.min() == known.max():
            return Status.CONSTANT
        kept = CODES[int(warm[1])] if warm[0] == 1.0 else None
        best: tuple[float, str, FloatArray, FloatArray] | None = None
        for trend in plan.trends if kept is None else (kept,):
            start = warm[2 : 2 + len(plan.sought(trend))] if kept == trend else None
            found = self._estimated(plan, trend, y, start)
            stats = self._stats(plan, trend, y, found)
            value = criteria(stats)[plan.criterion]
            if np.isfinite(value) and (best is None or value < best[0]):
                best = (value, trend, found, stats)
        if best is None:
            return Status.NO_FIT
        _, trend, found, stats = best
        warm[:2] = (1.0, CODES.index(trend))
        warm[2 : 2 + found.size] = found
        constants = plan.constants(trend, found)
        seeds, squares = seeds_of(y, plan.turning(trend, constants))
        estimated = int(stats[2]) - 1
        variance = squares / max(known.size - estimated, 1)
        out.row[:HEAD] = (CODES.index(trend), *constants[:3], variance, estimated)
        out.row[HEAD:] = np.concatenate((constants[3:], seeds))
        out.stats[:] = stats
        return self.replay(plan, y, x, out)

    def _estimated(self, plan: TurningPlan, trend: str, y: FloatArray, start: FloatArray | None) -> FloatArray:
        """The constants with the least squares, starting states following from them."""
        from scipy.optimize import minimize  # a third of a second that other methods need not wait for

        names = plan.sought(trend)

        def objective(at: FloatArray) -> float:
            squares = seeds_of(y, plan.turning(trend, plan.constants(trend, at)))[1]
            return math.log(max(squares, 1e-300)) if math.isfinite(squares) else 1e10

        begin = np.array([STARTS[name] for name in names]) if start is None else start
        bounds = [BOUNDS[name] for name in names]
        found = minimize(objective, begin, method="L-BFGS-B", bounds=bounds, options={"maxiter": 60, "ftol": 1e-9})
        return np.asarray(found.x, dtype=np.float64)

    def _stats(self, plan: TurningPlan, trend: str, y: FloatArray, found: FloatArray) -> FloatArray:
        """Log-likelihood, values, and quantities estimated: constants, starting states, variance."""
        n = int(np.count_nonzero(~np.isnan(y)))
        squares = seeds_of(y, plan.turning(trend, plan.constants(trend, found)))[1]
        likelihood = -0.5 * n * (math.log(2.0 * math.pi * squares / n) + 1.0) if squares > 0.0 else math.nan
        quantities = found.size + plan.states - (trend == "none") + 1
        stats = np.zeros(STATS)
        stats[:3] = (likelihood, n, quantities)
        return stats

    def _stored(self, plan: TurningPlan, row: FloatArray) -> tuple[Turning, FloatArray]:
        """The model and the starting states of a row."""
        count = len(plan.seasons)
        constants = np.concatenate((row[1:4], row[HEAD : HEAD + count]))
        return plan.turning(CODES[int(row[0])], constants), row[HEAD + count :].copy()

    def domain(self, plan: TurningPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """A row's trend is one that there is."""
        return Status.DONE if row is None or row[0] in range(len(CODES)) else Status.NOT_ITS_OWN

    def replay(self, plan: TurningPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion from the row's starting states, and go on without errors."""
        of, states = self._stored(plan, out.row)
        filter_turning(y, of, states, out.fitted)
        filter_turning(np.full(plan.horizon, np.nan), of, states, out.points)
        spread = 1.0 + np.concatenate(([0.0], np.cumsum(np.square(self._carried(of, plan.horizon)[:-1]))))
        out.std_error[:] = np.sqrt(out.row[4] * spread)
        out.say_estimated(int(np.count_nonzero(~np.isnan(y))), int(out.row[5]))
        return Status.DONE

    def _carried(self, of: Turning, horizon: int) -> FloatArray:
        """What an error adds to the forecasts after it."""
        states = np.zeros(2 + 2 * of.angles.size)
        states[:2] = (of.alpha, of.beta)
        states[2::2] = of.gammas[of.seasons]
        carried = np.empty(horizon)
        filter_turning(np.full(horizon, np.nan), of, states, carried)
        return carried

    def paths(
        self, plan: TurningPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Paths of its own law, which is linear."""
        rows = Rows.allocate(plan, y.size, row)
        self.replay(plan, y, x, rows)
        weights = np.concatenate(([1.0], self._carried(self._stored(plan, row)[0], plan.horizon)[:-1]))
        return linear_paths(rows.points, math.sqrt(row[4]) * weights, shocks)

    def form(self, plan: TurningPlan, row: FloatArray) -> str:
        """The trend that the criterion prefers."""
        return f"trend={CODES[int(row[0])]}" if plan.searched else ""

    def settled(self, given: dict[str, Any], found: Mapping[str, Any]) -> dict[str, Any] | None:
        """The trend instead of how to choose it."""
        return {key: value for key, value in given.items() if key != "criterion"} | dict(found)

    def _coefficients(
        self, plan: TurningPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The constants; no standard errors."""
        trend = CODES[int(row[0])]
        own = [("alpha", row[1])] + ([("beta", row[2])] if trend != "none" else [])
        own += [("phi", row[3])] if trend == "damped" else []
        own += [(f"gamma {length:g}", row[HEAD + i]) for i, length in enumerate(plan.seasons)]
        names, values = zip(*own, strict=True)
        edges = frozenset(name for name, value in own if name.startswith("gamma") and value <= BOUNDS["gamma"][0])
        errors = np.full(len(own), np.nan)
        return Coefficients(names, np.array(values), errors, memory=frozenset(names), at_edge=edges)

    def _words(self, plan: TurningPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how fast the level forgets, and how far each season swings at the end."""
        of, states = self._stored(plan, row)
        fitted = np.empty(y.size)
        filter_turning(y, of, states, fitted)
        level = quantity(float(states[0]), series.unit)
        said = [f"A level is carried forward, now {level}; {memory(of.alpha, series.cadence)}."]
        if of.trend:
            way = "rises" if states[1] >= 0 else "falls"
            fades = f", fading by {number(100 * (1 - of.phi), 2)} % each {series.cadence.noun}" if of.phi < 1 else ""
            said.append(f"It {way} by {quantity(abs(float(states[1])), series.unit)} a {series.cadence.noun}{fades}.")
        for i, length in enumerate(plan.seasons):
            turn = self._season(of, states, i, math.ceil(length))
            moves = "does not change" if of.gammas[i] <= 0 else "changes slowly"
            swing = quantity(float(np.ptp(turn)), series.unit)
            said.append(f"A season of {length:g} {series.cadence.plural} swings by {swing} and {moves}.")
        return " ".join(said)

    def _season(self, of: Turning, states: FloatArray, which: int, periods: int) -> FloatArray:
        """A season going on from the states, without errors."""
        own = np.flatnonzero(of.seasons == which)
        steps = np.outer(np.arange(1, periods + 1), of.angles[own])
        return np.asarray(np.cos(steps) @ states[2 + 2 * own] + np.sin(steps) @ states[3 + 2 * own])

    def _equation(self, plan: TurningPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The recursion with its numbers."""
        of, _ = self._stored(plan, row)
        names = [season_name(length) for length in plan.seasons]
        slope = f"{signed(of.phi)} slope[t-1]" if of.trend else ""
        lines = [f"forecast[t] = level[t-1]{slope}" + "".join(f" + {name}[t]" for name in names)]
        lines.append(f"level[t] = level[t-1]{slope}{signed(of.alpha)} error[t]")
        if of.trend:
            lines.append(f"slope[t] = {number(of.phi)} slope[t-1]{signed(of.beta)} error[t]")
        for i, name in enumerate(names):
            pairs = plan.harmonics[i]
            lines.append(
                f"{name}[t]: {pairs} pairs that turn once in {plan.seasons[i]:g} periods, a half, a third ..., "
                f"each moved by {number(float(of.gammas[i]))} error[t]"
            )
        lines.append(f"the standard deviation of an error {number(math.sqrt(row[4]))}")
        return "\n".join(lines)

    def _variance(self, plan: TurningPlan, row: FloatArray) -> float:
        """Variance of the one-step errors."""
        return float(row[4])
