"""`tuned`: of several settings of a method, the one that a rolling origin inside the training span prefers."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import put_mixture
from veridex.core.methods.fold.account import Account
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import Setting, choice, whole
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.members import FamilyOfMethods, MadePlan, Part, are_members, part_of, planned
from veridex.core.readable import number

__all__ = ["TunedFamily"]

FEWEST = 2
"""Periods before the first inner origin at least."""

NO_MEMORY = np.empty(0)


@dataclass(frozen=True, slots=True)
class TunedPlan(MadePlan):
    """The candidates, their plans for the real forecast and for the inner tests, and how these are made."""

    inner: tuple[Plan, ...] = ()
    origins: int = 12
    stride: int = 1
    squared: bool = False

    def chosen(self, row: FloatArray) -> Part:
        """The candidate that stands in a row, with its own row."""
        m = int(row[0])
        return part_of(self.members[m], self.plans[m], row[1:], NO_MEMORY)


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

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> TunedPlan:
        """Row: which candidate, then its own row."""
        plans = planned(settings, sizes)
        return TunedPlan(
            sizes,
            row_size=1 + max(plan.row_size for plan in plans),
            warm_size=2 + max(plan.warm_size for plan in plans),
            needs=plans[0].needs,
            searched=(0,),
            components=max(plan.components for plan in plans),
            members=settings["of"],
            plans=plans,
            inner=planned(settings, sizes._replace(horizon=int(settings["horizon"]))),
            origins=int(settings["origins"]),
            stride=int(settings["stride"]),
            squared=settings["measure"] == "rmse",
        )

    def domain(self, plan: TunedPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Any demand; but a row must name a candidate."""
        named = row is None or row[0] in range(len(plan.members))
        return Status.DONE if named else Status.NOT_ITS_OWN

    def run(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Choose a candidate, unless one was chosen at an origin before, and fit it."""
        kept = int(warm[1]) if warm[0] == 1.0 else -1
        order = [kept] if kept >= 0 else np.argsort(self.losses(plan, y, x), kind="stable").tolist()
        first = Status.DONE
        for m in order:
            if m != kept:
                warm[2:] = 0.0
            status, rows = part_of(plan.members[m], plan.plans[m], out.row[1:], warm[2:]).run(y, x)
            if status <= Status.DONE:
                warm[:2] = (1.0, m)
                out.row[:] = 0.0
                out.row[0], out.row[1 : 1 + rows.row.size] = m, rows.row
                out.stats[:] = rows.stats
                out.stats[2] += 1.0  # the choice
                _copy(rows, out)
                return status
            first = first or status
        return first or Status.NO_FIT

    def losses(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None) -> FloatArray:
        """Mean loss of each candidate over the inner origins that all reach; infinite where it could not be fitted."""
        ahead = plan.inner[0].horizon
        stops = [stop for k in range(plan.origins) if (stop := y.size - ahead - k * plan.stride) >= FEWEST]
        found = np.full((len(plan.members), len(stops)), np.nan)
        for m, (member, own) in enumerate(zip(plan.members, plan.inner, strict=True)):
            part = part_of(member, own, np.zeros(own.row_size), np.zeros(own.warm_size))
            for k, stop in reversed(list(enumerate(stops))):  # oldest first: each may start from the last one's optimum
                status, rows = part.run(y[:stop].copy(), None if x is None else x[: stop + ahead])
                if status <= Status.DONE:
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

    def replay(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Replay the candidate that was chosen."""
        status, rows = plan.chosen(out.row).replay(y, x)
        _copy(rows, out)
        return status

    def paths(
        self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Those of the candidate chosen."""
        return plan.chosen(row).paths(y, x, shocks)

    def account(
        self, plan: TunedPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Account:
        """That of the candidate chosen, and which it is."""
        part = plan.chosen(row)
        own = part.account(y, x, series)
        said = f"Of {number(len(plan.members))} candidates tuned on the last origins, {part.method} was chosen."
        return replace(own, words=f"{said} {own.words}", form=self.form(plan, row))

    def form(self, plan: TunedPlan, row: FloatArray) -> str:
        """The candidate chosen, and what it found itself."""
        part = plan.chosen(row)
        found = part.method.family.form(part.plan, part.row)
        return f"{part.method.text}: {found}" if found else part.method.text

    def candidates(self, plan: TunedPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Each candidate with its inner loss, the best first."""
        name = "mse" if plan.squared else "mae"
        table = pd.DataFrame({"method": [one.text for one in plan.members], name: self.losses(plan, y, x)})
        return table.sort_values(name, kind="stable", ignore_index=True)


def _copy(rows: Rows, out: Rows) -> None:
    for name in ("points", "std_error", "fitted"):
        getattr(out, name)[...] = getattr(rows, name)
    put_mixture(out.law, [(1.0, rows.law)])
