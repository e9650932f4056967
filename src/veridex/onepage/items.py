"""The page of one item: its forecast, what it was tested to be, and everything that was said of it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import ItemPublication, Outlook
from veridex.core.publication.shown import heading, held_in_words
from veridex.core.verdict.rivals import Rival, errors_by_step, rivals_at, rivals_errors
from veridex.core.verdict.tested import Tested, as_tested
from veridex.core.verdict.verdict import Verdict
from veridex.onepage.packing import shortened
from veridex.onepage.source import Source

__all__ = ["Pages"]

MOST_RIVALS = 24
"""Contenders that are shown, the best first."""

MAE = "mae"


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

    def page(self, one: ItemPublication) -> dict[str, Any]:
        """Everything of an item; what there is nothing of is left out."""
        publication, levels = self.source.publication, self.source.publication.head.wanted.levels
        found = {
            "heading": heading(publication, one),
            "start": one.origin + 1 - one.past.size - self.source.span[0],
            "past": shortened(one.past),
            "ahead": None if one.outlook is None else _outlook(one.outlook),
            "tested": [one.tested.start, one.tested.stop],
            "scenarios": [{"name": other.scenario} | _outlook(other) for other in one.scenarios],
            "beside": [[rival.role, short_name(rival.method), shortened(rival.points)] for rival in one.beside],
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
            **self._tested(one),
        }
        return {name: value for name, value in found.items() if value not in (None, "", [])}

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
        return {"start": start, "points": shortened(last.outlook.points), "method": name}

    def _tested(self, one: ItemPublication) -> dict[str, Any]:
        """The last forecast that was held back, rivals on it, and errors by lead time; nothing where nothing was."""
        tested, trial = self.source.tested, self.source.trial
        if tested is None or trial is None or one.item not in self.tried:
            return {}
        first = self.source.span[0]
        method = None if isinstance(tested, Verdict) else _entered(one, trial.lineup)
        holdout = as_tested(tested, one.item, method, last=True)
        origins, steps = errors_by_step(tested, one.item, trial.entered)
        measure, errors = self._errors(one.item, steps)
        start, rivals = rivals_at(tested, one.item, trial.entered, errors)
        won = holdout.name if method is not None else ""
        rivals = sorted(rivals, key=lambda rival: (not np.isfinite(rival.points).any(), _last(rival.error)))
        return {
            "holdout": _holdout(holdout, first),
            "rivals": {
                "start": start - first,
                "measure": measure,
                "each": [_rival(rival, won=rival.won or rival.name == won) for rival in rivals[:MOST_RIVALS]],
            },
            "steps": {"origins": origins, "each": [[name, shortened(values)] for name, values in steps.items()]},
        }

    def _errors(self, item: str, steps: Mapping[str, Any]) -> tuple[str, dict[Method, float]]:
        """The measure that contenders go by, and each one's error."""
        tested, trial = self.source.tested, self.source.trial
        assert trial is not None
        if isinstance(tested, Verdict):
            choice = tested.choice(item)
            return choice.evidence.measure, rivals_errors(choice)
        means = {name: float(np.nanmean(values)) for name, values in steps.items() if not np.isnan(values).all()}
        return MAE, {method: means.get(short_name(method), np.nan) for method in trial.entered}


def _rival(rival: Rival, *, won: bool) -> list[Any]:
    """Name, forecast, error, whether it is published, why there is none."""
    reason = "" if np.isfinite(rival.points).any() else rival.reason
    return [rival.name, shortened(rival.points), *shortened([rival.error]), int(won), reason]


def _last(error: float) -> float:
    return np.inf if np.isnan(error) else error


def _entered(one: ItemPublication, lineup: tuple[Method, ...]) -> Method | None:
    """The method of a lineup that is published, or has the largest share in what is."""
    decided = one.decided
    if decided is None or decided in lineup:
        return decided
    weights = decided.weights if isinstance(decided.weights, tuple) else (1.0,) * len(decided.members)
    able = [(weight, member) for weight, member in zip(weights, decided.members, strict=False) if member in lineup]
    return max(able, key=lambda pair: pair[0])[1] if able else None


def _outlook(outlook: Outlook) -> dict[str, Any]:
    """Forecast, bounds and quantiles."""
    bands = outlook.bands
    return {
        "points": shortened(outlook.points),
        "lower": [shortened(row) for row in np.asarray(bands.lower)],
        "upper": [shortened(row) for row in np.asarray(bands.upper)],
        "quantiles": [shortened(row) for row in np.asarray(bands.quantiles)],
        "error": shortened(outlook.std_error),
    }


def _total(one: ItemPublication) -> dict[str, Any]:
    """Demand from the first lead time of totals up to each later one."""
    assert one.totals is not None
    totals, bands = one.totals, one.totals.bands
    return {
        "points": shortened(totals.points),
        "lower": [shortened(row) for row in np.asarray(bands.lower)],
        "upper": [shortened(row) for row in np.asarray(bands.upper)],
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
        "numbers": shortened(numbers),
        "benchmark": scores.benchmark or "",
        "origins": scores.origins,
        "windows": scores.windows,
        "unmet": list(scores.unmet),
    }


def _holdout(tested: Tested, first: int) -> dict[str, Any]:
    """A forecast made at the last origin, with its bands."""
    if not tested.origins.size:
        return {"name": tested.name, "reason": tested.reason or "no origin was tested"}
    place = tested.last()
    return {
        "name": tested.name,
        "bands": tested.bands,
        "start": int(tested.origins[place]) + 1 - first,
        "points": shortened(tested.points[place]),
        "levels": list(tested.levels),
        "lower": [shortened(row) for row in tested.lower[:, place]],
        "upper": [shortened(row) for row in tested.upper[:, place]],
        "reason": tested.reason,
    }


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
