"""Combinations: several methods forecast, and their forecasts are averaged."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import moved, put_mixture
from veridex.core.methods.fold.account import Account, Coefficients, Member
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.members import FamilyOfMethods, MadePlan, Part, are_members, part_of, planned
from veridex.core.readable import number
from veridex.errors import SettingError

__all__ = ["Combination", "joined"]

WORDS = {
    "equal": "The mean",
    "median": "The median",
    "trimmed": "The mean, without the highest and the lowest,",
}
"""How members may be joined without numbers, and how that is said."""

NO_MEMORY = np.empty(0)


@dataclass(frozen=True, slots=True)
class CombinationPlan(MadePlan):
    """The members with their plans, and how their forecasts are joined."""

    weights: str | FloatArray = "equal"

    def parts(self, row: FloatArray, warm: FloatArray) -> list[Part]:
        """Each member with its part of the row; that begins with whether each of them is in."""
        at, begun, found = len(self.members), 0, []
        for member, plan in self.each():
            found.append(part_of(member, plan, row[at:], warm[begun:]))
            at, begun = at + plan.row_size, begun + plan.warm_size
        return found

    def inside(self, row: FloatArray) -> BoolArray:
        """Which members are in."""
        found: BoolArray = row[: len(self.members)] > 0.0
        return found

    def kept(self, row: FloatArray) -> list[Part]:
        """The members that are in."""
        return [part for part, has in zip(self.parts(row, NO_MEMORY), self.inside(row), strict=True) if has]

    def how(self, inside: BoolArray) -> str | FloatArray:
        """How those that are in are joined."""
        return self.weights if isinstance(self.weights, str) else self.weights[inside]

    def mixed(self, inside: BoolArray) -> FloatArray:
        """The weights of the laws of those that are in: alike where forecasts are joined by their ranks."""
        weights = np.ones(int(inside.sum())) if isinstance(self.weights, str) else self.weights[inside]
        return np.asarray(weights / weights.sum())

    def shares(self, inside: BoolArray) -> FloatArray:
        """The share of each member, shape (members,); NaN where they have none."""
        if isinstance(self.weights, str) and self.weights != "equal":
            return np.full(inside.size, np.nan)
        weights = np.where(inside, 1.0 if isinstance(self.weights, str) else self.weights, 0.0)
        return np.asarray(weights / max(weights.sum(), 1e-300))


def _are_weights(value: Value) -> bool:
    if isinstance(value, str):
        return value in WORDS
    whole = isinstance(value, tuple) and all(isinstance(w, (int, float)) and not isinstance(w, bool) for w in value)
    return whole and bool(value) and min(value) >= 0 and sum(value) > 0  # type: ignore[arg-type]


class Combination(FamilyOfMethods[CombinationPlan]):
    """The forecasts of several methods, joined period by period.

    ``weights=equal`` is their mean, ``median`` their median, ``trimmed`` the mean without the highest and the lowest,
    numbers a weighted mean (Clemen, 1989, International Journal of Forecasting 5, 559-583). The law is the mixture of
    the members' by these weights (Stone, 1961, Annals of Mathematical Statistics 32, 1339-1342), alike for the median
    and the trimmed mean, whose members are moved to the point that ranks have chosen; its standard error holds how far
    the members lie apart. A member that cannot be fitted is left out, and that is said. Drivers and events reach the
    members that take them.
    """

    name = "combination"
    settings = (
        Setting("of", None, "two methods or more, as in [naive, theta]", are_members),
        Setting("weights", "equal", "equal, median, trimmed, or a number for each member", _are_weights),
    )

    example = "of=[seasonal-naive, smoothing, theta]"

    def check(self, settings: Mapping[str, Value]) -> None:
        """Raise where members are missing, doubled or unknown, or weights do not fit them."""
        super().check(settings)
        of, weights = settings["of"], settings["weights"]
        assert isinstance(of, tuple)
        if isinstance(weights, tuple) and len(weights) != len(of):
            raise SettingError(self.name, f"{len(of)} members need {len(of)} weights, got {len(weights)}")

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> CombinationPlan:
        """Row: whether each member is in, each member's row, the variance of the combined one-step errors."""
        members, plans, stated = settings["of"], planned(settings, sizes), settings["weights"]
        begun = np.cumsum([0, *(plan.warm_size for plan in plans)]).tolist()
        return CombinationPlan(
            sizes,
            row_size=len(members) + sum(plan.row_size for plan in plans) + 1,
            warm_size=begun[-1],
            needs="as much as one of its members: "
            + "; ".join(f"{one.text} {plan.needs}" for one, plan in zip(members, plans, strict=True)),
            components=sum(plan.components for plan in plans),
            searched=tuple(at + j for at, plan in zip(begun, plans, strict=False) for j in plan.searched),
            members=members,
            plans=plans,
            weights=stated if isinstance(stated, str) else np.array(stated, dtype=np.float64),
        )

    def run(self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Fit every member, and join the forecasts of those that can be fitted."""
        out.row[:] = 0.0
        found, statuses = [], []
        for i, part in enumerate(plan.parts(out.row, warm)):
            status, rows = part.run(y, x)
            statuses.append(status)
            if status <= Status.DONE:
                out.row[i], part.row[:] = 1.0, rows.row
                found.append(rows)
        inside = plan.inside(out.row)
        if not found or (not isinstance(plan.weights, str) and plan.weights[inside].sum() == 0.0):
            # None can be fitted, or none that has a weight: another weighting would not be what was asked for.
            return int(min(status for status in statuses if status > Status.DONE))
        self._join(plan, inside, found, out)
        errors = (y - out.fitted)[~np.isnan(y - out.fitted)]
        out.row[-1] = np.square(errors).mean() if errors.size else math.nan
        out.stats[:] = (math.nan, min(r.stats[1] for r in found), sum(r.stats[2] for r in found), 0)
        if len(found) < len(plan.members):
            return Status.MEMBERS_LEFT_OUT
        return Status.NOT_CONVERGED if Status.NOT_CONVERGED in statuses else Status.DONE

    def replay(self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Replay the members that are in, and join them."""
        found = []
        for part in plan.kept(out.row):
            status, rows = part.replay(y, x)
            if status > Status.DONE:
                return status
            found.append(rows)
        self._join(plan, plan.inside(out.row), found, out)
        return Status.DONE

    def _join(self, plan: CombinationPlan, inside: BoolArray, found: list[Rows], out: Rows) -> None:
        for name in ("points", "fitted"):
            stack = np.array([getattr(rows, name) for rows in found])
            getattr(out, name)[...] = joined(stack, plan.how(inside))
        shares = plan.mixed(inside)
        if isinstance(plan.how(inside), str) and plan.how(inside) != "equal":
            for rows in found:  # what ranks have left out is no disagreement about the middle
                moved(rows.law, out.points - rows.points)
                rows.points[:] = out.points
        put_mixture(out.law, list(zip(shares.tolist(), (rows.law for rows in found), strict=True)))
        squares = np.array([rows.std_error**2 + (rows.points - out.points) ** 2 for rows in found])
        out.std_error[:] = np.sqrt(shares @ squares)

    def paths(
        self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """The members' paths under the same shocks, joined as their forecasts are."""
        found = np.array([part.paths(y, x, shocks) for part in plan.kept(row)])
        return joined(found, plan.how(plan.inside(row)))

    def account(
        self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Account:
        """How the members are joined, by which weights, and the account of each."""
        inside, rows = plan.inside(row), Rows.allocate(plan, y.size, row)
        self.replay(plan, y, x, rows)
        members = [
            Member(
                part.method.text,
                float(share),
                part.account(y, x, series),
            )
            for part, share in zip(plan.kept(row), plan.shares(inside)[inside], strict=True)
        ]
        weighed = not np.isnan(plan.shares(inside)).any()
        names = tuple(f"weight of {one.text}" for one in plan.members) if weighed else ()
        shares = plan.shares(inside) if weighed else np.empty(0)
        return Account(
            coefficients=Coefficients(names, shares, np.full(len(names), np.nan)),
            words=_words(plan, inside, members),
            equation=_equation(plan, members),
            variance=float(row[-1]),
            innovations=y - rows.fitted,
            members=tuple(members),
        )


def _words(plan: CombinationPlan, inside: BoolArray, members: list[Member]) -> str:
    """How the members are joined, and what each does."""
    how = WORDS.get(plan.weights, "") if isinstance(plan.weights, str) else "A weighted mean"
    said = [f"{how} of {int(inside.sum())} methods is forecast."]
    known = {one.method: one.account.words for one in members}
    said += [f"[{one.text}] {known.get(one.text, 'was left out.')}" for one in plan.members]
    return " ".join(said)


def _equation(plan: CombinationPlan, members: list[Member]) -> str:
    """How the members are joined, then the equations of each."""
    if isinstance(plan.weights, str):
        how = {"equal": "mean", "median": "median", "trimmed": "trimmed mean"}[plan.weights]
        head = f"forecast[t] = {how} of the members' forecasts[t]"
    else:
        shares = plan.weights / plan.weights.sum()
        terms = " + ".join(f"{number(float(w))} ({m.text})" for w, m in zip(shares, plan.members, strict=True))
        head = f"forecast[t] = {terms}"
    return "\n".join([head, *(f"{one.method}:\n{one.account.equation}" for one in members)])


def joined(stack: FloatArray, weights: str | FloatArray) -> FloatArray:
    """Join the members' arrays along the first axis."""
    if isinstance(weights, str):
        if weights == "median":
            return np.asarray(np.median(stack, axis=0))
        if weights == "trimmed" and stack.shape[0] > 2:
            return np.asarray(np.sort(stack, axis=0)[1:-1].mean(axis=0))
        return np.asarray(stack.mean(axis=0))
    return np.asarray(np.tensordot(weights / weights.sum(), stack, axes=1))
