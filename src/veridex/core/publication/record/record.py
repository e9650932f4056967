"""`track_record`: kept publications against the history since."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.backtest.scores import averaged, by_item
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.methods.words import counted
from veridex.core.notebook import Faced
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.publication import Publication
from veridex.core.publication.record.cells import NUMBERS, gathered, scored_cells
from veridex.core.publication.record.changes import changes_of
from veridex.core.publication.record.value import overrides_of, value_added
from veridex.core.publication.record.words import in_words
from veridex.core.publication.record.worse import Worse, when_worse
from veridex.core.scoring.levels import level_label
from veridex.errors import ParameterError

__all__ = ["TrackRecord", "track_record"]

GROUPS = ("item", "method", "route", "step", "origin", "period", "publication", "planner")

COVERAGE = ["level", "step", "cells", "promised", "when_tested", "held", "below", "above"]

FEW = 3
"""Items that are named."""

SHORTENED = ("tracking_signal", "tracking_limit")
"""Measures that a record leaves out: publications overlap."""


def track_record(
    publications: Sequence[Publication] | Publication,
    history: History | ItemHistory,
    *,
    drivers: Drivers | None = None,
    events: Events | None = None,
) -> "TrackRecord":
    """Hold everything that was published against what came.

    Parameters
    ----------
    publications : sequence of Publication
        In any order; where an item was published twice from one origin, the one made later counts.
    history : History or ItemHistory
        The same items since. Values as they were read count, so that no repair hides a surprise.
    drivers, events : optional
        For methods that took them, to tell what keeping a method would have brought.

    Returns
    -------
    TrackRecord
        Its tables are empty until periods have come.

    Raises
    ------
    ParameterError
        If there is no publication, none of these items, or cadences differ.
    """
    many = as_history(history)
    found = [publications] if isinstance(publications, Publication) else list(publications)
    if not found:
        raise ParameterError("publications", "[]", "pass at least one, as read_publication gives them")
    other = next((one for one in found if one.cadence != many.cadence), None)
    if other is not None:
        problem = f"a publication is {other.cadence.name}, the history {many.cadence.name}"
        raise ParameterError("history", repr(many), problem)
    if not any(item in one.published for one in found for item in many.names):
        problem = f"none of its items was published; {', '.join(found[0].items[:FEW])} and the like were"
        raise ParameterError("history", repr(many), problem)
    kept = tuple(sorted(found, key=_when))
    shared = [level for level in kept[-1].head.wanted.levels if all(level in one.head.wanted.levels for one in kept)]
    cells = gathered(kept, many, shared)
    return TrackRecord(
        publications=kept, history=many, levels=tuple(shared), cells=cells, explaining=Explanation(drivers, events)
    )


def _when(one: Publication) -> tuple[int, str]:
    """When a publication looked ahead from, and when it was made."""
    return max(item.origin for item in one.published.values()), one.head.made.at


@dataclass(frozen=True, eq=False, kw_only=True)
class TrackRecord(Faced):
    """What was published against what came.

    Attributes
    ----------
    publications : tuple of Publication
        The oldest first; tables call them by their number, from 1 on.
    history : History
    levels : tuple of float
        Interval levels that all of them have.
    cells : DataFrame
        What `errors` shows, with what measures are made of.
    explaining : Explanation
    """

    FACE: ClassVar[tuple[str, ...]] = ("in_words", "value_added", "coverage")

    publications: tuple[Publication, ...] = field(repr=False)
    history: History = field(repr=False)
    levels: tuple[float, ...]
    cells: pd.DataFrame = field(repr=False)
    explaining: Explanation = field(default_factory=Explanation, repr=False)

    def __repr__(self) -> str:
        return (
            f"TrackRecord({counted(len(self.publications), 'publication')}, {len(self.cells)} forecasts that have come)"
        )

    @property
    def errors(self) -> pd.DataFrame:
        """A row per forecast that has come.

        Columns as of `Trial.errors`: item, method (``blend`` where members are weighed anew each time), origin, period,
        step, actual, forecast, error (actual less forecast), percent_error, std_error, bounds; then the publication's
        number, route, what the benchmark and the verdict would have said, the planner who decided otherwise, whether
        the lead time was tested.
        """
        return self.cells.drop(columns=[*NUMBERS, "overridden"])

    @np.errstate(all="ignore")
    def scores(self, by: Sequence[str] | str = ("step",)) -> pd.DataFrame:
        """Measures of error per group.

        Within an item all cells of a group are pooled; a figure over several items is the mean of the items that have
        it.

        Parameters
        ----------
        by : sequence of str
            Some of item, method, route, step, origin, period, publication, planner, and columns of ``history.items``.

        Raises
        ------
        ParameterError
            If a group is unknown.
        """
        groups = (by,) if isinstance(by, str) else tuple(by)
        columns = [name for name in self.history.items.columns if name != "item"]
        if not groups or any(group not in (*GROUPS, *columns) for group in groups):
            raise ParameterError("by", repr(groups), f"group by some of {', '.join((*GROUPS, *columns))}")
        places = {item: i for i, item in enumerate(self.history.names)}
        items = np.array([places[item] for item in self.cells["item"]], dtype=np.int64)
        keys: dict[str, Any] = {name: self._key(name, items) for name in groups}
        table = by_item(groups, scored_cells(self.cells, self.levels), {**keys, "item": items})
        names = [name for name in table.columns if not str(name).startswith("_") and name not in (*groups, "n")]
        table = averaged(table, groups, names, "items").drop(columns=list(SHORTENED))
        return table.assign(item=[self.history.names[i] for i in table["item"]]) if "item" in groups else table

    def _key(self, name: str, items: Any) -> Any:
        """The values of a group's column, a value per cell."""
        if name == "item":
            return items
        if name in GROUPS:
            return self.cells[name].to_numpy()
        return self.history.items[name].to_numpy()[items]

    @cached_property
    def coverage(self) -> pd.DataFrame:
        """What intervals promised and what they held: level, step (empty for all), cells, promised, when_tested (what
        the backtests said they held, the mean over the cells), held, below, above; percent of what came.
        """
        rows = []
        for level in self.levels:
            own = self.cells.assign(tested_to_hold=self._when_tested(level))
            rows.append(_held(own, level, pd.NA))
            rows += [_held(part, level, step) for step, part in own.groupby("step")]
        return pd.DataFrame(rows, columns=COVERAGE).astype({"step": "Int64"})

    def _when_tested(self, level: float) -> list[float]:
        """What was said of a level's coverage when each forecast was published."""
        said: dict[tuple[int, str], float] = {}
        for number_, publication in enumerate(self.publications, start=1):
            for item, one in publication.published.items():
                said[number_, item] = np.nan if one.scores is None else one.scores.coverage.get(f"{level:g}", np.nan)
        pairs = zip(self.cells["publication"].tolist(), self.cells["item"].tolist(), strict=True)
        return [said[pair] for pair in pairs]

    @cached_property
    def value_added(self) -> pd.DataFrame:
        """What each step added, on the forecasts that both sides have.

        Columns: what (choice over benchmark, overrides over choice, published over benchmark), planner
        (empty for all together), items, cells, absolute errors in percent of demand before and after, value_added
        (percent less error), closer (percent of forecasts that lie closer to what came), items_better.
        """
        return value_added(self.cells)

    @cached_property
    def overrides(self) -> pd.DataFrame:
        """What each override brought, the dearest first: item, planner, publications, cells, mean absolute errors of
        the verdict's forecast and the planner's, value_added, closer.
        """
        return overrides_of(self.cells)

    @cached_property
    def changes(self) -> pd.DataFrame:
        """What changing methods cost, the dearest first.

        Columns: item, origin, method before and now, cells, mean absolute error that the old one would have had from
        the same origin on (fitted again to what was known there), that of what was published, value_added, moved (how
        far forecasts of the same periods moved, in percent).
        """
        return changes_of(self.publications, self.history, self.explaining)

    @cached_property
    def worsening(self) -> Worse:
        """Since when errors are larger than they were, against those expected; and how likely chance shows as much."""
        return when_worse(self.cells)

    @property
    def worse(self) -> pd.DataFrame:
        """Which items did it: item, absolute error before and after in times the expected one, by how much it exceeds
        what it was, and its share of all excess in percent.
        """
        return self.worsening.items

    def in_words(self) -> str:
        """The record in sentences."""
        return in_words(self)


def _held(rows: pd.DataFrame, level: float, step: Any) -> list[Any]:
    """What a level's intervals held of some cells."""
    label = level_label(level)
    known = rows[rows[f"lower_{label}"].notna()]
    below, above = known["actual"] < known[f"lower_{label}"], known["actual"] > known[f"upper_{label}"]
    outside = [100.0 * float(one.mean()) if len(known) else np.nan for one in (below, above)]
    return [level, step, len(known), level, known["tested_to_hold"].mean(), 100.0 - sum(outside), *outside]
