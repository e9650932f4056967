"""`tuned`: of several settings of a method, the one that a rolling origin inside the training span prefers."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.contract import Coefficients, Column, Plan, Rows, replay_fold, run_fold
from veridex.core.methods.fold.settings import Setting, choice, whole
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.members import FamilyOfMethods, are_members, rows_for
from veridex.core.methods.method import Method
from veridex.core.methods.words import number

__all__ = ["TunedFamily"]

FEWEST = 2
"""Periods before the first inner origin at least."""


@dataclass(frozen=True, slots=True)
class TunedPlan(Plan):
    """The candidates, their plans for the real forecast and for the inner tests, and how these are made."""

    members: tuple[Method, ...] = ()
    plans: tuple[Any, ...] = ()
    inner: tuple[Any, ...] = ()
    origins: int = 12
    stride: int = 1
    squared: bool = False


class TunedFamily(FamilyOfMethods[TunedPlan]):
    """Settings chosen inside the training span by a rolling origin of its own.

    Each candidate forecasts `horizon` periods from `origins` origins, `stride` apart, the last of them `horizon`
    periods before the end of the span; the one with the lowest mean absolute error (root mean square with
    ``measure=rmse``) over the origins that all candidates reach is fitted to the whole span. In a backtest this happens
    anew at the origins at which methods search, so that the errors of a tuned method hold what tuning costs (nested
    validation: Stone, 1974, Journal of the Royal Statistical Society B 36, 111-147; Varma and Simon, 2006, BMC
    Bioinformatics 7, 91). Standard errors and bounds are those of the candidate chosen, as if it had been stated.
    """

    name = "tuned"
    settings = (
        Setting("of", None, "the candidates, as in [moving-average window=2, moving-average window=4]", are_members),
        whole("horizon", 1, 1000, default=1),
        whole("origins", 1, 1000, default=12),
        whole("stride", 1, 1000, default=1),
        choice("measure", "mae", "rmse", default="mae"),
    )

    example = "of=[theta, theta transform=log]"

    def prepare_with(
        self,
        settings: Mapping[str, Any],
        season_length: int,
        horizon: int,
        levels: tuple[float, ...],
        columns: tuple[Column, ...],
    ) -> TunedPlan:
        """Row: which candidate, then its own row."""
        members, own = self.members(settings, season_length, horizon, levels, columns)
        _, inner = self.members(settings, season_length, int(settings["horizon"]), (), columns)
        return TunedPlan(
            season_length,
            horizon,
            levels,
            row_size=1 + max(plan.row_size for plan in own),
            warm_size=2 + max(plan.warm_size for plan in own),
            columns=columns,
            members=members,
            plans=own,
            inner=inner,
            origins=int(settings["origins"]),
            stride=int(settings["stride"]),
            squared=settings["measure"] == "rmse",
        )

    def run(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Choose a candidate, unless one was chosen at an origin before, and fit it."""
        kept = int(warm[1]) if warm[0] == 1.0 else -1
        order = [kept] if kept >= 0 else np.argsort(self.losses(plan, y, x), kind="stable").tolist()
        status = Status.NO_FIT
        for m in order:
            member, own = plan.members[m], plan.plans[m]
            if m != kept:
                warm[2:] = 0.0
            rows = Rows.allocate(own, y.size)
            found = run_fold(member.family, own, y, rows_for(member, x), warm[2 : 2 + own.warm_size], rows)
            if found <= Status.DONE:
                warm[:2] = (1.0, m)
                out.row[:] = 0.0
                out.row[0], out.row[1 : 1 + own.row_size] = m, rows.row
                out.stats[:] = rows.stats
                out.stats[2] += 1.0  # the choice
                _copy(rows, out)
                return found
            status = found if status == Status.NO_FIT else status
        return status

    def losses(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None) -> FloatArray:
        """Mean loss of each candidate over the inner origins that all reach; infinite where it could not be fitted."""
        ahead = plan.inner[0].horizon
        stops = [stop for k in range(plan.origins) if (stop := y.size - ahead - k * plan.stride) >= FEWEST]
        found = np.full((len(plan.members), len(stops)), np.nan)
        for m, (member, own) in enumerate(zip(plan.members, plan.inner, strict=True)):
            warm = np.zeros(own.warm_size)
            for k, stop in reversed(list(enumerate(stops))):  # oldest first: each may start from the last one's optimum
                rows = Rows.allocate(own, stop)
                part = rows_for(member, x)
                shown = None if part is None else part[: stop + ahead]
                if run_fold(member.family, own, y[:stop].copy(), shown, warm, rows) <= Status.DONE:
                    errors = y[stop : stop + ahead] - rows.points
                    known = errors[~np.isnan(errors)]
                    if known.size:
                        found[m, k] = np.square(known).mean() if plan.squared else np.abs(known).mean()
        able = ~np.isnan(found)
        reached = able[:, able[able.any(axis=1)].all(axis=0)] if able.any() else able[:, :0]
        if not reached.shape[1]:
            return np.zeros(len(plan.members))  # too short to tune: the first that can be fitted
        means = found[:, able[able.any(axis=1)].all(axis=0)].mean(axis=1)
        return np.where(np.isnan(means), np.inf, means)

    def searches(self, plan: TunedPlan) -> bool:
        """Always: tuning is a search."""
        return True

    def form(self, plan: TunedPlan, row: FloatArray) -> str:
        """The candidate chosen, and what it found itself."""
        member, own, part = _chosen(plan, row)
        found = member.family.form(own, part)
        return f"{member.text}: {found}" if found else member.text

    def replay(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Replay the candidate that was chosen."""
        member, own, row = _chosen(plan, out.row)
        rows = Rows.allocate(own, y.size)
        rows.row[:] = row
        status = replay_fold(member.family, own, y, rows_for(member, x), rows)
        _copy(rows, out)
        return status

    def candidates(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Each candidate with its inner loss, the best first."""
        name = "mse" if plan.squared else "mae"
        table = pd.DataFrame({"method": [one.text for one in plan.members], name: self.losses(plan, y, x)})
        return table.sort_values(name, kind="stable", ignore_index=True)

    def coefficients(
        self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: Coefficients = member.family.coefficients(own, y, rows_for(member, x), part, series)
        return found

    def in_words(self, plan: TunedPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which candidate was chosen, and what it does."""
        member, own, part = _chosen(plan, row)
        said = f"Of {number(len(plan.members))} candidates tuned on the last origins, {member.text} was chosen."
        return f"{said} {member.family.in_words(own, y, part, series)}"

    def equation(self, plan: TunedPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """That of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        return str(member.family.equation(own, y, part, series))

    def needs(self, plan: TunedPlan) -> str:
        """What the first candidate needs."""
        return str(plan.members[0].family.needs(plan.plans[0]))

    def variance(self, plan: TunedPlan, row: FloatArray) -> float:
        """That of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        return float(member.family.variance(own, part))

    def components(self, plan: TunedPlan, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: dict[str, FloatArray] = member.family.components(own, y, part)
        return found

    def contributions(
        self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> dict[str, FloatArray]:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: dict[str, FloatArray] = member.family.contributions(own, y, rows_for(member, x), part)
        return found

    def innovations(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        return np.asarray(member.family.innovations(own, y, rows_for(member, x), part))

    def paths(
        self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        return np.asarray(member.family.paths(own, y, rows_for(member, x), part, shocks))

    def figures(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, float]:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: dict[str, float] = member.family.figures(own, y, rows_for(member, x), part)
        return found

    def roots(self, plan: TunedPlan, row: FloatArray) -> dict[str, NDArray[np.complex128]]:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: dict[str, NDArray[np.complex128]] = member.family.roots(own, part)
        return found

    def flags(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray) -> tuple[str, ...]:
        """Those of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        found: tuple[str, ...] = member.family.flags(own, y, rows_for(member, x), part)
        return found

    def likelihood_of(self, plan: TunedPlan, row: FloatArray) -> str:
        """That of the candidate chosen."""
        member, own, part = _chosen(plan, row)
        return str(member.family.likelihood_of(own, part))


def _chosen(plan: TunedPlan, row: FloatArray) -> tuple[Method, Any, FloatArray]:
    """The candidate in a row, its plan and its own row."""
    m = int(row[0])
    own = plan.plans[m]
    return plan.members[m], own, row[1 : 1 + own.row_size]


def _copy(rows: Rows, out: Rows) -> None:
    for name in ("points", "std_error", "lower", "upper", "fitted"):
        getattr(out, name)[...] = getattr(rows, name)
