"""Combinations: several methods forecast, and their forecasts are averaged."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.contract import STATS, Coefficients, Column, Plan, Rows, replay_fold, run_fold
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.members import FamilyOfMethods, are_members, rows_for
from veridex.core.methods.method import Method
from veridex.core.methods.words import number
from veridex.errors import SettingError

__all__ = ["Combination", "joined"]

WORDS = ("equal", "median", "trimmed")
"""Equal mean; median; mean of all but the highest and the lowest."""


@dataclass(frozen=True, slots=True)
class CombinationPlan(Plan):
    """The members with their plans, and how their forecasts are joined."""

    members: tuple[Method, ...] = ()
    plans: tuple[Any, ...] = ()
    weights: str | FloatArray = "equal"


def _are_weights(value: Value) -> bool:
    if isinstance(value, str):
        return value in WORDS
    whole = isinstance(value, tuple) and all(isinstance(w, (int, float)) and not isinstance(w, bool) for w in value)
    return whole and bool(value) and min(value) >= 0 and sum(value) > 0  # type: ignore[arg-type]


class Combination(FamilyOfMethods[CombinationPlan]):
    """The forecasts of several methods, joined period by period.

    ``weights=equal`` is their mean, ``median`` their median, ``trimmed`` the mean without the highest and the lowest,
    numbers a weighted mean (Clemen, 1989, International Journal of Forecasting 5, 559-583). Bounds are joined in the
    same way, quantile by quantile (Lichtendahl, Grushka-Cockayne and Winkler, 2013, Management Science 59, 1594-1611),
    and so are standard errors, which makes them approximate. A member that cannot be fitted is left out, and that is
    said. Drivers and events reach the members that take them.
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

    def prepare_with(
        self,
        settings: Mapping[str, Any],
        season_length: int,
        horizon: int,
        levels: tuple[float, ...],
        columns: tuple[Column, ...],
    ) -> CombinationPlan:
        """Row: whether each member is in, each member's row, the variance of the combined one-step errors."""
        members, plans = self.members(settings, season_length, horizon, levels, columns)
        stated = settings["weights"]
        return CombinationPlan(
            season_length,
            horizon,
            levels,
            row_size=len(members) + sum(plan.row_size for plan in plans) + 1,
            warm_size=sum(plan.warm_size for plan in plans),
            columns=columns,
            members=members,
            plans=plans,
            weights=stated if isinstance(stated, str) else np.array(stated, dtype=np.float64),
        )

    def run(self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Fit every member, and join the forecasts of those that can be fitted."""
        found, statuses, used, estimated, at = [], [], [], 0.0, 0
        out.row[:] = 0.0
        for i, (member, own, part) in enumerate(_parts(plan, out.row)):
            rows = Rows.allocate(own, y.size)
            statuses.append(run_fold(member.family, own, y, rows_for(member, x), warm[at : at + own.warm_size], rows))
            at += own.warm_size
            if statuses[-1] <= Status.DONE:
                out.row[i] = 1.0
                part[:] = rows.row
                found.append(rows)
                used.append(rows.stats[1])
                estimated += rows.stats[2]
        inside = out.row[: len(plan.members)] > 0.0
        if not found or (not isinstance(plan.weights, str) and plan.weights[inside].sum() == 0.0):
            # None can be fitted, or none that has a weight: another weighting would not be what was asked for.
            return int(min(status for status in statuses if status > Status.DONE))
        self._join(plan, inside, found, out)
        errors = (y - out.fitted)[~np.isnan(y - out.fitted)]
        out.row[-1] = np.square(errors).mean() if errors.size else math.nan
        out.stats[:STATS] = (math.nan, min(used), estimated, 0)
        if len(found) < len(plan.members):
            return Status.MEMBERS_LEFT_OUT
        return Status.NOT_CONVERGED if Status.NOT_CONVERGED in statuses else Status.DONE

    def searches(self, plan: CombinationPlan) -> bool:
        """Where a member does."""
        return any(one.family.searches(own) for one, own in zip(plan.members, plan.plans, strict=True))

    def forget(self, plan: CombinationPlan, warm: FloatArray) -> None:
        """What each member searched."""
        at = 0
        for one, own in zip(plan.members, plan.plans, strict=True):
            one.family.forget(own, warm[at : at + own.warm_size])
            at += own.warm_size

    def replay(self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Replay the members that are in, and join them."""
        inside = out.row[: len(plan.members)] > 0.0
        found = []
        for i, (member, own, part) in enumerate(_parts(plan, out.row)):
            if inside[i]:
                rows = Rows.allocate(own, y.size)
                rows.row[:] = part
                status = replay_fold(member.family, own, y, rows_for(member, x), rows)
                if status > Status.DONE:
                    return status
                found.append(rows)
        self._join(plan, inside, found, out)
        return Status.DONE

    def paths(
        self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """The members' paths under the same shocks, joined as their forecasts are."""
        inside = row[: len(plan.members)] > 0.0
        found = [
            member.family.paths(own, y, rows_for(member, x), part, shocks)
            for i, (member, own, part) in enumerate(_parts(plan, row))
            if inside[i]
        ]
        return joined(np.array(found), plan.weights if isinstance(plan.weights, str) else plan.weights[inside])

    def _join(self, plan: CombinationPlan, inside: Any, found: list[Rows], out: Rows) -> None:
        weights = plan.weights if isinstance(plan.weights, str) else plan.weights[inside]
        for name in ("points", "std_error", "lower", "upper", "fitted"):
            stack = np.array([getattr(rows, name) for rows in found])
            getattr(out, name)[...] = joined(stack, weights)

    def coefficients(
        self, plan: CombinationPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """The weight of each member, where weights are numbers or equal; the estimates are the members' own."""
        inside = row[: len(plan.members)] > 0.0
        if isinstance(plan.weights, str) and plan.weights != "equal":
            return Coefficients((), np.empty(0), np.empty(0))
        weights = np.where(inside, 1.0 if isinstance(plan.weights, str) else plan.weights, 0.0)
        names = tuple(f"weight of {member.text}" for member in plan.members)
        return Coefficients(names, weights / max(weights.sum(), 1e-300), np.full(len(names), np.nan))

    def in_words(self, plan: CombinationPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the members are joined, and what each does."""
        inside = row[: len(plan.members)] > 0.0
        how = {
            "equal": "The mean",
            "median": "The median",
            "trimmed": "The mean, without the highest and the lowest,",
        }.get(plan.weights if isinstance(plan.weights, str) else "", "A weighted mean")
        said = [f"{how} of {int(inside.sum())} methods is forecast."]
        for i, (member, own, part) in enumerate(_parts(plan, row)):
            if inside[i]:
                said.append(f"[{member.text}] {member.family.in_words(own, y, part, series)}")
            else:
                said.append(f"[{member.text}] was left out.")
        return " ".join(said)

    def equation(self, plan: CombinationPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """How the members are joined, then the equations of each."""
        inside = row[: len(plan.members)] > 0.0
        if isinstance(plan.weights, str):
            how = {"equal": "mean", "median": "median", "trimmed": "trimmed mean"}[plan.weights]
            head = f"forecast[t] = {how} of the members' forecasts[t]"
        else:
            weights = plan.weights / plan.weights.sum()
            terms = " + ".join(f"{number(float(w))} ({m.text})" for w, m in zip(weights, plan.members, strict=True))
            head = f"forecast[t] = {terms}"
        parts = [
            f"{member.text}:\n{member.family.equation(own, y, part, series)}"
            for i, (member, own, part) in enumerate(_parts(plan, row))
            if inside[i]
        ]
        return "\n".join([head, *parts])

    def needs(self, plan: CombinationPlan) -> str:
        """What the least demanding member needs."""
        return "as much as one of its members: " + "; ".join(
            f"{member.text} {member.family.needs(own)}" for member, own in zip(plan.members, plan.plans, strict=True)
        )

    def variance(self, plan: CombinationPlan, row: FloatArray) -> float:
        """Mean square of the combined one-step errors."""
        return float(row[-1])


def _parts(plan: CombinationPlan, row: FloatArray) -> list[tuple[Method, Any, FloatArray]]:
    """Each member with its plan and its part of the row."""
    at, found = len(plan.members), []
    for member, own in zip(plan.members, plan.plans, strict=True):
        found.append((member, own, row[at : at + own.row_size]))
        at += own.row_size
    return found


def joined(stack: FloatArray, weights: str | FloatArray) -> FloatArray:
    """Join the members' arrays along the first axis."""
    if isinstance(weights, str):
        if weights == "median":
            return np.asarray(np.median(stack, axis=0))
        if weights == "trimmed" and stack.shape[0] > 2:
            return np.asarray(np.sort(stack, axis=0)[1:-1].mean(axis=0))
        return np.asarray(stack.mean(axis=0))
    return np.asarray(np.tensordot(weights / weights.sum(), stack, axes=1))
