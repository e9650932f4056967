"""What stands in a cell, said so that a sheet that was changed is known; and how cells look."""

import hashlib
from collections.abc import Sequence
from datetime import datetime
from typing import Any

import numpy as np
import pyarrow as pa
from xlsxwriter.format import Format
from xlsxwriter.workbook import Workbook as Book

__all__ = ["LONGEST", "ROWS", "YES_NO", "Look", "Seal", "column_values", "kept_number"]

ROWS = 1_048_575
"""Rows of a sheet under the names of its columns."""

LONGEST = 32_767
"""Letters of a cell."""

DIGITS = ".15g"
"""Digits that every spreadsheet keeps, whatever becomes of the others: no more are written."""

YES_NO = {True: "yes", False: "no"}
"""How flags are written: programs show them in their own ways otherwise."""

EARLIEST = np.datetime64("1900-03-01")
"""Spreadsheets have no days before, and one in 1900 that never was."""

INK, AMBER, PAPER, GRID = "#22313f", "#c9721f", "#fbfaf7", "#dfe3e0"
PICK = "#fff3c4"


class Seal:
    """A digest of the cells of a sheet, whoever wrote them, to the digits that spreadsheets keep."""

    def __init__(self) -> None:
        self._hash = hashlib.sha256()

    def add(self, row: int, column: int, value: object) -> None:
        """Take a cell; an empty one says nothing."""
        if value is None or value == "":
            return
        self._hash.update(f"{row} {column} {_said(value)}\n".encode())

    @property
    def text(self) -> str:
        """The digest."""
        return self._hash.hexdigest()


def kept_number(value: float) -> float:
    """A number to the digits that spreadsheets keep."""
    kept = float(f"{value:{DIGITS}}")
    return kept if np.isfinite(kept) else float(f"{value:.14g}")  # the largest of all, rounded down


def _said(value: object) -> str:
    if isinstance(value, datetime):
        return f"d {value.isoformat(timespec='seconds')}"
    if isinstance(value, (int, float, np.integer, np.floating)):
        return f"n {kept_number(float(value)):{DIGITS}}"
    return f"s {value}"


class Look:
    """The formats of a workbook's cells, each made once."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._made: dict[tuple[tuple[str, Any], ...], Format] = {}

    def of(self, **properties: Any) -> Format:
        """A format; ink on paper where it does not say otherwise."""
        key = tuple(sorted(properties.items()))
        if key not in self._made:
            usual = {"font_name": "Calibri", "font_size": 10, "font_color": INK, "valign": "top"}
            self._made[key] = self._book.add_format(usual | properties)
        return self._made[key]

    def header(self, *, right: bool = False, **properties: Any) -> Format:
        """Names of columns; numbers stand on the right."""
        side = {"align": "right"} if right else {"align": "left", "indent": 1}
        return self.of(bold=True, bg_color=GRID, bottom=1, bottom_color=INK, text_wrap=True, **side, **properties)

    @property
    def text(self) -> Format:
        """Texts."""
        return self.of(num_format="@", align="left", indent=1)

    @property
    def wrapped(self) -> Format:
        """Texts of more than a line."""
        return self.of(num_format="@", align="left", indent=1, text_wrap=True)

    @property
    def picked(self) -> Format:
        """The cell that people change."""
        return self.of(num_format="@", bg_color=PICK, border=1, border_color=AMBER, bold=True)

    def number(self, values: Sequence[float | None]) -> Format:
        """Numbers with as many decimals as their size asks for."""
        known = np.abs(np.array([np.nan if one is None else one for one in values], dtype=np.float64))
        known = known[np.isfinite(known) & (known > 0)]
        size = float(np.median(known)) if known.size else 1.0
        decimals = 0 if size >= 100.0 else 1 if size >= 10.0 else 2
        return self.of(num_format="#,##0" + ("." + "0" * decimals if decimals else ""))

    def period(self, stamps: Sequence[object], day: bool) -> Format:
        """Periods: months where all begin on the first, days, or with the time of the day."""
        known = [one for one in stamps if isinstance(one, datetime)]
        if not known:
            return self.of(align="left", indent=1)
        if not day:
            return self.of(num_format="yyyy-mm-dd hh:mm", align="left", indent=1)
        months = len(known) > 1 and all(one.day == 1 for one in known)
        return self.of(num_format="yyyy-mm" if months else "yyyy-mm-dd", align="left", indent=1)


def column_values(column: pa.ChunkedArray) -> list[Any]:
    """A column as a sheet has it: None is an empty cell, days before 1900 are texts."""
    if not pa.types.is_timestamp(column.type):
        values: list[Any] = column.to_pylist()
        return [None if one is None else YES_NO[one] for one in values] if pa.types.is_boolean(column.type) else values
    stamps = np.asarray(column.to_numpy(), dtype="datetime64[s]")
    return [one.item() if one >= EARLIEST else str(one) for one in stamps]
