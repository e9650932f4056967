"""Text files: their bytes, their encoding, and tables separated by commas or the like."""

import codecs
import io
import sys
from collections.abc import Callable, Sequence
from csv import Error as CsvError
from csv import reader
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray
from pyarrow import csv

from veridex.core.tables.cells import column_twice
from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.missing import refuse_missing

__all__ = ["Source", "decoded", "read_bytes", "read_csv"]

DELIMITERS = (",", ";", "\t", "|")
DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
SAMPLE = 65_536
MANY_COLUMNS = 5000
FEW_ROWS = 1000
"""Below so many rows texts are kept as such: a table of a million columns is then one block."""

CHUNK = (1 << 22) + 512
BLOCK, LONG_LINES = 1 << 20, 1 << 24
"""A line must fit into a block: sixteen megabytes hold the names of a million columns."""

CSV_AGAIN = "Export it again as CSV in UTF-8."


@dataclass(frozen=True, slots=True, eq=False)
class Source:
    """A table, what errors call it and its first row, and what was found out while reading."""

    frame: pd.DataFrame
    label: str
    first_row: int
    notes: tuple[str, ...] = ()


def read_bytes(source: str | Path) -> bytes:
    """The contents of a file, or of standard input.

    Raises
    ------
    FileUnreadable
        If there is no such file, it is a directory, or empty.
    """
    if str(source) == "-":
        content = sys.stdin.buffer.read()
    else:
        refuse_missing(Path(source))
        if Path(source).is_dir():
            raise FileUnreadable(str(source), "this is a directory", "Name a file.")
        content = Path(source).read_bytes()
    if not content:
        raise FileUnreadable(str(source), "the file is empty", "Export it again.")
    return content


def decoded(content: bytes, label: str, encoding: str | None) -> tuple[str, tuple[str, ...]]:
    """Text of a file: UTF-8, UTF-16 by its mark, else Windows-1252, which is said.

    Raises
    ------
    FileUnreadable
        If the bytes are no text in the stated encoding, or no text at all.
    """
    if encoding is not None:
        try:
            return content.decode(encoding), ()
        except (ValueError, LookupError) as problem:
            raise FileUnreadable(label, f"this is no text in {encoding} ({problem})", "State another.") from None
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        return content.decode("utf-16", errors="replace"), ("The file is in UTF-16.",)
    try:
        return content.decode("utf-8-sig"), ()
    except UnicodeDecodeError:
        pass
    controls = sum(byte < 9 or 13 < byte < 32 for byte in content[:SAMPLE])
    if controls:
        raise FileUnreadable(label, "this is no text", CSV_AGAIN)
    return content.decode("cp1252", errors="replace"), ("The file is not in UTF-8; it was read as Windows-1252.",)


def read_csv(
    source: str | Path,
    keep: Sequence[str] | None,
    numbers: Sequence[str],
    delimiter: str | None,
    encoding: str | None,
) -> Source:
    """Read a CSV; what is not plainly a number stays text, to be read where errors can name the cell."""
    label = str(source)
    opened, sample, notes = _open_text(source, encoding)
    if delimiter is not None:
        delimiter = _mark(delimiter)
    else:
        delimiter = _delimiter_of(sample)
        if delimiter != ",":
            notes += (f"The columns are separated by {DELIMITER_NAMES[delimiter]}s.",)
    parsing = csv.ParseOptions(delimiter=delimiter)
    reading = csv.ReadOptions(block_size=BLOCK if "\n" in sample else LONG_LINES)
    try:
        names = _column_names(opened, delimiter)
        twice = next((name for name in names if names.count(name) > 1), None) if len(set(names)) < len(names) else None
        if twice is not None:
            raise column_twice(label, twice)
        wanted = list(dict.fromkeys(keep)) if keep is not None and set(keep) <= set(names) else names
        if len(wanted) > MANY_COLUMNS:
            frame = _read_rows(opened, delimiter)
        else:
            frame = _read_columns(opened, reading, parsing, wanted, numbers)
    except (pa.ArrowInvalid, CsvError) as problem:
        raise FileUnreadable(label, _odd_row(opened, delimiter, str(problem)), CSV_AGAIN) from None
    return Source(frame, label, 2, notes)


Opener = Callable[[], pa.NativeFile]


def _open_text(source: str | Path, encoding: str | None) -> tuple[Opener, str, tuple[str, ...]]:
    """How to open a source as UTF-8, its first lines, and what was found out about it.

    A file that is in UTF-8 already is read from the disk as it stands; only others are held in memory.
    """
    if str(source) != "-" and encoding is None and _is_utf8(Path(source)):
        with Path(source).open("rb") as stream:
            sample = stream.read(SAMPLE).decode("utf-8-sig", errors="ignore")
        return lambda: pa.OSFile(str(source)), sample, ()
    text, notes = decoded(read_bytes(source), str(source), encoding)
    buffer = pa.py_buffer(text.encode())
    return lambda: pa.BufferReader(buffer), text[:SAMPLE], notes


def _is_utf8(path: Path) -> bool:
    """Whether a file holds something, and all of it is UTF-8; looked through piece by piece."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    some = False
    with path.open("rb") as stream:
        try:
            while piece := stream.read(1 << 20):
                decoder.decode(piece)
                some = True
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return False
    return some


def _column_names(opened: Opener, delimiter: str) -> list[str]:
    with io.TextIOWrapper(opened(), encoding="utf-8-sig", errors="replace", newline="") as text:
        return next(reader(text, delimiter=delimiter), [])


def _read_rows(opened: Opener, delimiter: str) -> pd.DataFrame:
    """Read a table of very many columns row by row, as texts: the CSV reader keeps too much for each column."""
    with io.TextIOWrapper(opened(), encoding="utf-8-sig", errors="replace", newline="") as text:
        names, *rows = (row for row in reader(text, delimiter=delimiter) if row)
    if any(len(row) != len(names) for row in rows):
        raise CsvError("rows differ in length")
    return pd.DataFrame(np.array(rows, dtype=object).reshape(len(rows), len(names)), columns=names)


def _read_columns(
    opened: Opener,
    reading: csv.ReadOptions,
    parsing: csv.ParseOptions,
    wanted: Sequence[str],
    numbers: Sequence[str],
) -> pd.DataFrame:
    """Read the wanted columns: `numbers` as such where they all are plain, everything else as texts, each kept once."""
    texts = pa.dictionary(pa.int32(), pa.string())
    types = {name: pa.float64() if name in numbers else texts for name in wanted}
    for attempt in (types, {name: pa.string() if name in numbers else texts for name in wanted}):
        options = csv.ConvertOptions(column_types=attempt, include_columns=wanted, strings_can_be_null=False)
        try:
            with csv.open_csv(opened(), read_options=reading, parse_options=parsing, convert_options=options) as stream:
                return _gathered(stream, wanted)
        except pa.ArrowInvalid as problem:
            if "conversion error" not in str(problem) or attempt is not types:
                raise
    raise AssertionError("the second attempt returns or raises")


def _gathered(stream: csv.CSVStreamingReader, wanted: Sequence[str]) -> pd.DataFrame:
    """Batches of rows as one table: a large file never stands in memory beside its columns."""
    columns = [_Column() for _ in wanted]
    for batch in stream:
        for column, part in zip(columns, batch.columns, strict=True):
            column.add(part)
    return pd.DataFrame({name: column.finished() for name, column in zip(wanted, columns, strict=True)}, copy=False)


class _Column:
    """One column, gathered batch by batch; of texts the different ones and, per row, which of them."""

    def __init__(self) -> None:
        self._chunks: list[NDArray[Any]] = []
        self._room = 0
        self._places: dict[str, int] = {}
        self._coded = False

    def add(self, part: pa.Array) -> None:
        """Take a batch."""
        self._coded = pa.types.is_dictionary(part.type)
        if self._coded:
            places = [self._places.setdefault(text, len(self._places)) for text in part.dictionary.to_pylist()]
            smallest = np.int16 if len(self._places) < 2**15 else np.int32
            self._append(np.array(places, dtype=smallest)[part.indices.to_numpy()])
        else:
            self._append(part.to_numpy(zero_copy_only=False))

    def _append(self, part: NDArray[Any]) -> None:
        """Put values behind the others, in chunks large enough that the system takes them back when they go."""
        while part.size:
            if self._room == 0 or part.dtype != self._chunks[-1].dtype:
                self._trim()
                size = min(CHUNK, max(part.size, 2 * self._chunks[-1].size if self._chunks else 0))
                self._chunks.append(np.empty(size, dtype=part.dtype))
                self._room = size
            begin, taken = self._chunks[-1].size - self._room, min(self._room, part.size)
            self._chunks[-1][begin : begin + taken] = part[:taken]
            self._room -= taken
            part = part[taken:]

    def _trim(self) -> None:
        if self._room:
            self._chunks[-1] = self._chunks[-1][: self._chunks[-1].size - self._room].copy()
            self._room = 0

    def finished(self) -> Any:
        """The whole column; each chunk is let go as soon as it is copied."""
        self._trim()
        kind = max((chunk.dtype for chunk in self._chunks), key=lambda one: one.itemsize, default=np.dtype(object))
        whole = np.empty(sum(chunk.size for chunk in self._chunks), dtype=kind)
        filled = 0
        for i, chunk in enumerate(self._chunks):
            whole[filled : filled + chunk.size] = chunk
            filled += chunk.size
            self._chunks[i] = chunk[:0].copy()
        if not self._coded:
            return whole
        if whole.size < FEW_ROWS:
            return np.array([*self._places, ""], dtype=object)[whole.astype(np.int64)]
        texts = pd.CategoricalDtype(pd.Index(list(self._places), dtype=object))
        return pd.Categorical.from_codes(whole, dtype=texts)


def _mark(text: str) -> str:
    """A mark as it stands, or by its name.

    Raises
    ------
    ParameterError
        If it cannot stand between columns.
    """
    mark = {name: one for one, name in DELIMITER_NAMES.items()}.get(text, text)
    if len(mark) == 1 and mark.isascii() and (mark.isprintable() or mark == "\t") and mark != '"':
        return mark
    names = ", ".join(DELIMITER_NAMES.values())
    raise ParameterError("delimiter", repr(text), f"give one ASCII character, or its name: {names}")


def _delimiter_of(text: str) -> str:
    """The mark that stands equally often in all of the first lines; the one that stands there most."""
    lines = [line for line in text[:SAMPLE].splitlines()[:20] if line.strip()]
    best, most = ",", 0
    for mark in DELIMITERS:
        counts = [len(next(reader([line], delimiter=mark), [])) - 1 for line in lines]
        if counts and min(counts) == max(counts) > most:
            best, most = mark, counts[0]
    return best


def _odd_row(opened: Opener, delimiter: str, problem: str) -> str:
    """Find the first row that is not like the first; failing that, repeat what the reader said."""
    try:
        with io.TextIOWrapper(opened(), encoding="utf-8-sig", errors="replace", newline="") as text:
            rows = reader(text, delimiter=delimiter)
            columns = len(next(rows))
            for row in rows:
                if row and len(row) != columns:
                    return f"row {rows.line_num} has {len(row)} cells, the column names are {columns}"
    except (CsvError, StopIteration):
        return "this is no table"
    return problem.splitlines()[0].rstrip(".")
