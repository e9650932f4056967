"""What a unit of each item is worth, so that errors are ranked by what they cost."""

from collections.abc import Mapping
from typing import Any

import pandas as pd

from veridex.errors import ColumnMissing, ParameterError

__all__ = ["prices_of"]


def prices_of(given: "pd.DataFrame | Mapping[str, Any]") -> dict[str, float]:
    """Read what units are worth.

    Parameters
    ----------
    given : DataFrame or mapping
        With the columns item and price, or ``{item: price}``.

    Raises
    ------
    ColumnMissing, ParameterError
        If a column is missing, an item stands twice, or a price is no number above zero.
    """
    table = pd.DataFrame(given.items(), columns=["item", "price"]) if isinstance(given, Mapping) else given
    for column in ("item", "price"):
        if column not in table.columns:
            raise ColumnMissing("the table of prices", column, column, tuple(map(str, table.columns)))
    items, prices = table["item"].astype(str), pd.to_numeric(table["price"], errors="coerce")
    wrong = table.index[~(prices > 0)]
    if len(wrong):
        problem = f"{items[wrong[0]]} has {table['price'][wrong[0]]!r}: a price is a number above zero"
        raise ParameterError("prices", repr(items[wrong[0]]), problem)
    twice = items[items.duplicated()]
    if len(twice):
        raise ParameterError("prices", repr(twice.iloc[0]), "it stands twice; keep one of its prices")
    return dict(zip(items.tolist(), prices.tolist(), strict=True))
