"""`Control`: figures of a period against what should have been expected, from what came before it only."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.notebook import Faced
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.publication.slips import NEAR, borrowed, likely_slips
from veridex.core.readable import number
from veridex.errors import ParameterError

__all__ = ["Control", "controlled"]

COLUMNS = [
    "item",
    "period",
    "figure",
    "expected",
    "difference",
    "percent",
    "lower",
    "upper",
    "chance",
    "verdict",
    "cause",
    "instead",
    "other_causes",
    "reason",
]

AS_EXPECTED, LOOK, WITHIN = "as expected", "look into it", "unusual, within tolerance"
"""Verdicts: inside the band; outside it and further off than the tolerance, or the very figure of another period;
outside the band, but within the tolerance."""

WORTH = 0.001
"""The least share of a cause that is worth a word."""

MOST_DECIMALS = 6

OFTEN = 0.02
"""Share of figures that repeat one of the last few, from which on a repeated figure says nothing."""


def controlled(publication: Publication, history: History, ordinal: int, tolerance: float) -> "Control":
    """Hold the figures of a period against a publication that was made from what came before.

    Parameters
    ----------
    publication : Publication
        With one level, that of the band.
    history : History
        With the figures, as they were read.
    ordinal : int
        The period.
    tolerance : float
        Percent of what was expected, up to which nobody asks.

    Raises
    ------
    ParameterError
        If the tolerance is below zero, or no item has a figure in this period.
    """
    if not tolerance >= 0:
        raise ParameterError("tolerance", repr(tolerance), "it is percent of what was expected, not below zero")
    rows = [_row(publication.published.get(series.item), series, ordinal, tolerance) for series in history]
    found = [row for row in rows if row is not None]
    text = history.cadence.text(ordinal)
    if not found:
        raise ParameterError("period", text, "no item has a figure in this period")
    frame = pd.DataFrame(found, columns=COLUMNS)
    order = sorted(range(len(frame)), key=lambda k: (_rank(found[k]), k))
    frame = frame.iloc[order].reset_index(drop=True)
    frame["period"] = history.cadence.starts(np.full(len(frame), ordinal))
    (level,) = publication.head.wanted.levels
    return Control(period=text, tolerance=tolerance, level=level, frame=frame, publication=publication)


def _rank(row: list[Any]) -> tuple[float, float, float]:
    """The most unexpected first: by verdict, by chance, by how far off; those without a forecast last."""
    said = dict(zip(COLUMNS, row, strict=True))
    if not said["verdict"]:
        return 9.0, 0.0, 0.0
    verdicts = (LOOK, WITHIN, AS_EXPECTED)
    return float(verdicts.index(said["verdict"])), said["chance"], -abs(said["percent"]) if said["expected"] else 0.0


def _row(one: ItemPublication | None, series: ItemHistory, ordinal: int, tolerance: float) -> list[Any] | None:
    """What is said of an item's figure; None where it has none."""
    at = ordinal - series.start
    if not 0 <= at < len(series) or np.isnan(series.actuals[at]):
        return None
    figure = float(series.actuals[at])
    step = 0 if one is None else ordinal - one.origin
    if one is None or not one.available or one.outlook is None or not 1 <= step <= one.horizon:
        reason = "nothing is known of it before this period" if one is None else one.reason or "there is no forecast"
        return [series.item, ordinal, figure, *[np.nan] * 6, "", "", np.nan, "", reason]
    law, bands = one.law(step), one.outlook.bands
    low, high = float(bands.lower[0, step - 1]), float(bands.upper[0, step - 1])
    expected = float(one.outlook.points[step - 1])
    difference = figure - expected
    percent = 100.0 * difference / abs(expected) if expected != 0.0 else np.nan
    verdict = _verdict(figure, low, high, percent, tolerance)
    said: list[Any] = ["", np.nan, ""]
    others, decimals = _others(series, ordinal), _decimals(series.actuals)
    if verdict != LOOK and not _repeats(series, ordinal):
        taken = borrowed(figure, law, others, decimals)
        if taken is not None:
            verdict, said = LOOK, [taken.cause, np.nan, f"chance ({number(100.0 * (1.0 - taken.share), 2)} %)"]
    elif verdict == LOOK:
        slips = likely_slips(figure, law, others, decimals).found
        worth = [slip for slip in slips[1:3] if slip.share >= WORTH]
        more = "; ".join(f"{slip.cause} ({number(100.0 * slip.share, 2)} %)" for slip in worth)
        said = [slips[0].cause, slips[0].instead, more]
    chance = law.chance(figure)
    return [series.item, ordinal, figure, expected, difference, percent, low, high, chance, verdict, *said, one.reason]


def _verdict(figure: float, low: float, high: float, percent: float, tolerance: float) -> str:
    if low <= figure <= high:
        return AS_EXPECTED
    return WITHIN if abs(percent) <= tolerance else LOOK


def _others(series: ItemHistory, ordinal: int) -> list[tuple[str, float]]:
    """Figures that may have been mixed up with this one: neighbours, and the same period a season away."""
    away = [k for near in range(1, NEAR + 1) for k in (-near, near)]
    away += [k for k in (-series.season_length, series.season_length) if k not in away and abs(k) > 1]
    places = [(ordinal + k, ordinal + k - series.start) for k in away]
    return [
        (series.cadence.text(period), float(series.actuals[place]))
        for period, place in places
        if 0 <= place < len(series)
    ]


def _repeats(series: ItemHistory, ordinal: int) -> bool:
    """Whether figures of this item stand there again all the time, as rents do."""
    known = series.actuals[: ordinal - series.start]
    again = sum(known[k] in known[max(0, k - NEAR) : k] for k in range(1, known.size))
    return again > OFTEN * max(known.size, 1)


def _decimals(values: np.ndarray) -> int:
    """Decimals that figures are written with."""
    known = values[np.isfinite(values)]
    for decimals in range(MOST_DECIMALS):
        scaled = known * 10.0**decimals
        if np.abs(scaled - np.round(scaled)).max(initial=0.0) < 1e-6:
            return decimals
    return MOST_DECIMALS


@dataclass(frozen=True, eq=False, kw_only=True)
class Control(Faced):
    """Figures of a period against what should have been expected.

    Attributes
    ----------
    period : str
    tolerance : float
        In percent of what was expected.
    level : float
        Of the band, in percent.
    frame : DataFrame
        A row per item, the most unexpected first: item, period, figure, expected, difference, percent (of what was
        expected), lower and upper bound, chance (percent of figures at least as far out), verdict, cause, instead (what
        would have stood there), other_causes, reason (why there is no forecast).
    publication : Publication
        What was expected, made from what came before the period.
    """

    FACE: ClassVar[tuple[str, ...]] = ("frame",)

    period: str
    tolerance: float
    level: float
    frame: pd.DataFrame = field(repr=False)
    publication: Publication = field(repr=False)

    def __repr__(self) -> str:
        return f"Control({self.period}, {len(self.frame)} figures, {len(self.unexpected)} to look into)"

    @property
    def unexpected(self) -> pd.DataFrame:
        """The figures to look into."""
        return self.frame[self.frame["verdict"] == LOOK].reset_index(drop=True)

    def why(self, item: str) -> str:
        """What is said of one figure, in a sentence or two.

        Raises
        ------
        ParameterError
            If it has no figure in this period.
        """
        found = self.frame[self.frame["item"] == item]
        if found.empty:
            raise ParameterError("item", repr(item), f"it has no figure in {self.period}")
        row = found.iloc[0]
        if not row["verdict"]:
            return f"{item}: {number(row['figure'])} in {self.period}, and nothing to hold it against: {row['reason']}."
        band = f"{self.level:g} % of such figures lie between {number(row['lower'])} and {number(row['upper'])}"
        said = f"{item}: {number(row['figure'])} in {self.period}, expected {number(row['expected'])} ({band}): "
        said += f"{row['verdict']}."
        if row["verdict"] == LOOK:
            instead = "" if np.isnan(row["instead"]) else f", {number(row['instead'], 12)} would have stood there"
            said += f" Likeliest: {row['cause'].partition(':')[0] if instead else row['cause']}{instead}."
            said += f" Else: {row['other_causes']}." if row["other_causes"] else ""
        return said

    def in_words(self) -> str:
        """How many figures are to be looked into, and how many chance alone would bring."""
        tested, found = int((self.frame["verdict"] != "").sum()), self.unexpected
        chance = tested * (1.0 - self.level / 100.0)
        outside = int(((found["figure"] < found["lower"]) | (found["figure"] > found["upper"])).sum())
        twice = len(found) - outside
        same = f", {twice:,} the very figure of another period" if twice else ""
        return (
            f"{len(found):,} of {tested:,} figures of {self.period} are to be looked into: {outside:,} outside their "
            f"{self.level:g} % band and more than {self.tolerance:g} % off{same}. About {chance:,.1f} of {tested:,} "
            "right ones lie outside."
        )
