"""Methods without a forecast keep their rows in every table, with the reason."""

from collections import Counter

import numpy as np
import pandas as pd

from veridex.core.backtest.results import Results
from veridex.core.methods.fold.status import Status, reason_for

__all__ = ["reason_of", "with_failed"]


def with_failed(trial: Results, table: pd.DataFrame, groups: tuple[str, ...]) -> pd.DataFrame:
    """A table by groups with a row for each method that has no cell in one, and a column that says why.

    Items and methods are their places here. Where all methods have cells only the column is added.
    """
    if "method" not in groups:
        return table
    others = [name for name in groups if name != "method"]
    methods = pd.DataFrame({"method": np.arange(len(trial.lineup))})
    full = table[others].drop_duplicates().merge(methods, how="cross") if others else methods
    full = full.sort_values(list(groups), kind="stable", ignore_index=True)[list(groups)]
    whole = full.merge(table, on=list(groups), how="left")
    lost = whole["n"].isna().to_numpy()
    whole["n"] = whole["n"].fillna(0).astype(np.int64)
    known: dict[tuple[int, str | None], str] = {}
    reasons = []
    for row, gone in zip(whole[list(groups)].to_dict("records"), lost, strict=True):
        at = (int(row["method"]), trial.history.names[int(row["item"])] if "item" in row else None)
        if gone and at not in known:
            known[at] = reason_of(trial, *at) or "no actual came in these cells"
        reasons.append(known[at] if gone else "")
    return whole.assign(reason=reasons)


def reason_of(trial: Results, method: int, item: str | None = None) -> str:
    """The reason that most folds of a method have, over all items or of one; empty where it forecast."""
    counts: Counter[int] = Counter()
    each = (block.arrays.status for block in trial.blocks()) if item is None else [trial[item].status[None]]
    for status in each:
        own = status[:, method]
        counts.update(own[own != Status.NO_FOLD].ravel().tolist())
    if not counts:
        return "too short for a fold of this scheme"
    told = [(code, n) for code, n in counts.most_common() if code > Status.DONE]
    return reason_for(told[0][0], trial.lineup[method].needs(trial.history.season_length)) if told else ""
