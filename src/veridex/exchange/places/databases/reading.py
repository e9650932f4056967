"""Tables of other people in a database, read some rows at a time."""

import re
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import Any

import pyarrow as pa
import sqlalchemy as sql

from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.places.databases.address import FAILURES, Address, AddressWrong
from veridex.exchange.streams import Stream

__all__ = ["database_stream"]

AGAIN = "Check the address and the table."

CHUNK = 50_000
"""Rows that are fetched at once."""

UNREAD = re.compile(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|--[^\n]*|/\*.*?\*/", re.DOTALL)
"""Texts, names and remarks of a query, in which anything may stand."""

QUESTION = re.compile(r"\(*\s*(select|with|values|table)\b", re.IGNORECASE)

READ_ONLY = {"sqlite": "PRAGMA query_only = ON", "postgresql": "SET TRANSACTION READ ONLY"}
"""How a database is told that it is only read, by its kind; others are guarded by the form of the query alone."""


@contextmanager
def database_stream(text: str, table: str | None, query: str | None) -> Iterator[Stream]:
    """A table, or the answer to a query, in batches; as long as the context lasts.

    Raises
    ------
    FileUnreadable
        If there is no such database or table, or it does not answer.
    ParameterError
        If neither table nor query is named, or both.
    """
    if (table is None) == (query is None):
        raise ParameterError("table", repr(table), "a database needs either table= or query=")
    if query is not None:
        _refuse_orders(query)
    try:
        address = Address.of(text, to_read=True)
    except AddressWrong as problem:
        raise FileUnreadable(text.partition("://")[0] + "://...", str(problem)) from None
    label = address.shown
    if address.file is not None and not address.file.exists():
        raise FileUnreadable(label, "there is no such database file")
    with ExitStack() as stack:
        with _told(address):
            connection = stack.enter_context(address.connected())
            _only_read(connection, address)
            rows, streamed = None, connection.execution_options(yield_per=CHUNK)
            if table is None:
                found = streamed.exec_driver_sql(str(query))
            else:
                asked = _whole(connection, table, label)
                # A view may be long in the making: it is not asked twice.
                rows = _count(connection, asked) if table in sql.inspect(connection).get_table_names() else None
                found = streamed.execute(asked)
        names = tuple(found.keys())
        yield Stream(f"{label}, {'table ' + table if table else 'query'}", rows, names, _batches(found, names, address))


def _refuse_orders(query: str) -> None:
    """Refuse what is more than one question, or none.

    Raises
    ------
    ParameterError
        If it is no single statement that reads.
    """
    bare = UNREAD.sub(" ", query).strip().rstrip("; \n\t")
    if not QUESTION.match(bare) or ";" in bare:
        problem = "a query reads, in one statement that begins with SELECT, WITH, VALUES or TABLE"
        raise ParameterError("query", repr(query), problem)


def _only_read(connection: sql.Connection, address: Address) -> None:
    """Have the database itself refuse what would change it."""
    order = READ_ONLY.get(address.backend)
    if order is not None:
        connection.exec_driver_sql(order)


def _batches(found: sql.CursorResult[Any], names: Sequence[str], address: Address) -> Iterator[pa.RecordBatch]:
    """The rows of an answer, some at a time."""
    chunks = found.partitions()
    while True:
        with _told(address):
            rows = next(chunks, None)
            if rows is None:
                return
            batch = pa.RecordBatch.from_arrays([_array(one) for one in zip(*rows, strict=True)], names=list(names))
        yield batch


@contextmanager
def _told(address: Address) -> Iterator[None]:
    """What goes wrong in a database as an error of ours, without credentials."""
    try:
        yield
    except FileUnreadable:
        raise
    except FAILURES as problem:
        raise FileUnreadable(address.shown, address.reason(problem), AGAIN) from None
    except (AddressWrong, ValueError) as problem:
        raise FileUnreadable(address.shown, address.reason(problem), AGAIN) from None


def _count(connection: sql.Connection, asked: Any) -> int:
    """Rows of a table."""
    return int(connection.execute(sql.select(sql.func.count()).select_from(asked.subquery())).scalar_one())


def _whole(connection: sql.Connection, table: str, label: str) -> sql.Select[Any]:
    """All rows of a table or a view, under the types that the database knows."""
    seen = sql.inspect(connection)
    there = seen.get_table_names() + seen.get_view_names()
    if table not in there:
        raise FileUnreadable(label, f"it has no table {table!r}", f"Its tables are {', '.join(there)}.")
    return sql.select(sql.Table(table, sql.MetaData(), autoload_with=connection))


def _array(values: Sequence[Any]) -> pa.Array:
    """Values as the driver has them; what is not of one kind is told as text."""
    try:
        found = pa.array(values)
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        return pa.array([None if one is None else str(one) for one in values], pa.string())
    if pa.types.is_decimal(found.type):
        return pa.array([None if one is None else float(one) for one in values], pa.float64())
    return found
