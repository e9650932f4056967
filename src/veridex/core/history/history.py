"""`History`: the demand of many items on one cadence, and the ways to make one."""

from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike

from veridex.core.arrays import FloatArray
from veridex.core.history.columnar import Columnar
from veridex.core.history.item import ItemHistory
from veridex.core.history.measure import DEMAND, Adds, Measure, measure_of
from veridex.core.notebook import Faced
from veridex.core.periods.cadence import Cadence
from veridex.core.periods.seasons import first_season, stated_seasons
from veridex.core.room import MEMORY, Room
from veridex.core.tables.assemble import Assembled
from veridex.core.tables.dates import Dates
from veridex.core.tables.grouping import Combine
from veridex.core.tables.layout import Absent, LayoutName, TableLayout, Unfinished, columns_of
from veridex.core.tables.numbers_in_text import read_quantities
from veridex.core.tables.reading import Whole, assemble_parts, assemble_table
from veridex.errors import HistoryTooShort, ParameterError

__all__ = ["History", "as_history"]


@dataclass(frozen=True, eq=False, kw_only=True, repr=False)
class History(Columnar, Faced):
    """The demand of many items on one cadence, kept as one array.

    The fields are those of `Columnar`.
    """

    FACE: ClassVar[tuple[str, ...]] = ("notes", "items")

    @classmethod
    def from_assembled(
        cls,
        parts: Assembled,
        cadence: Cadence,
        *,
        seasons: float | Sequence[float] | None = None,
        measure: tuple[Measure, tuple[str, ...]] = (DEMAND, ()),
        notes: tuple[str, ...] = (),
        room: Room = MEMORY,
    ) -> "History":
        """Wrap assembled columns, with what was noted before, and the measure with what is said of it."""
        stated = stated_seasons(seasons)
        return cls(
            cadence=cadence,
            season_length=first_season(cadence, stated),
            stated=stated,
            names=parts.items,
            values=parts.values,
            offsets=parts.offsets,
            starts=parts.starts,
            measure=measure[0],
            notes=(*notes, *parts.notes, *measure[1]),
            key_columns=parts.key_columns,
            keys=parts.keys,
            censored=parts.censored,
            parts=parts.parts,
            repeats=parts.repeats,
            unfinished=parts.unfinished,
            room=room,
        )

    @classmethod
    def from_numbers(
        cls,
        numbers: ArrayLike,
        *,
        cadence: str | Cadence,
        start: object = None,
        item: str = "demand",
        seasons: float | Sequence[float] | None = None,
        unit: str | None = None,
        adds: Adds | None = None,
        floor: float | str | None = None,
        whole: bool | None = None,
    ) -> "History":
        """Make a history of one item from bare numbers.

        Parameters
        ----------
        numbers : array_like of float, shape (n,)
            Demand per period, oldest first; NaN or None is unknown.
        cadence : str
        start : optional
            The first period, ``"2019-01"``; may be left out when counted, and is then 1.
        item : str
            What the series is called.
        seasons : float or sequence of float, optional
            Periods after which demand repeats itself, the shortest first, as in ``(7, 365.25)``; 1 for no season. By
            default those of the calendar are looked for.
        unit : str, optional
            The unit of demand, for titles and axes.
        adds : {"sum", "mean"}, optional
            Whether demand adds up over time and items, or averages, as prices and temperatures do.
        floor : float or "none", optional
            What demand never is below (0), or that there is no such thing. By default its values tell: where none is
            below zero, none will be.
        whole : bool, optional
            Whether demand is counted in whole numbers, where its values do not tell.

        Raises
        ------
        CadenceUnknown, ParameterError, CellUnreadable
            If the cadence is unknown, the start missing or unreadable, a number infinite.

        Examples
        --------
        >>> History.from_numbers([12, 15, 11], start="2019-01", cadence="monthly", item="hive stands")
        History(1 items, monthly, 2019-01 to 2019-03, 3 periods in all)
        """
        spacing = Cadence.named(cadence)
        if start is None and not spacing.counted:
            raise ParameterError("start", "None", "bare numbers need their first period, as in start='2019-01'")
        if not isinstance(item, str):
            raise ParameterError("item", repr(item), "it is a text")
        values = _in_a_row(numbers, item)
        if values.size == 0:
            raise HistoryTooShort(item, 0, 1, "a history", "Pass at least one number.")
        parts = Assembled(
            (item,),
            values,
            np.array([0, values.size], dtype=np.int64),
            np.array([1 if start is None else spacing.period(start)], dtype=np.int64),
            (),
        )
        measure = measure_of("demand", unit, adds, floor, whole, ratio=False, averaged=False)
        return cls.from_assembled(parts, spacing, seasons=seasons, measure=measure)

    @classmethod
    def from_frame(
        cls,
        frame: "pd.DataFrame | pd.Series[Any]",
        *,
        item: str | Sequence[str] | None = None,
        period: str | Sequence[str] | None = None,
        demand: str | None = None,
        cadence: str | Cadence | None = None,
        name: str = "demand",
        seasons: float | Sequence[float] | None = None,
        unit: str | None = None,
        adds: Adds | None = None,
        floor: float | str | None = None,
        whole: bool | None = None,
        layout: LayoutName = "long",
        items: Sequence[str] | None = None,
        dates: Dates | None = None,
        tz: str | None = None,
        fiscal_start: str | int | None = None,
        fiscal_named: Literal["end", "start"] = "end",
        decimal: str | None = None,
        status: str | None = None,
        invalid: Sequence[str] | None = None,
        stock_out: str | None = None,
        in_stock: str | None = None,
        combine: Combine = "sum",
        absent: Absent | None = None,
        unfinished: Unfinished = "drop",
    ) -> "History":
        """Make a history from a table: order lines, a row per item and period, or a column per item.

        Parameters
        ----------
        frame : DataFrame or Series
            Of a Series the index holds the periods. Of a DataFrame without the `period` column, so does its index.
        item : str or sequence of str, optional
            Column of the item keys; several are joined and kept as columns of `history.items`. Without it all
            rows are one item called `name`.
        period : str or sequence of str
            Column of the dates (stamps, or text in any spelling of docs/formats.md; whole numbers when counted);
            or the columns of year and month, quarter or week. By default ``"period"``.
        demand : str
            Column of the quantities; by default ``"demand"``. ``"units / orders"`` is a ratio of two columns: their
            sums are divided, at every cadence.
        cadence : str, optional
            Inferred from the dates if not stated; the notes say the evidence.
        seasons, unit, adds, floor, whole
            As in `from_numbers`.
        layout : {"long", "wide"}
            Wide: a column per item, those named in `items` or all that hold numbers.
        dates : {"day-first", "month-first"}, optional
            How ``03/04/2024`` is read where the column does not tell.
        tz : str, optional
            Whose days are meant where stamps carry a time zone, ``"Europe/London"``; periods shorter than a day are
            kept in UTC.
        fiscal_start : str or int, optional
            The first month of the year, ``"april"``, where years and quarters are not the calendar's.
        fiscal_named : {"end", "start"}
            Whether a fiscal year is called by the calendar year in which it ends or begins.
        decimal : {".", ","}, optional
            The decimal mark where the column does not tell.
        status : str, optional
            Column that marks rows as invalid; they are left out and counted.
        invalid : sequence of str, optional
            What marks them, in any case of letters; by default words such as ``cancelled``, ``void``, ``no``.
        stock_out : str, optional
            Column that says yes where there was nothing to sell: such a period is unknown, not zero.
        combine : {"sum", "mean", "last", "count", "max"}
            How several rows of a period become its demand; any unknown row makes it unknown.
        absent : {"zero", "unknown"}, optional
            What a period without a row means: by default zero for order lines added up or counted, unknown
            otherwise.
        unfinished : {"drop", "keep"}
            What to do with a last period in which the order lines stop too early.

        Raises
        ------
        CadenceUnknown, CadenceUnclear, ColumnMissing, CellUnreadable, DatesAmbiguous, DecimalAmbiguous,
        HistoryTooShort, ParameterError
            If the table does not hold what it is said to hold.
        """
        where = TableLayout(
            item=columns_of(item),
            period=columns_of(period) or ("period",),
            demand=demand or "demand",
            layout=layout,
            items=None if items is None else tuple(items),
            name=name,
            dates=dates,
            tz=tz,
            fiscal_start=fiscal_start,
            fiscal_named=fiscal_named,
            decimal=decimal,
            status=status,
            invalid=None if invalid is None else tuple(invalid),
            stock_out=stock_out,
            in_stock=in_stock,
            combine=combine,
            absent=absent,
            unfinished=unfinished,
        )
        table = _with_period_column(frame, where)
        return cls.from_table(table, where, cadence, seasons=seasons, unit=unit, adds=adds, floor=floor, whole=whole)

    @classmethod
    def from_table(
        cls,
        frame: pd.DataFrame,
        layout: TableLayout,
        cadence: str | Cadence | None,
        *,
        seasons: float | Sequence[float] | None = None,
        unit: str | None = None,
        adds: Adds | None = None,
        floor: float | str | None = None,
        whole: bool | None = None,
        source: str = "the table",
        first_row: int = 1,
        notes: tuple[str, ...] = (),
    ) -> "History":
        """Make a history from a table whose layout is stated; `source` and `first_row` are what errors call it."""
        stated = None if cadence is None else Cadence.named(cadence)
        parts, spacing = assemble_table(frame, layout, stated, source, first_row)
        measure = _measured(parts, layout, unit, adds, floor, whole)
        return cls.from_assembled(parts, spacing, seasons=seasons, measure=measure, notes=notes)

    @classmethod
    def from_parts(
        cls,
        frames: Iterable[pd.DataFrame],
        heard: Whole,
        room: Room,
        *,
        seasons: float | Sequence[float] | None = None,
        unit: str | None = None,
        adds: Adds | None = None,
        floor: float | str | None = None,
        whole: bool | None = None,
        notes: tuple[str, ...] = (),
    ) -> "History":
        """Make it from parts of a table, each with all rows of its items; see `assemble_parts`."""
        parts, spacing = assemble_parts(frames, heard, room)
        measure = _measured(parts, heard.layout, unit, adds, floor, whole)
        return cls.from_assembled(parts, spacing, seasons=seasons, measure=measure, notes=notes, room=room)


def _in_a_row(numbers: ArrayLike, item: str) -> FloatArray:
    """One number per period; NaN is unknown."""
    given = np.asarray(numbers)
    if given.shape[1:] not in ((), (1,)) or given.ndim == 0 or given.dtype.kind in "mM":
        problem = "pass one number per period, oldest first; History.from_frame reads tables"
        raise ParameterError("numbers", f"{type(numbers).__name__} of {given.dtype}, shape {given.shape}", problem)
    flat = given.reshape(-1)
    if flat.dtype.kind in "biufO":
        with suppress(TypeError, ValueError):  # the cell that is no number is named below
            flat = flat.astype(np.float64)
    return np.array(read_quantities(pd.Series(flat, name=item), "numbers", 1))


def _measured(
    parts: Assembled,
    layout: TableLayout,
    unit: str | None,
    adds: Adds | None,
    floor: float | str | None,
    whole: bool | None,
) -> tuple[Measure, tuple[str, ...]]:
    """What was read measures, and a note where that is a guess."""
    name = "demand" if layout.layout == "wide" else layout.demand
    averaged = layout.combine not in ("sum", "count")
    return measure_of(name, unit, adds, floor, whole, ratio=parts.parts is not None, averaged=averaged)


def _with_period_column(frame: "pd.DataFrame | pd.Series[Any]", layout: TableLayout) -> pd.DataFrame:
    """Bring periods that stand in the index into a column."""
    if not isinstance(frame, pd.DataFrame | pd.Series):
        raise ParameterError("frame", type(frame).__name__, "pass a table of pandas; read_history reads files")
    if isinstance(frame, pd.Series):
        return pd.DataFrame({layout.period[0]: frame.index, layout.demand: frame.to_numpy()})
    if layout.period[0] in frame.columns:
        return frame
    in_index = isinstance(frame.index, pd.DatetimeIndex) or frame.index.name == layout.period[0]
    return frame.rename_axis(layout.period[0]).reset_index() if in_index else frame


def as_history(demand: object) -> History:
    """A history, also of one item alone; anything else is refused.

    Raises
    ------
    ParameterError
        If it is no history.
    """
    if isinstance(demand, ItemHistory):
        return History.of([demand])
    if isinstance(demand, History):
        return demand
    problem = "pass a history: vx.read_history(file), History.from_frame(table), History.from_numbers(...)"
    raise ParameterError("history", repr(type(demand).__name__), problem)
