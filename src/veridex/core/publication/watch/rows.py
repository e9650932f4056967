"""The rows of a watch: what came against its band and its law, by period, in total, by group; what was corrected."""

from collections.abc import Mapping
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.totals import Totals
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.laws.law import Law
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.head import Head
from veridex.core.publication.watch.happened import AS_EXPECTED, what_happened
from veridex.core.publication.watch.signals import Seen, chance_of_either, signals

__all__ = [
    "CORRECTED",
    "GROUPS",
    "PERIODS",
    "TOTAL",
    "corrected",
    "explained",
    "framed",
    "group_row",
    "period_rows",
    "total_row",
]

PERIODS = ["item", "period", "step", "actual", "forecast", "error", "percent_error", "lower", "upper", "outside"]
PERIODS += ["alert", "chance", "signal", "cost", "_either"]
"""Of each item and period that has come."""

CORRECTED = ["item", "period", "before", "now", "what"]

TOTAL = ["item", "periods", "actual", "forecast", "error", "lower", "upper", "outside", "chance"]
GROUPS = ["group", "name", "items", *TOTAL[1:]]


@np.errstate(all="ignore")
def period_rows(seen: Seen, j: int, price: float) -> dict[str, Any]:
    """What has come of an item, column by column; whether it is an alert is decided over all items."""
    one, found, place = seen.one, seen.came, seen.stood
    n, at = found.steps.size, found.steps - 1
    if not n:
        return {}
    assert one.outlook is not None
    error, signal = found.actuals - found.forecasts, signals(place)
    percent = 100.0 * error / found.actuals
    lower, upper = one.outlook.bands.lower[j, at], one.outlook.bands.upper[j, at]
    outside = np.where(found.actuals > upper, "above", np.where(found.actuals < lower, "below", ""))
    values: tuple[Any, ...] = (
        np.full(n, one.item, dtype=object),
        one.origin + found.steps,
        found.steps,
        found.actuals,
        found.forecasts,
        error,
        np.where(np.isfinite(percent), percent, np.nan),
        lower,
        upper,
        outside.astype(object),
        np.zeros(n, dtype=bool),
        place.chances,
        signal.values,
        np.abs(error) * price,
        chance_of_either(place.chances, signal.values, signal.alike),
    )
    return dict(zip(PERIODS, values, strict=True))


def explained(seen: Seen, *, odd: bool) -> dict[str, Any]:
    """What happened to an item that has alerts or is biased: what, since when (ordinal), by how much, how sure."""
    one, found, place = seen.one, seen.came, seen.stood
    nothing = {"what": AS_EXPECTED, "since": -1, "size": np.nan, "size_error": np.nan, "sure": np.nan}
    if not odd:
        return nothing
    if place.together is None or one.outlook is None or one.outlook.laws is None:
        return nothing | {"what": ""}
    spreads = one.outlook.laws.moments()[1][found.steps - 1]
    if not (np.isfinite(spreads) & (spreads > 0.0)).all():
        return nothing | {"what": ""}
    told = what_happened(place.scores, place.together, found.actuals - found.forecasts, spreads)
    since = -1 if told.at < 0 else one.origin + int(found.steps[told.at])
    return {"what": told.what, "since": since, "size": told.size, "size_error": told.error, "sure": told.sure}


def corrected(one: ItemPublication, series: ItemHistory) -> list[tuple[object, ...]]:
    """What was known of an item when it was published, where something else is known now."""
    first = one.origin - one.past.size + 1
    found: list[tuple[object, ...]] = []
    for period, before in enumerate(one.past.tolist(), start=first):
        at = period - series.start
        now = float(series.actuals[at]) if 0 <= at < len(series) else np.nan
        if before == now or (np.isnan(before) and np.isnan(now)):
            continue
        what = "late" if np.isnan(before) else "withdrawn" if np.isnan(now) else "corrected"
        found.append((one.item, period, before, now, what))
    return found


def total_row(one: ItemPublication, series: ItemHistory, j: int, head: Head) -> list[Any] | None:
    """What came of an item so far, without a gap, against the law of that; None where nothing can be said."""
    if one.totals is None or one.totals.laws is None:
        return None
    told = _against(one.totals, one.total_law, _since(series, one.origin, one.horizon, head), j, head)
    return None if told is None else [one.item, *told]


def group_row(one: GroupTotals, history: History, j: int, head: Head) -> list[Any] | None:
    """What came of a group so far, as far as all its items are known, against the law of that."""
    if one.totals.laws is None or any(item not in history.names for item in one.members):
        return None
    steps = one.totals.points.size
    each = [_since(history[item], one.origin, steps, head) for item in one.members]
    known = min(values.size for values in each)
    told = _against(one.totals, one.law, np.sum([values[:known] for values in each], axis=0), j, head)
    return None if told is None else [one.group, one.name, len(one.members), *told]


def _since(series: ItemHistory, origin: int, steps: int, head: Head) -> FloatArray:
    """What came from the first lead time of totals on, up to the first gap."""
    begin = origin + head.wanted.first - series.start
    found = series.actuals[max(begin, 0) : origin + steps + 1 - series.start] if begin >= 0 else np.empty(0)
    unknown = np.flatnonzero(np.isnan(found))
    return found[: unknown[0]] if unknown.size else found


def _against(totals: Totals, law: Any, found: FloatArray, j: int, head: Head) -> list[Any] | None:
    """What came together against its band and its law; of demand that does not add up its mean."""
    step = head.wanted.first - 1 + found.size
    if not found.size or np.isnan(totals.points[step - 1]):
        return None
    actual = float(found.sum() if head.demand.measure.adds_up else found.mean())
    forecast = float(totals.points[step - 1])
    low, high = float(totals.bands.lower[j, step - 1]), float(totals.bands.upper[j, step - 1])
    outside = "above" if actual > high else "below" if actual < low else ""
    own: Law = law(step)
    return [found.size, actual, forecast, actual - forecast, low, high, outside, own.chance(actual)]


def framed(blocks: list[Mapping[str, Any]]) -> pd.DataFrame:
    """Blocks of rows under each other; without any, the columns alone."""
    if not blocks:
        return pd.DataFrame({name: [] for name in PERIODS}).astype({"alert": bool, "item": object, "outside": object})
    return pd.DataFrame({name: np.concatenate([block[name] for block in blocks]) for name in PERIODS})
