"""The different texts of a column: what millions of rows repeat is read once."""

from collections.abc import Iterator
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

__all__ = ["batches", "different_texts", "looked_up"]

BATCH = 1 << 20


def batches(rows: int) -> Iterator[slice]:
    """Slices of a size that needs little memory beside the rows themselves."""
    return (slice(first, first + BATCH) for first in range(0, rows, BATCH))


def looked_up(table: NDArray[Any], codes: NDArray[Any]) -> NDArray[Any]:
    """``table[codes]``, without the wide copy of small codes that this would make."""
    found = np.empty(codes.size, dtype=table.dtype)
    for part in batches(codes.size):
        found[part] = table[codes[part]]
    return found


def different_texts(column: "pd.Series[Any]") -> tuple[NDArray[Any], NDArray[Any]]:
    """The different texts of a column, and which of them each row has; an empty cell is an empty text.

    A column of categories has them at hand.
    """
    if isinstance(column.dtype, pd.CategoricalDtype) and not column.isna().any():
        texts, codes = np.array(column.cat.categories.astype(str), dtype=object), column.cat.codes.to_numpy()
        used = np.zeros(texts.size, dtype=bool)
        for part in batches(codes.size):
            used[codes[part]] = True
        if used.all():
            return texts, codes
        return texts[used], looked_up((np.cumsum(used) - 1).astype(codes.dtype), codes)
    found, different = pd.factorize(column.astype(object).where(column.notna(), "").astype(str))
    return np.array(different, dtype=object), np.asarray(found, dtype=np.int32)
