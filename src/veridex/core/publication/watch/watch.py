"""`watch`: a publication against the actuals that came later."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.notebook import Faced
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.publication import Publication
from veridex.core.publication.watch.prices import prices_of
from veridex.core.publication.watch.rows import (
    CORRECTED,
    GROUPS,
    TOTAL,
    corrected,
    explained,
    framed,
    group_row,
    period_rows,
    total_row,
)
from veridex.core.publication.watch.signals import Seen, chance_of
from veridex.core.publication.watch.words import in_words, why
from veridex.errors import ParameterError

__all__ = ["Watch", "watch"]

ITEMS = [
    "item",
    "periods",
    "alerts",
    "cost",
    "share",
    "signal",
    "biased",
    "what",
    "since",
    "size",
    "size_error",
    "sure",
]


def watch(
    publication: Publication,
    newer: History | ItemHistory,
    *,
    level: float | None = None,
    tolerance: float | None = None,
    false_alerts: float | None = None,
    prices: pd.DataFrame | Mapping[str, float] | None = None,
) -> "Watch":
    """Hold a publication against the actuals that came after it.

    Parameters
    ----------
    publication : Publication
    newer : History or ItemHistory
        The same items, with periods after the publication's origin. Its values as they were read count, so that no
        repair hides a surprise.
    level : float, optional
        The interval level, in percent, outside which an actual is an alert; by default the widest that was published.
    tolerance : float, optional
        Percent of the forecast: what lies further off is an alert, whatever the level.
    false_alerts : float, optional
        How many alerts a period chance may bring, over all items: an actual is one where chance brings it, or the
        smoothed signal there, as far out in less than this share of the items that were looked at in its period
        (Bonferroni's bound [1]_). So a thousand quiet items bring no more of them than ten, as far as their laws hold:
        docs/verification.md has what was found.
    prices : DataFrame or mapping of str to float, optional
        What a unit of each item is worth, as columns item and price or by item: errors are ranked by what they cost.
        Without them by volume.

    Returns
    -------
    Watch
        `frame`, a row per item and period that has come; `alerts`, those that are out of bounds; `items`, what happened
        to each, the dearest first; `total` and `groups`, what came so far against the law of that; `why(item)`,
        `in_words()`.

    Raises
    ------
    ParameterError
        If the level was not published, tolerance, false alerts or a price are not above zero, tolerance and false
        alerts are both stated, or the cadence is another.
    ColumnMissing
        If the table of prices lacks one.

    References
    ----------
    .. [1] Dunn (1961), Journal of the American Statistical Association 56, 52-64.
    """
    many, levels = as_history(newer), publication.head.wanted.levels
    if many.cadence != publication.cadence:
        problem = f"the publication is {publication.cadence.name}"
        raise ParameterError("newer", many.cadence.name, problem)
    if tolerance is not None and not tolerance > 0:
        raise ParameterError("tolerance", repr(tolerance), "it is percent of the forecast, above zero")
    if false_alerts is not None and (not false_alerts > 0 or tolerance is not None):
        problem = "it is a number of alerts a period, above zero, in place of a tolerance"
        raise ParameterError("false_alerts", repr(false_alerts), problem)
    watched = max(levels) if level is None else level
    if watched not in levels:
        allowed = ", ".join(f"{one:g}" for one in levels)
        raise ParameterError("level", f"{watched:g}", f"the levels that were published are {allowed}")
    j, ours = levels.index(watched), set(many.names)
    there = [(one, many[one.item]) for one in publication.published.values() if one.item in ours]
    known = None if prices is None else prices_of(prices)
    worth = {one.item: 1.0 if known is None else known.get(one.item, np.nan) for one, _ in there}
    seen = [Seen.of(one, series) for one, series in there]
    frame = framed([rows for one in seen if (rows := period_rows(one, j, worth[one.one.item]))])
    frame["alert"] = _alerts(frame, tolerance, false_alerts)
    starts, head = many.cadence.starts, publication.head
    items = _items(frame, watched)
    odd = set(items.loc[(items["alerts"] > 0) | items["biased"], "item"])
    told = {one.one.item: explained(one, odd=one.one.item in odd) for one in seen}
    totals = [row for one, series in there if (row := total_row(one, series, j, head)) is not None]
    groups = [row for one in publication.groups if (row := group_row(one, many, j, head)) is not None]
    late = pd.DataFrame([row for one, series in there for row in corrected(one, series)], columns=CORRECTED)
    return Watch(
        level=watched,
        tolerance=tolerance,
        false_alerts=false_alerts,
        priced=prices is not None,
        cadence=many.cadence,
        frame=frame.drop(columns="_either").assign(period=starts(frame["period"].to_numpy(dtype=np.int64))),
        items=_told(items, told, many.cadence),
        total=pd.DataFrame(totals, columns=TOTAL),
        groups=pd.DataFrame(groups, columns=GROUPS),
        corrections=late.assign(period=starts(late["period"].to_numpy(dtype=np.int64))),
        missing=tuple(item for item in publication.items if item not in ours),
    )


def _alerts(frame: pd.DataFrame, tolerance: float | None, false_alerts: float | None) -> "pd.Series[bool]":
    """Which actuals are alerts."""
    outside = frame["outside"] != ""
    if tolerance is not None:
        return frame["error"].abs() > tolerance / 100.0 * frame["forecast"].abs()
    if false_alerts is None:
        return outside
    looked_at = frame.groupby("period")["item"].transform("size").to_numpy(dtype=np.float64)
    chance = frame["_either"].to_numpy()
    rare = np.where(np.isnan(chance), outside, chance < 100.0 * false_alerts / looked_at)  # without a law, the band
    return pd.Series(rare, index=frame.index, dtype=bool)


def _items(frame: pd.DataFrame, level: float) -> pd.DataFrame:
    """A row per item, the dearest first."""
    grouped = frame.groupby("item", sort=False)
    found = grouped.agg(periods=("step", "size"), alerts=("alert", "sum"), signal=("signal", "last")).reset_index()
    found["cost"] = grouped["cost"].sum(min_count=1).to_numpy()
    whole = float(found["cost"].sum())
    found["share"] = 100.0 * found["cost"] / whole if whole > 0.0 else np.nan
    found["biased"] = chance_of(found["signal"].to_numpy(dtype=np.float64)) < 100.0 - level
    return found.sort_values("cost", ascending=False, kind="stable", ignore_index=True)


def _told(found: pd.DataFrame, told: Mapping[str, Mapping[str, Any]], cadence: Cadence) -> pd.DataFrame:
    """The same with what happened to each."""
    for name in ("what", "size", "size_error", "sure", "since"):
        found[name] = [told[item][name] for item in found["item"]]
    found["since"] = [cadence.text(since) if since >= 0 else "" for since in found["since"]]
    return found[ITEMS]


@dataclass(frozen=True, eq=False, kw_only=True)
class Watch(Faced):
    """A publication against what came.

    Attributes
    ----------
    level : float
        Of the band, in percent.
    tolerance : float or None
        In percent of the forecast.
    false_alerts : float or None
        That chance may bring a period.
    priced : bool
        Whether costs are in money; else they are volumes.
    cadence : Cadence
    frame : DataFrame
        A row per item and period that has come: item, period, step, actual, forecast, error (actual less forecast),
        percent_error (of the actual), lower and upper bound, outside (``above``, ``below`` or empty), alert, chance
        (percent of actuals at least as far out under the law), signal (smoothed, in standard deviations; above zero
        where forecasts are too low), cost (absolute error times price).
    items : DataFrame
        A row per item, the dearest first: item, periods, alerts, cost and its share in percent, the latest signal,
        biased (whether it is beyond the limits of the level), what happened (``as expected`` where there is no alert
        and no bias, else ``chance``, ``outlier``, ``level shifted``, ``outlier or shift``; empty where
        nothing can be told), since when, by how much with its standard error, and how sure that is in percent.
    total : DataFrame
        A row per item: periods that have come without a gap, what came in them together and was forecast, the bounds of
        the total, outside, chance. Of demand that does not add up these are means.
    groups : DataFrame
        The same of each group whose totals were published.
    corrections : DataFrame
        Periods that the publication knew, of which something else is known now: item, period, before, now, what
        (``late`` where nothing was known, ``corrected``, ``withdrawn``). Only those that it carries can be seen.
    missing : tuple of str
        Items of the publication that the newer history does not have.
    """

    FACE: ClassVar[tuple[str, ...]] = ("in_words", "alerts", "items")

    level: float
    tolerance: float | None
    false_alerts: float | None = None
    priced: bool = False
    cadence: Cadence = field(repr=False)
    frame: pd.DataFrame = field(repr=False)
    items: pd.DataFrame = field(repr=False)
    total: pd.DataFrame = field(repr=False)
    groups: pd.DataFrame = field(repr=False)
    corrections: pd.DataFrame = field(repr=False)
    missing: tuple[str, ...] = ()

    def __repr__(self) -> str:
        return f"Watch({len(self.frame)} actuals, {len(self.alerts)} alerts)"

    @property
    def alerts(self) -> pd.DataFrame:
        """The rows that are out of bounds, the dearest error first."""
        found = self.frame[self.frame["alert"].astype(bool)]
        order = found["cost"].sort_values(ascending=False, kind="stable").index
        return found.loc[order].reset_index(drop=True)

    def in_words(self) -> str:
        """How many actuals came, how many are out of bounds and how many of them chance explains, who is biased."""
        return in_words(self)

    def why(self, item: str) -> str:
        """What came of an item against what was published, what happened to it and since when, in words.

        Raises
        ------
        ParameterError
            If nothing of it has come.
        """
        return why(self, item)
