"""Tables from wherever they are kept: CSV and the like, Parquet, Excel, SQL, standard input."""

import re
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import dataset

from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.damaged import DAMAGED
from veridex.exchange.missing import refuse_missing
from veridex.exchange.streams import Stream, frame_of
from veridex.exchange.texts import Source, read_csv

__all__ = ["is_streamed", "open_stream", "read_source"]

ONLY_DATABASES = "only a database address such as sqlite:///shop.db has it"

BATCH = 1 << 17
"""Rows of Parquet that are read at once."""

MOST_UNPACKED = 300_000_000
"""Bytes of a workbook: a sheet of a million rows and three columns has a third of them, and takes a minute."""

UNCALCULATED = re.compile(rb"<f[ >][^<]*(?:</f>)?\s*(?:<v ?/>|<v></v>|</c>)")
"""A formula in a sheet, and no value behind it."""

HEADER_WITHIN = 50
"""Rows of a sheet among which the names of its columns are looked for: titles stand above them."""


def read_source(
    source: str | Path,
    keep: Sequence[str] | None,
    numbers: Sequence[str],
    *,
    table: str | None,
    query: str | None,
    sheet: str | None,
    delimiter: str | None,
    encoding: str | None,
    named: Sequence[str] = (),
) -> Source:
    """Read a table from a file, a folder of Parquet parts, a database address or standard input (``-``).

    Parameters
    ----------
    source : str or Path
    keep : sequence of str, optional
        Columns wanted, if they are all there; all of them otherwise.
    numbers : sequence of str
        Columns that should hold numbers.
    table, query : str, optional
        Which table, or what to ask, of a database.
    sheet : str, optional
        Which sheet of a workbook; by default the first.
    delimiter, encoding : str, optional
        Of a CSV file; found out if not stated.
    named : sequence of str
        Columns by whose names the header of a sheet is found, where titles stand above it.

    Raises
    ------
    FileUnreadable, ParameterError
    """
    if is_streamed(source):
        with open_stream(source, keep, table, query) as stream:
            return Source(frame_of(list(stream.batches), stream.names), stream.label, 1)
    if table is not None or query is not None:
        raise ParameterError("table", repr(table or query), ONLY_DATABASES)
    path = Path(source)
    if str(source) != "-":
        refuse_missing(path)
        if path.suffix.lower() in (".xlsx", ".xlsm"):
            return _read_excel(path, sheet, named)
    if sheet is not None:
        raise ParameterError("sheet", repr(sheet), "only an Excel workbook (.xlsx) has sheets")
    return read_csv(source, keep, numbers, delimiter, encoding)


def is_streamed(source: str | Path) -> bool:
    """Whether a source is read in batches: a database, a Parquet file or a folder of them."""
    if "://" in str(source):
        return True
    path = Path(source)
    return str(source) != "-" and (path.is_dir() or path.suffix.lower() in (".parquet", ".pq"))


@contextmanager
def open_stream(
    source: str | Path, keep: Sequence[str] | None, table: str | None, query: str | None
) -> Iterator[Stream]:
    """A database or Parquet in batches, as long as the context lasts; the words are those of `read_source`."""
    if "://" in str(source):
        from veridex.exchange.places.databases.reading import database_stream  # loads SQLAlchemy

        with database_stream(str(source), table, query) as stream:
            yield stream
        return
    if table is not None or query is not None:
        raise ParameterError("table", repr(table or query), ONLY_DATABASES)
    refuse_missing(source)
    yield _parquet_stream(Path(source), keep)


def _parquet_stream(path: Path, keep: Sequence[str] | None) -> Stream:
    with _parquet_told(path):
        found = dataset.dataset(path, format="parquet", partitioning="hive")
        if path.is_dir():
            found = dataset.dataset(path, _agreed(path, found, keep), format="parquet", partitioning="hive")
        names = tuple(found.schema.names)
        if keep is not None and set(keep) <= set(names):
            names = tuple(dict.fromkeys(keep))
        rows = found.count_rows()
        # Few batches are read ahead: what waits is in memory.
        batches = found.to_batches(columns=list(names), batch_size=BATCH, batch_readahead=2, fragment_readahead=1)
    return Stream(str(path), rows, names, _parquet_batches(path, batches))


def _agreed(path: Path, found: dataset.Dataset, keep: Sequence[str] | None) -> pa.Schema:
    """The schema that holds the parts of a folder; numbers of several kinds are numbers.

    Raises
    ------
    FileUnreadable
        If a part lacks a column that is wanted, or a column is of kinds that nothing holds together.
    """
    parts = {fragment.path: fragment.physical_schema for fragment in found.get_fragments()}
    for name, schema in parts.items():
        beside = set(found.schema.names) - set(next(iter(parts.values())).names)  # said by the names of folders
        lacking = [one for one in keep or () if one in found.schema.names and one not in {*schema.names, *beside}]
        if lacking:
            problem = f"its part {Path(name).name} has no column {lacking[0]!r}"
            raise FileUnreadable(str(path), problem, f"It has {', '.join(schema.names)}.")
    try:
        return pa.unify_schemas([*parts.values(), found.schema], promote_options="permissive")
    except (pa.ArrowInvalid, pa.ArrowTypeError) as problem:
        said = f"its parts do not agree ({str(problem).splitlines()[0]})"
        raise FileUnreadable(str(path), said, "Write them again with the same columns.") from None


def _parquet_batches(path: Path, batches: Iterator[pa.RecordBatch]) -> Iterator[pa.RecordBatch]:
    while True:
        with _parquet_told(path):
            batch = next(batches, None)
        if batch is None:
            return
        yield batch


@contextmanager
def _parquet_told(path: Path) -> Iterator[None]:
    try:
        yield
    except FileUnreadable:
        raise
    except (pa.ArrowInvalid, OSError) as problem:
        reason = str(problem).splitlines()[0].rstrip(".")
        raise FileUnreadable(str(path), f"this is no Parquet ({reason})", "Name a Parquet file or folder.") from None


def _refuse_huge(path: Path) -> None:
    """Refuse a workbook that would fill memory once it is unpacked.

    Raises
    ------
    FileUnreadable
    """
    with zipfile.ZipFile(path) as packed:
        size = sum(one.file_size for one in packed.infolist())
    if size > MOST_UNPACKED:
        problem = f"unpacked it has {size / 1e6:,.0f} MB; workbooks of up to {MOST_UNPACKED / 1e6:,.0f} are read"
        raise FileUnreadable(str(path), problem, "Save its sheet as CSV.")


def _read_excel(path: Path, sheet: str | None, named: Sequence[str]) -> Source:
    try:
        _refuse_huge(path)
        with pd.ExcelFile(path, engine="openpyxl") as book:
            if sheet is not None and sheet not in book.sheet_names:
                there = ", ".join(map(str, book.sheet_names))
                raise FileUnreadable(str(path), f"it has no sheet {sheet!r}", f"Its sheets are {there}.")
            cells = pd.read_excel(book, sheet_name=0 if sheet is None else sheet, header=None, dtype=object)
    except DAMAGED as problem:
        if isinstance(problem, FileUnreadable):
            raise
        raise FileUnreadable(str(path), f"this is no Excel workbook ({problem})", "Save it again as .xlsx.") from None
    if cells.empty:
        raise FileUnreadable(str(path), "its sheet is empty", "Name another with sheet=.")
    head = _header(cells, named)
    filled = np.flatnonzero(cells.iloc[head + 1 :].notna().any(axis=1)) + head + 1
    first, stop = (int(filled[0]), int(filled[-1]) + 1) if filled.size else (head + 1, head + 1)
    frame = cells.iloc[first:stop].reset_index(drop=True)
    frame.columns = pd.Index(_named(cells.iloc[head]))
    notes: tuple[str, ...]
    notes = (f"Row {head + 1} holds the names of the columns; {head} above it were passed over.",) if head else ()
    if frame.isna().to_numpy().any():
        notes += _uncalculated(path)
    return Source(frame, str(path), first + 1, notes)


def _uncalculated(path: Path) -> tuple[str, ...]:
    """A note where cells hold formulas without a value: a program wrote them, and none has calculated them."""
    with zipfile.ZipFile(path) as packed:
        sheets = [name for name in packed.namelist() if name.startswith("xl/worksheets/")]
        count = sum(len(UNCALCULATED.findall(packed.read(name))) for name in sheets)
    if not count:
        return ()
    cells = "1 cell holds a formula that was" if count == 1 else f"{count:,} cells hold formulas that were"
    return (f"{cells} never calculated and so unknown: open the workbook and save it.",)


def _named(cells: "pd.Series[Any]") -> list[Any]:
    """Names of columns: an empty one is called by its place, one that stands there twice is numbered."""
    found: list[Any] = []
    for place, cell in enumerate(cells):
        name = f"column {place + 1}" if pd.isna(cell) else cell
        again = sum(one == name for one in cells.iloc[:place])
        found.append(f"{name}.{again}" if again else name)
    return found


def _header(cells: pd.DataFrame, named: Sequence[str]) -> int:
    """The row that holds the names of the columns: the first with all that are named, else the first of all."""
    wanted = set(named)
    for row in range(min(len(cells), HEADER_WITHIN)):
        if wanted and wanted <= {str(cell).strip() for cell in cells.iloc[row]}:
            return row
    return 0
