"""Drivers: columns that may explain demand, aligned with its periods."""

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.driver import EVERY_ITEM, Driver
from veridex.core.history.driver_values import gathered, held, regular
from veridex.core.history.interventions import intervention
from veridex.core.history.item import ItemHistory, Rules, locked
from veridex.core.periods.cadence import Cadence
from veridex.core.tables.cells import holds_numbers, item_keys, require
from veridex.core.tables.dates import Dates, DateWords, read_dates
from veridex.core.tables.inference import CadenceEvidence
from veridex.core.tables.layout import columns_of
from veridex.core.tables.numbers_in_text import read_quantities
from veridex.errors import ColumnMissing, ParameterError

__all__ = ["DriverGather", "Drivers"]

DriverGather = Literal["sum", "mean", "last", "max", "hold"]

GATHERS = ("sum", "mean", "last", "max", "hold")
DERIVED = re.compile(r"(?:change\((?P<changed>.+)\)|(?P<plain>.+?))(?:@(?P<lag>\d+))?")


@dataclass(frozen=True, slots=True, eq=False, repr=False)
class Drivers:
    """Columns that may explain demand, each on the same cadence.

    A name may carry a lag and a change: ``price@1`` is the price of one period earlier, ``change(price)`` its change
    since then, ``change(price)@2`` that change two periods earlier. ``pulse(2024-03)``, ``step(2024-03)`` and
    ``ramp(2024-03)`` are interventions in that period or from it on, and need no column.
    """

    cadence: Cadence
    columns: tuple[Driver, ...]
    notes: tuple[str, ...] = ()
    name: str = ""
    rules: Rules | None = None

    def __repr__(self) -> str:
        words = [f"{driver.name}{' (known ahead)' if driver.known_ahead else ''}" for driver in self.columns]
        called = f"{self.name!r}, " if self.name else ""
        return f"Drivers({called}{self.cadence.name}: {', '.join(words)})"

    @property
    def fingerprint(self) -> str:
        """SHA-256 of everything that is recorded of them."""
        rules = None if self.rules is None else self.rules.key
        said = (self.cadence.name, self.name, rules, [(one.name, one.known_ahead) for one in self.columns])
        digest = hashlib.sha256(repr(said).encode())
        for one in self.columns:
            for item, (start, values) in sorted(one.spans.items()):
                digest.update(repr((item, start)).encode() + np.where(np.isnan(values), np.nan, values).tobytes())
        return digest.hexdigest()

    @property
    def names(self) -> tuple[str, ...]:
        """The drivers."""
        return tuple(driver.name for driver in self.columns)

    @property
    def known_ahead(self) -> tuple[str, ...]:
        """Those whose future is known when a forecast is made."""
        return tuple(driver.name for driver in self.columns if driver.known_ahead)

    @classmethod
    def from_frame(
        cls,
        frame: pd.DataFrame,
        *,
        period: str | Sequence[str] = "period",
        cadence: str | Cadence | None = None,
        item: str | Sequence[str] | None = None,
        columns: Sequence[str] | None = None,
        known_ahead: Sequence[str] | Literal["all"] = (),
        combine: DriverGather | Mapping[str, DriverGather] | None = None,
        apart: Sequence[str] = (),
        dates: Dates | None = None,
        tz: str | None = None,
        fiscal_start: str | int | None = None,
        fiscal_named: Literal["end", "start"] = "end",
        decimal: str | None = None,
        source: str = "the table",
        first_row: int = 1,
    ) -> "Drivers":
        """Make drivers from a table with a row per period (and item).

        Parameters
        ----------
        frame : DataFrame
        period : str or sequence of str
            Column of the dates, or the columns of year and month.
        cadence : str, optional
            Inferred from the dates if not stated.
        item : str or sequence of str, optional
            Column of the item keys; without it the values hold for every item.
        columns : sequence of str, optional
            The drivers; by default every other column that holds numbers.
        known_ahead : sequence of str or "all"
            Drivers whose future is known when a forecast is made.
        combine : {"sum", "mean", "last", "max"} or mapping, optional
            How several rows of a period become one value, for all drivers or by name; refused if not stated.
        apart : sequence of str
            Columns that are no drivers, as demand itself where it stands in the same table: left out, and said.
        dates, tz, fiscal_start, fiscal_named, decimal
            As in `History.from_frame`.
        source, first_row
            What errors call the table and its first row.

        Raises
        ------
        ColumnMissing, CellUnreadable, CadenceUnclear, ParameterError
        """
        frame = frame.reset_index(drop=True)
        periods, keys = columns_of(period), columns_of(item)
        require(frame, (*periods, *keys), "driver table", source)
        wanted, notes = _wanted(frame, columns, (*periods, *keys), apart, source)
        ahead = tuple(wanted) if known_ahead == "all" else tuple(known_ahead)
        stray = [name for name in ahead if name not in wanted]
        if stray:
            raise ParameterError("known_ahead", repr(stray[0]), f"the drivers are {', '.join(wanted)}")
        words = DateWords.of(dates, tz, fiscal_start, fiscal_named)
        stated = None if cadence is None else Cadence.named(cadence)
        found = read_dates(frame, periods, words, stated, source, first_row)
        names, codes, _ = item_keys(frame, keys, EVERY_ITEM)
        if stated is None:
            heard = CadenceEvidence(found.precision)
            heard.hear(found.stamps, found.where, codes, names)
            stated, evidence = heard.cadence()
            stated = stated if words.fiscal is None else stated.fiscal(words.fiscal.first_month)
            notes += (evidence,)
        stamps = found.stamps[found.where]
        ordinals = stated.ordinals(stamps)
        made = []
        for name in wanted:
            rule = combine.get(name) if isinstance(combine, Mapping) else combine
            values = read_quantities(frame[name], source, first_row, decimal)
            spans = {}
            for code, key in enumerate(names):
                own = codes == code
                order = np.lexsort((values[own], stamps[own]))
                spans[key] = regular(ordinals[own][order], values[own][order], rule, name, stated)
            made.append(Driver(name, name in ahead, spans))
        return cls(stated, tuple(made), notes + found.notes)

    def joined(self, other: "Drivers") -> "Drivers":
        """Both, side by side.

        Raises
        ------
        ParameterError
            If their cadences differ or a name is in both.
        """
        if other.cadence != self.cadence:
            problem = f"these are {self.cadence.name}, the others {other.cadence.name}; convert one with at_cadence"
            raise ParameterError("drivers", repr(other), problem)
        twice = set(self.names) & set(other.names)
        if twice:
            raise ParameterError("drivers", repr(min(twice)), "both tables have a driver of this name; rename one")
        return replace(self, columns=self.columns + other.columns, notes=self.notes + other.notes)

    def chosen(self, names: Sequence[str]) -> "Drivers":
        """Some drivers; lags and changes of them, and interventions such as ``step(2024-03)``, are drivers of their
        own.

        Raises
        ------
        ParameterError
            If there is no driver of a name.
        """
        return replace(self, columns=tuple(self._one(name) for name in names))

    def scenario(self, name: str, changes: Mapping[str, float | str], since: object) -> "Drivers":
        """The same drivers with another future, under a name.

        Parameters
        ----------
        name : str
            What the scenario is called in publications.
        changes : mapping of driver to number or str
            A number is the value from `since` on; ``"+5%"`` or ``"-3"`` changes each value by so much.
        since : period
            The first period that is changed.

        Raises
        ------
        ParameterError
            If there is no such driver, a change cannot be read, or a driver has no value from `since` on.
        """
        first = self.cadence.period(since)
        stray = [key for key in changes if key not in self.names]
        if stray or not name:
            problem = f"the drivers are {', '.join(self.names)}" if stray else "name the scenario"
            raise ParameterError("scenario", repr(stray[0] if stray else name), problem)
        made = []
        for driver in self.columns:
            if driver.name not in changes:
                made.append(driver)
                continue
            spans = {}
            for item, (start, values) in driver.spans.items():
                at = max(first - start, 0)
                if at >= values.size:
                    problem = f"{driver.name!r} has no value from {self.cadence.text(first)} on; add its future values"
                    raise ParameterError("since", repr(since), problem)
                moved = values.copy()
                moved[at:] = _changed(values[at:], changes[driver.name], driver.name)
                spans[item] = (start, locked(moved))
            made.append(replace(driver, spans=spans))
        return replace(self, columns=tuple(made), name=name)

    def _one(self, name: str) -> Driver:
        found = intervention(name, self.cadence)
        if found is not None:
            return found
        parts = DERIVED.fullmatch(name)
        base = name if name in self.names or parts is None else parts["changed"] or parts["plain"]
        if base not in self.names or parts is None:
            raise ParameterError("drivers", repr(name), f"there are {', '.join(self.names)}, with lags as in price@1")
        driver = self.columns[self.names.index(base)]
        if base == name:
            return driver
        lag = int(parts["lag"] or 0)
        spans = {}
        for item, (start, values) in driver.spans.items():
            changed = np.diff(values, prepend=np.nan) if parts["changed"] else values
            spans[item] = (start + lag, locked(np.array(changed)))
        return Driver(name, driver.known_ahead, spans)

    def lead_known(self, name: str) -> int | None:
        """Periods after the origin for which a driver is known: its lag where it is only observed, None for all."""
        driver = self.columns[self.names.index(name)]
        parts = DERIVED.fullmatch(name)
        return None if driver.known_ahead else int((parts and parts["lag"]) or 0)

    def at_cadence(self, cadence: str | Cadence, gather: DriverGather | Mapping[str, DriverGather]) -> "Drivers":
        """Bring all drivers to another cadence by a stated rule.

        Parameters
        ----------
        cadence : str
        gather : {"sum", "mean", "last", "max", "hold"} or mapping of driver to one of them
            How the periods inside a coarser one become its value (unknown if one of them is), or ``"hold"``: every
            finer period has the value of the coarser one it lies in.

        Raises
        ------
        ParameterError
            If a driver has no rule, or the rule does not fit the direction.
        """
        target = Cadence.named(cadence)
        made = []
        for driver in self.columns:
            rule = gather.get(driver.name) if isinstance(gather, Mapping) else gather
            if rule not in GATHERS:
                raise ParameterError("gather", repr(rule), f"{driver.name!r} needs one of {', '.join(GATHERS)}")
            turn = held if rule == "hold" else gathered
            spans = {item: turn(*span, self.cadence, target, rule) for item, span in driver.spans.items()}
            made.append(replace(driver, spans=spans))
        said = gather if isinstance(gather, str) else ", ".join(f"{name} {rule}" for name, rule in gather.items())
        note = f"Drivers were brought from {self.cadence.name} to {target.name}: {said}."
        return Drivers(target, tuple(made), (*self.notes, note), rules=self.rules)

    def over(self, item: str, start: int, periods: int) -> FloatArray:
        """Values for an item, shape (periods, drivers); NaN where there are none."""
        return np.stack([driver.over(item, start, periods) for driver in self.columns], axis=1)

    def seen(self, item: str, start: int, known: int, ahead: int) -> FloatArray:
        """Values over `known` periods and `ahead` more, repaired by the rules from what is known of each at the end.

        Shape (known + ahead, drivers). Drivers of two values are left as they are.
        """
        values = self.over(item, start, known + ahead)
        if self.rules is None:
            return values
        for driver, column in zip(self.columns, values.T, strict=True):
            reach = known + ahead if driver.known_ahead else known
            told = np.flatnonzero(~np.isnan(column[:reach]))
            if not told.size or np.unique(column[told]).size < FEWEST_VALUES:
                continue
            own = slice(int(told[0]), int(told[-1]) + 1)
            series = ItemHistory(
                item=driver.name,
                cadence=self.cadence,
                season_length=self.cadence.season_length,
                start=start + own.start,
                values=locked(column[own].copy()),
            )
            column[own] = self.rules.applied(series)
        return values

    def missing(self, item: str, start: int, periods: int) -> pd.DataFrame:
        """Which periods lack which driver: a row for each run of periods, with driver, first, last, periods."""
        rows = []
        for driver in self.columns:
            lost = np.isnan(driver.over(item, start, periods))
            edges = np.flatnonzero(np.diff(np.concatenate(([False], lost, [False])).astype(np.int8)))
            for low, high in edges.reshape(-1, 2).tolist():
                first, last = (self.cadence.text(start + at) for at in (low, high - 1))
                rows.append((driver.name, first, last, high - low))
        return pd.DataFrame(rows, columns=["driver", "first", "last", "periods"])


FEWEST_VALUES = 3
"""Different values from which on a driver may have outliers."""

CHANGE = re.compile(r"(?P<sign>[+-])\s*(?P<size>\d+(?:\.\d+)?)\s*(?P<percent>%?)")


def _changed(values: FloatArray, change: float | str, name: str) -> FloatArray:
    """Values after a change: set, moved by so much, or by so many percent."""
    if isinstance(change, (int, float)) and not isinstance(change, bool):
        return np.full(values.size, float(change))
    read = CHANGE.fullmatch(str(change).strip())
    if read is None:
        raise ParameterError(name, repr(change), "write a number, '+5%', '-5%', '+3' or '-3'")
    size = float(read["size"]) * (1.0 if read["sign"] == "+" else -1.0)
    return np.asarray(values * (1.0 + size / 100.0) if read["percent"] else values + size)


def _wanted(
    frame: pd.DataFrame, columns: Sequence[str] | None, keys: tuple[str, ...], apart: Sequence[str], source: str
) -> tuple[list[str], tuple[str, ...]]:
    """The columns that are drivers, and which others were left out."""
    known = set(map(str, frame.columns))
    own = [name for name in apart if name in known and name not in keys and name not in (columns or ())]
    if columns is not None:
        require(frame, tuple(columns), "driver", source)
        return list(columns), ()
    candidates = [str(column) for column in frame.columns if column not in keys and column not in own]
    wanted = [column for column in candidates if holds_numbers(frame[column])]
    if not wanted and own:
        problem = f"no column of numbers is left in {source} but {', '.join(own)}, which say what demand is"
        raise ParameterError("drivers", repr(source), problem)
    if not wanted:
        raise ColumnMissing(source, "numbers", "driver", tuple(map(str, frame.columns)))
    left = [column for column in candidates if column not in wanted]
    notes = [f"Left out of the drivers: {', '.join(own)}, which say what demand is."] if own else []
    notes += [f"Left out the columns {', '.join(left)}: they hold no numbers."] if left else []
    return wanted, tuple(notes)
