"""A sheet with a picture of the item that is picked from a list: a native chart that follows by formulas."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

import pyarrow as pa
from xlsxwriter.utility import xl_col_to_name
from xlsxwriter.workbook import Workbook as Book

from veridex.exchange.kept import View, is_day
from veridex.exchange.places.workbooks.cells import AMBER, GRID, INK, PAPER, Look, column_values
from veridex.exchange.places.workbooks.sheets import Sheet, printed

__all__ = ["Picture"]

LONGEST = 260
"""Periods that are drawn, the newest: more cannot be told apart on a screen."""

TINTS = ("#f3dcc4", "#e6b98c")
"""Of the wide band and of the narrow one: amber, the wider the lighter."""

FIRST = 4
"""The row, from 0, above which the pick stands, and from which on is what is drawn."""

DATA, HELP = 14, 24
"""The columns from which on what is drawn stands, and the list of items with their rows."""


class Own(NamedTuple):
    """An item: the first of its rows on the sheet of the table, and how many there are."""

    name: str
    first: int
    rows: int


class Picture:
    """The sheet, which is written when all rows are known.

    Parameters
    ----------
    book : Workbook
    look : Look
    view : View
    table : str
        The sheet that holds the table row by row.
    schema : Schema
        Of the table.
    """

    def __init__(self, book: Book, look: Look, view: View, table: str, schema: pa.Schema) -> None:
        self._sheet = Sheet(book.add_worksheet(view.sheet), look)
        self._book, self._look, self._of, self._table, self._schema = book, look, view.of, table, schema
        self._items: dict[str, list[int]] = {}
        self._seen = 0
        self._shown: list[tuple[Any, ...]] = []

    @property
    def _names(self) -> list[str]:
        """The columns of the table that are drawn."""
        bounds = [name for _, *names in self._of["bands"] for name in names]
        return [self._of["columns"], self._of["values"], *bounds]

    def add(self, table: pa.Table) -> None:
        """Take rows of the table."""
        names = column_values(table[self._of["rows"]])
        other = column_values(table[self._of["other"]]) if "other" in self._of else [""] * len(names)
        drawn = [column_values(table[name]) for name in self._names]
        kinds = column_values(table[self._of["kind"]]) if "kind" in self._of else [""] * len(names)
        for place, (name, more) in enumerate(zip(names, other, strict=True)):
            if more:
                continue
            own = self._items.setdefault(name, [self._seen + place + 2, 0])
            own[1] += 1  # rows of an item stand together
            if len(self._items) == 1:
                self._shown.append((kinds[place], *(column[place] for column in drawn)))
        self._seen += len(names)

    def end(self) -> None:
        """Write the pick, what is drawn, and the chart."""
        items = [Own(name, first, rows) for name, (first, rows) in self._items.items()]
        periods = min(LONGEST, max((one.rows for one in items), default=0))
        if not items:
            return
        self._settle(items)
        head = self._heads()
        for row in range(max(FIRST + 1 + periods, FIRST + 1 + len(items))):
            if row == 1:
                self._write_pick(items)
            if row == FIRST:
                for column, name in enumerate(head):
                    self._sheet.sheet.write_string(row, DATA + column, name, self._look.of(font_color="#8a938f"))
            if row > FIRST:
                if row - FIRST <= periods:
                    self._write_row(row, row - FIRST, items[0], periods)
                if row - FIRST <= len(items):
                    self._write_item(row, items[row - FIRST - 1])
        self._draw(periods, head)

    def _settle(self, items: Sequence[Own]) -> None:
        sheet = self._sheet.sheet
        printed(sheet, frozen=False)
        sheet.hide_gridlines(2)
        sheet.set_column(0, 0, 10)
        sheet.set_column(1, 1, 40)
        sheet.set_column(DATA, DATA + 8, 10)
        sheet.set_column(HELP, HELP + 2, 10, None, {"hidden": True})
        sheet.print_area(0, 0, 32, DATA - 2)
        grid = (FIRST + 1, DATA, FIRST + LONGEST, DATA + 8)
        nothing = {"type": "errors", "format": self._book.add_format({"font_color": "#ffffff"})}
        sheet.conditional_format(*grid, nothing)
        at = f"${xl_col_to_name(HELP)}${FIRST + 2}:${xl_col_to_name(HELP)}${FIRST + 1 + len(items)}"
        said = {
            "validate": "list",
            "source": f"={at}",
            "error_title": "No such item",
            "error_message": "Pick one of the list.",
        }
        sheet.data_validation(1, 1, 1, 1, said)

    def _write_pick(self, items: Sequence[Own]) -> None:
        """The cell that people change, and the row of the item that it names."""
        sheet, last = self._sheet.sheet, FIRST + 1 + len(items)
        sheet.write_string(1, 0, self._of["rows"], self._look.of(bold=True, font_size=12))
        sheet.write_string(1, 1, items[0].name, self._look.picked)
        sheet.write_string(1, 2, "< pick another in the yellow cell", self._look.of(font_color="#8a938f"))

        def of(column: int) -> str:
            letter = xl_col_to_name(column)
            return f"${letter}${FIRST + 2}:${letter}${last}"

        # EXACT tells capitals apart and takes * and ? as letters, which MATCH does not.
        for column, value in ((1, items[0].first), (2, items[0].rows)):
            found = f"=SUMPRODUCT(EXACT({of(HELP)},$B$2)*({of(HELP + column)}))"
            sheet.write_formula(1, HELP + column, found, None, value)

    def _write_item(self, row: int, one: Own) -> None:
        sheet = self._sheet.sheet
        sheet.write_string(row, HELP, one.name, self._look.text)
        sheet.write_number(row, HELP + 1, one.first)
        sheet.write_number(row, HELP + 2, one.rows)

    def _heads(self) -> list[str]:
        """The names of what is drawn."""
        bands = [f"{level:g} % band" for level, *_ in self._of["bands"]]
        found = [self._of["columns"], "history", "forecast"] if bands else [self._of["columns"], "demand"]
        return found + (["below", *bands, "above"] if bands else [])

    def _write_row(self, row: int, k: int, first: Own, periods: int) -> None:
        """A period of the item that is picked: formulas, with what comes out of them for the first item."""
        sheet, plain = self._sheet.sheet, self._look.of(font_color="#8a938f")
        begin, rows = (f"${xl_col_to_name(HELP + 1)}$2", f"${xl_col_to_name(HELP + 2)}$2")
        at = f"{begin}+MAX(0,{rows}-{periods})+{k - 1}"
        inside = f"{k}<={rows}"
        place = k - 1 + max(0, first.rows - periods)
        known = self._shown[place] if place < len(self._shown) else None

        def cell(name: str) -> str:
            letter = xl_col_to_name(self._schema.names.index(name))
            return f"INDEX('{self._table}'!${letter}:${letter},{at})"

        field = self._schema.field(self._of["columns"])
        label, shown = self._label(field, cell(field.name), known)
        sheet.write_formula(row, DATA, f'=IF({inside},{label},"")', plain, shown)
        for column, (text, value) in enumerate(self._numbers(cell, known), start=1):
            sheet.write_formula(
                row, DATA + column, f"=IF({inside},{text},NA())", plain, "#N/A" if value is None else value
            )

    def _label(self, field: pa.Field, cell: str, known: tuple[Any, ...] | None) -> tuple[str, str]:
        """A period as text, by a formula that all languages of a spreadsheet share; and what comes out of it."""
        if not pa.types.is_timestamp(field.type):
            return f'{cell}&""', "" if known is None else str(known[1])
        stamps = [one[1] for one in self._shown if isinstance(one[1], datetime)]
        months = is_day(field) and all(one.day == 1 for one in stamps)
        parts, written = ["YEAR({0})", "MONTH({0})"], "%Y-%m"
        if not months:
            parts, written = [*parts, "DAY({0})"], "%Y-%m-%d"
        text = '&"-"&'.join(one if one.startswith("YEAR") else f'RIGHT("0"&{one},2)' for one in parts)
        if not is_day(field):
            text += '&" "&RIGHT("0"&HOUR({0}),2)&":"&RIGHT("0"&MINUTE({0}),2)'
            written += " %H:%M"
        shown = "" if known is None else known[1].strftime(written) if isinstance(known[1], datetime) else str(known[1])
        return f"IF(ISTEXT({cell}),{cell},{text.format(cell)})", shown

    def _numbers(self, cell: Any, known: tuple[Any, ...] | None) -> list[tuple[str, float | None]]:
        """Formulas of a row's numbers and what comes out of them."""
        value = cell(self._of["values"])
        there = f'IF({value}="",NA(),{value})'
        if not self._of["bands"]:
            return [(there, None if known is None else known[2])]
        past = f'{cell(self._of["kind"])}="{self._of["past"]}"'
        is_past = known is not None and known[0] == self._of["past"]
        own = None if known is None else known[2]
        found = [
            (f"IF({past},{there},NA())", own if is_past else None),
            (f"IF({past},NA(),{there})", None if is_past else own),
        ]
        # In the past the bands are as thin as the line, so that they open where the forecast begins.
        bounds = [names for _, *names in self._of["bands"]]
        edges = [bounds[0][0], *[names[0] for names in bounds[1:]], *[names[1] for names in reversed(bounds)]]
        values = [None if known is None else known[3 + self._flat.index(name)] for name in edges]
        found.append((f"IF({past},{there},{cell(edges[0])})", own if is_past else values[0]))
        for (low, below), (high, above) in zip(
            zip(edges[:-1], values[:-1], strict=True), zip(edges[1:], values[1:], strict=True), strict=True
        ):
            step = None if below is None or above is None else above - below
            found.append((f"IF({past},0,{cell(high)}-{cell(low)})", 0.0 if is_past else step))
        return found

    @property
    def _flat(self) -> list[str]:
        return [name for _, *names in self._of["bands"] for name in names]

    def _draw(self, periods: int, head: Sequence[str]) -> None:
        """The chart: bands as areas on top of each other, lines over them."""
        name, last = self._sheet.sheet.get_name(), FIRST + periods
        periods_at = [name, FIRST + 1, DATA, last, DATA]

        def series(column: int, **looks: Any) -> dict[str, Any]:
            return {
                "name": [name, FIRST, DATA + column],
                "categories": periods_at,
                "values": [name, FIRST + 1, DATA + column, last, DATA + column],
                **looks,
            }

        lines = self._book.add_chart({"type": "line"})
        for column, colour in enumerate((INK, AMBER)[: 2 if self._of["bands"] else 1], start=1):
            lines.add_series(series(column, line={"color": colour, "width": 2.0}))
        chart = lines
        if self._of["bands"]:
            chart = self._book.add_chart({"type": "area", "subtype": "stacked"})
            chart.add_series(series(3, fill={"none": True}, border={"none": True}))
            widths = len(head) - 4
            for k in range(widths):
                tint = TINTS[min(k, widths - 1 - k, len(TINTS) - 1)]
                chart.add_series(series(4 + k, fill={"color": tint}, border={"none": True}))
            chart.combine(lines)
        self._dress(chart, periods, head)
        self._sheet.sheet.insert_chart(FIRST - 1, 0, chart, {"x_offset": 4, "y_offset": 4})

    def _dress(self, chart: Any, periods: int, head: Sequence[str]) -> None:
        """The house style: paper behind, a quiet grid, the unit on the axis."""
        grey = {"color": GRID, "width": 0.75}
        font = {"name": "Calibri", "size": 9, "color": INK}
        hidden = [0, *range(1 + len(self._of["bands"]), len(head) - 3)] if self._of["bands"] else []
        chart.set_title({"none": True})  # the cell above says it: not every program has titles that follow a cell
        chart.set_x_axis(
            {
                "num_font": {**font, "rotation": -45},
                "interval_unit": max(1, periods // 24),
                "text_axis": True,
                "interval_tick": max(1, periods // 24),
                "line": {"color": INK},
                "label_position": "low",
            }
        )
        chart.set_y_axis(
            {
                "num_font": font,
                "num_format": "#,##0",
                "major_gridlines": {"visible": True, "line": grey},
                "name": self._of["label"],
                "name_font": font,
                "line": {"none": True},
            }
        )
        chart.set_legend({"position": "bottom", "font": font, "delete_series": hidden})
        chart.set_chartarea({"fill": {"color": PAPER}, "border": {"none": True}})
        chart.set_plotarea({"fill": {"color": PAPER}})
        chart.show_na_as_empty_cell()
        chart.set_size({"width": 980, "height": 520})
