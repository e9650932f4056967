"""Every forecast that was published and can be held against what came: a row each."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.backtest.cells import Cells
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.method import Method
from veridex.core.publication.came import came
from veridex.core.publication.dossier import BENCHMARK, VERDICT
from veridex.core.publication.publication import Publication
from veridex.core.scoring.levels import level_label, on_number_line
from veridex.core.scoring.measures import interval_terms, naive_scales

__all__ = ["NUMBERS", "gathered", "kind_of", "planner_of", "scored_cells"]

NUMBERS = ("_scale", "_square_scale", "_centre", "_last", "_expected")
"""Columns that measures are made of: scales of the item as known then, its mean, its last value; the absolute error
that the law expected."""


OF_STD = math.sqrt(2.0 / math.pi)
"""Of a normal law the mean absolute error is so much of its standard deviation."""


def kind_of(method: Method | None) -> str:
    """A method as errors are told by it: blends weigh their members anew each time, and are one."""
    if method is None:
        return ""
    return "blend" if method.members and method.weights else method.text


def planner_of(reason: str) -> str:
    """Who decided, where a reason begins with a name and a colon; else empty.

    Examples
    --------
    >>> planner_of("Ada Birch: a fair in May"), planner_of("a fair in May")
    ('Ada Birch', '')
    """
    name, colon, _ = reason.partition(":")
    return name.strip() if colon else ""


def gathered(publications: Sequence[Publication], history: History, levels: Sequence[float]) -> pd.DataFrame:
    """A row per publication, item and lead time that has come; of an item published twice from one origin the later."""
    ours, blocks = set(history.names), []
    for number, publication in enumerate(publications, start=1):
        for item in publication.items:
            if item in ours and (block := _block(number, publication, history[item], levels)):
                blocks.append(block)  # noqa: PERF401 - two conditions read better in lines
    if not blocks:
        return pd.DataFrame({name: [] for name in _columns(levels)}).astype({"overridden": bool, "step": np.int64})
    columns = {name: np.concatenate([block[name] for block in blocks]) for name in blocks[0]}
    frame = pd.DataFrame(columns).drop_duplicates(["item", "origin", "step"], keep="last", ignore_index=True)
    for name in ("origin", "period"):
        frame[name] = history.cadence.starts(frame[name].to_numpy())
    return frame


def _columns(levels: Sequence[float]) -> list[str]:
    """What the table has where nothing has come."""
    first = ["item", "method", "origin", "period", "step", "actual", "forecast", "error", "percent_error", "std_error"]
    bounds = on_number_line(levels, levels, levels)
    return [*first, *bounds, "publication", "route", BENCHMARK, VERDICT, "planner", "tested", "overridden", *NUMBERS]


def _block(number: int, publication: Publication, series: ItemHistory, levels: Sequence[float]) -> dict[str, Any]:
    """The rows of an item of a publication; nothing where nothing has come."""
    one = publication[series.item]
    found = came(one, series)
    n, at = found.steps.size, found.steps - 1
    if not n:
        return {}
    assert one.outlook is not None
    error = found.actuals - found.forecasts
    with np.errstate(all="ignore"):
        percent = 100.0 * error / found.actuals
    wanted, bands = publication.head.wanted.levels, one.outlook.bands
    rows = [wanted.index(level) for level in levels]
    beside = {rival.role: rival.points[at] for rival in one.beside}
    planner = "" if one.override is None else planner_of(one.override.reason)
    known = series.actuals[: max(one.origin + 1 - series.start, 0)]
    known = known if known.size else np.full(1, np.nan)
    has = known[~np.isnan(known)]
    scale, square = naive_scales(known, series.season_length)
    numbers = (scale, square, float(has.mean()) if has.size else 0.0, float(has[-1]) if has.size else np.nan)
    return {
        "item": np.full(n, one.item, dtype=object),
        "method": np.full(n, kind_of(one.decided or one.method), dtype=object),
        "origin": np.full(n, one.origin),
        "period": one.origin + found.steps,
        "step": found.steps,
        "actual": found.actuals,
        "forecast": found.forecasts,
        "error": error,
        "percent_error": np.where(np.isfinite(percent), percent, np.nan),
        "std_error": one.outlook.std_error[at],
        **on_number_line(levels, bands.lower[rows][:, at], bands.upper[rows][:, at]),
        "publication": np.full(n, number),
        "route": np.full(n, one.route, dtype=object),
        BENCHMARK: beside.get(BENCHMARK, np.full(n, np.nan)),
        VERDICT: beside.get(VERDICT, np.full(n, np.nan) if one.override is not None else found.forecasts),
        "planner": np.full(n, planner, dtype=object),
        "tested": np.isin(found.steps, np.array(one.tested)),
        "overridden": np.full(n, one.override is not None),
        **{name: np.full(n, value) for name, value in zip(NUMBERS, numbers, strict=False)},
        "_expected": OF_STD * one.outlook.std_error[at],
    }


def scored_cells(frame: pd.DataFrame, levels: Sequence[float]) -> Cells:
    """The rows as measures are made of them."""
    numbers = np.stack([frame[name].to_numpy(dtype=np.float64) for name in ("actual", "forecast", *NUMBERS[:4])])
    own = np.where(frame[BENCHMARK].isna(), np.nan, frame["error"])
    rival = (frame["actual"] - frame[BENCHMARK]).to_numpy(dtype=np.float64)
    extra: dict[str, FloatArray] = {"_own": np.abs(own), "_own_squared": own**2}
    extra |= {"_benchmark": np.abs(rival), "_benchmark_squared": rival**2}
    for level in levels:
        label = level_label(level)
        lower, upper = (frame[f"{side}_{label}"].to_numpy() for side in ("lower", "upper"))
        parts = interval_terms(numbers[0], lower, upper, level)
        extra |= {f"{name}_{label}": part for name, part in zip(("coverage", "width"), parts[:2], strict=True)}
    where = {"step": frame["step"].to_numpy(dtype=np.int64), "origin": frame["origin"].to_numpy()}
    return Cells(where, numbers, extra)
