"""What all rows of a table tell of each, before they are added up."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.periods.cadence import Cadence
from veridex.core.tables.cells import Table
from veridex.core.tables.grouping import Combine, Exactness, Groups, group_rows
from veridex.core.tables.inference import CadenceEvidence, misfit, one_row_each
from veridex.core.tables.strays import refuse_strays
from veridex.errors import ParameterError

__all__ = ["Look"]


class Look:
    """Dates and quantities of all rows, heard table by table.

    Attributes
    ----------
    rows : int
    end : stamp
        The latest of all.
    """

    def __init__(self, stated: Cadence | None, precision: set[str]) -> None:
        self._stated, self._precision = stated, precision
        self._cadences = CadenceEvidence(precision)
        self._days: NDArray[Any] | None = None
        self._counts: NDArray[Any] | None = None
        self._within_days = False
        self._exact = {"demand": Exactness(), "divisor": Exactness(), "in_stock": Exactness()}
        self.rows = 0
        self.end: Any = None

    def hear(self, table: Table) -> None:
        """Take in some items, all rows of each.

        Raises
        ------
        CadenceUnclear
            If no cadence was stated, and the dates of an item are irregular.
        """
        rows = table.rows
        self.rows += len(rows)
        latest = rows.stamps.max()
        self.end = latest if self.end is None else max(self.end, latest)
        if self._stated is None:
            self._cadences.hear(rows.stamps, rows.dates, rows.codes, table.items)
        if rows.stamps.dtype.kind == "M":
            days = np.unique(rows.stamps.astype("datetime64[D]"))
            self._within_days |= bool((rows.stamps != rows.stamps.astype("datetime64[D]")).any())
            self._days = days if self._days is None else np.union1d(self._days, days)
        else:
            counts = np.unique(rows.stamps)
            self._counts = counts if self._counts is None else np.union1d(self._counts, counts)
        for name, values in (("demand", rows.demand), ("divisor", table.divisor), ("in_stock", table.in_stock)):
            if values is not None:
                self._exact[name].hear(values)

    def cadence(self, tables: Iterable[Table]) -> tuple[Cadence, tuple[str, ...]]:
        """The cadence, as stated or as the dates show, with the evidence.

        Raises
        ------
        CadenceUnclear
        ParameterError
            If the dates of all items together contradict the one that is stated.
        """
        if self._stated is None:
            found, evidence = self._cadences.cadence()
            return found, (evidence,)
        wrong = None
        if self._days is not None and not self._within_days:
            wrong = misfit(self._stated, self._days, self._precision)
        if wrong is not None and wrong.lines_excuse:
            excused = not all(one_row_each(table.rows.dates, table.rows.codes) for table in tables)
            wrong = None if excused else wrong
        if wrong is not None:
            raise ParameterError("cadence", repr(self._stated.name), wrong.problem)
        return self._stated, ()

    def refuse_strays(self, cadence: Cadence, source: str) -> None:
        """Refuse a period that stands alone, far from those of all rows.

        Raises
        ------
        PeriodStray
        """
        stamps = self._counts if self._days is None else self._days.astype("datetime64[s]")
        if stamps is not None:
            refuse_strays(np.unique(cadence.ordinals(stamps)), cadence, source)

    def groups(self, table: Table, cadence: Cadence, combine: Combine) -> Groups:
        """One value per item and period."""
        return group_rows(table.rows, cadence, combine, self._exact["demand"].decimals)

    def divisors(self, table: Table, cadence: Cadence) -> Groups:
        """The sums that demand is divided by."""
        assert table.divisor is not None
        return group_rows(table.rows.with_demand(table.divisor), cadence, "sum", self._exact["divisor"].decimals)

    def shares(self, table: Table, cadence: Cadence) -> Groups:
        """The share of each period in stock, unknown where it ran out for an untold time."""
        assert table.in_stock is not None
        return group_rows(table.rows.with_demand(table.in_stock), cadence, "mean", self._exact["in_stock"].decimals)

    def unfinished(self, cadence: Cadence) -> int | None:
        """Ordinal of the last period if orders stop before its end by more than their usual pause.

        The usual pause is the 95 % quantile of the days from one order date to the next, over all items: a weekend at
        the end of a month leaves it finished.
        """
        if cadence.counted or cadence.within_day or cadence.name in ("daily", "workday") or self._days is None:
            return None
        days = self._days.astype(np.int64)
        if days.size < 3:
            return None
        last = int(cadence.ordinals(self.end))
        end = int(cadence.starts(last + 1).astype("datetime64[D]").astype(np.int64)) - 1
        pause = np.quantile(np.diff(days), 0.95, method="higher")
        return last if end - days[-1] > pause else None
