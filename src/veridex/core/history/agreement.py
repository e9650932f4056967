"""Whether a history is what a trial was made on, perhaps with newer periods: in words, what differs."""

import numpy as np

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory

__all__ = ["disagreement"]


def disagreement(tested: History, history: History) -> str:
    """What keeps a verdict on one history from being published for another; empty where nothing does.

    Cadence, season, rules of tidying and every raw value that both know must be the same; the history may go on after
    the tested one, may hold fewer items, and periods that tidying leaves out at its end may be missing.
    """
    if (tested.cadence, tested.season_length) != (history.cadence, history.season_length):
        return f"it was made on {tested.cadence.name} demand with a season of {tested.season_length}"
    if (said := _rules_differ(tested, history)) != "":
        return said
    known = set(tested.names)
    for series in history:
        if series.item in known and (said := _values_differ(tested[series.item], series)) != "":
            return said
    return ""


def _rules_differ(tested: History, history: History) -> str:
    before, now = (None if one.rules is None else one.rules.in_words() for one in (tested, history))
    if before == now:
        return ""
    return f"it was made on demand tidied by {before or 'no rules'}, and this history by {now or 'no rules'}"


def _values_differ(before: ItemHistory, now: ItemHistory) -> str:
    """The first raw value that both should have and that is not the same."""
    start, stop = max(before.start, now.start), min(before.start + len(before), now.start + len(now))
    one = before.actuals[start - before.start : stop - before.start]
    other = now.actuals[start - now.start : stop - now.start]
    if stop <= start or now.start > before.start:
        first = before.cadence.text(before.start)
        return f"it was made on {before.item} from {first} on, and this history begins in {now.cadence.text(now.start)}"
    differs = np.flatnonzero((one != other) & ~(np.isnan(one) & np.isnan(other)))
    if not differs.size:
        return ""
    at = int(differs[0])
    was, here = (f"{value:g}" if not np.isnan(value) else "unknown" for value in (one[at], other[at]))
    more = f" and {differs.size - 1} more periods" if differs.size > 1 else ""
    return (
        f"it was made on other values: {before.item} in {before.cadence.text(start + at)} was {was}, here {here}{more}"
    )
