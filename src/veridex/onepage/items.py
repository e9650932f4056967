"""The page of one item: its forecast, what it was tested to be, and everything that was said of it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.backtest.folds import ItemTrial
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import ItemPublication, Outlook
from veridex.core.publication.shown import heading, held_in_words
from veridex.core.verdict.rivals import StepErrors, errors_by_step, rivals_at, rivals_errors
from veridex.core.verdict.tested import Tested, last_tested
from veridex.core.verdict.verdict import Verdict
from veridex.onepage.packing import shortened
from veridex.onepage.source import Source

__all__ = ["Pages"]

MOST_RIVALS = 24
"""Contenders that are shown, the best first."""

MAE = "mae"

LARGEST = "the largest part of the blend"


@dataclass(frozen=True, eq=False)
class Pages:
    """Makes the pages of items; tables of all items are parted by item once."""

    source: Source
    ledger: Mapping[str, list[list[Any]]] = field(default_factory=dict)
    watched: Mapping[str, list[list[Any]]] = field(default_factory=dict)
    odd: frozenset[str] = frozenset()
    tried: frozenset[str] = frozenset()

    @classmethod
    def of(cls, source: Source) -> "Pages":
        """Ready for any item."""
        cadence, watch, trial = source.publication.cadence, source.watch, source.trial
        tried = frozenset() if trial is None else frozenset(trial.history.names)
        ledger = _by_item(source.publication.ledger, cadence, ("what", "why"), ("before", "after"))
        if watch is None:
            return cls(source, ledger, tried=tried)
        numbers = ("actual", "forecast", "lower", "upper")
        watched = _by_item(watch.frame, cadence, ("outside", "alert"), numbers)
        odd = watch.items.loc[(watch.items["alerts"] > 0) | watch.items["biased"], "item"]
        return cls(source, ledger, watched, frozenset(odd), tried)

    def pages(self, items: Sequence[ItemPublication]) -> list[dict[str, Any]]:
        """Everything of some items; what was held back is read off the laws of all of them together."""
        trial, tested = self.source.trial, self.source.tested
        if trial is None or tested is None:
            return [self._page(one, None) for one in items]
        able = [one for one in items if one.item in self.tried]
        ones = [trial[one.item] for one in able]
        held = self._held(able)
        steps = errors_by_step(tested, ones, trial.entered)
        known = {one.item: (one, held.get(one.item), step) for one, step in zip(ones, steps, strict=True)}
        return [self._page(one, known.get(one.item)) for one in items]

    def _held(self, able: Sequence[ItemPublication]) -> dict[str, Tested]:
        """The last forecast that was held back of each item of which there is one; whose it is, is part of its name."""
        tested, trial = self.source.tested, self.source.trial
        assert tested is not None
        assert trial is not None
        if isinstance(tested, Verdict):
            found = last_tested(tested, [(trial[one.item], None) for one in able])
            return dict(zip([one.item for one in able], found, strict=True))
        named = {one.item: method for one in able if (method := _entered(one, trial.lineup)) is not None}
        found = last_tested(tested, [(trial[item], method) for item, method in named.items()])
        decided = {one.item: one.decided for one in able}
        return {
            item: one if decided[item] == named[item] else replace(one, name=f"{one.name}, {LARGEST}")
            for item, one in zip(named, found, strict=True)
        }

    def _page(self, one: ItemPublication, known: Any) -> dict[str, Any]:
        """Everything of an item; what there is nothing of is left out."""
        publication, levels = self.source.publication, self.source.publication.head.wanted.levels
        found = {
            "heading": heading(publication, one),
            "start": one.origin + 1 - one.past.size - self.source.span[0],
            "past": one.past,
            "ahead": None if one.outlook is None else _outlook(one.outlook),
            "tested": [one.tested.start, one.tested.stop],
            "scenarios": [{"name": other.scenario} | _outlook(other) for other in one.scenarios],
            "beside": [[rival.role, short_name(rival.method), rival.points] for rival in one.beside],
            "total": None if one.totals is None else _total(one),
            "held": [held_in_words(one.scores, level) for level in levels],
            "method": "" if one.method is None else one.method.text,
            "why": one.why,
            "reason": one.reason,
            "cautions": [caution.why for caution in one.cautions],
            "override": None if one.override is None else [one.override.reason, one.override.instead_of or ""],
            "words": "" if one.fit is None else one.fit.words,
            "equation": "" if one.fit is None else one.fit.equation,
            "scores": _scores(one),
            "ledger": self.ledger.get(one.item),
            "came": self.watched.get(one.item),
            "came_words": self._came_words(one.item),
            "before": self._before(one),
            **({} if known is None else self._tested(*known)),
        }
        return {name: value for name, value in found.items() if not _nothing(value)}

    def _came_words(self, item: str) -> str:
        """What the watch says of an item."""
        return self.source.watch.why(item) if self.source.watch is not None and item in self.odd else ""

    def _before(self, one: ItemPublication) -> dict[str, Any] | None:
        """What the publication before said."""
        if self.source.before is None:
            return None
        last = self.source.before.published.get(one.item)
        if last is None or last.outlook is None:
            return None
        start = last.origin + 1 - self.source.span[0]
        name = "" if last.method is None else short_name(last.method)
        return {"start": start, "points": last.outlook.points, "method": name}

    def _tested(self, one: ItemTrial, held: Tested | None, steps: StepErrors) -> dict[str, Any]:
        """The last forecast that was held back, rivals on it, and errors by lead time."""
        tested, trial, first = self.source.tested, self.source.trial, self.source.span[0]
        assert tested is not None
        assert trial is not None
        measure, errors = self._errors(one.item, steps)
        rivals = rivals_at(tested, one, trial.entered, errors)
        order = sorted(range(len(rivals.names)), key=lambda k: (k in rivals.reasons, _last(rivals.errors[k]), k))
        order = order[:MOST_RIVALS]
        # Of a trial alone a member stands for its blend: only a method that is published itself is marked so.
        decided = self.source.publication[one.item].decided
        alone = None if decided is None or decided not in trial.lineup else _place_of(short_name(decided), rivals.names)
        own = rivals.won if isinstance(tested, Verdict) else alone
        return {
            "holdout": None if held is None else _holdout(held, first),
            "rivals": {
                "start": rivals.start - first,
                "measure": measure,
                "names": [rivals.names[k] for k in order],
                "all": len(rivals.names),
                "points": rivals.points[order],
                "errors": np.array([rivals.errors[k] for k in order]),
                "won": [place for place, k in enumerate(order) if k == own],
                "reasons": {place: rivals.reasons[k] for place, k in enumerate(order) if k in rivals.reasons},
            },
            "steps": {"origins": steps.origins, "names": list(steps.names), "errors": steps.means},
        }

    def _errors(self, item: str, steps: StepErrors) -> tuple[str, list[float]]:
        """The measure that contenders go by, and the error of each method of the lineup."""
        tested, trial = self.source.tested, self.source.trial
        assert trial is not None
        if isinstance(tested, Verdict):
            choice = tested.choice(item)
            return choice.evidence.measure, rivals_errors(choice)
        with np.errstate(all="ignore"):
            known = ~np.isnan(steps.means)
            means = np.where(known, steps.means, 0.0).sum(axis=1) / known.sum(axis=1)
        found = dict(zip(steps.names, means.tolist(), strict=True))
        return MAE, [found.get(short_name(method), np.nan) for method in trial.lineup]


def _last(error: float) -> float:
    return math.inf if math.isnan(error) else error


def _place_of(name: str, names: tuple[str, ...]) -> int | None:
    return names.index(name) if name in names else None  # a benchmark that nobody entered has no panel


def _entered(one: ItemPublication, lineup: tuple[Method, ...]) -> Method | None:
    """The method of a lineup that is published, or has the largest share in what is."""
    decided = one.decided
    if decided is None or decided in lineup:
        return decided
    weights = decided.weights if isinstance(decided.weights, tuple) else (1.0,) * len(decided.members)
    able = [(weight, member) for weight, member in zip(weights, decided.members, strict=False) if member in lineup]
    return max(able, key=lambda pair: pair[0])[1] if able else None


def _outlook(outlook: Outlook) -> dict[str, Any]:
    """Forecast, bounds and quantiles, these row by row."""
    bands = outlook.bands
    return {
        "points": outlook.points,
        "lower": np.asarray(bands.lower),
        "upper": np.asarray(bands.upper),
        "quantiles": np.asarray(bands.quantiles),
        "error": outlook.std_error,
    }


def _total(one: ItemPublication) -> dict[str, Any]:
    """Demand from the first lead time of totals up to each later one."""
    assert one.totals is not None
    totals, bands = one.totals, one.totals.bands
    return {
        "points": totals.points,
        "lower": np.asarray(bands.lower),
        "upper": np.asarray(bands.upper),
        "reason": totals.reason,
    }


def _scores(one: ItemPublication) -> dict[str, Any] | None:
    """How good what is published was when it was tested."""
    scores = one.scores
    if scores is None:
        return None
    numbers = (scores.error, scores.benchmark_error, scores.value_added, scores.bias, scores.mae, scores.wape)
    return {
        "measure": scores.measure,
        "numbers": np.array(numbers),
        "benchmark": scores.benchmark or "",
        "origins": scores.origins,
        "windows": scores.windows,
        "unmet": list(scores.unmet),
    }


def _holdout(tested: Tested, first: int) -> dict[str, Any]:
    """A forecast made at the last origin, with its bands."""
    if not tested.origins.size or tested.reason:
        return {"name": tested.name, "reason": tested.reason or "no origin was tested"}
    return {
        "name": tested.name,
        "bands": tested.bands,
        "start": int(tested.origins[-1]) + 1 - first,
        "points": tested.points[-1],
        "levels": list(tested.levels),
        "lower": tested.lower[:, -1],
        "upper": tested.upper[:, -1],
    }


def _nothing(value: Any) -> bool:
    """Whether there is nothing to show."""
    return value is None or (isinstance(value, (str, list)) and not value)


def _by_item(
    table: pd.DataFrame, cadence: Cadence, texts: tuple[str, ...], numbers: tuple[str, ...]
) -> dict[str, list[list[Any]]]:
    """The rows of a table by item: period, numbers, texts."""
    found: dict[str, list[list[Any]]] = {}
    if table.empty:
        return found
    periods = map(cadence.text, cadence.ordinals(table["period"].to_numpy()).tolist())
    columns = [*(shortened(table[name].to_numpy()) for name in numbers), *(table[name].tolist() for name in texts)]
    for item, period, *cells in zip(table["item"].tolist(), periods, *columns, strict=True):
        found.setdefault(item, []).append([period, *cells])
    return found
