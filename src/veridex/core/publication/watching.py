"""`watch`: a publication against the actuals that came later."""

from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
import pandas as pd

from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.notebook import Faced
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.head import Head
from veridex.core.publication.publication import Publication
from veridex.core.readable import number
from veridex.errors import ParameterError

__all__ = ["Watch", "watch"]

COLUMNS = [
    "item",
    "period",
    "step",
    "actual",
    "forecast",
    "error",
    "percent_error",
    "lower",
    "upper",
    "outside",
    "alert",
    "chance",
]
CORRECTED = ["item", "period", "before", "now", "what"]
TOTAL = ["item", "periods", "actual", "forecast", "error", "lower", "upper", "outside", "chance"]


def watch(
    publication: Publication,
    newer: History | ItemHistory,
    *,
    level: float | None = None,
    tolerance: float | None = None,
    false_alerts: float | None = None,
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
        How many alerts a period chance may bring, over all items: an actual is one where its chance under its law is
        less than this share of the items that were looked at in its period (Bonferroni's bound [1]_). So a thousand
        quiet items bring no more of them than ten, as far as their laws hold: docs/verification.md has what was found.

    Returns
    -------
    Watch
        `frame`, a row per item and period that has come; `alerts`, those that are out of bounds; `total`, what came of
        each item so far against the law of that; `why(item)`, `in_words()`.

    Raises
    ------
    ParameterError
        If the level was not published, tolerance or false alerts are not above zero or both stated, or the cadence is
        another.

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
        known = ", ".join(f"{one:g}" for one in levels)
        raise ParameterError("level", f"{watched:g}", f"the levels that were published are {known}")
    j, ours = levels.index(watched), set(many.names)
    there = [(one, many[one.item]) for one in publication.published.values() if one.item in ours]
    rows = [row for one, series in there for row in _rows(one, series, j, tolerance)]
    totals = [row for one, series in there if (row := _total(one, series, j, publication.head)) is not None]
    frame = pd.DataFrame(rows, columns=COLUMNS)
    if false_alerts is not None:
        looked_at = frame.groupby("period")["item"].transform("size")
        rare = frame["chance"] < 100.0 * false_alerts / looked_at
        frame["alert"] = rare.where(frame["chance"].notna(), frame["outside"] != "")  # without a law, the band decides
    frame["period"] = many.cadence.starts(frame["period"].to_numpy(dtype=np.int64))
    missing = tuple(item for item in publication.items if item not in ours)
    return Watch(
        level=watched,
        tolerance=tolerance,
        false_alerts=false_alerts,
        frame=frame,
        total=pd.DataFrame(totals, columns=TOTAL),
        corrections=_dated([row for one, series in there for row in _corrected(one, series)], many),
        missing=missing,
    )


def _rows(one: ItemPublication, series: ItemHistory, j: int, tolerance: float | None) -> list[tuple[object, ...]]:
    """The lead times of an item that have come and are known, against their band."""
    if one.outlook is None:
        return []
    found: list[tuple[object, ...]] = []
    lower, upper = one.outlook.bands.lower[j], one.outlook.bands.upper[j]
    for step, forecast in enumerate(one.outlook.points, start=1):
        period = one.origin + step
        at = period - series.start
        if not 0 <= at < len(series) or np.isnan(series.actuals[at]) or np.isnan(forecast):
            continue
        actual = float(series.actuals[at])
        error = actual - float(forecast)
        percent = 100.0 * error / actual if actual != 0.0 else np.nan
        low, high = float(lower[step - 1]), float(upper[step - 1])
        outside = "above" if actual > high else "below" if actual < low else ""
        alert = outside != "" if tolerance is None else abs(error) > tolerance / 100.0 * abs(float(forecast))
        chance = one.law(step).chance(actual) if one.outlook.laws is not None else np.nan
        found.append(
            (one.item, period, step, actual, float(forecast), error, percent, low, high, outside, alert, chance)
        )
    return found


def _corrected(one: ItemPublication, series: ItemHistory) -> list[tuple[object, ...]]:
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


def _dated(rows: list[tuple[object, ...]], history: History) -> pd.DataFrame:
    table = pd.DataFrame(rows, columns=CORRECTED)
    return table.assign(period=history.cadence.starts(table["period"].to_numpy(dtype=np.int64)))


def _total(one: ItemPublication, series: ItemHistory, j: int, head: Head) -> tuple[object, ...] | None:
    """What came of an item so far, without a gap, against the law of that; None where nothing can be said."""
    if one.totals is None or one.totals.laws is None:
        return None
    first = head.wanted.first
    begin = one.origin + first - series.start
    came = series.actuals[max(begin, 0) : one.origin + one.horizon + 1 - series.start] if begin >= 0 else np.empty(0)
    unknown = np.flatnonzero(np.isnan(came))
    came = came[: unknown[0]] if unknown.size else came
    step = first - 1 + came.size
    if not came.size or np.isnan(one.totals.points[step - 1]):
        return None
    actual = float(came.sum() if head.demand.measure.adds_up else came.mean())
    forecast = float(one.totals.points[step - 1])
    low, high = float(one.totals.bands.lower[j, step - 1]), float(one.totals.bands.upper[j, step - 1])
    outside = "above" if actual > high else "below" if actual < low else ""
    chance = one.total_law(step).chance(actual)
    return one.item, came.size, actual, forecast, actual - forecast, low, high, outside, chance


@dataclass(frozen=True, eq=False, kw_only=True)
class Watch(Faced):
    """A publication against what came.

    Attributes
    ----------
    level : float
        Of the band, in percent.
    tolerance : float or None
        In percent of the forecast.
    frame : DataFrame
        A row per item and period that has come: item, period, step, actual, forecast, error (actual less forecast),
        percent_error (of the actual), lower and upper bound, outside (``above``, ``below`` or empty), alert, chance
        (percent of actuals at least as far out under the law).
    total : DataFrame
        A row per item: periods that have come without a gap, what came in them together and was forecast, the bounds of
        the total, outside, chance. Of demand that does not add up these are means.
    corrections : DataFrame
        Periods that the publication knew, of which something else is known now: item, period, before, now, what
        (``late`` where nothing was known, ``corrected``, ``withdrawn``). Only those that it carries can be seen.
    false_alerts : float or None
        That chance may bring a period.
    missing : tuple of str
        Items of the publication that the newer history does not have.
    """

    FACE: ClassVar[tuple[str, ...]] = ("alerts",)

    level: float
    tolerance: float | None
    frame: pd.DataFrame = field(repr=False)
    total: pd.DataFrame = field(repr=False)
    corrections: pd.DataFrame = field(repr=False)
    false_alerts: float | None = None
    missing: tuple[str, ...] = ()

    def __repr__(self) -> str:
        return f"Watch({len(self.frame)} actuals, {len(self.alerts)} alerts)"

    @property
    def alerts(self) -> pd.DataFrame:
        """The rows that are out of bounds, the largest error first."""
        found = self.frame[self.frame["alert"].astype(bool)]
        order = found["error"].abs().sort_values(ascending=False, kind="stable").index
        return found.loc[order].reset_index(drop=True)

    def in_words(self) -> str:
        """How many actuals came, how many are out of bounds, and how many of them chance alone explains."""
        count, out = len(self.frame), len(self.alerts)
        if not count:
            return "No actual has come since the last publication."
        lost = f" {len(self.missing)} items of it are not in this history." if self.missing else ""
        if len(self.corrections):
            lost += f" {len(self.corrections):,} figures that it knew are others now."
        if self.tolerance is not None:
            return f"{out:,} of {count:,} actuals are more than {self.tolerance:g} % off their forecast.{lost}"
        if self.false_alerts is not None:
            said = f"{out:,} of {count:,} actuals are alerts; chance brings at most {self.false_alerts:g} a period"
            return f"{said}.{lost}"
        chance = count * (1.0 - self.level / 100.0)
        return (
            f"{out:,} of {count:,} actuals lie outside their {self.level:g} % interval; about {chance:,.0f} would by "
            f"chance.{lost}"
        )

    def why(self, item: str) -> str:
        """What came of an item against what was published, in words.

        Raises
        ------
        ParameterError
            If nothing of it has come.
        """
        own = self.frame[self.frame["item"] == item]
        if own.empty:
            raise ParameterError("item", repr(item), "nothing of it has come, or nothing was published for it")
        out = own[own["outside"] != ""]
        said = f"{item}: {len(out)} of {len(own)} actuals lie outside their {self.level:g} % interval"
        far = own.sort_values("chance", kind="stable").iloc[0]
        said += f"; the furthest is {number(far['actual'])} for {number(far['forecast'])}, as far out as "
        said += f"{number(far['chance'], 2)} % of all. "
        whole = self.total[self.total["item"] == item]
        if whole.empty:
            return said.strip()
        row = whole.iloc[0]
        band = f"{number(row['lower'])} to {number(row['upper'])}"
        together = f"In {row['periods']} periods together {number(row['actual'])} came for {number(row['forecast'])}"
        return f"{said}{together} ({band}; {number(row['chance'], 2)} % lie as far out)."
