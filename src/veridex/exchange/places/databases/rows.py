"""Rows on their way into a database and back, by the server's own fast path."""

import hashlib
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import repeat
from typing import Any, Self

import numpy as np
import pyarrow as pa
import sqlalchemy as sql
from pyarrow import csv

from veridex.exchange.kept import Layout, Part, is_day, is_text
from veridex.exchange.places.databases.schema import ROW, Tables, column_name

__all__ = ["Loader", "plain", "selected", "spelled"]

LONGEST = 500
"""Bytes of a text that an index is sure to hold."""

CHUNK = 20_000
"""Rows that are fetched at once."""


class Loader:
    """Puts the parts of tables into a database.

    Parameters
    ----------
    connection : sqlalchemy.Connection
    tables : Tables
    layouts : sequence of Layout
    number : int
        Whose rows they are.
    """

    def __init__(self, connection: sql.Connection, tables: Tables, layouts: Sequence[Layout], number: int) -> None:
        self._connection, self._tables, self._number = connection, tables, number
        self._layouts = {one.name: one for one in layouts}
        self._rows = dict.fromkeys(self._layouts, 0)
        self._long: set[str] = set()
        self._beside = ThreadPoolExecutor(max_workers=1)
        self._sent: Future[None] | None = None
        self._copies = connection.dialect.name == "postgresql"

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        """Wait for what is on its way; what went wrong with it is raised by `end`."""
        self._beside.shutdown()

    def early(self, parts: Iterator[Part]) -> Iterator[Part]:
        """The same parts; where a server works beside us, each is made while the one before is on its way.

        SQLite works in this process, and two threads would only take turns.
        """
        if not self._copies:
            yield from parts
            return
        with ThreadPoolExecutor(max_workers=1) as beside:
            coming = beside.submit(next, parts, None)
            while (part := coming.result()) is not None:
                coming = beside.submit(next, parts, None)
                yield part

    def end(self) -> None:
        """Wait until everything is there."""
        sent, self._sent = self._sent, None
        if sent is not None:
            sent.result()

    def add(self, name: str, table: pa.Table) -> None:
        """Put rows behind the others of a table."""
        if not len(table):
            return
        first = self._rows[name]
        self._rows[name] += len(table)
        table = self._shortened(self._layouts[name], table)
        target = self._tables.rows[name]
        quote = self._connection.dialect.identifier_preparer.quote
        columns = [quote(one) for one in (self._tables.form.kind, ROW, *map(column_name, table.schema))]
        into = f"{quote(target.name)} ({', '.join(columns)})"
        if self._copies:
            self._copy(into, table, first)
            return
        values = [plain(table[one.name], one) for one in table.schema]
        rows = zip(repeat(self._number), range(first, first + len(table)), *values, strict=False)
        marks = ", ".join("?" * len(columns))
        driver: Any = self._connection.connection.driver_connection
        driver.executemany(f"INSERT INTO {into} VALUES ({marks})", rows)

    def _copy(self, into: str, table: pa.Table, first: int) -> None:
        """PostgreSQL's own way of loading."""
        rows = len(table)
        own = [pa.array(np.full(rows, self._number)), pa.array(np.arange(first, first + rows))]
        columns = [*own, *(spelled(table[one.name]) for one in table.schema)]
        sink = io.BytesIO()
        csv.write_csv(
            pa.table(columns, names=[str(k) for k in range(len(columns))]), sink, csv.WriteOptions(include_header=False)
        )
        self.end()
        self._sent = self._beside.submit(self._send, into, sink)  # the next rows are spelled while the server works

    def _send(self, into: str, content: io.BytesIO) -> None:
        driver: Any = self._connection.connection.driver_connection
        with driver.cursor() as cursor, cursor.copy(f"COPY {into} FROM STDIN WITH (FORMAT csv)") as copying:
            copying.write(content.getbuffer())

    def _shortened(self, layout: Layout, table: pa.Table) -> pa.Table:
        """Texts that an index may not hold are cut, with a digest that finds the whole again."""
        for name in {column for columns in layout.indexes for column in columns}:
            place = table.schema.names.index(name)
            if not is_text(table.schema.field(name).type):
                continue
            column = table[name].combine_chunks()
            column = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
            texts = column.dictionary.to_pylist()
            cut = [_cut(text) for text in texts]
            if cut != texts:
                self._keep_whole({short: text for short, text in zip(cut, texts, strict=True) if short != text})
                again = pa.DictionaryArray.from_arrays(column.indices, pa.array(cut, pa.string()))
                table = table.set_column(place, table.schema.field(name), again)
        return table

    def _keep_whole(self, texts: Mapping[str, str]) -> None:
        self.end()
        long = self._tables.long
        new = {digest: whole for digest, whole in texts.items() if digest not in self._long}
        self._long |= new.keys()
        for digest, whole in new.items():
            if self._connection.execute(sql.select(long.c.digest).where(long.c.digest == digest)).first() is None:
                self._connection.execute(long.insert().values(digest=digest, whole=whole))


def _cut(text: str) -> str:
    content = text.encode()
    if len(content) <= LONGEST:
        return text
    return f"{content[:200].decode(errors='ignore')}... {hashlib.sha256(content).hexdigest()}"


def plain(column: pa.ChunkedArray, one: pa.Field) -> Sequence[Any]:
    """A column as Python's own values; the driver takes NaN for null."""
    kind = column.type
    if pa.types.is_floating(kind):
        values: list[Any] = column.to_numpy().tolist()
        return values
    if is_text(kind):
        return _taken(column if pa.types.is_dictionary(kind) else column.dictionary_encode(), lambda texts: texts)
    if pa.types.is_timestamp(kind):
        unit: Any = "D" if is_day(one) else "s"

        def texts(stamps: list[Any]) -> list[str]:
            found = np.datetime_as_string(np.array(stamps, dtype="datetime64[s]"), unit=unit)
            return [text.replace("T", " ") for text in found.tolist()]

        return _taken(column.dictionary_encode(), texts)
    return _packed(column) if pa.types.is_nested(kind) else column.to_pylist()


def _taken(column: pa.ChunkedArray, spell: Any) -> list[Any]:
    """Values of a coded column, each spelled once."""
    found: list[Any] = []
    for chunk in column.chunks:
        each = np.array([*spell(chunk.dictionary.to_pylist()), None], dtype=object)
        found += each[chunk.indices.fill_null(len(each) - 1).to_numpy(zero_copy_only=False)].tolist()
    return found


def _packed(column: pa.ChunkedArray) -> list[Any]:
    """Lists of numbers as their bytes, lists of texts as JSON."""
    if is_text(column.type.value_type):
        return [None if one is None else json.dumps(one) for one in column.to_pylist()]
    found: list[Any] = []
    for chunk in column.chunks:
        content = memoryview(chunk.values.to_numpy(zero_copy_only=False).astype("<f8")).cast("B")
        ends = (8 * chunk.offsets.to_numpy()).tolist()
        there = chunk.is_valid().to_pylist()
        rows = zip(ends[:-1], ends[1:], there, strict=True)
        found += [bytes(content[a:b]) if known else None for a, b, known in rows]
    return found


def spelled(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column as COPY reads it."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return column.cast(pa.string())
    if pa.types.is_nested(kind) or pa.types.is_binary(kind):
        packed = column.to_pylist() if pa.types.is_binary(kind) else _packed(column)
        return pa.array([f"\\x{one.hex()}" if isinstance(one, bytes) else one for one in packed], pa.string())
    return column


def selected(connection: sql.Connection, tables: Tables, layout: Layout, number: int) -> Iterator[pa.Table]:
    """The rows of a table, in order, some at a time."""
    table = tables.rows[layout.name]
    columns = [
        sql.cast(sql.extract("epoch", table.c[one.name]), sql.BigInteger)
        if pa.types.is_timestamp(one.type)
        else table.c[column_name(one)]
        for one in layout.schema
    ]
    asked = sql.select(*columns).where(table.c[tables.form.kind] == number).order_by(table.c[ROW])
    whole = {str(digest): str(text) for digest, text in connection.execute(sql.select(tables.long))}
    found = connection.execution_options(yield_per=CHUNK).execute(asked)
    for rows in found.partitions():
        pairs = zip(zip(*rows, strict=True), layout.schema, strict=True)
        yield pa.table([_array(values, one.type, whole) for values, one in pairs], schema=layout.schema)


def _array(values: Sequence[Any], kind: pa.DataType, whole: Mapping[str, str]) -> pa.Array:
    """Values of a driver under their type; a text that was cut is whole again."""
    if pa.types.is_dictionary(kind):
        coded = pa.array(values, pa.string()).dictionary_encode()
        texts = [whole.get(text, text) for text in coded.dictionary.to_pylist()]
        return pa.DictionaryArray.from_arrays(coded.indices, pa.array(texts, pa.string()))
    if pa.types.is_timestamp(kind):
        return pa.array(values, pa.int64()).cast(kind)
    if pa.types.is_nested(kind):
        if is_text(kind.value_type):
            return pa.array([None if one is None else json.loads(one) for one in values], kind)
        return pa.array([None if one is None else np.frombuffer(one, dtype="<f8") for one in values], kind)
    return pa.array(values, kind)
