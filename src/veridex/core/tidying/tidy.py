"""`tidy`: repair a history by stated rules and list every repair."""

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal, get_args

import numpy as np
import pandas as pd

from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.marks import DROPPED, MERGED, Mark
from veridex.core.notebook import Faced
from veridex.core.reading.unfinished import unfinished_period
from veridex.core.tables.assemble import Repeat
from veridex.core.tables.notes import Note
from veridex.core.tidying.division import divided
from veridex.core.tidying.ledger import ledger
from veridex.core.tidying.rules import Gaps, Negative, Outliers, TidyRules, checked_unfinished
from veridex.core.tidying.succession import continued
from veridex.errors import ParameterError, RowsRefused

__all__ = ["Duplicates", "Tidied", "tidy"]

Duplicates = Literal["sum", "mean", "last", "refuse"]

FILLED = {"gap filled", "out of stock"}
"""What the ledger calls periods that a rule for gaps may have filled."""

WORDS = {"sum": "added up", "mean": "averaged", "last": "the last of them"}


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Tidied(Faced):
    """A tidied history and how it came about.

    Attributes
    ----------
    history : History
        Holds the tidied values, the raw ones, and the rules: a backtest applies these in each fold to the past alone.
    ledger : DataFrame
        A row per repair or finding: item, period, what, before, after, why.
    said : tuple of str
        What was done to the history as a whole.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "notes",
        "ledger",
    )

    history: History
    ledger: pd.DataFrame = field(repr=False)
    said: tuple[str, ...] = ()

    @property
    def notes(self) -> tuple[str, ...]:
        """What was done and found, in sentences."""
        told = tuple(
            Note(f"{str(what).capitalize()}: {{over}}.", dict(Counter(rows["item"])))
            for what, rows in self.ledger.groupby("what", sort=True)
        )
        return (*self.said, *told, *self._idle) or ("There was nothing to repair.",)

    @property
    def _idle(self) -> tuple[str, ...]:
        """Rules that were asked to repair something and found nothing of the kind."""
        rules, done = self.history.rules, set(self.ledger["what"])
        if not isinstance(rules, TidyRules):
            return ()
        asked = (
            (rules.gaps != "unknown" and not done & FILLED, f"gaps={rules.gaps!r}", "there was no gap to fill"),
            (rules.outliers == "repair" and "outlier repaired" not in done, "outliers='repair'", "nothing stands out"),
            (rules.negative == "zero" and "negative set to zero" not in done, "negative='zero'", "nothing is negative"),
        )
        return tuple(f"{rule} had nothing to do: {why}." for idle, rule, why in asked if idle)

    def only(self, item: str) -> "Tidied":
        """One item alone.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        history = self.history.only(item)
        return Tidied(history=history, ledger=ledger(history))


def tidy(
    history: History | ItemHistory,
    *,
    gaps: Gaps = "unknown",
    duplicates: Duplicates = "sum",
    outliers: Outliers = "flag",
    unfinished: Literal["drop", "keep"] | int = "drop",
    negative: Negative = "keep",
    successor: pd.DataFrame | Mapping[str, Any] | None = None,
    per: Drivers | None = None,
    events: Events | None = None,
) -> Tidied:
    """Repair a history by stated rules, and list every repair.

    It always starts from the raw values: tidying a tidied history again by the same rules changes nothing.

    Parameters
    ----------
    history : History or ItemHistory
    gaps : {"unknown", "zero", "carry", "interpolate", "seasonal"}
        What unknown demand becomes: stays unknown, nothing sold, the last known value, a straight line between the
        neighbours, or what level, trend and season lead one to expect. A gap at the end is carried; periods before
        the first known one stay unknown, and periods out of stock are never zero.
    duplicates : {"sum", "mean", "last", "refuse"}
        What several rows of a period become in a table of one row per period.
    outliers : {"leave", "flag", "repair"}
        What is done with outliers: not looked for, listed, or replaced by their robust expectation.
    unfinished : {"drop", "keep"} or int
        What is done with a last period that is only half there, or how many last periods to drop.
    negative : {"keep", "zero", "refuse"}
        What is done with negative demand.
    events : Events, optional
        Periods inside events are not outlying.
    successor : DataFrame or mapping, optional
        Which items replace others: the columns item, replaces and perhaps factor, or ``{"new": "old"}``, ``{"new":
        ("old", 0.8)}``. The new item continues the old one's history, times the factor; the old one is left out.
    per : Drivers of one column, optional
        What demand is divided by, such as `vx.working_days`: a measure of its own, which averages.

    Raises
    ------
    ParameterError
        If a rule is unknown.
    RowsRefused
        If duplicates or negative demand are to be refused and there are some.

    Examples
    --------
    >>> history = History.from_numbers([3, None, 5, 4], cadence="counted", item="jar")
    >>> tidied = tidy(history, gaps="interpolate")
    >>> tidied.history["jar"].values
    array([3., 4., 5., 4.])
    >>> tidied.ledger[["item", "period", "what", "after"]]
      item  period        what  after
    0  jar       2  gap filled    4.0
    """
    if duplicates not in get_args(Duplicates):
        known = ", ".join(map(repr, get_args(Duplicates)))
        raise ParameterError("duplicates", repr(duplicates), f"it is one of {known}")
    checked_unfinished(unfinished)
    many = History.of([history]) if isinstance(history, ItemHistory) else history
    rules = TidyRules(gaps=gaps, outliers=outliers, negative=negative, events=Events() if events is None else events)
    done = many.rules.finished if isinstance(many.rules, TidyRules) else None
    many = _merged(many.under(None), duplicates)
    before = len(many.notes)
    if successor is not None:
        many = continued(many, successor)
    if per is not None:
        many = divided(many, per)
    said = many.notes[before:]
    many, finished = _finished(many, unfinished, done)
    if negative == "refuse":
        _refuse_negative(many)
    tidied = many.under(replace(rules, finished=finished))
    tidied = replace(tidied, notes=(*many.notes, f"Tidied by these rules: {rules.in_words()}."))
    return Tidied(history=tidied, ledger=ledger(tidied), said=said)


def _merged(history: History, rule: Duplicates) -> History:
    """Give each period with several rows the value that the rule makes of them."""
    if not history.repeats:
        return history
    if rule == "refuse":
        item, repeats = next(iter(history.repeats.items()))
        count = sum(len(found) for found in history.repeats.values())
        period = history.cadence.text(repeats[0].ordinal)
        problem = f"has {len(repeats[0].quantities)} rows ({_listed(repeats[0])})"
        raise RowsRefused(item, period, problem, count, "duplicates='sum'")
    as_read = {(mark.item, mark.ordinal): mark.before for mark in history.marks if mark.what == MERGED}
    marks = [mark for mark in history.marks if mark.what != MERGED]
    values = history.room.empty(history.values.shape)
    values[:] = history.values
    for i, name in enumerate(history.names):
        first, length = int(history.starts[i]), int(history.offsets[i + 1] - history.offsets[i])
        for repeat in history.repeats.get(name, ()):
            if not 0 <= repeat.ordinal - first < length:
                continue
            place = int(history.offsets[i]) + repeat.ordinal - first
            before, values[place] = as_read.get((name, repeat.ordinal), float(values[place])), _merge(repeat, rule)
            why = f"{len(repeat.quantities)} rows ({_listed(repeat)}): {WORDS[rule]} (duplicates={rule!r})"
            marks.append(Mark(name, repeat.ordinal, MERGED, before, float(values[place]), why))
    return replace(history, values=values, marks=tuple(marks))


def _listed(repeat: Repeat) -> str:
    return ", ".join(f"{quantity:g}" for quantity in repeat.quantities)


def _merge(repeat: Repeat, rule: Duplicates) -> float:
    if rule == "last":
        return repeat.quantities[-1]
    total = math.fsum(repeat.quantities)
    return total / len(repeat.quantities) if rule == "mean" else total


def _finished(
    history: History, unfinished: Literal["drop", "keep"] | int, done: int | None
) -> tuple[History, int | None]:
    """Drop what is unfinished at the end, unless that was done before; the last period kept if any was dropped."""
    if unfinished == "keep" or done is not None:
        return history, done
    if isinstance(unfinished, int):
        count, why = unfinished, f"the last {unfinished} periods are to be dropped (unfinished={unfinished})"
    else:
        found = unfinished_period(history)
        count, why = (1, f"unfinished: {found[1]}") if found else (0, "")
    if count == 0:
        return history, None
    keep = int((history.starts + np.diff(history.offsets)).max()) - 1 - count
    dropped = tuple(
        Mark(series.item, series.start + place, DROPPED, float(series.values[place]), math.nan, why)
        for series in history
        for place in range(max(keep + 1 - series.start, 0), len(series))
    )
    kept = history._narrow(lambda start, stop: (start, min(stop, keep + 1)), f"until {history.cadence.text(keep)}")
    return replace(kept, marks=history.marks + dropped), keep


def _refuse_negative(history: History) -> None:
    with np.errstate(invalid="ignore"):
        found = [(series, place) for series in history for place in np.flatnonzero(series.values < 0).tolist()]
    if found:
        series, place = found[0]
        problem = f"has a demand of {series.values[place]:g}"
        period = series.cadence.text(series.start + place)
        raise RowsRefused(series.item, period, problem, len(found), "negative='zero' or 'keep'")
