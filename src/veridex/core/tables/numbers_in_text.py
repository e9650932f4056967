"""Numbers as they are spelled in files: decimal comma or point, thousands marks, blanks."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.errors import CellUnreadable, DecimalAmbiguous, ParameterError

__all__ = [
    "UNKNOWN_WORDS",
    "MarkEvidence",
    "read_flags_as_stock",
    "read_quantities",
    "read_shares",
    "refuse_cells",
    "refuse_infinite",
]

UNKNOWN_IS_EMPTY = "Correct the cell, or leave it empty where demand is unknown."
INFINITE = ("inf", "infinity")
YES, NO = ("yes", "y", "true", "t", "1", "x", "out"), ("no", "n", "false", "f", "0", "in")
UNKNOWN_WORDS = ("", "nan", "na", "n/a", "null", "none", "-")
BLANKS = re.compile("(?:(?<=^[+-])\\s+)|(?:(?<=\\d)[\\s\u00a0\u2009\u202f'’_](?=\\d{3}(?!\\d)))")
"""Blanks behind a sign, and those that stand before three digits: what else has one inside is no number, or two."""
GROUPED = re.compile(r"[+-]?\d{1,3}(,\d{3})+")
EXPONENT = r"(?:[eE][+-]?\d+)?"
# Thousands marks stand before every third digit or nowhere; a mark anywhere else is a number of the other kind.
BY_MARK = {
    ".": re.compile(rf"[+-]?(?:\d*|\d{{1,3}}(?:,\d{{3}})+)(?:\.\d*)?{EXPONENT}"),
    ",": re.compile(rf"[+-]?(?:\d*|\d{{1,3}}(?:\.\d{{3}})+)(?:,\d*)?{EXPONENT}"),
}


@dataclass(slots=True)
class MarkEvidence:
    """What all numbers of a column, written as texts, together tell of its decimal mark; heard at once or by batches.

    Attributes
    ----------
    first : (int, str) or None
        Row and text of the first number with a comma.
    point_last, comma_last : bool
        Whether numbers with both marks were seen that end in either.
    ungrouped : bool
        Whether a comma was seen that cannot group thousands.
    plain : bool
        Whether a point was seen, or a number with several commas.
    """

    first: tuple[int, str] | None = None
    point_last: bool = False
    comma_last: bool = False
    ungrouped: bool = False
    plain: bool = False

    def hear(self, column: "pd.Series[Any]") -> None:
        """Take in some rows; the index numbers them."""
        if pd.api.types.is_numeric_dtype(column):
            return
        texts = _stripped(column)
        known = ~texts.str.lower().isin(UNKNOWN_WORDS)
        tidy = texts[known].map(_without_blanks)
        point = tidy.str.contains(".", regex=False)
        self.plain |= bool(point.any())
        with_comma = tidy[tidy.str.contains(",", regex=False)]
        if with_comma.empty:
            return
        if self.first is None:
            self.first = int(with_comma.index[0]), str(with_comma.iloc[0])
        both = with_comma[with_comma.str.contains(".", regex=False)]
        comma_last = both.str.rfind(",") > both.str.rfind(".")
        self.comma_last |= bool(comma_last.any())
        self.point_last |= bool((~comma_last).any())
        self.ungrouped |= not with_comma.map(lambda text: GROUPED.fullmatch(text) is not None).all()
        self.plain |= bool((with_comma.str.count(",") > 1).any())

    def mark(self, column: str, source: str, first_row: int) -> str:
        """The last of two kinds, or a comma that cannot group thousands.

        Raises
        ------
        DecimalAmbiguous
            If commas could be decimal marks or group thousands.
        """
        if self.first is None:
            return "."
        if self.comma_last or self.point_last:
            return "," if self.comma_last else "."
        if self.ungrouped:
            return ","
        if self.plain:
            return "."
        row, text = self.first
        raise DecimalAmbiguous(source, column, row + first_row, text)


def _stripped(column: "pd.Series[Any]") -> "pd.Series[str]":
    return column.astype(object).where(column.notna(), "").astype(str).str.strip()


def _without_blanks(text: str) -> str:
    return BLANKS.sub("", text)


def read_quantities(column: "pd.Series[Any]", source: str, first_row: int, decimal: str | None = None) -> FloatArray:
    """Numbers of a column; an empty cell is unknown demand (NaN).

    Parameters
    ----------
    column : Series
        Of numbers, or of texts.
    source, first_row
        What errors call the table and its first row.
    decimal : {".", ","}, optional
        The decimal mark; found from the column if not stated.

    Raises
    ------
    CellUnreadable
        Naming the first cell that is no finite number, and how many there are.
    DecimalAmbiguous
        If commas could be decimal marks or group thousands.
    """
    if decimal not in (None, ".", ","):
        raise ParameterError("decimal", repr(decimal), "it is '.' or ','")
    if pd.api.types.is_numeric_dtype(column) and column.dtype.kind != "c":
        plain = column.dtype == np.float64  # not copied, however many there are
        numbers = column.to_numpy() if plain else column.to_numpy(dtype=np.float64, na_value=np.nan)
    else:
        numbers = _read_texts(column, source, first_row, decimal)
    refuse_infinite(pd.Series(numbers, index=column.index, name=column.name, copy=False), source, first_row)
    return numbers


def read_flags(column: "pd.Series[Any]", source: str, first_row: int) -> FloatArray:
    """One where a cell says yes, zero where it says no or is empty.

    Raises
    ------
    CellUnreadable
        If a cell says neither.
    """
    texts = _stripped(column).str.lower().str.removesuffix(".0")
    yes, no = texts.isin(YES), texts.isin((*NO, *UNKNOWN_WORDS))
    strange = ~(yes | no).to_numpy()
    if strange.any():
        remedy = f"Write {', '.join(YES)} or {', '.join(NO)}, or leave it empty."
        refuse_cells(column, np.flatnonzero(strange), "yes or no", remedy, source, first_row)
    return np.asarray(yes, dtype=np.float64)


def read_flags_as_stock(column: "pd.Series[Any]", source: str, first_row: int) -> FloatArray:
    """Of rows that say whether stock ran out: one where it did not; NaN, an unknown share of the period, where it did.

    Raises
    ------
    CellUnreadable
        If a cell says neither.
    """
    return np.where(read_flags(column, source, first_row) > 0.0, np.nan, 1.0)


def read_shares(column: "pd.Series[Any]", source: str, first_row: int, decimal: str | None = None) -> FloatArray:
    """Shares of the period in stock, from 0 to 1; all of it where a cell is empty.

    Raises
    ------
    CellUnreadable
        If a cell is no such share.
    """
    found = read_quantities(column, source, first_row, decimal)
    strange = (found < 0.0) | (found > 1.0)
    if strange.any():
        remedy = "Write the share of the period in stock from 0 to 1, or leave it empty for all of it."
        refuse_cells(column, np.flatnonzero(strange), "share", remedy, source, first_row)
    return np.where(np.isnan(found), 1.0, found)


def _read_texts(column: "pd.Series[Any]", source: str, first_row: int, decimal: str | None) -> FloatArray:
    texts = _stripped(column)
    unknown = texts.str.lower().isin(UNKNOWN_WORDS).to_numpy()
    plain = texts.where(~unknown, "nan")
    numbers = np.array(pd.to_numeric(plain, errors="coerce"), dtype=np.float64)
    strange = np.isnan(numbers) & ~unknown
    if decimal == "," or strange.any():
        tidy = texts[~unknown].map(_without_blanks)
        if decimal is None:
            evidence = MarkEvidence()
            evidence.hear(column)
            decimal = evidence.mark(str(column.name), source, first_row)
        swapped = tidy.str.replace(".", "", regex=False).str.replace(",", ".", regex=False)
        usual = swapped if decimal == "," else tidy.str.replace(",", "", regex=False)
        fits = tidy.map(
            lambda text: text.lower().lstrip("+-") in INFINITE or BY_MARK[decimal].fullmatch(text) is not None
        )
        usual = usual.where(fits.astype(bool), "no number")
        numbers[~unknown] = pd.to_numeric(usual, errors="coerce").to_numpy(dtype=np.float64)
        strange = np.isnan(numbers) & ~unknown
    if strange.any():
        refuse_cells(column, np.flatnonzero(strange), "number", UNKNOWN_IS_EMPTY, source, first_row)
    return numbers


def refuse_infinite(column: "pd.Series[Any]", source: str, first_row: int) -> None:
    """Raise `CellUnreadable` if a number is infinite."""
    bad = np.flatnonzero(np.isinf(column.to_numpy()))
    if bad.size:
        refuse_cells(column, bad, "finite number", UNKNOWN_IS_EMPTY, source, first_row)


def refuse_cells(
    column: "pd.Series[Any]", bad: NDArray[Any], wanted: str, remedy: str, source: str, first_row: int
) -> None:
    """Raise `CellUnreadable` naming the first of the bad cells and how many there are; the index numbers the rows."""
    row = int(bad[0])
    raise CellUnreadable(
        source,
        str(column.name),
        int(column.index[row]) + first_row,
        str(column.iloc[row]),
        wanted,
        int(bad.size),
        remedy,
    )
