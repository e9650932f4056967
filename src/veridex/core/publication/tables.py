"""The tables of a publication, built once for all items."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Wanted
from veridex.core.fitted.forecast import Forecast
from veridex.core.publication.item import ItemTask, Published
from veridex.core.scoring.levels import level_label

__all__ = ["Page", "frame_of", "total_row", "totals_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Page:
    """An item's task, what was made of it, the lead times tested, and why there is no forecast."""

    task: ItemTask
    found: Published
    tested: range
    reason: str


def frame_of(pages: Sequence[Page], wanted: Wanted, past: int | str) -> pd.DataFrame:
    """History and forecasts of all items under each other."""
    blocks: list[dict[str, Any]] = []
    for page in pages:
        blocks.append(_past_block(page, wanted, past))
        blocks.append(_ahead_block(page, wanted, page.found.forecast, page.found.bands, page.reason, ""))
        for name, forecast, bands in page.found.others:
            blocks.append(_ahead_block(page, wanted, forecast, bands, forecast.reason, name))
    return _table(blocks)


def _table(blocks: Sequence[dict[str, Any]]) -> pd.DataFrame:
    """Blocks of columns under each other; lists are texts or may be missing, arrays are numbers."""
    columns: dict[str, Any] = {}
    for name in blocks[0]:
        parts = [block[name] for block in blocks]
        if isinstance(parts[0], np.ndarray):
            columns[name] = np.concatenate(parts)
        else:
            columns[name] = [value for part in parts for value in part]
    kinds = {"step": "Int64", "tested": "boolean"}
    return pd.DataFrame(
        {name: pd.array(values, dtype=kinds[name]) if name in kinds else values for name, values in columns.items()}
    )


def _past_block(page: Page, wanted: Wanted, past: int | str) -> dict[str, Any]:
    """The last periods of the history, as they were read."""
    series = page.task.series
    n = len(series) if isinstance(past, str) else min(past, len(series))
    first = series.start + len(series) - n
    none = np.full((len(wanted.all_levels), n), np.nan)
    numbers = _numbers(wanted, series.actuals[len(series) - n :], np.full(n, np.nan), none, none)
    return _block(page, first, "actual", [pd.NA] * n, numbers)


def _ahead_block(
    page: Page, wanted: Wanted, forecast: Forecast | None, bands: Bands | None, reason: str, scenario: str
) -> dict[str, Any]:
    """The lead times of a forecast; rows without numbers where there is none."""
    series, n = page.task.series, max(page.task.horizon, 0)
    if forecast is not None and bands is not None:
        numbers = _numbers(wanted, forecast.points, forecast.std_error, bands.lower, bands.upper)
        words = [bands.words(wanted.all_levels, step) for step in range(1, n + 1)]
    else:
        none = np.full((len(wanted.all_levels), n), np.nan)
        numbers, words = _numbers(wanted, np.full(n, np.nan), np.full(n, np.nan), none, none), [""] * n
    steps = list(range(1, n + 1))
    return _block(page, series.start + len(series), "forecast", steps, numbers, words, reason, scenario)


def _numbers(
    wanted: Wanted, values: FloatArray, std_error: FloatArray, lower: FloatArray, upper: FloatArray
) -> dict[str, FloatArray]:
    """Value, standard error, bounds and quantiles, and the half-widths of the intervals."""
    found = {"value": values, "std_error": std_error, **wanted.columns(lower, upper)}
    places = [wanted.all_levels.index(level) for level in wanted.levels]
    with np.errstate(all="ignore"):
        for level, j in zip(wanted.levels, places, strict=True):
            label = level_label(level)
            half = 0.5 * (upper[j] - lower[j])
            share = 100.0 * half / np.abs(values)
            found[f"half_width_{label}"] = half
            found[f"half_width_{label}_percent"] = np.where(np.isfinite(share), share, np.nan)
    return found


def _block(
    page: Page,
    first: int,
    kind: str,
    steps: list[Any],
    numbers: dict[str, FloatArray],
    words: list[str] | None = None,
    reason: str = "",
    scenario: str = "",
) -> dict[str, Any]:
    """Rows of one item in a row: what was there first, then what was appended."""
    series, n = page.task.series, len(steps)
    method = page.task.method.text if page.task.method is not None and kind == "forecast" else None
    appended = {name: values for name, values in numbers.items() if name.startswith(("quantile_", "half_width_"))}
    return {
        "item": [series.item] * n,
        "period": series.cadence.starts(np.arange(first, first + n)),
        "kind": [kind] * n,
        "step": steps,
        **{name: values for name, values in numbers.items() if name not in appended},
        "method": [method] * n,
        "tested": [step in page.tested for step in steps] if kind == "forecast" else steps,
        "reason": [reason] * n,
        "scenario": [scenario] * n,
        **appended,
        "intervals": words or [""] * n,
    }


def totals_of(pages: Sequence[Page], wanted: Wanted, groups: Sequence[dict[str, Any]]) -> pd.DataFrame:
    """Totals of items and of groups, a row per step."""
    blocks = []
    for page in pages:
        found, item = page.found, page.task.series.item
        if found.totals is not None and found.total_bands is not None:
            row = total_row("item", item, 1, _periods(page), found.totals, found.total_bands, wanted, page.tested)
            blocks.append(row)
    blocks += groups
    if not blocks:  # nothing is available: the same columns, without rows
        none = np.empty((len(wanted.all_levels), 0))
        bands = Bands(none, none, ("model",) * len(wanted.all_levels), range(0))
        series = pages[0].task.series
        blocks = [
            total_row(
                "", "", 0, series.cadence.starts(np.empty(0, dtype=np.int64)), np.empty(0), bands, wanted, range(0)
            )
        ]
    return _table(blocks)


def _periods(page: Page) -> Any:
    series = page.task.series
    first = series.start + len(series)
    return series.cadence.starts(np.arange(first, first + page.task.horizon))


def total_row(
    group: str, name: str, items: int, periods: Any, totals: FloatArray, bands: Bands, wanted: Wanted, tested: range
) -> dict[str, Any]:
    """The columns of one total, a value per step."""
    n = totals.size
    steps = np.arange(1, n + 1)
    return {
        "group": [group] * n,
        "name": [name] * n,
        "items": np.full(n, items),
        "step": steps.tolist(),
        "period": periods,
        **wanted.columns(bands.lower, bands.upper, forecast=totals),
        "intervals": [bands.words(wanted.all_levels, step) for step in steps.tolist()],
        "tested": [step in tested for step in steps.tolist()],
    }
