"""Sheets that hold a table: row by row, or a row per item and a column per period."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from xlsxwriter.utility import xl_col_to_name
from xlsxwriter.worksheet import Worksheet

from veridex.exchange.kept import Layout, View, is_day, is_text
from veridex.exchange.places.workbooks.cells import LONGEST, Look, Seal, column_values, kept_number

__all__ = ["Across", "Plain", "Sheet", "TooLong", "printed"]

NARROW, STAMP, WIDE, SENTENCES = 9, 12, 60, 80
"""Widths of columns, in letters."""

LINE, MOST_LINES = 13.5, 8
"""Height of a line of text, in points, and how many a row has at most."""

WRAPPED = ("why", "caution", "reason", "override")
"""Columns of sentences."""


class TooLong(ValueError):
    """A text that no cell holds, or a cell that no sheet has."""


class Sheet:
    """A sheet that is written from top to bottom, and sealed.

    Parameters
    ----------
    sheet : Worksheet
    look : Look
    """

    def __init__(self, sheet: Worksheet, look: Look) -> None:
        self.sheet, self.look = sheet, look
        self.seal = Seal()
        self.row = 0

    def put(self, column: int, value: Any, form: Any) -> None:
        """Write a cell as what it is: a text is never read as a formula, a number or a link."""
        if value is None or value == "" or value != value:
            return
        self.seal.add(self.row, column, value)
        if isinstance(value, str):
            if len(value) > LONGEST:
                raise TooLong(f"a text of {len(value):,} letters does not fit into a cell, which holds {LONGEST:,}")
            left_out = self.sheet.write_string(self.row, column, value, form)
        elif isinstance(value, (int, float)):
            left_out = self.sheet.write_number(self.row, column, kept_number(value), form)
        else:
            left_out = self.sheet.write_datetime(self.row, column, value, form)
        if left_out:  # the library says so, and goes on without the cell
            raise TooLong(f"row {self.row + 1:,}, column {column + 1:,} is beyond the end of a sheet")

    def heighten(self, lines: int) -> None:
        """Make the row that comes as high as so many lines, within reason: programs do not do it by themselves."""
        if lines > 1:
            self.sheet.set_row(self.row, LINE * min(lines, MOST_LINES))

    def formula(self, column: int, text: str, form: Any, value: Any) -> None:
        """Write a formula, with what comes out of it."""
        self.seal.add(self.row, column, text)
        self.sheet.write_formula(self.row, column, text, form, value)


def printed(sheet: Worksheet, frozen: bool = True) -> None:
    """How a sheet goes to paper, and what stays in sight."""
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.set_margins(0.4, 0.4, 0.6, 0.6)
    sheet.set_header("&L&A")
    sheet.set_footer("&CPage &P of &N")
    if frozen:
        sheet.repeat_rows(0)
        sheet.freeze_panes(1, 1)


class Plain:
    """A table row by row.

    Parameters
    ----------
    sheet : Sheet
    layout : Layout
    """

    def __init__(self, sheet: Sheet, layout: Layout) -> None:
        shown = [name for name in layout.people or layout.schema.names if name != layout.record]
        self.sheet, self._fields = sheet, [layout.schema.field(name) for name in shown]
        self._forms: list[Any] = []
        self._wide = bool(layout.people)  # figures of many kinds, and long sentences
        self._widest = SENTENCES if self._wide else WIDE
        self._wrapped = [column for column, one in enumerate(self._fields) if one.name in WRAPPED]
        printed(sheet.sheet)
        sheet.sheet.set_row(0, 2 * LINE)
        for column, one in enumerate(self._fields):
            sheet.put(column, one.name.replace("_", " "), sheet.look.header(right=_is_number(one)))
        sheet.row = 1

    def add(self, table: pa.Table) -> None:
        """Write rows behind the others."""
        columns = [column_values(table[one.name]) for one in self._fields]
        if not self._forms and len(table):
            numbers = [v for one, values in zip(self._fields, columns, strict=True) if _is_real(one) for v in values]
            shared = None if self._wide else self.sheet.look.number(numbers)
            self._forms = [self._form(one, values, shared) for one, values in zip(self._fields, columns, strict=True)]
            self._widen(columns)
        for row in zip(*columns, strict=True):
            self._heighten(row)
            for column, value in enumerate(row):
                self.sheet.put(column, value, self._forms[column])
            self.sheet.row += 1

    def end(self) -> None:
        """Let people filter what there is."""
        self.sheet.sheet.autofilter(0, 0, max(self.sheet.row - 1, 0), len(self._fields) - 1)

    def _form(self, one: pa.Field, values: Sequence[Any], shared: Any) -> Any:
        """How cells of a column look; numbers of one kind share their decimals."""
        look = self.sheet.look
        if pa.types.is_timestamp(one.type):
            return look.period(values, is_day(one))
        if _is_real(one):
            return shared or look.number(values)
        return (look.wrapped if one.name in WRAPPED else look.text) if is_text(one.type) else look.of()

    def _heighten(self, row: Sequence[Any]) -> None:
        """Rows as high as their longest text asks for, within reason."""
        texts = [len(row[column]) for column in self._wrapped if isinstance(row[column], str)]
        self.sheet.heighten(-(-max(texts, default=1) // self._widest))

    def _widen(self, columns: Sequence[Sequence[Any]]) -> None:
        """Columns as wide as what stands in them, within reason."""
        for column, (one, values) in enumerate(zip(self._fields, columns, strict=True)):
            texts = [len(value) for value in values[:500] if isinstance(value, str)]
            words = max(map(len, one.name.split("_")))
            stamp = STAMP if pa.types.is_timestamp(one.type) else 0
            wide = max([NARROW, words + 2, stamp if is_day(one) else int(1.5 * stamp), *(size + 1 for size in texts)])
            self.sheet.sheet.set_column(column, column, min(wide, self._widest if one.name in WRAPPED else WIDE))


def _is_real(one: pa.Field) -> bool:
    return bool(pa.types.is_floating(one.type))


def _is_number(one: pa.Field) -> bool:
    return bool(_is_real(one) or (pa.types.is_integer(one.type) and one.name != "period"))


class Across:
    """A row per item, a column per period, and the total.

    Parameters
    ----------
    sheet : Sheet
    view : View
    day : bool
        Whether periods have no time of the day.
    """

    def __init__(self, sheet: Sheet, view: View, day: bool) -> None:
        self.sheet, self._of = sheet, view.of
        stamps = column_values(pa.chunked_array([pa.array(view.of["periods"])]))
        self._places = {one: k for k, one in enumerate(stamps, start=1)}
        self._last = len(stamps)
        self._sums = np.zeros(self._last + 1)
        look = sheet.look
        printed(sheet.sheet)
        sheet.put(0, view.of["rows"], look.header())
        written = look.period(stamps, day).num_format
        for stamp, k in self._places.items():
            sheet.put(k, stamp, look.header(right=True, num_format=written))
        if self._last:
            sheet.put(self._last + 1, "total" if view.of["adds_up"] else "mean", look.header(right=True))
        sheet.sheet.set_column(0, 0, 24)
        sheet.sheet.set_column(1, self._last + 1, 11 if day else 17)
        self._function = "SUM" if view.of["adds_up"] else "AVERAGE"
        self._form: Any = None
        sheet.row = 1

    def add(self, table: pa.Table) -> None:
        """Write a row for each item of a part."""
        names, periods, values = (column_values(table[self._of[key]]) for key in ("rows", "columns", "values"))
        wanted = [column_values(table[name]) for name in self._of["where"]]
        found: dict[str, dict[Any, float]] = {}
        for name, period, value, *said in zip(names, periods, values, *wanted, strict=True):
            row = found.setdefault(name, {})
            if value is not None and [one or "" for one in said] == list(self._of["where"].values()):
                row[period] = value
        if self._form is None:
            self._form = self.sheet.look.number([value for row in found.values() for value in row.values()])
        for name, row in found.items():
            self._write(name, row)

    def _write(self, name: str, row: dict[Any, float]) -> None:
        sheet = self.sheet
        sheet.put(0, name, sheet.look.text)
        for period, value in row.items():
            sheet.put(self._places[period], value, self._form)
            self._sums[self._places[period]] += value
        if row:
            numbers = list(row.values())
            value = sum(numbers) / (1 if self._of["adds_up"] else len(numbers))
            self._total(self._last + 1, sheet.row + 1, sheet.row + 1, 1, self._last, value)
        sheet.row += 1

    def end(self) -> None:
        """What all items come to, where they add up."""
        sheet, rows = self.sheet, self.sheet.row
        if not self._of["adds_up"] or rows < 3 or not self._last:
            return
        sheet.put(0, "all items", sheet.look.of(bold=True, top=1, align="left", indent=1))
        for column in range(1, self._last + 2):
            value = float(self._sums[column] if column <= self._last else self._sums.sum())
            self._total(column, 2, rows, column, column, value)

    def _total(self, column: int, first: int, last: int, left: int, right: int, value: float) -> None:
        span = f"{xl_col_to_name(left)}{first}:{xl_col_to_name(right)}{last}"
        looks = {"top": 1} if first < last else {}
        form = self.sheet.look.of(bold=True, num_format=self._form.num_format, **looks)
        self.sheet.formula(column, f"={self._function}({span})", form, value)
