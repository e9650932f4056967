"""Reading a workbook that we wrote: sheets as tables, each checked against its seal."""

import binascii
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from openpyxl import load_workbook
from openpyxl.utils.escape import unescape
from openpyxl.utils.exceptions import InvalidFileException

from veridex.exchange.damaged import DAMAGED
from veridex.exchange.kept import Form, Found, Layout
from veridex.exchange.places.directories import Torn
from veridex.exchange.places.workbooks.cells import YES_NO, Seal
from veridex.exchange.places.workbooks.hidden import SHEET, Hidden, read_hidden

__all__ = ["read_head", "read_workbook"]

FLAGS: dict[str | None, bool | None] = {text: flag for flag, text in YES_NO.items()} | {None: None}


def read_head(path: Path) -> dict[str, Any]:
    """What is said of the whole.

    Raises
    ------
    OSError, ValueError
        If it is no workbook of ours.
    """
    with _opened(path) as book:
        return _hidden(book).head


def read_workbook(path: Path, form: Form) -> Found:
    """The tables of a workbook.

    Raises
    ------
    Torn
        If a sheet is not what was written.
    OSError, ValueError
        If it is no workbook of ours.
    """
    with _opened(path) as book:
        hidden = _hidden(book)
        head, seals = hidden.head, hidden.seals
        layouts = form.layouts(head)
        wanted = {one.sheet: one for one in layouts if one.sheet and one.record is None}
        found = {}
        for title, seal in seals.items():
            if title not in book.sheetnames:
                raise Torn(f"its sheet {title} is not there")
            rows, said = _rows(book[title], wanted.get(title))
            if said != seal:
                raise Torn(f"its sheet {title} is not what was written")
            if title in wanted:
                found[wanted[title].name] = _table(rows, wanted[title])
        for one in layouts:
            if one.name not in found:
                found[one.name] = hidden.table(one.name)
    return Found(head, {one.name: found[one.name] for one in layouts})


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    try:
        book = load_workbook(path, read_only=True)
    except (*DAMAGED, InvalidFileException) as problem:
        raise ValueError(f"this is no workbook: {problem}") from None
    try:
        yield book
    except (zipfile.BadZipFile, zlib.error, binascii.Error, SyntaxError, EOFError) as problem:
        raise ValueError(f"it is damaged: {problem}") from None
    finally:
        book.close()


def _hidden(book: Any) -> Hidden:
    if SHEET not in book.sheetnames:
        raise ValueError("this workbook is none that Veridex has written")
    return read_hidden(list(book[SHEET].iter_rows(max_col=3, values_only=True)))


def _rows(sheet: Any, layout: Layout | None) -> tuple[list[list[Any]], str]:
    """The cells of a sheet, if it is a table, and its seal."""
    seal, rows = Seal(), []
    for row, found in enumerate(sheet.iter_rows(values_only=True)):
        # The format writes "_x0041_" for a letter that XML cannot hold, and has a way to mean just that.
        cells = [unescape(one) if isinstance(one, str) and "_x" in one else one for one in found]
        for column, value in enumerate(cells):
            seal.add(row, column, value)
        if layout is not None and row:
            rows.append(cells)
    return rows, seal.text


def _table(rows: list[list[Any]], layout: Layout) -> pa.Table:
    """Rows under the schema of their table; a cell of a column that ends early is empty."""
    width = len(layout.schema)
    columns = list(zip(*(row[:width] + [None] * (width - len(row)) for row in rows), strict=True)) or [()] * width
    return pa.table(
        [_array(values, one.type) for values, one in zip(columns, layout.schema, strict=True)], schema=layout.schema
    )


def _array(values: tuple[Any, ...], kind: pa.DataType) -> pa.Array:
    if pa.types.is_timestamp(kind):
        stamps = [np.datetime64(one, "s") if isinstance(one, (datetime, str)) else None for one in values]
        return pa.array(np.array(stamps, dtype="datetime64[s]"))
    if pa.types.is_integer(kind):
        return pa.array([None if one is None else int(one) for one in values], kind)
    if pa.types.is_floating(kind):
        return pa.array([None if one is None else float(one) for one in values], kind)
    if pa.types.is_boolean(kind):
        return pa.array([FLAGS[one] for one in values], kind)
    return pa.array([None if one is None else str(one) for one in values], pa.string()).dictionary_encode()
