"""The standings: the lineup ranked on the cells that every method has."""

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.results import Block, Results
from veridex.core.backtest.rivalry import versus_first
from veridex.core.backtest.scores import GAIN_MEASURES, Wanted, averaged, gathered
from veridex.core.scoring.measures import badness
from veridex.errors import MeasureUnknown

__all__ = ["standings"]


@np.errstate(all="ignore")
def standings(trial: Results, by_item: pd.DataFrame | None, measure: str, *, tests: bool) -> pd.DataFrame:
    """Rank the lineup by its measures per item and method; see `Trial.standings`, the public face.

    `by_item` has them on the cells that every method has; without it they are found in the same pass over the items as
    all else, but for those of intervals.
    """
    sizes = _Sizes(len(trial.lineup))
    own = [] if by_item is not None else [Wanted(("item", "method"))]
    *found, training = gathered(trial, [*own, Wanted(("method",), "training", common=False)], hear=sizes.hear)
    if by_item is None:
        (by_item,) = found
        by_item["method"] = [trial.lineup[m].text for m in by_item["method"]]
    ranked = [name for name in by_item.columns if name not in ("item", "method", "n")]
    table = averaged(by_item, ("method",), ranked, "items")
    if measure not in ranked:
        raise MeasureUnknown(measure, tuple(ranked))
    order = pd.DataFrame({"method": [entered.text for entered in trial.lineup]})
    table = order.merge(table, on="method", how="left")
    table["items"], table["forecasts"], table["parameters"] = sizes.found
    table["n"] = table["n"].fillna(0).astype(np.int64)
    if measure in training.columns:
        fitted = {trial.lineup[m].text: value for m, value in zip(training["method"], training[measure], strict=True)}
        table[f"training_{measure}"] = table["method"].map(fitted)
    goodness = badness(measure, table[measure])
    base = float(goodness[trial.method_index(trial.benchmarks[0])])
    if measure in GAIN_MEASURES:
        # There is nothing to add to a benchmark without an error.
        table["value_added"] = 100.0 * (1.0 - table[measure] / base) if base > 0.0 else np.nan
    table = table.iloc[np.lexsort((table["parameters"], goodness.fillna(np.inf)))].reset_index(drop=True)
    table.insert(0, "rank", np.arange(1, len(table) + 1))
    leading = ["rank", "method", "n", "items", "forecasts", measure, f"training_{measure}", "value_added", "parameters"]
    leading = [name for name in leading if name in table.columns]
    table = table[leading + [name for name in table.columns if name not in leading]]
    table["reason"] = [
        "" if n else reason_of(trial, trial.method_index(text)) or "no cell is shared"
        for text, n in zip(table["method"], table["forecasts"], strict=True)
    ]
    return table if not tests else table.join(versus_first(trial, table["method"].tolist(), measure))


class _Sizes:
    """Per method the items with common cells, the cells that it forecast, and the mean of quantities estimated."""

    def __init__(self, methods: int) -> None:
        self._sums = np.zeros((4, methods))

    @np.errstate(all="ignore")
    def hear(self, block: Block) -> None:
        """Take in some items."""
        a = block.arrays
        has = ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
        known = ~np.isnan(a.parameters)
        self._sums[0] += (has & block.common[:, None]).any(axis=(2, 3)).sum(axis=0)
        self._sums[1] += has.sum(axis=(0, 2, 3))
        self._sums[2] += np.where(known, a.parameters, 0.0).sum(axis=(0, 2))
        self._sums[3] += known.sum(axis=(0, 2))

    @property
    def found(self) -> tuple[IntArray, IntArray, FloatArray]:
        """Items, cells, parameters."""
        sums = self._sums
        parameters = sums[2] / np.where(sums[3] > 0, sums[3], np.nan)
        return sums[0].astype(np.int64), sums[1].astype(np.int64), parameters
