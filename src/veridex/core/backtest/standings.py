"""The standings: the lineup ranked on the cells that every method has."""

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.failed import reason_of
from veridex.core.backtest.results import Results
from veridex.core.backtest.rivalry import versus_first
from veridex.core.backtest.scores import GAIN_MEASURES, averaged, scores
from veridex.core.scoring.measures import badness
from veridex.errors import MeasureUnknown

__all__ = ["standings"]


@np.errstate(all="ignore")
def standings(trial: Results, by_item: pd.DataFrame, measure: str, *, tests: bool) -> pd.DataFrame:
    """Rank the lineup by its measures per item and method; see `Trial.standings`, the public face."""
    ranked = [name for name in by_item.columns if name not in ("item", "method", "n")]
    table = averaged(by_item, ("method",), ranked, "items")
    if measure not in ranked:
        raise MeasureUnknown(measure, tuple(ranked))
    order = pd.DataFrame({"method": [entered.text for entered in trial.lineup]})
    table = order.merge(table, on="method", how="left")
    table["items"], table["forecasts"], table["parameters"] = _sizes(trial)
    table["n"] = table["n"].fillna(0).astype(np.int64)
    training = scores(trial, ("method",), "training").set_index("method")
    if measure in training.columns:
        table[f"training_{measure}"] = table["method"].map(training[measure])
    goodness = badness(measure, table[measure])
    base = float(goodness[trial.method_index(trial.benchmarks[0])])
    if measure in GAIN_MEASURES:
        table["value_added"] = 100.0 * (1.0 - table[measure] / base)
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


def _sizes(trial: Results) -> tuple[FloatArray, ...]:
    """Per method the items with common cells, the cells that it forecast, and the mean of quantities estimated."""
    sums = np.zeros((4, len(trial.lineup)))
    for block in trial.blocks():
        a = block.arrays
        has = ~np.isnan(a.points) & ~np.isnan(a.actuals)[:, None]
        known = ~np.isnan(a.parameters)
        sums[0] += (has & block.common[:, None]).any(axis=(2, 3)).sum(axis=0)
        sums[1] += has.sum(axis=(0, 2, 3))
        sums[2] += np.where(known, a.parameters, 0.0).sum(axis=(0, 2))
        sums[3] += known.sum(axis=(0, 2))
    return sums[0].astype(np.int64), sums[1].astype(np.int64), sums[2] / np.where(sums[3] > 0, sums[3], np.nan)
