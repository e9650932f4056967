"""Tables read and assembled: one that is in memory, or parts of one that is larger."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import pandas as pd

from veridex.core.periods.cadence import Cadence
from veridex.core.room import MEMORY, Room
from veridex.core.tables.assemble import Assembled, assemble
from veridex.core.tables.cells import Cells, Spelled, Table, long_table, require, required_columns
from veridex.core.tables.dates import DateEvidence
from veridex.core.tables.layout import TableLayout
from veridex.core.tables.left_out import Validity, without_totals
from veridex.core.tables.look import Look
from veridex.core.tables.numbers_in_text import MarkEvidence
from veridex.core.tables.wide import wide_table
from veridex.errors import CellUnreadable, DatesAmbiguous, HistoryTooShort

__all__ = ["Whole", "assemble_parts", "assemble_table"]


def assemble_table(
    frame: pd.DataFrame, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int
) -> tuple[Assembled, Cadence]:
    """Read the named columns of a table and combine them per item and period.

    Parameters
    ----------
    frame : DataFrame
        Cells may be texts, stamps or numbers.
    layout : TableLayout
    cadence : Cadence, optional
        Inferred from the dates if not stated.
    source, first_row
        What errors call the table and its first row.

    Raises
    ------
    ColumnMissing, CellUnreadable, DatesAmbiguous, DecimalAmbiguous, CadenceUnclear, HistoryTooShort, PeriodStray
    """
    if not (isinstance(frame.index, pd.RangeIndex) and frame.index.start == 0 and frame.index.step == 1):
        frame = frame.reset_index(drop=True)
    whole = Whole(layout, cadence, source, first_row)
    frame = whole.finished(whole.valid(frame))
    if frame.empty:
        raise _without_rows(source)
    cells = Cells(layout, whole.cadence, source, first_row)
    table = (wide_table if layout.layout == "wide" else long_table)(frame, cells)
    notes = (*whole.notes, *table.notes)
    return _assembled([table], layout, whole.cadence, source, table.precision, notes, MEMORY)


def assemble_parts(frames: Iterable[pd.DataFrame], whole: "Whole", room: Room) -> tuple[Assembled, Cadence]:
    """The same of a long table that comes in parts: the same values to the bit, the same notes, the same errors.

    Parameters
    ----------
    frames : iterable of DataFrame
        Gone through a few times; each item stands in one of them. The index numbers the rows.
    whole : Whole
        Has heard all of them, and left out what is no demand.
    room : Room
        Where the arrays of the history are put.
    """
    if not whole.rows:
        raise _without_rows(whole.source)
    tables = _Tables(frames, Cells(whole.layout, whole.cadence, whole.source, whole.first_row, whole.spelled()))
    dates = whole.dates
    notes = (*whole.notes, *whole.date_notes)
    return _assembled(tables, whole.layout, whole.cadence, whole.source, dates.precision, notes, room)


def _without_rows(source: str) -> HistoryTooShort:
    return HistoryTooShort(source, 0, 1, "a history", "Give it at least one row below the column names.")


def _assembled(
    tables: Iterable[Table],
    layout: TableLayout,
    cadence: Cadence | None,
    source: str,
    precision: set[str],
    notes: tuple[str, ...],
    room: Room,
) -> tuple[Assembled, Cadence]:
    look = Look(cadence, precision)
    several = False
    for table in tables:
        look.hear(table)
        several = several or bool(table.keys)
    found, evidence = look.cadence(tables)
    look.refuse_strays(found, source)
    fiscal = layout.date_words.fiscal
    if cadence is None and fiscal is not None:
        found = found.fiscal(fiscal.first_month)
    parts = assemble(tables, look, layout, found, room)
    said = (*notes, *evidence, *parts.notes)
    return replace(parts, notes=said, key_columns=layout.item if several else ()), found


class Whole:
    """What the rows of a table decide together, heard at once or batch by batch; and the rows that are no demand.

    Parameters
    ----------
    layout : TableLayout
    cadence : Cadence or None
    source, first_row
        What errors call the table and its first row.

    Attributes
    ----------
    rows : int
        How many were heard.
    """

    def __init__(self, layout: TableLayout, cadence: Cadence | None, source: str, first_row: int) -> None:
        fiscal = layout.date_words.fiscal
        self.cadence = cadence if cadence is None or fiscal is None else cadence.fiscal(fiscal.first_month)
        self.layout, self.source, self.first_row = layout, source, first_row
        self.dates = DateEvidence(layout.date_words, self.cadence)
        self._marks: dict[str, MarkEvidence] = {}
        self._validity = None if layout.status is None else Validity(layout.status, layout.invalid)
        self._totals: tuple[str, ...] = ()
        self.rows = 0

    def valid(self, frame: pd.DataFrame) -> pd.DataFrame:
        """The rows that are not marked as invalid.

        Raises
        ------
        ColumnMissing
            If the column that marks them is not there.
        """
        if self._validity is None:
            return frame
        require(frame, (self._validity.column,), "status", self.source)
        return self._validity.valid(frame)

    def finished(self, frame: pd.DataFrame) -> pd.DataFrame:
        """The last rows of all, without totals."""
        if self.layout.period[0] in frame.columns:
            frame, self._totals = without_totals(frame, self.layout.period[0], self.first_row)
        return frame

    def hear(self, frame: pd.DataFrame) -> None:
        """Take in some rows of a long table.

        Raises
        ------
        ColumnMissing, ParameterError
        """
        self.rows += len(frame)
        columns, stock = required_columns(frame, self.layout, self.source)
        self.dates.hear(frame, self.layout.period)
        for column in (*columns, *(() if stock is None or self.layout.in_stock is None else (stock,))):
            if column in frame.columns:  # rows that are counted need no quantity
                self._marks.setdefault(column, MarkEvidence()).hear(frame[column])

    @property
    def notes(self) -> tuple[str, ...]:
        """What was left out."""
        return (*(() if self._validity is None else (self._validity.note,)), *self._totals)

    @property
    def date_notes(self) -> tuple[str, ...]:
        """What was decided of the dates."""
        return self.dates.notes(" and ".join(self.layout.period))

    def spelled(self) -> Spelled:
        """How cells are spelled.

        Raises
        ------
        DecimalAmbiguous
            If the commas of a column could be decimal marks or group thousands.
        """
        marks = {} if self.layout.decimal else self._marks
        named = {name: one.mark(name, self.source, self.first_row) for name, one in marks.items()}
        return Spelled(self.dates, named)


@dataclass(slots=True)
class _Tables:
    """Parts of a table, read each time they are gone through; bad cells are told when all were seen once."""

    frames: Iterable[pd.DataFrame]
    cells: Cells

    def __iter__(self) -> Iterator[Table]:
        bad: list[CellUnreadable] = []
        unclear: list[DatesAmbiguous] = []
        for frame in self.frames:
            try:
                yield long_table(frame, self.cells)
            except CellUnreadable as problem:
                bad += [replace(problem, also=()), *problem.also]
            except DatesAmbiguous as problem:
                unclear.append(problem)
        if unclear:
            raise min(unclear, key=lambda one: one.row)
        if bad:
            raise _as_one(bad)


def _as_one(bad: list[CellUnreadable]) -> CellUnreadable:
    """Bad cells of several parts as one message: the first of each column, and how many there are."""
    found: dict[tuple[str, str], CellUnreadable] = {}
    for one in bad:
        known = found.setdefault((one.column, one.wanted), one)
        if known is not one:
            first = min(known, one, key=lambda cell: cell.row)
            found[one.column, one.wanted] = replace(first, count=known.count + one.count)
    first, *others = found.values()
    return replace(first, also=tuple(others))
