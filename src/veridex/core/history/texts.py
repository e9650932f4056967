"""The different texts of a column: what millions of rows repeat is read once."""

from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

__all__ = ["different_texts"]


def different_texts(column: "pd.Series[Any]") -> tuple[NDArray[Any], NDArray[Any]]:
    """The different texts of a column, and which of them each row has; a column of categories has them at hand."""
    if isinstance(column.dtype, pd.CategoricalDtype) and not column.isna().any():
        texts, codes = np.array(column.cat.categories.astype(str), dtype=object), column.cat.codes.to_numpy()
        used = np.bincount(codes, minlength=texts.size) > 0
        if used.all():
            return texts, codes
        rank = np.cumsum(used, dtype=np.int32) - np.int32(1)
        return texts[used], rank[codes]
    found, different = pd.factorize(column.astype(object).astype(str))
    return np.array(different, dtype=object), np.asarray(found, dtype=np.int32)
