"""`Publication`, and how it is made: refit on the whole history, forecast, write down from what and how."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import pandas as pd

from veridex.core.backtest.engine import Engine
from veridex.core.calibration.bands import Peers, Wanted
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.preparation.regressors import Explaining
from veridex.core.publication.groups import Grouping, group_rows, groupings
from veridex.core.publication.item import ItemTask, ItemWork
from veridex.core.publication.manifest import explained_by, manifest_head, score_entry
from veridex.core.publication.tables import Page, frame_of, totals_of
from veridex.core.tidying.ledger import ledger
from veridex.core.verdict.choice import Choice
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Ahead", "Publication", "make_publication"]


EMPTY = History.from_numbers([0.0], cadence="monthly", start="2000-01")


@dataclass(frozen=True, eq=False, kw_only=True)
class Publication:
    """The published forecasts.

    Attributes
    ----------
    frame : DataFrame
        item, period, kind (``actual`` or ``forecast``), step, value, std_error, the bounds of each level, method,
        tested (whether the lead time was backtested), reason, scenario (empty for the drivers themselves), one-sided
        quantiles, half-widths of the intervals absolute and in percent of the value, intervals (which kind). History
        first, as it was read, then the forecasts, per item, those of each scenario after them.
    totals : DataFrame
        Demand from the first lead time up to each step: group (``item``, ``all`` or a column), name, items, step,
        period (the last one added), value, bounds and quantiles with their own calibration, intervals, tested.
    manifest : dict
        From what data, with what versions, methods, coefficients and scheme, and how good.
    ledger : DataFrame
        Every repair of the history and every finding in it: item, period, what, before, after, why.
    """

    frame: pd.DataFrame = field(repr=False)
    manifest: dict[str, Any] = field(repr=False)
    ledger: pd.DataFrame = field(repr=False, default_factory=lambda: ledger(EMPTY))
    totals: pd.DataFrame = field(repr=False, default_factory=pd.DataFrame)

    def __repr__(self) -> str:
        head = self.manifest
        until = f"until {head['until']}" if head.get("until") else f"{head['horizon']} ahead"
        return f"Publication({len(head['items'])} items, {head['data']['cadence']}, {until})"

    @property
    def items(self) -> tuple[str, ...]:
        """The items published."""
        return tuple(self.manifest["items"])

    @property
    def forecasts(self) -> pd.DataFrame:
        """The rows that look ahead."""
        return self.frame[self.frame["kind"] == "forecast"].reset_index(drop=True)


@dataclass(frozen=True, slots=True)
class Ahead:
    """How far a publication looks ahead, and how much history it carries.

    Attributes
    ----------
    horizon : int or str
        Periods, or the last period.
    past : int or "all"
        Periods of history in the frame.
    """

    horizon: int | str = 12
    past: int | str = "all"

    def __post_init__(self) -> None:
        if isinstance(self.horizon, bool) or (isinstance(self.horizon, int) and self.horizon < 1):
            raise ParameterError("horizon", str(self.horizon), "publish at least one period")
        if self.past != "all" and (not isinstance(self.past, int) or isinstance(self.past, bool) or self.past < 0):
            raise ParameterError("past", repr(self.past), "it is 'all', or how many periods go with the forecast")

    def steps(self, series: ItemHistory) -> int:
        """Lead times of an item; below one where its history reaches that far already."""
        if isinstance(self.horizon, int):
            return self.horizon
        return series.cadence.period(self.horizon) - (series.start + len(series) - 1)


def make_publication(
    history: History,
    source: Verdict | Method,
    ahead: Ahead,
    wanted: Wanted,
    engine: Engine,
    explaining: Explaining | None = None,
    scenarios: Sequence[Drivers] = (),
    groups: Sequence[str] = (),
) -> Publication:
    """Refit on the whole history and forecast; see `veridex.publish`, the public face."""
    explaining = explaining or Explaining()
    verdict = source if isinstance(source, Verdict) else None
    asked = groupings(history, verdict, groups)
    shared = tuple(one.shared for one in asked)
    tasks = [_task(series, source, ahead.steps(series), wanted, shared) for series in history]
    if all(task.horizon < 1 for task in tasks):
        raise ParameterError("horizon", repr(ahead.horizon), "every item's history reaches that far already")
    made = list(engine.map(ItemWork(wanted, explaining, tuple(scenarios)), tasks))
    pages, entries = [], {}
    for task, found in zip(tasks, made, strict=True):
        choice = verdict.choice(task.series.item) if verdict is not None else None
        why = verdict.why(task.series.item) if verdict is not None else "The planner's own choice; not backtested."
        reason = verdict.reason(task.series.item) if verdict is not None else ""
        if task.horizon < 1:
            reason = f"its history reaches {ahead.horizon} already"
        reason = reason or (found.forecast.reason if found.forecast else "")
        tested = _tested_steps(verdict, choice)
        pages.append(Page(task, found, tested, reason))
        text = task.method.text if task.method is not None else None
        said = {"method": text, "why": why, "reason": reason}
        entries[task.series.item] = said | found.entry | score_entry(choice, wanted.kind, task.tested)
    steps = max(task.horizon for task in tasks)
    manifest = manifest_head(history, verdict, steps, wanted) | explained_by(explaining, scenarios)
    if isinstance(ahead.horizon, str):
        manifest["until"] = ahead.horizon
    manifest["groups"] = [one.entry() for one in asked]
    return Publication(
        frame=frame_of(pages, wanted, ahead.past),
        manifest=manifest | {"items": entries},
        ledger=ledger(history),
        totals=totals_of(pages, wanted, _group_rows(asked, pages, wanted)),
    )


def _task(
    series: ItemHistory, source: Verdict | Method, horizon: int, wanted: Wanted, shared: tuple[float, ...]
) -> ItemTask:
    if isinstance(source, Method):
        return ItemTask(series, source, horizon, None)
    choice, item = source.choice(series.item), series.item
    method = None if choice.winner is None else choice.winner.method
    if choice.crossfit is None:
        return ItemTask(series, method, horizon, None, shared=shared)
    levels = wanted.all_levels
    peers = Peers(source.pool.steps(item, levels), source.pool.totals(item, levels))
    tested = source.pool.steps(item, choice.crossfit.levels)
    return ItemTask(series, method, horizon, choice.crossfit, peers, tested, shared)


def _tested_steps(verdict: Verdict | None, choice: Choice | None) -> range:
    """The lead times that the backtest tested for an item."""
    if verdict is None or choice is None or choice.crossfit is None:
        return range(0)
    return range(getattr(verdict.trial.scheme, "gap", 0) + 1, choice.evidence.furthest + 1)


def _group_rows(asked: Sequence[Grouping], pages: Sequence[Page], wanted: Wanted) -> list[dict[str, Any]]:
    found = {page.task.series.item: page for page in pages if page.found.available}
    return [row for k, one in enumerate(asked) for row in group_rows(one, k, found, wanted)]
