"""Tables of other people in a database, read some rows at a time: what is in memory is their columns."""

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import sqlalchemy as sql

from veridex.errors import FileUnreadable, ParameterError
from veridex.exchange.places.databases.address import FAILURES, Address, AddressWrong
from veridex.exchange.texts import FEW_ROWS, Source

__all__ = ["read_database"]

CHUNK = 50_000
"""Rows that are fetched at once."""


def read_database(text: str, table: str | None, query: str | None) -> Source:
    """Read a table, or the answer to a query.

    Raises
    ------
    FileUnreadable
        If there is no such database or table, or it does not answer.
    ParameterError
        If neither table nor query is named, or both.
    """
    if (table is None) == (query is None):
        raise ParameterError("table", repr(table), "a database needs either table= or query=")
    try:
        address = Address.of(text, to_read=True)
    except AddressWrong as problem:
        raise FileUnreadable(text.partition("://")[0] + "://...", str(problem)) from None
    label = address.shown
    if address.file is not None and not address.file.exists():
        raise FileUnreadable(label, "there is no such database file")
    try:
        with address.connected() as connection:
            asked = sql.text(str(query)) if table is None else _whole(connection, table, label)
            found = connection.execution_options(yield_per=CHUNK).execute(asked)
            frame = _gathered(found.partitions(), list(found.keys()))
    except FileUnreadable:
        raise
    except FAILURES as problem:
        raise FileUnreadable(label, address.reason(problem), "Check the address and the table.") from None
    except (AddressWrong, ValueError) as problem:
        raise FileUnreadable(label, address.reason(problem), "Check the address and the table.") from None
    return Source(frame, f"{label}, {'table ' + table if table else 'query'}", 1)


def _whole(connection: sql.Connection, table: str, label: str) -> sql.Select[Any]:
    """All rows of a table or a view, under the types that the database knows."""
    seen = sql.inspect(connection)
    there = seen.get_table_names() + seen.get_view_names()
    if table not in there:
        raise FileUnreadable(label, f"it has no table {table!r}", f"Its tables are {', '.join(there)}.")
    return sql.select(sql.Table(table, sql.MetaData(), autoload_with=connection))


def _gathered(chunks: Iterator[Sequence[Any]], names: list[str]) -> pd.DataFrame:
    """Rows as columns, chunk by chunk."""
    columns: list[list[pa.Array]] = [[] for _ in names]
    for rows in chunks:
        for column, values in zip(columns, zip(*rows, strict=True), strict=True):
            column.append(_array(values))
    return pd.DataFrame(
        {name: _column(parts) for name, parts in zip(names, columns, strict=True)}, columns=pd.Index(names)
    )


def _array(values: Sequence[Any]) -> pa.Array:
    """Values as the driver has them; what is not of one kind is told as text."""
    try:
        found = pa.array(values)
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        return pa.array([None if one is None else str(one) for one in values], pa.string())
    if pa.types.is_decimal(found.type):
        return pa.array([None if one is None else float(one) for one in values], pa.float64())
    return found.dictionary_encode() if pa.types.is_string(found.type) else found


def _column(parts: list[pa.Array]) -> Any:
    """A column of pandas; its chunks under the one kind that holds them all."""
    if not parts:
        return np.empty(0, dtype=object)
    known = [one for one in parts if not pa.types.is_null(one.type)] or parts
    kinds = {one.type for one in known}
    if len(kinds) > 1:
        texts = any(pa.types.is_dictionary(kind) or pa.types.is_string(kind) for kind in kinds)
        kind = pa.string() if texts else pa.float64()
        parts = [one.cast(kind) for one in parts]
    else:
        parts = [one.cast(known[0].type) for one in parts]
    whole = pa.chunked_array(parts)
    if not pa.types.is_dictionary(whole.type):
        return whole.to_pandas(date_as_object=False)
    coded = whole.unify_dictionaries().combine_chunks()
    codes = coded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    texts = pd.Index(coded.dictionary.to_pylist(), dtype=object)
    found = pd.Categorical.from_codes(codes, dtype=pd.CategoricalDtype(texts))
    return found if len(found) >= FEW_ROWS else np.asarray(found, dtype=object)
