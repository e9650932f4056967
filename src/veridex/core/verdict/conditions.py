"""What a planner demands of a verdict: allowed methods, lead times that count, limits, a target."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, method
from veridex.core.scoring.measures import MEASURES, TERMS, grouped_sums, measures_from_sums
from veridex.core.verdict.evidence import Entry
from veridex.errors import MeasureUnknown, ParameterError

__all__ = ["Conditions", "checked_target", "item_measures"]

TARGET = re.compile(r"(?P<measure>\w+)\s+(?P<side>under|over)\s+(?P<bound>-?\d+(?:\.\d+)?)\s*%?")


@dataclass(frozen=True, slots=True, kw_only=True)
class Conditions:
    """What is demanded; see `veridex.decide`.

    Raises
    ------
    ParameterError
        If one of them cannot be understood.
    """

    allowed: tuple[Method, ...] | None = None
    lead_times: tuple[int, ...] | None = None
    target: str | None = None
    bias_limit: float | None = None
    coverage_floor: tuple[float, float] | None = None
    simplest: bool = False

    @classmethod
    def checked(
        cls,
        trial: Trial,
        allowed: Sequence[str | Method] | None,
        lead_times: Sequence[int] | None,
        target: str | None,
        bias_limit: float | None,
        coverage_floor: tuple[float, float] | None,
        simplest: bool,
    ) -> "Conditions":
        """Conditions that this trial can answer."""
        if allowed is not None:
            allowed = tuple(method(one) for one in ([allowed] if isinstance(allowed, (str, Method)) else allowed))
            for one in allowed:
                trial.method_index(one)
            if not allowed:
                raise ParameterError("allowed", "[]", "allow at least one method")
        horizon = trial.horizon
        if lead_times is not None:
            lead_times = tuple(lead_times)
            if not lead_times or not all(isinstance(h, int) and 1 <= h <= horizon for h in lead_times):
                raise ParameterError("lead_times", repr(lead_times), f"the trial looked 1 to {horizon} ahead")
        if target is not None:
            checked_target(target)
        if bias_limit is not None and not bias_limit > 0:
            raise ParameterError("bias_limit", repr(bias_limit), "it is percent of demand, above zero")
        if coverage_floor is not None and (len(coverage_floor) != 2 or coverage_floor[0] not in trial.levels):
            levels = ", ".join(f"{level:g}" for level in trial.levels)
            problem = f"write a level of the trial ({levels}) and the percent that it must have held, as in (95, 90)"
            raise ParameterError("coverage_floor", repr(coverage_floor), problem)
        return cls(
            allowed=allowed,
            lead_times=lead_times,
            target=target,
            bias_limit=bias_limit,
            coverage_floor=coverage_floor,
            simplest=simplest,
        )

    def within_limits(self, entry: Entry, levels: tuple[float, ...]) -> bool:
        """Whether a method keeps to the limits of bias and coverage."""
        if self.bias_limit is not None and not abs(entry.bias) <= self.bias_limit:
            return False
        if self.coverage_floor is not None:
            level, least = self.coverage_floor
            return entry.coverage[levels.index(level)] >= least
        return True

    def meets_target(self, measures: dict[str, Any]) -> bool:
        """Whether measures reach the target."""
        found = TARGET.fullmatch((self.target or "").strip())
        if found is None:
            return True
        value, bound = float(measures[found["measure"]]), float(found["bound"])
        return value < bound if found["side"] == "under" else value > bound

    def in_words(self) -> dict[str, Any]:
        """Those that were stated, for the manifest."""
        stated = {
            "allowed": None if self.allowed is None else [one.text for one in self.allowed],
            "lead_times": None if self.lead_times is None else list(self.lead_times),
            "target": self.target,
            "bias_limit": self.bias_limit,
            "coverage_floor": None if self.coverage_floor is None else list(self.coverage_floor),
            "simplest": self.simplest or None,
        }
        return {key: value for key, value in stated.items() if value is not None}


def checked_target(target: str) -> str:
    """A target that can be understood.

    Raises
    ------
    ParameterError, MeasureUnknown
    """
    found = TARGET.fullmatch(target.strip())
    if found is None:
        problem = "write a measure, under or over, and a number, as in 'wape under 15'"
        raise ParameterError("target", repr(target), problem)
    if found["measure"] not in MEASURES:
        raise MeasureUnknown(found["measure"], MEASURES)
    return target


def item_measures(
    series: ItemHistory, one: ItemTrial, at: IntArray, known: BoolArray, points: FloatArray
) -> dict[str, float]:
    """All measures of forecasts (O, H) of an item from the origins `at`, over the known cells."""
    o, h = np.nonzero(known)
    scales, values = one.scales[at[o]], series.values
    centre = float(np.nanmean(values)) if (~np.isnan(values)).any() else 0.0
    last = one.last_known(series)[at[o]]
    numbers = (one.actuals[at[o], h], points[o, h], scales[:, 0], scales[:, 1], np.full(o.size, centre), last)
    sums = np.empty((1, TERMS))
    grouped_sums(np.stack(numbers), np.zeros(o.size, dtype=np.int64), sums)
    return {name: float(value) for name, value in measures_from_sums(sums[0]).items()}
