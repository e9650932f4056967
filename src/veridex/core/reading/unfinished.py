"""Whether the last period of a history is only half there."""

import numpy as np

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.reading.expectation import expect

__all__ = ["unfinished_period"]

FEWEST_ITEMS, MOST_ITEMS = 3, 100
LOW_SHARE = 2 / 3
LOW = -2.0
"""Robust standard deviations below its expectation that make a last value low; one in thirty is so by chance."""


def unfinished_period(history: History) -> tuple[int, str] | None:
    """The last period if it is unfinished, and the evidence; None where nothing tells.

    Order lines that stop too early tell it while they are read. Of a table, it is two items in three of the 100
    largest (three at least) that fall more than two robust standard deviations below their expectation together: with
    three items the chance of that is below one in ten thousand.
    """
    raw = history.under(None) if history.rules is not None else history
    last = int((raw.starts + np.diff(raw.offsets)).max()) - 1
    if history.unfinished is not None:
        return (last, "the order lines stop too early") if history.unfinished == last else None
    low, judged = 0, 0
    for series in _largest(raw):
        if series.start + len(series) - 1 != last or np.isnan(series.actuals[-1]):
            continue
        # Judged from the others alone: a low end must not bend what is expected of it.
        values = np.array(series.actuals)
        values[-1] = np.nan
        found = expect(values, series.season_length, turns=series.turns)
        if not found.spread_at_end > 0.0:
            continue
        distance = (series.actuals[-1] - found.values[-1]) / found.spread_at_end
        if np.isfinite(distance):
            judged += 1
            low += distance < LOW
    if low >= FEWEST_ITEMS and low >= LOW_SHARE * judged:
        return last, f"{low} of {judged} items are more than two standard deviations below their expectation"
    return None


def _largest(history: History) -> list[ItemHistory]:
    """The items of most volume; more than a hundred would tell nothing new."""
    with np.errstate(all="ignore"):
        volumes = [float(np.nansum(np.abs(series.actuals))) for series in history]
    return [history.at(i) for i in np.argsort(-np.array(volumes), kind="stable")[:MOST_ITEMS].tolist()]
