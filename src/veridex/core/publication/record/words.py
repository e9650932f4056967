"""A track record in sentences."""

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from veridex.core.methods.words import counted
from veridex.core.publication.record.value import CHOICE, OWN, WHOLE
from veridex.core.readable import number

if TYPE_CHECKING:
    from veridex.core.publication.record.record import TrackRecord

__all__ = ["in_words"]

RARE = 5.0
"""A chance in percent below which a split of the periods is called a worsening."""

FEW = 3
"""Items that are named."""


def in_words(record: "TrackRecord", *, changes: bool = True) -> str:
    """What was published and came, what it added, what intervals held, what changes cost, since when it is worse.

    What changes cost takes fits of the methods that were left: `changes` says whether it is wanted.
    """
    published = counted(len(record.publications), "publication")
    if record.cells.empty:
        last = record.history.cadence.text(max(one.start + len(one) - 1 for one in record.history))
        return f"Not available: of {published} nothing has come yet; the history ends with {last}."
    items = counted(record.cells["item"].nunique(), "item")
    said = [f"{len(record.cells):,} forecasts of {items} in {published} can be held against what came."]
    known = set(record.history.names)
    missing = {item for one in record.publications for item in one.items if item not in known}
    if missing:
        said.append(f"{counted(len(missing), 'item')} of what was published: not in this history.")
    cost = _changes(record) if changes else ()
    return " ".join([*said, *_value(record), *_held(record), *cost, *_worse(record)])


def _value(record: "TrackRecord") -> Iterator[str]:
    """What each step added."""
    names = {CHOICE: "the choice", OWN: "overrides", WHOLE: "what was published"}
    found = []
    for row in record.value_added.to_dict("records"):
        if not row["planner"] and row["cells"]:
            errors = f"{number(row['wape_after'], 3)} % of demand after {number(row['wape_before'], 3)} %"
            verb = "added" if row["value_added"] >= 0 else "lost"
            found.append(f"{names[row['what']]} {verb} {number(abs(row['value_added']), 3)} % (error {errors})")
    if found:
        yield f"Against the step before, {'; '.join(found)}."


def _held(record: "TrackRecord") -> Iterator[str]:
    """What intervals held, all lead times together."""
    whole = record.coverage[record.coverage["step"].isna()].to_dict("records")
    found = [f"{row['level']:g} % held {number(row['held'], 3)} %" for row in whole if row["cells"]]
    if found:
        yield f"Intervals of {', of '.join(found)}."


def _changes(record: "TrackRecord") -> Iterator[str]:
    """What changing methods brought or cost."""
    changes = record.changes[record.changes["cells"] > 0]
    if changes.empty:
        return
    old, new = (float((changes["cells"] * changes[name]).sum()) for name in ("mae_if_kept", "mae"))
    gained = 100.0 * (1.0 - new / old) if old > 0.0 else np.nan
    times, less = counted(len(changes), "time"), "less" if gained >= 0 else "more"
    yield f"Methods changed {times}, for {number(abs(gained), 3)} % {less} error than the old ones would have had."


def _worse(record: "TrackRecord") -> Iterator[str]:
    """Since when errors are larger, and which items did it."""
    told, cadence = record.worsening, record.history.cadence
    if told.since is None:
        yield "Whether it got worse is not available before six periods have come."
    elif told.chance >= RARE:
        yield "No period tells that errors grew since."
    else:
        most = [f"{row['item']} {number(row['share'], 2)} %" for row in told.items.head(FEW).to_dict("records")]
        since, times = cadence.text(cadence.period(told.since)), f"{number(told.after, 3)} times those expected"
        chance = f"chance shows as much in {number(told.chance, 2)} % of cases"
        before, who = number(told.before, 3), ", ".join(most)
        yield f"Since {since} errors are {times}, before {before} times; {chance}. Mostly {who} of it."
