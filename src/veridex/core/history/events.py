"""Events: days that repeat under one name and may move demand, on any cadence."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.cells import require
from veridex.core.tables.dates import DateWords, read_dates
from veridex.core.tables.numbers_in_text import read_quantities, refuse_cells
from veridex.errors import ParameterError

__all__ = ["Event", "EventColumns", "Events"]

FEWEST = 2
"""Times an event must have happened before its effect can be told from chance."""

TOUCHED = 0.1
"""Share of a period's days from which on an event may explain it."""


@dataclass(frozen=True, slots=True, order=True)
class Event:
    """One time that an event happens; days count from 1970-01-01, both ends belong to it.

    `lead_in` days before and `echo` days after it also feel it.
    """

    name: str
    first: int
    last: int
    lead_in: int = 0
    echo: int = 0

    @property
    def felt(self) -> tuple[int, int]:
        """First and last day that feel it."""
        return self.first - self.lead_in, self.last + self.echo


@dataclass(frozen=True, slots=True, eq=False)
class EventColumns:
    """A column per event over some periods: the share of each period's days that feel it.

    `left_out` are events that happened fewer than twice in the training span; `notes` say so.
    """

    names: tuple[str, ...]
    values: FloatArray = field(repr=False)
    left_out: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, repr=False)
class Events:
    """Events and the days on which they happen; equal if they hold the same.

    Examples
    --------
    >>> events = Events.from_frame(pd.DataFrame({"name": ["fair"], "first": ["2024-03-04"], "last": ["2024-03-10"]}))
    >>> events.on("weekly", "2024-02-26", 3).values.ravel()
    array([0., 1., 0.])
    """

    happenings: tuple[Event, ...] = ()

    def __post_init__(self) -> None:
        object.__setattr__(self, "happenings", tuple(sorted(set(self.happenings))))

    def __len__(self) -> int:
        return len(self.happenings)

    def __repr__(self) -> str:
        return f"Events({len(self.names)} events, {len(self)} times in all)"

    def __add__(self, other: "Events") -> "Events":
        return Events(self.happenings + other.happenings)

    @property
    def names(self) -> tuple[str, ...]:
        """The events, each once."""
        return tuple(dict.fromkeys(event.name for event in self.happenings))

    def to_frame(self) -> pd.DataFrame:
        """A row per time: name, first, last, lead_in, echo."""
        rows = [(e.name, _day(e.first), _day(e.last), e.lead_in, e.echo) for e in self.happenings]
        return pd.DataFrame(rows, columns=["name", "first", "last", "lead_in", "echo"])

    @classmethod
    def from_frame(cls, frame: pd.DataFrame, *, source: str = "the table", first_row: int = 1) -> "Events":
        """Make events from a table with a row for each time they happen.

        Parameters
        ----------
        frame : DataFrame
            Columns ``name`` and ``first`` (the first day); optional are ``last`` (the last day, else the first), and
            ``lead_in`` and ``echo``, days before and after that also feel it.
        source, first_row
            What errors call the table and its first row.

        Raises
        ------
        ColumnMissing, CellUnreadable, ParameterError
        """
        require(frame, ("name", "first"), "event", source)
        frame = frame.reset_index(drop=True)
        if frame.empty:
            return cls()
        daily = Cadence.named("daily")

        def days(column: str) -> IntArray:
            found = read_dates(frame, (column,), DateWords(None, None, None), daily, source, first_row)
            return np.asarray(daily.ordinals(found.stamps)[found.where])

        def around(column: str) -> IntArray:
            if column not in frame.columns:
                return np.zeros(len(frame), dtype=np.int64)
            days_around = np.nan_to_num(read_quantities(frame[column], source, first_row), nan=0.0)
            broken = np.flatnonzero(days_around != np.rint(days_around))
            if broken.size:
                refuse_cells(frame[column], broken, "whole number of days", "Write whole days.", source, first_row)
            return np.asarray(days_around, dtype=np.int64)

        first = days("first")
        last = days("last") if "last" in frame.columns else first
        lead_in, echo = around("lead_in"), around("echo")
        wrong = (last < first) | (lead_in < 0) | (echo < 0)
        if wrong.any():
            row = int(np.flatnonzero(wrong)[0])
            problem = (
                f"{source}, row {row + first_row}: an event ends before it begins, or its lead_in or echo is negative"
            )
            raise ParameterError("events", repr(str(frame["name"].iloc[row])), problem)
        columns = zip(frame["name"].astype(str), first, last, lead_in, echo, strict=True)
        return cls(tuple(Event(name, int(a), int(b), int(c), int(d)) for name, a, b, c, d in columns))

    def on(self, cadence: str | Cadence, start: object, periods: int) -> EventColumns:
        """A column per event over `periods` periods from `start` on (a period, or its ordinal).

        A week or month gets the share of its days that feel the event; a day, working day, hour or minute all or
        nothing.

        Raises
        ------
        ParameterError
            If periods are counted: they have no days.
        """
        spacing = Cadence.named(cadence)
        if spacing.counted:
            raise ParameterError("events", repr(self), "counted periods have no days on which events could happen")
        begin = int(start) if isinstance(start, (int, np.integer)) else spacing.period(start)
        ordinals = np.arange(begin, begin + periods + 1)
        days = spacing.starts(ordinals).astype("datetime64[D]").astype(np.int64)
        values = np.zeros((periods, len(self.names)))
        whole_days = spacing.within_day or spacing.unit == "B"
        lengths = np.ones(periods) if whole_days else np.diff(days).astype(np.float64)
        for column, name in enumerate(self.names):
            felt = np.zeros(int(days[-1] - days[0]) + 2, dtype=bool)
            for event in self._named(name):
                low, high = (day - int(days[0]) for day in event.felt)
                felt[max(low, 0) : max(high + 1, 0)] = True
            if whole_days:
                values[:, column] = felt[days[:-1] - days[0]]
            else:
                total = np.concatenate(([0], np.cumsum(felt)))
                values[:, column] = (total[days[1:] - days[0]] - total[days[:-1] - days[0]]) / lengths
        return EventColumns(self.names, values)

    def estimable(self, cadence: Cadence, start: int, known: int, ahead: int) -> EventColumns:
        """Columns over `known` periods and `ahead` more, without events seen fewer than twice in the known ones."""
        columns = self.on(cadence, start, known + ahead)
        bounds = cadence.starts(np.array([start, start + known])).astype("datetime64[D]").astype(np.int64)
        times = [
            sum(event.felt[0] < bounds[1] and event.felt[1] >= bounds[0] for event in self._named(name))
            for name in self.names
        ]
        kept = [i for i, count in enumerate(times) if count >= FEWEST]
        seen = ("never", "once")
        notes = tuple(
            f"Event {name!r} happened {seen[count]} in the training span: too seldom to estimate its effect; left out."
            for name, count in zip(self.names, times, strict=True)
            if count < FEWEST
        )
        return EventColumns(
            tuple(self.names[i] for i in kept),
            columns.values[:, kept],
            tuple(name for i, name in enumerate(self.names) if i not in kept),
            notes,
        )

    def touched(self, cadence: Cadence, start: int, periods: int) -> BoolArray:
        """Periods of which events fill a tenth or more: they may explain what happened there."""
        if not self.happenings or cadence.counted:
            return np.zeros(periods, dtype=bool)
        everything = Events(tuple(Event("any", *event.felt) for event in self.happenings))
        touched: BoolArray = everything.on(cadence, start, periods).values[:, 0] >= TOUCHED
        return touched

    def _named(self, name: str) -> Iterable[Event]:
        return (event for event in self.happenings if event.name == name)


def _day(day: int) -> Any:
    return np.datetime64(day, "D").astype("datetime64[s]")
