"""A workbook as a place: sheets for people, and a hidden sheet with what only Veridex reads."""

import shutil
import warnings
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pyarrow as pa
from xlsxwriter.exceptions import XlsxWriterException
from xlsxwriter.workbook import Workbook as Book

from veridex.errors import DestinationRefused
from veridex.exchange.kept import Form, Found, Kept, is_day, line_of
from veridex.exchange.places.paths import FilePlace
from veridex.exchange.places.place import Staged
from veridex.exchange.places.workbooks.cells import ROWS, Look
from veridex.exchange.places.workbooks.hidden import SHEET, write_hidden
from veridex.exchange.places.workbooks.picture import Picture
from veridex.exchange.places.workbooks.reading import read_head, read_workbook
from veridex.exchange.places.workbooks.sheets import Across, Plain, Sheet, TooLong, printed
from veridex.staged import StagedFile

__all__ = ["Workbook"]

HOLDS_MORE = "A directory of Parquet files (forecasts.parquet) or a database (sqlite:///forecasts.db) holds them."

ABOUT = 110
"""Letters of a line of what a workbook says of itself."""

ORDER = ("Forecast", "Picture", "Items", "Totals", "History", "Long", "Ledger", "About")
"""Sheets in the order in which people look at them."""


class Workbook(FilePlace):
    """A workbook; see `Place`."""

    def room(self, rows: Mapping[str, int]) -> None:
        """Refuse more rows than a sheet has."""
        most = max(rows.values(), default=0)
        if most > ROWS:
            raise DestinationRefused(
                self.shown, f"{most:,} rows do not fit into a sheet, which has {ROWS:,}", HOLDS_MORE
            )

    def stage(self, kept: Kept) -> Staged:
        """Write the workbook beside its place."""

        def write(path: Path) -> None:
            try:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")  # the library warns of what we do on purpose
                    _write(path, kept)
            except TooLong as problem:
                raise DestinationRefused(self.shown, str(problem), HOLDS_MORE.replace("them", "it")) from None
            except XlsxWriterException as problem:
                raise DestinationRefused(self.shown, str(problem), "Nothing was written.") from None

        return StagedFile(self._target, write)

    def head(self, form: Form) -> dict[str, Any] | None:
        """What its hidden sheet says."""
        try:
            head = read_head(self._target)
            return head if head.get("format") == form.version else None
        except (OSError, ValueError, KeyError):
            return None

    def holds(self, form: Form) -> bool:
        """Whether its hidden sheet says so."""
        return self.head(form) is not None

    def found(self, form: Form) -> Found:
        """Read the sheets, and the hidden one."""
        return read_workbook(self._target, form)


def _write(path: Path, kept: Kept) -> None:
    """All sheets, part by part; what is in memory is a part."""
    rows = path.with_name(f"{path.name}-rows")  # a name that is swept if we are killed
    rows.mkdir()
    try:
        _fill(Book(str(path), {"constant_memory": True, "tmpdir": str(rows)}), kept)
    finally:
        shutil.rmtree(rows, ignore_errors=True)


def _fill(opened: Book, kept: Kept) -> None:
    with opened as book:
        look = Look(book)
        writers = _writers(book, look, kept)
        hidden: dict[str, list[pa.Table]] = {}
        for part in kept.parts():
            for name, table in part.items():
                for writer in writers.get(name, []):
                    writer.add(table)
                layout = next(one for one in kept.layouts if one.name == name)
                if not layout.sheet or layout.record is not None:
                    names = layout.schema.names if not layout.sheet else [layout.schema.names[0], layout.record]
                    hidden.setdefault(name, []).append(table.select(names))
        every = [writer for each in writers.values() for writer in each]
        for writer in every:
            writer.end()
        about = Sheet(book.get_worksheet_by_name("About"), look)
        _write_about(about, kept)
        sealed = {one.sheet.sheet.get_name(): one.sheet.seal.text for one in every if not isinstance(one, Picture)}
        write_hidden(book.add_worksheet(SHEET), line_of(kept.head), hidden, sealed | {"About": about.seal.text})


def _writers(book: Book, look: Look, kept: Kept) -> dict[str, list[Any]]:
    """Who writes what of each table, the sheets in the order of people."""
    layouts = {one.sheet: one for one in kept.layouts if one.sheet}
    views = {one.sheet: one for one in kept.views}
    schemas = {one.name: one for one in kept.layouts}
    found: dict[str, list[Any]] = {}
    for title in ORDER:
        if title in views:
            view, layout = views[title], schemas[views[title].table]
            if view.kind == "picture":
                writer: Any = Picture(book, look, view, layout.sheet, layout.schema)
            else:
                day = is_day(layout.schema.field(view.of["columns"]))
                writer = Across(Sheet(book.add_worksheet(title), look), view, day)
            found.setdefault(view.table, []).append(writer)
        elif title in layouts:
            found.setdefault(layouts[title].name, []).append(
                Plain(Sheet(book.add_worksheet(title), look), layouts[title])
            )
        elif title == "About":
            book.add_worksheet(title)
    return found


def _write_about(sheet: Sheet, kept: Kept) -> None:
    """What the workbook says of itself."""
    printed(sheet.sheet, frozen=False)
    sheet.sheet.set_column(0, 0, 14)
    sheet.sheet.set_column(1, 1, ABOUT)
    for name, text in kept.about.items():
        sheet.heighten(sum(1 + len(line) // ABOUT for line in text.splitlines()))
        sheet.put(0, name, sheet.look.of(bold=True))
        sheet.put(1, text, sheet.look.wrapped)
        sheet.row += 1
