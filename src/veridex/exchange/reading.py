"""Reading demand histories from CSV files."""

from csv import Error as CsvError
from csv import reader
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import csv

from veridex.core.history.assemble import Absent, Unfinished
from veridex.core.history.cadence import Cadence
from veridex.core.history.history import History
from veridex.core.history.tables import assemble_table, read_quantities
from veridex.errors import FileUnreadable, ParameterError

__all__ = ["read_history"]


def read_history(
    source: str | Path,
    *,
    item: str | None = None,
    period: str | None = None,
    demand: str | None = None,
    cadence: str | Cadence | None = None,
    start: object = None,
    name: str | None = None,
    cycle_length: int | None = None,
    unit: str | None = None,
    absent: Absent | None = None,
    unfinished: Unfinished = "drop",
) -> History:
    """Read a demand history from a CSV file.

    Three layouts are read: a long table (a row per item and period), order lines (added up to the cadence),
    and a bare column of numbers, which `start` announces (or a counted cadence without `period`).

    Parameters
    ----------
    source : str or Path
        A CSV file in UTF-8 with a line of column names (a bare column may do without).
    item : str, optional
        Column of the item keys; without it the file is one item.
    period, demand : str, optional
        Columns of dates and quantities; by default ``"period"`` and ``"demand"``.
    cadence : str
        yearly, quarterly, monthly, weekly, daily or counted.
    start : optional
        First period of a bare column of numbers.
    name : str, optional
        What a single series is called; by default the file's name.
    cycle_length : int, optional
        Periods after which the season repeats; by default the cadence's own.
    unit : str, optional
        Unit of demand, for titles and axes.
    absent : {"zero", "unknown"}, optional
        What a period without a row means: by default zero for order lines, unknown for a row per period.
    unfinished : {"drop", "keep"}
        What to do with a last period in which the order lines stop too early.

    Returns
    -------
    History
        Its `notes` say what was added up, filled and left out.

    Raises
    ------
    FileUnreadable, ColumnMissing, CellUnreadable, CadenceUnknown, ParameterError, HistoryTooShort
        Each names the file, the row or column, the value seen, and the remedy.
    """
    path = Path(source)
    spacing = Cadence.named(cadence)
    _refuse_no_file(path)
    bare = start is not None or (spacing.counted and period is None)
    if bare:
        if period is not None or item is not None:
            raise ParameterError("start", repr(start), "it announces bare numbers, which have no item or period column")
        return _read_bare(path, spacing, start, name, cycle_length, unit)
    parts = assemble_table(
        _read_table(path, keep=[c for c in (item, period or "period", demand or "demand") if c is not None]),
        item=item,
        period=period or "period",
        demand=demand or "demand",
        cadence=spacing,
        name=name or path.stem,
        absent=absent,
        unfinished=unfinished,
        source=str(path),
        first_row=2,
    )
    return History.from_assembled(parts, spacing, cycle_length=cycle_length, unit=unit)


def _refuse_no_file(path: Path) -> None:
    if not path.exists():
        raise FileUnreadable(str(path), "there is no such file")
    if path.is_dir():
        raise FileUnreadable(str(path), "this is a directory", "Name a CSV file.")
    if path.stat().st_size == 0:
        raise FileUnreadable(str(path), "the file is empty", "Export it again.")


def _read_table(path: Path, keep: list[str]) -> pd.DataFrame:
    """Read the columns to keep as text; where one is missing, all of them, for the error that names them."""
    try:
        with csv.open_csv(path) as stream:
            names = stream.schema.names
        if len(set(names)) < len(names):
            twice = sorted({n for n in names if names.count(n) > 1})
            raise FileUnreadable(str(path), f"column {twice[0]!r} stands there twice", "Give each column its own name.")
        wanted = list(dict.fromkeys(keep)) if set(keep) <= set(names) else names
        options = csv.ConvertOptions(
            column_types={column: pa.string() for column in names},
            include_columns=wanted,
            strings_can_be_null=False,
        )
        table = csv.read_csv(path, convert_options=options)
    except (pa.ArrowInvalid, UnicodeDecodeError) as problem:
        what = _what_is_wrong(path, str(problem))
        raise FileUnreadable(str(path), what, "Export it again as CSV in UTF-8.") from None
    frame: pd.DataFrame = table.to_pandas()
    return frame


def _what_is_wrong(path: Path, problem: str) -> str:
    """Find the first row that is not like the first; failing that, repeat what the reader said."""
    try:
        with path.open(encoding="utf-8", newline="") as stream:
            rows = reader(stream)
            columns = len(next(rows))
            for row in rows:
                if row and len(row) != columns:
                    return f"row {rows.line_num} has {len(row)} cells, the column names are {columns}"
    except (UnicodeDecodeError, CsvError, StopIteration):
        return "this is no text in UTF-8"
    return problem.splitlines()[0].rstrip(".")


def _read_bare(
    path: Path, cadence: Cadence, start: object, name: str | None, cycle_length: int | None, unit: str | None
) -> History:
    try:
        lines = path.read_text(encoding="utf-8-sig").splitlines()
    except UnicodeDecodeError:
        raise FileUnreadable(str(path), "this is no text in UTF-8", "Export it as plain text, UTF-8.") from None
    while lines and not lines[-1].strip():
        lines.pop()
    first_row = 1
    if lines and not _is_number(lines[0]):
        title = lines.pop(0).strip().strip('"')
        first_row, name = 2, name or title
    if not lines:
        raise FileUnreadable(str(path), "the file holds no numbers", "Give it one number per line.")
    numbers = read_quantities(pd.Series(lines, name=name or "numbers", dtype=object), str(path), first_row)
    history = History.from_numbers(
        numbers, cadence=cadence, start=start, item=name or path.stem, cycle_length=cycle_length, unit=unit
    )
    series = next(iter(history))
    last = cadence.text(series.start + len(series) - 1)
    unknown = int(np.isnan(numbers).sum())
    note = f"{len(series)} numbers read, the last is {last}" + (f"; {unknown} are unknown." if unknown else ".")
    return History.of([series], notes=(note,))


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return text.strip() == ""
    return True
