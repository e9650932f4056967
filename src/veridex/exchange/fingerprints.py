"""A fingerprint of what tables hold: the same however they were cut into parts, and wherever they were kept."""

import hashlib
from collections.abc import Iterable
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from veridex.exchange.kept import Layout, Part, is_text

__all__ = ["Fingerprint"]

MISSING = np.iinfo(np.int64).min
"""What stands for a count that is missing."""


class Fingerprint:
    """Gathered part by part; `text` is what came together.

    Parameters
    ----------
    head : str
        What is said of the whole.
    layouts : iterable of Layout
    """

    def __init__(self, head: str, layouts: Iterable[Layout]) -> None:
        self._head = head
        self._columns = {
            (one.name, name): tuple(hashlib.sha256() for _ in range(3)) for one in layouts for name in one.schema.names
        }

    def add(self, part: Part) -> None:
        """Take some rows of each table."""
        for table, rows in part.items():
            for name in rows.column_names:
                for chunk in rows[name].chunks:
                    _feed(chunk, *self._columns[table, name])

    @property
    def text(self) -> str:
        """The fingerprint, in hexadecimal digits."""
        found = hashlib.sha256(self._head.encode())
        for hashes in self._columns.values():
            found.update(b"".join(one.digest() for one in hashes))
        return found.hexdigest()


def _feed(column: pa.Array, values: Any, lengths: Any, lists: Any) -> None:
    """Texts go in one behind the other and their lengths apart, so that no text can pass for two; lists likewise."""
    kind = column.type
    if pa.types.is_large_list(kind) or pa.types.is_list(kind):
        sizes = pc.fill_null(pc.list_value_length(column).cast(pa.int64()), MISSING)
        lists.update(sizes.to_numpy(zero_copy_only=False).tobytes())
        _feed(column.flatten(), values, lengths, lists)
    elif is_text(kind) or pa.types.is_binary(kind):
        texts = column.cast(pa.large_string()).cast(pa.large_binary()) if is_text(kind) else column
        texts = pc.fill_null(texts.cast(pa.large_binary()), b"")
        lengths.update(pc.binary_length(texts).to_numpy(zero_copy_only=False).astype(np.int64).tobytes())
        values.update(_letters(texts))
    elif pa.types.is_floating(kind):
        numbers = np.array(column.to_numpy(zero_copy_only=False), dtype=np.float64)
        numbers[np.isnan(numbers)] = np.nan
        values.update((numbers + 0.0).tobytes())  # -0.0 is 0.0: not every database tells them apart
    elif pa.types.is_boolean(kind):
        values.update(pc.fill_null(column.cast(pa.int8()), -1).to_numpy(zero_copy_only=False).tobytes())
    else:
        whole = column.cast(pa.timestamp("s")).cast(pa.int64()) if pa.types.is_timestamp(kind) else column
        filled = pc.fill_null(whole.cast(pa.int64()), MISSING)
        values.update(filled.to_numpy(zero_copy_only=False).tobytes())


def _letters(texts: pa.LargeBinaryArray) -> memoryview:
    """All texts one behind the other."""
    _, places, letters = texts.buffers()
    if letters is None:
        return memoryview(b"")
    bounds = np.frombuffer(places, dtype=np.int64)[texts.offset : texts.offset + len(texts) + 1]
    return memoryview(letters)[int(bounds[0]) : int(bounds[-1])] if bounds.size else memoryview(b"")
