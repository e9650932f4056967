"""Tables that come in batches of rows: their columns under the kinds that hold all batches."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa

from veridex.exchange.texts import FEW_ROWS

__all__ = ["Kinds", "Stream", "frame_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Stream:
    """A table in batches.

    Attributes
    ----------
    label : str
        What errors call it.
    rows : int or None
        How many rows it has, where that is known before they are read.
    names : tuple of str
    batches : iterator of RecordBatch
        Batches may differ in the types of their columns.
    """

    label: str
    rows: int | None
    names: tuple[str, ...]
    batches: Iterator[pa.RecordBatch]


@dataclass(slots=True)
class Kinds:
    """The kinds of each column that were seen in batches, and the columns in which something is missing."""

    seen: dict[str, set[pa.DataType]] = field(default_factory=dict)
    with_gaps: set[str] = field(default_factory=set)

    def hear(self, batch: pa.RecordBatch) -> None:
        """Take in a batch."""
        for name, column in zip(batch.schema.names, batch.columns, strict=True):
            self.seen.setdefault(name, set()).add(_value_type(column.type))
            if column.null_count:
                self.with_gaps.add(name)

    def of(self, name: str) -> pa.DataType:
        """The one kind that holds all values of a column."""
        seen = self.seen.get(name, set())
        known = {kind for kind in seen if not pa.types.is_null(kind)} or seen
        if len(known) == 1:
            (kind,) = known
            return pa.float64() if pa.types.is_integer(kind) and name in self.with_gaps else kind
        return pa.string() if any(_is_text(kind) for kind in known) else pa.float64()


def frame_of(batches: Sequence[pa.RecordBatch], names: Iterable[str], kinds: Kinds | None = None) -> pd.DataFrame:
    """Batches as one frame; of some of all batches `kinds` tells what all of them hold."""
    if kinds is None:
        kinds = Kinds()
        for batch in batches:
            kinds.hear(batch)
    columns = {name: _column([batch.column(name) for batch in batches], kinds.of(name)) for name in names}
    return pd.DataFrame(columns, columns=pd.Index(list(names)))


def _value_type(kind: pa.DataType) -> pa.DataType:
    """The type of what a column holds, however it is packed; decimal numbers are numbers."""
    if pa.types.is_dictionary(kind):
        kind = kind.value_type
    if pa.types.is_decimal(kind):
        return pa.float64()
    return pa.string() if _is_text(kind) or _is_bytes(kind) else kind


def _is_bytes(kind: pa.DataType) -> bool:
    return bool(pa.types.is_binary(kind) or pa.types.is_large_binary(kind) or pa.types.is_fixed_size_binary(kind))


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def _column(parts: list[pa.Array], kind: pa.DataType) -> Any:
    """A column of pandas; of texts the different ones, and which of them each row has."""
    if not parts:
        return np.empty(0, dtype=object)
    if not pa.types.is_string(kind):
        return pa.chunked_array([_cast(part, kind) for part in parts]).to_pandas(date_as_object=False)
    texts = [part if _is_coded_text(part.type) else _cast(part, kind).dictionary_encode() for part in parts]
    same = pa.dictionary(pa.int32(), pa.string())
    coded = pa.chunked_array([one.cast(same) for one in texts]).unify_dictionaries().combine_chunks()
    codes = coded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
    different = pd.Index(coded.dictionary.to_pylist(), dtype=object)
    found = pd.Categorical.from_codes(codes, dtype=pd.CategoricalDtype(different))
    return found if len(found) >= FEW_ROWS else np.asarray(found, dtype=object)


def _is_coded_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_dictionary(kind) and _is_text(kind.value_type))


def _cast(part: pa.Array, kind: pa.DataType) -> pa.Array:
    """Values under another kind, unpacked."""
    if pa.types.is_dictionary(part.type):
        part = part.dictionary_decode()
    if _is_bytes(part.type):  # texts of writers that do not say so; what is none is shown with a sign for it
        part = pa.array(
            [None if one is None else one.decode("utf-8", "replace") for one in part.to_pylist()], pa.string()
        )
    return part if part.type == kind else part.cast(kind)
