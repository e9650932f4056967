"""What places keep: a head and named tables with a stated schema, handed over part by part.

Forms make it of a value and a value of it; places write and read it. Neither knows the other, so that every form goes
to every place.
"""

import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from numpy.typing import NDArray

from veridex.core.periods.cadence import Cadence
from veridex.errors import VeridexError
from veridex.exchange.unfit import escaped, unescaped

__all__ = [
    "COUNT",
    "FLAG",
    "LIST",
    "NUMBER",
    "TEXT",
    "Form",
    "Found",
    "Kept",
    "Layout",
    "Part",
    "Unfit",
    "View",
    "arrow_table",
    "columns_of",
    "is_day",
    "is_record",
    "is_text",
    "line_of",
    "period_field",
    "record_field",
    "schema_of",
]

TEXT = pa.dictionary(pa.int32(), pa.string())
"""Texts stand in tables many times, so that each is kept once."""

NUMBER, COUNT, FLAG, LIST = pa.float64(), pa.int64(), pa.bool_(), pa.large_list(pa.float64())

RECORD, DAY = {b"veridex": b"record"}, {b"veridex": b"day"}

SURROGATES = re.compile("[\ud800-\udfff]")

Part = Mapping[str, pa.Table]
"""Some rows of each table, by the name of the table; a table without rows in it may be missing."""


class Unfit(ValueError):
    """What a place holds is not of this form and version."""


@dataclass(frozen=True, slots=True)
class Layout:
    """What a table is.

    Attributes
    ----------
    name : str
        What it is called in a database.
    file : str
        What its file is called, without the ending.
    schema : Schema
    sheet : str
        What its sheet of a workbook is called; empty for a table that is no matter for people.
    indexes : tuple of tuple of str
        What a database is asked for: columns by which rows of one value are looked for.
    people : tuple of str
        The columns of its sheet where these are not all; only a table of records, which is read from these, has such.
    """

    name: str
    file: str
    schema: pa.Schema
    sheet: str = ""
    indexes: tuple[tuple[str, ...], ...] = ((),)
    people: tuple[str, ...] = ()

    @property
    def record(self) -> str | None:
        """The column that says in JSON all that there is of what the first column names; the others repeat some."""
        return next((one.name for one in self.schema if is_record(one)), None)


@dataclass(frozen=True, slots=True)
class View:
    """How people look at a table besides row by row.

    Attributes
    ----------
    sheet : str
    kind : {"across", "picture"}
        A row per item and a column per period; or a picture of the item that is picked.
    table : str
        The name of the table it shows.
    of : mapping of str to Any
        What else the view needs to know.
    """

    sheet: str
    kind: str
    table: str
    of: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A value as places take it.

    Attributes
    ----------
    form : Form
    head : mapping
        What is said of the whole, as JSON can hold it.
    layouts : tuple of Layout
        What its tables are.
    facts : mapping
        Some of it as plain values: columns of the row that a database has of the whole.
    parts : callable
        Called, the tables part by part.
    rows : mapping of str to int
        How many rows the large tables have.
    views : tuple of View
    about : mapping of str to str
        What a workbook says of it, in words.
    value : Any
        What it was made of, for places that keep a value item by item.
    """

    form: "Form"
    head: Mapping[str, Any]
    layouts: tuple[Layout, ...]
    parts: Callable[[], Iterator[Part]]
    facts: Mapping[str, Any] = field(default_factory=dict)
    rows: Mapping[str, int] = field(default_factory=dict)
    views: tuple[View, ...] = ()
    about: Mapping[str, str] = field(default_factory=dict)
    value: Any = None


class Grouped(Mapping[str, pa.Table]):
    """Tables whose rows are in groups, as they were written: read when they are asked for, whole or a group."""

    def groups(self, table: str) -> int:
        """How many groups a table has."""
        raise NotImplementedError

    def group(self, table: str, number: int, columns: Sequence[str] | None = None) -> pa.Table:
        """A group of a table, all of its columns or some."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True, eq=False)
class Found:
    """What a place has: the head, and the tables by their names."""

    head: Mapping[str, Any]
    tables: Mapping[str, pa.Table]

    def columns(self, table: str) -> dict[str, NDArray[Any]]:
        """The columns of a table as arrays; see `columns_of`."""
        return columns_of(self.tables[table])

    def records(self, table: str, key: str, record: str) -> dict[str, dict[str, Any]]:
        """What the records of a table say, by their keys, in order."""
        columns = self.columns(table)
        return {name: json.loads(text) for name, text in zip(columns[key], columns[record], strict=True)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Form:
    """A kind of value that places keep.

    Attributes
    ----------
    kind : str
        In one word.
    called : str
        What messages call it.
    version : str
        Of the form; a head of another is not read.
    head_file : str
        What the file of the head is called.
    tables : mapping of str to str
        The names of its tables, and what their files are called.
    layouts : callable
        Given a head, what the tables are.
    keep, restore : callable
        Makes it of a value, and the value of what was found.
    unreadable : callable
        The error of a source, given what that is called and what is wrong.
    recorded : tuple of str
        The names of tables of records; see `Layout.record`.
    newest : tuple of str
        The names of tables of which a database shows the newest.
    alone : bool
        Whether it is one table, which is one file where there are files.
    lists : bool
        Whether it has columns of lists, which CSV and workbooks do not know.
    by_item : bool
        Whether a directory keeps it item by item.
    """

    kind: str
    called: str
    version: str
    head_file: str
    tables: Mapping[str, str]
    layouts: Callable[[Mapping[str, Any]], tuple[Layout, ...]]
    keep: Callable[[Any], Kept]
    restore: Callable[[Found], Any]
    unreadable: Callable[[str, str], VeridexError]
    recorded: tuple[str, ...] = ()
    newest: tuple[str, ...] = ()
    alone: bool = False
    lists: bool = False
    by_item: bool = False


def period_field(name: str, cadence: Cadence) -> pa.Field:
    """A column of periods: stamps, of which some have no time of the day; counted ones are whole numbers."""
    if cadence.counted:
        return pa.field(name, COUNT)
    return pa.field(name, pa.timestamp("s"), metadata=None if cadence.within_day else DAY)


def is_day(one: pa.Field) -> bool:
    """Whether a column of periods has no time of the day."""
    return (one.metadata or {}) == DAY


def record_field(name: str) -> pa.Field:
    """A column of records; see `Layout.record`."""
    return pa.field(name, pa.string(), metadata=RECORD)


def is_record(one: pa.Field) -> bool:
    """Whether a column holds records."""
    return (one.metadata or {}) == RECORD


def is_text(kind: pa.DataType) -> bool:
    """Whether a column holds texts."""
    return bool(pa.types.is_dictionary(kind) or pa.types.is_string(kind))


def schema_of(frame: pd.DataFrame, cadence: Cadence) -> pa.Schema:
    """The schema of a table as its maker types it."""
    return pa.schema(
        [
            period_field(name, cadence) if name == "period" else pa.field(str(name), _type_of(frame[name].dtype))
            for name in frame.columns
        ]
    )


def _type_of(kind: Any) -> pa.DataType:
    if pd.api.types.is_bool_dtype(kind):
        return FLAG
    if pd.api.types.is_integer_dtype(kind):
        return COUNT
    return NUMBER if pd.api.types.is_float_dtype(kind) else TEXT


def arrow_table(columns: Mapping[str, Any] | pd.DataFrame, schema: pa.Schema) -> pa.Table:
    """Columns under a schema: NaN is null, and texts hold nothing that some place could not."""
    return pa.table([_array(columns[one.name], one.type) for one in schema], schema=schema)


def _array(values: Any, kind: pa.DataType) -> pa.Array:
    if is_text(kind):
        coded = pa.array(values, pa.string(), from_pandas=True).dictionary_encode()
        texts = pa.array([escaped(text) for text in coded.dictionary.to_pylist()], pa.string())
        found = pa.DictionaryArray.from_arrays(coded.indices, texts)
        return found if pa.types.is_dictionary(kind) else found.cast(kind)
    return values if isinstance(values, pa.Array) else pa.array(values, kind, from_pandas=True)


def columns_of(table: pa.Table) -> dict[str, NDArray[Any]]:
    """Columns as arrays: a number that is missing is NaN, a count 0, a text empty, a flag False."""
    return {name: _values(table[name].combine_chunks()) for name in table.column_names}


def _values(column: pa.Array) -> NDArray[Any]:
    column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    kind = column.type
    if is_text(kind):
        coded = column if pa.types.is_dictionary(kind) else column.dictionary_encode()
        texts = np.array([*map(unescaped, coded.dictionary.to_pylist()), ""], dtype=object)
        found: NDArray[Any] = texts[coded.indices.fill_null(len(texts) - 1).to_numpy(zero_copy_only=False)]
        return found
    if pa.types.is_large_list(kind):
        numbers, ends = column.values.to_numpy(zero_copy_only=False), column.offsets.to_numpy().tolist()
        lists: NDArray[Any] = np.empty(len(column), dtype=object)
        lists[:] = [numbers[a:b] for a, b in pairwise(ends)]
        return lists
    if pa.types.is_timestamp(kind):
        stamps: NDArray[Any] = column.to_numpy(zero_copy_only=False).astype("datetime64[s]")
        return stamps
    if pa.types.is_boolean(kind):
        return np.asarray(column.fill_null(False).to_numpy(zero_copy_only=False), dtype=bool)
    if pa.types.is_integer(kind):
        return np.asarray(column.fill_null(0).to_numpy(zero_copy_only=False), dtype=np.int64)
    return np.array(column.to_numpy(zero_copy_only=False), dtype=np.float64)


def line_of(value: Any) -> str:
    """A value as JSON on one line, which UTF-8 can hold."""
    text = json.dumps(value, ensure_ascii=False, allow_nan=False)
    return SURROGATES.sub(lambda found: f"\\u{ord(found[0]):04x}", text)
