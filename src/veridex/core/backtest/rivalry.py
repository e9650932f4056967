"""Whether methods of a trial can be told apart: tests, ranks, the alarm of an overfit."""

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.results import Results
from veridex.core.backtest.scores import measure_by_origin, scores
from veridex.core.readable import number
from veridex.core.scoring.comparison import (
    FEWEST_HORIZONS,
    EqualAccuracy,
    PairedDifference,
    diebold_mariano,
    mean_interval,
    mean_ranks,
    paired_bootstrap,
    paired_over_origins,
)
from veridex.core.scoring.measures import badness
from veridex.errors import MeasureUnknown, ParameterError

__all__ = ["compare_two", "distances", "overfit_alarms", "rank_table", "versus_first"]


WORSE = 1.01
"""A holdout error beyond this multiple of a simpler model's is worse."""

SIGNIFICANCE = 0.05


def overfit_alarms(table: pd.DataFrame) -> tuple[str, ...]:
    """Say where a method fits the training spans better than a simpler one and forecasts the holdout worse.

    Parameters
    ----------
    table : DataFrame
        method, parameters, training_rmse, holdout_rmse.
    """
    table = table.dropna(subset=["training_rmse", "holdout_rmse"])
    found = []
    for big in table.to_dict("records"):
        rivals = table[
            (table["parameters"] < big["parameters"])
            & (table["training_rmse"] > big["training_rmse"])
            & (table["holdout_rmse"] * WORSE < big["holdout_rmse"])
        ]
        if len(rivals):
            small = rivals.sort_values("holdout_rmse", kind="stable").iloc[0]
            better = 100.0 * (1.0 - big["training_rmse"] / small["training_rmse"])
            worse = 100.0 * (big["holdout_rmse"] / small["holdout_rmse"] - 1.0)
            more = number(float(big["parameters"] - small["parameters"]), 2)
            found.append(
                f"Overfit alarm: {big['method']}, with {more} quantities more than {small['method']}, fits the "
                f"training spans {number(better, 2)} % better and forecasts the holdout {number(worse, 2)} % worse."
            )
    return tuple(found)


def compare_two(
    trial: Results, first: str, second: str, item: str | None, step: int | None, measure: str
) -> EqualAccuracy | PairedDifference:
    """Test two methods; see `Trial.compare`, the public face."""
    pair = trial.method_index(first), trial.method_index(second)
    if step is not None and not 1 <= step <= trial.horizon:
        raise ParameterError("step", str(step), f"the trial looked {trial.horizon} ahead")
    if item is not None:
        return _on_one_item(trial, item, pair, step, measure)
    table = scores(trial, ("item", "method"), "holdout", common=True)
    _known_measure(measure, table)
    bad = badness(measure, measure_by_origin(trial, measure, step))
    reach = trial.overlap if step is None else -(-step // getattr(trial.scheme, "stride", 1))
    return _over_items(bad[:, pair[0]], bad[:, pair[1]], reach)


def _over_items(first: FloatArray, second: FloatArray, overlap: int) -> PairedDifference:
    """The test over items and origins (items, origins); of one or two origins, over items taken as independent."""
    found = paired_over_origins(first - second, overlap)
    if found.origins >= FEWEST_HORIZONS:
        return found
    with np.errstate(all="ignore"):
        return paired_bootstrap(_mean(first), _mean(second))


def _mean(values: FloatArray) -> FloatArray:
    """Means over the origins that an item has."""
    known = np.isfinite(values)
    return np.asarray(np.where(known, values, 0.0).sum(axis=1) / known.sum(axis=1))


def _known_measure(measure: str, table: pd.DataFrame) -> None:
    """Refuse what is no measure of these scores."""
    known = tuple(str(name) for name in table.columns if name not in ("n", "item", "method", "step"))
    if measure not in known:
        raise MeasureUnknown(measure, known)


def _on_one_item(trial: Results, item: str, pair: tuple[int, int], step: int | None, measure: str) -> EqualAccuracy:
    """The test of equal accuracy over the origins of one item."""
    if measure not in ("mae", "mse"):
        raise MeasureUnknown(measure, ("mae", "mse"))
    one = trial[item]
    errors = one.actuals - one.points[list(pair)]
    losses = np.abs(errors) if measure == "mae" else errors**2
    reach = trial.horizon if step is None else step
    with np.errstate(all="ignore"):
        known = losses[:, :, step - 1] if step is not None else losses.mean(axis=2)
    both = ~np.isnan(known).any(axis=0)
    overlap = -(-reach // getattr(trial.scheme, "stride", 1))
    return diebold_mariano(known[0][both], known[1][both], overlap)


def rank_table(trial: Results, by_item: pd.DataFrame, measure: str) -> tuple[pd.DataFrame, float]:
    """Mean ranks over the items; see `Trial.ranks`, the public face."""
    texts = [one.text for one in trial.lineup]
    errors = _by_item(by_item, texts, measure)
    found = mean_ranks(errors, badness(measure, measure_by_origin(trial, measure)), trial.overlap)
    table = pd.DataFrame({"method": texts, "mean_rank": found.ranks, "items": found.items})
    return table.sort_values("mean_rank", kind="stable", ignore_index=True), found.critical


def _by_item(table: pd.DataFrame, texts: list[str], measure: str) -> FloatArray:
    """A measure per item and method, shape (items, methods), on the cells that every method has; less is better."""
    _known_measure(measure, table)
    table = table.assign(_bad=badness(measure, table[measure]))
    wide = table.pivot_table(index="item", columns="method", values="_bad", dropna=False)
    return np.column_stack([wide[text].to_numpy() if text in wide else np.full(len(wide), np.nan) for text in texts])


def versus_first(trial: Results, ranked: list[str], measure: str) -> pd.DataFrame:
    """For each method in rank order its p-value against the first, and what that says."""
    words, p_values = ["first"], [np.nan]
    if len(trial.history) == 1:
        pairs = [(trial.method_index(ranked[0]), trial.method_index(text)) for text in ranked[1:]]
        kind = "mse" if measure in ("mse", "rmse", "rmsse") else "mae"
        tests = [_on_one_item(trial, trial.history.names[0], pair, None, kind).p_value for pair in pairs]
    else:
        bad = badness(measure, measure_by_origin(trial, measure))
        places = [trial.method_index(text) for text in ranked]
        tests = [_over_items(bad[:, m], bad[:, places[0]], trial.overlap).p_value for m in places[1:]]
    for p in tests:
        p_values.append(p)
        words.append("not tested" if np.isnan(p) else "undecided" if p >= SIGNIFICANCE else "worse")
    return pd.DataFrame({"p_first": p_values, "versus_first": words})


def distances(trial: Results, texts: list[str], benchmark: str, measure: str) -> list[tuple[float, float]]:
    """95 % intervals of each method's measure less the benchmark's; NaN where there are too few items or origins."""
    if len(trial.history) > 1:
        bad, base = badness(measure, measure_by_origin(trial, measure)), trial.method_index(benchmark)
        found = [_over_items(bad[:, trial.method_index(text)], bad[:, base], trial.overlap) for text in texts]
        return [(one.lower, one.upper) for one in found]
    table = scores(trial, ("method", "origin"), "holdout", common=True)
    wide = table.pivot_table(index="origin", columns="method", values=measure)
    if benchmark not in wide:
        return [(np.nan, np.nan)] * len(texts)
    return [mean_interval((wide[text] - wide[benchmark]).to_numpy(), trial.overlap) for text in texts]
