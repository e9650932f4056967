"""`watch`: a publication against the actuals that came later."""

from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
import pandas as pd

from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.notebook import Faced
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
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
]


def watch(
    publication: Publication,
    newer: History | ItemHistory,
    *,
    level: float | None = None,
    tolerance: float | None = None,
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

    Returns
    -------
    Watch
        `frame`, a row per item and period that has come; `alerts`, those that are out of bounds; `in_words()`.

    Raises
    ------
    ParameterError
        If the level was not published, the tolerance is not above zero, or the cadence is another.
    """
    many, levels = as_history(newer), publication.head.wanted.levels
    if many.cadence != publication.cadence:
        problem = f"the publication is {publication.cadence.name}"
        raise ParameterError("newer", many.cadence.name, problem)
    if tolerance is not None and not tolerance > 0:
        raise ParameterError("tolerance", repr(tolerance), "it is percent of the forecast, above zero")
    watched = max(levels) if level is None else level
    if watched not in levels:
        known = ", ".join(f"{one:g}" for one in levels)
        raise ParameterError("level", f"{watched:g}", f"the levels that were published are {known}")
    rows = [
        row
        for one in publication.published.values()
        if one.item in many.names
        for row in _rows(one, many[one.item], levels.index(watched), tolerance)
    ]
    frame = pd.DataFrame(rows, columns=COLUMNS)
    frame["period"] = many.cadence.starts(frame["period"].to_numpy(dtype=np.int64))
    missing = tuple(item for item in publication.items if item not in many.names)
    return Watch(level=watched, tolerance=tolerance, frame=frame, missing=missing)


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
        found.append((one.item, period, step, actual, float(forecast), error, percent, low, high, outside, alert))
    return found


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
        percent_error (of the actual), lower and upper bound, outside (``above``, ``below`` or empty), alert.
    missing : tuple of str
        Items of the publication that the newer history does not have.
    """

    FACE: ClassVar[tuple[str, ...]] = ("alerts",)

    level: float
    tolerance: float | None
    frame: pd.DataFrame = field(repr=False)
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
        if self.tolerance is not None:
            return f"{out:,} of {count:,} actuals are more than {self.tolerance:g} % off their forecast.{lost}"
        chance = count * (1.0 - self.level / 100.0)
        return (
            f"{out:,} of {count:,} actuals lie outside their {self.level:g} % interval; about {chance:,.0f} would by "
            f"chance.{lost}"
        )
