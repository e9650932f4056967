"""The ledger: every repair and every finding, one row each."""

import numpy as np
import pandas as pd

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.marks import Mark
from veridex.core.readable import number
from veridex.core.reading.expectation import OUTLYING_AT, Expectation
from veridex.core.tidying.rules import Mended, TidyRules, mend

__all__ = ["ledger", "ledger_of", "outlier_words"]

FILLED = {
    "zero": "no row means nothing sold (gaps='zero')",
    "carry": "the last known value (gaps='carry')",
    "interpolate": "a straight line between the known neighbours (gaps='interpolate')",
    "seasonal": "level, trend and season of the others (gaps='seasonal')",
}


def ledger(history: History, places: range | None = None) -> pd.DataFrame:
    """Every repair of a tidied history, and what was found in it: a row each.

    Columns: item, period, what, before, after, why. Empty for a history that was not tidied. `places` are those of
    the items that are wanted, by default all.
    """
    places = range(len(history)) if places is None else places
    names = set(history.names[places.start : places.stop])
    marks = [mark for mark in history.marks if mark.item in names]
    rules = history.rules
    if isinstance(rules, TidyRules):
        for series in map(history.at, places):
            marks += ledger_of(series, mend(series, rules), rules)
    marks.sort(key=lambda mark: (mark.item, mark.ordinal, mark.what))
    return pd.DataFrame(
        {
            "item": pd.Series([mark.item for mark in marks], dtype="str"),
            "period": history.cadence.starts(np.array([mark.ordinal for mark in marks], dtype=np.int64)),
            "what": pd.Series([mark.what for mark in marks], dtype="str"),
            "before": np.array([mark.before for mark in marks], dtype=np.float64),
            "after": np.array([mark.after for mark in marks], dtype=np.float64),
            "why": pd.Series([mark.why for mark in marks], dtype="str"),
        }
    )


def ledger_of(series: ItemHistory, mended: Mended, rules: TidyRules) -> list[Mark]:
    """What the rules did to one series, and what stands out in it."""
    marks: list[Mark] = []

    def note(place: int, what: str, why: str) -> None:
        before, after = float(mended.raw[place]), float(mended.values[place])
        marks.append(Mark(series.item, series.start + place, what, before, after, why))

    if rules.negative == "zero":
        for place in np.flatnonzero(mended.negative).tolist():
            note(place, "negative set to zero", "demand is not negative (negative='zero')")
    for place in np.flatnonzero(mended.stock_outs).tolist():
        then = "; filled with what is expected given that" if mended.filled[place] else ""
        note(place, "out of stock", f"the source marks it: demand was at least what was sold{then}")
    for place in np.flatnonzero(mended.filled & ~mended.stock_outs).tolist():
        note(place, "gap filled", FILLED[rules.gaps])
    found = mended.expectation
    if found is None or rules.outliers == "leave":
        return marks
    what = "outlier repaired" if rules.outliers == "repair" else "outlier flagged"
    for place in np.flatnonzero(mended.outlying).tolist():
        note(place, what, outlier_words(found, place))
    for shift in found.shifts:
        by = f"level {'up' if shift.size > 0 else 'down'} by {number(abs(shift.size))} from here on"
        note(shift.place, "level shift noted", f"{by}, {shift.ratio:.1f} standard errors; nothing was changed")
    if found.spread is not None:
        times = f"spread {found.spread.ratio:.2g} times what it was before"
        note(found.spread.place, "spread change noted", f"{times}; nothing was changed")
    return marks


def outlier_words(found: Expectation, place: int) -> str:
    """Why a value is outlying."""
    expected, score = found.values[place], found.scores[place]
    away = f"{abs(score):.1f} robust standard deviations from the expected {number(float(expected))}"
    return f"{away} (an outlier from {OUTLYING_AT:g} on)"
