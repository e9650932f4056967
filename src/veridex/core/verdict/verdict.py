"""`decide` and `Verdict`: what is to be published per item, and why."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.engine import Engine, Progress, SerialEngine
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.held import KINDS, Held, held
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.peers import Peers
from veridex.core.calibration.pool import Pool
from veridex.core.calibration.warping import PRIOR_ORIGINS, warps
from veridex.core.methods.catalogue import Method
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.fold.status import Status
from veridex.core.notebook import Faced
from veridex.core.periods.moments import NOW
from veridex.core.scoring.levels import level_label
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.choices import AT_HAND, NOBODY, Choices
from veridex.core.verdict.conditions import Conditions
from veridex.core.verdict.overriding import overridden
from veridex.core.verdict.reaching import Deliberation, counted_cells
from veridex.core.verdict.routing import UNTESTED
from veridex.core.verdict.single import Rule
from veridex.core.verdict.words import reason_for_nothing, why
from veridex.errors import ItemUnknown, ParameterError

__all__ = ["Verdict", "decide"]

RULES = ("blend", "single")

SHORT = "short"
"""The route of the items that are most like those that could not be tested."""


def decide(
    trial: Trial,
    rule: str | Rule = "blend",
    *,
    allowed: Sequence[str | Method] | None = None,
    lead_times: Sequence[int] | None = None,
    target: str | None = None,
    bias_limit: float | None = None,
    coverage_floor: tuple[float, float] | None = None,
    simplest: bool = False,
    engine: str | Engine | None = None,
    progress: Progress | None = None,
) -> "Verdict":
    """Decide per item what is to be published.

    Items are first routed by what publication knows: intermittent demand is judged by squared errors among methods made
    for it, a retired item gets nothing more. Errors are mean MASE over the origins (mean absolute error where an item
    has no scale; RMSSE of intermittent demand). What is published is decided by all errors; what is said of it comes
    from deciding anew at each origin, by errors of this item and of all others that were complete there, and is not
    available where there were none. Methods that an item is too short to test, all of them where no origin can,
    compete where other items tested them from histories as long.

    Parameters
    ----------
    trial : Trial
    rule : {"blend", "single"} or callable
        ``blend``: a mean of a shortlist weighted by (relative error)^-16, the log errors drawn towards those on the
        portfolio's other items, the weights frozen as numbers; where it lost to the benchmark, as much of it
        mixed with the benchmark as did not lose, or the benchmark; with fewer than three origins the equal mean
        of the middle. ``single``: the method of the shortlist with the lowest error, drawn in the same way,
        that beats the benchmark on the item itself, otherwise the benchmark; ties go to fewer parameters. A
        callable gets a table of an item's methods (item, method, measure, error, std_error, bias, parameters,
        coverage of each level) and returns the text of one; it is not asked about retired and untested items.
    allowed : sequence of str, optional
        Methods of the trial that may be published, and no others, the benchmark included. By default the shortlist; all
        that were entered where the lineup is the planner's own and lacks some of it.
    lead_times : sequence of int, optional
        Lead times whose errors count.
    target : str, optional
        Such as ``"wape under 15"``: methods that reach it are preferred, and it is said where nothing does.
    bias_limit : float, optional
        Leave out methods whose bias is larger, in percent of demand.
    coverage_floor : tuple of float, optional
        A level and the percent of actuals that its intervals must have held, as in ``(95, 90)``.
    simplest : bool
        Of single methods within one standard error of the best, take the one with the fewest parameters.
    engine : {"serial", "processes"} or Engine, optional
        Who does the work: by default this process. All give the same bits.
    progress : callable, optional
        Called with items done and items in all.

    Raises
    ------
    ParameterError
        If the rule or a condition is none that this trial can answer.
    """
    if not callable(rule) and rule not in RULES:
        raise ParameterError("rule", repr(rule), f"the rules are {' and '.join(map(repr, RULES))}, or a function")
    if isinstance(engine, str):
        raise ParameterError("engine", repr(engine), "the core takes an engine itself; vx.decide takes its name")
    stated = Conditions.checked(trial, allowed, lead_times, target, bias_limit, coverage_floor, simplest)
    name = rule if isinstance(rule, str) else getattr(rule, "__name__", "own rule")
    deliberation = Deliberation(trial, rule, stated, engine or SerialEngine(), progress)
    key = None if callable(rule) else f"{rule} {stated!r}"
    pool, then = Pool(), Pool()
    with deliberation.kept():
        kept, elsewhere = trial.store.whole, None if callable(rule) else deliberation.elsewhere
        choices = Choices(trial.history.names, deliberation.choice, kept=kept, key=key, elsewhere=elsewhere)
        for told in deliberation.told(choices.put):
            pool.add(told.route, told.learned)
            then.add(told.route, told.hindcast)
    return Verdict(trial=trial, rule=name, conditions=stated, choices=choices, pool=pool, then=then)


@dataclass(frozen=True, eq=False, kw_only=True)
class Verdict(Faced):
    """What is to be published per item, with the evidence.

    Attributes
    ----------
    trial : Trial
    rule : str
    conditions : Conditions
        What the planner demanded.
    choices : Choices
        By item, in the order of the trial's.
    pool, then : Pool
        The errors of what was chosen, of a sample of all items: as decided now, and as decided at each origin.
    """

    FACE: ClassVar[tuple[str, ...]] = ("winners",)

    trial: Trial = field(repr=False)
    rule: str
    conditions: Conditions = field(repr=False)
    choices: Choices = field(repr=False)
    pool: Pool = field(repr=False)
    then: Pool = field(repr=False)

    def __repr__(self) -> str:
        return f"Verdict(rule={self.rule!r}, {len(self.choices)} items)"

    def without_items(self) -> "Verdict":
        """What holds for all items, to be handed on: the pools, and the trial of one item in place of all."""
        trial = self.trial.only(self.trial.history.names[0])
        return replace(self, trial=trial, choices=NOBODY, pool=self.pool.bare, then=self.then.bare)

    def about(self, trial: Trial, choice: Choice) -> "Verdict":
        """The same of one item alone."""
        return replace(self, trial=trial, choices=Choices((choice.item,), lambda _: choice, kept=True))

    def choice(self, item: str) -> Choice:
        """The choice for one item.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        found = self.choices.get(item)
        if found is None:
            raise ItemUnknown(item, self.trial.history.names)
        return found

    def peers(self, item: str, totals_from: int | None = None) -> Peers:
        """What other items show of an item's intervals; or of its totals from a lead time on."""
        return self._of(self.pool if totals_from is None else self.pool.totals(totals_from), item, NOW)

    def peers_then(self, item: str, moment: int) -> Peers:
        """What was known of that at a moment."""
        return self._of(self.then, item, moment)

    def _of(self, pool: Pool, item: str, moment: int) -> Peers:
        choice = self.choice(item)
        alike = SHORT if choice.route == UNTESTED else choice.route
        return pool.peers(item, alike, 0.0 if choice.hindcast is None else choice.hindcast.cycles, moment)

    def held(self, item: str, levels: Sequence[float]) -> Mapping[str, tuple[Held, ...]]:
        """What each kind of interval of an item held, by what was known at each origin; nothing if not tested."""
        key = (item, tuple(levels))
        fit = self.choice(item).hindcast
        if fit is None:
            return {}
        if key not in self._held:
            if not self.trial.store.whole and len(self._held) > AT_HAND:
                self._held.clear()
            self._held[key] = {
                kind: held(fit, kind, lambda moment: self.peers_then(item, moment), levels) for kind in KINDS
            }
        return self._held[key]

    @cached_property
    def _held(self) -> dict[tuple[str, tuple[float, ...]], Mapping[str, tuple[Held, ...]]]:
        return {}

    def total_of(self, fit: Hindcast, route: str, first: int) -> Hindcast:
        """The evidence of an item's totals: the pool's, unless the planner has decided otherwise since."""
        if self.pool.get(route, fit.item) is fit:
            found = self.pool.totals(first).get(route, fit.item)
            assert found is not None
            return found
        dependence = self.pool.dependence(route)
        assert dependence is not None
        return fit.totals(dependence, first)

    def total_windows(self, first: int, horizon: int) -> tuple[FloatArray, IntArray]:
        """How many windows that do not overlap told the spread of totals from a lead time up to each later one, and how
        many periods these have.

        Of all items together, shape (horizon,); beyond the tested lead times those of the last of these. An origin
        whose window shares periods with others counts for its share. The laws themselves count as `PRIOR_ORIGINS`
        origins, as they do against an item's own spread of scores.
        """
        stride = getattr(self.trial.scheme, "stride", 1)
        steps = np.minimum(np.arange(1, horizon + 1), self.trial.horizon)
        known, lengths = self.pool.totals(first).told[steps - 1], np.maximum(steps - (first - 1), 1)
        return np.asarray((known + PRIOR_ORIGINS) / np.maximum(lengths / stride, 1.0), dtype=np.float64), lengths

    @cached_property
    def winners(self) -> pd.DataFrame:
        """A row per item.

        item, method (what is published), measure, its error where each origin is decided by what was known at it, the
        benchmark and its error, value_added (percent less error than it), parameters, origins (that could be decided
        so), coverage of each level by the intervals published by default, reason (why nothing is), then route,
        best_single and its error, less_than_single (percent less error), windows (of those origins that do not
        overlap), bias, intervals (the default kind), form and criterion (of the best single method: what its search
        chose, and its AICc, at the last origin), season, unmet (conditions), overridden (the planner's reason), lost
        (what lost to the benchmark, which is published instead). Figures that no origin could be decided for are NaN.
        """
        return pd.DataFrame([self._row(choice) for choice in self.choices.values()])

    def _row(self, choice: Choice) -> dict[str, object]:
        winner, benchmark, single, claim = choice.winner, choice.benchmark, choice.best_single, choice.claim
        nothing = float("nan")
        row: dict[str, object] = {
            "item": choice.evidence.item,
            "method": winner.method.text if winner else None,
            "measure": choice.evidence.measure,
            "error": claim.error if winner else nothing,
            "benchmark": benchmark.method.text if benchmark else None,
            "benchmark_error": claim.benchmark_error,
            "value_added": claim.value_added,
            "parameters": winner.parameters if winner else nothing,
            "origins": claim.origins,
        }
        shown = self.held(choice.item, self.trial.levels)
        for j, level in enumerate(self.trial.levels):
            row[f"coverage_{level_label(level)}"] = shown["calibrated"][j].coverage if shown and winner else nothing
        return row | {
            "reason": self.reason(choice.evidence.item),
            "route": choice.route,
            "best_single": single.method.text if single else None,
            "best_single_error": claim.single_error,
            "less_than_single": claim.less_than_single,
            "windows": claim.windows,
            "bias": claim.bias,
            "intervals": "calibrated" if warps(choice.learned, self.peers(choice.item), 1) else "model",
            "form": (single.form or single.method.text.partition(" ")[2]) if single else "",
            "criterion": single.criterion if single else nothing,
            "season_length": self.trial.history.season_length,
            "unmet": "; ".join(choice.unmet),
            "overridden": choice.override.reason if choice.override else "",
            "lost": choice.lost,
            "mae": claim.mae,
            "wape": claim.wape,
            "kept": "" if choice.kept is None else choice.kept.because,
        }

    @cached_property
    def intervals(self) -> pd.DataFrame:
        """What each kind of interval held: item, kind, level, cells, coverage, below, above (percent of actuals).

        Each origin's are calibrated by what was known at it, of the item and of others; where no origin had anything to
        be decided from, nothing is known.
        """
        rows = [
            {"item": choice.evidence.item, "kind": kind, **row._asdict()}
            for choice in self.choices.values()
            for kind, rows_of in self.held(choice.item, self.trial.levels).items()
            for row in rows_of
        ]
        columns = ["item", "kind", "level", "cells", "coverage", "below", "above"]
        return pd.DataFrame(rows, columns=columns)

    @property
    def timings(self) -> pd.DataFrame:
        """The price in time: item, method, milliseconds of a median fold (of a blend those of its members together).

        It stands apart from `winners` because it is not the same twice.
        """
        rows: list[tuple[str, str | None, float]] = []
        for one, choice in zip(self.trial, self.choices.values(), strict=True):
            winner = choice.winner
            made = () if winner is None else (winner.method, *winner.method.members)
            used = [m for m, one in enumerate(self.trial.lineup) if one in made]
            folds = 1e3 * np.where(one.status[used] != Status.NO_FOLD, one.seconds[used], np.nan).sum(axis=0)
            known = folds[~np.isnan(folds)]
            cost = float(np.median(known)) if used and known.size else float("nan")
            rows.append((choice.evidence.item, winner.method.text if winner else None, cost))
        return pd.DataFrame(rows, columns=["item", "method", "ms_per_fold"])

    def why(self, item: str) -> str:
        """Say why an item's winner won, with the numbers, in words for a meeting.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        shown = self.held(item, self.trial.levels).get("calibrated", ())
        return why(self.choice(item), self.trial, shown, self.conditions.lead_times)

    def reason(self, item: str) -> str:
        """Why nothing is published for an item; empty where something is.

        Raises
        ------
        ItemUnknown
            If the trial has no such item.
        """
        return reason_for_nothing(self.choice(item))

    def override(self, item: str, method: str | Method, reason: str) -> "Verdict":
        """Publish another method for an item; the reason is kept in the manifest.

        A method of the trial, or a combination of such methods, brings its own errors and coverage; of another one
        nothing is known.

        Raises
        ------
        ItemUnknown, ParameterError, MethodUnknown, SettingError
            If there is no such item or method, or no reason is given.
        """
        before, chosen = self.choice(item), as_method(method)
        if not reason.strip():
            raise ParameterError("reason", repr(reason), "say why; it is kept with the publication")
        known = counted_cells(self.trial[item], self.conditions)
        after = overridden(before, self.trial, known, chosen, reason.strip())
        return replace(self, choices=self.choices.but(item, after))
