"""What `tidy` does and shows: the ledger of every repair."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.tables import show
from veridex.core.tidying.profile import profile_items
from veridex.job.desk import Desk
from veridex.job.drawing import draw_items
from veridex.job.preparing import prepare
from veridex.job.reading import events_of, read_whole, tell_notes, tidied_by
from veridex.job.requests import Happening, Placing, Reading, Tidying

__all__ = ["gathered", "run_tidy"]

MANY = 4
"""From so many entries on that say the same of one period they are counted on one line."""

RANKED = ("item", "period", "what", "after", "before", "why")


def run_tidy(reading: Reading, tidying: Tidying, happening: Happening, placing: Placing) -> None:
    """Repair a history, list every repair, and keep both."""
    desk = desk_for(placing)
    place = _destination(placing.to)
    history = read_whole(reading, desk)
    events = events_of(happening, history)
    prepare(("histories",), desk)
    tidied = tidied_by(history, tidying, events)
    tell_notes(tidied.notes, reading, desk)
    tidied = tidied if reading.key is None else tidied.only(reading.key)
    if len(tidied.ledger) or placing.form != "table":
        title = f"Ledger: {len(tidied.ledger):,} entries"
        entries = tidied.ledger if placing.form != "table" or placing.wide else gathered(tidied.ledger)
        show(entries, placing, title=title, ranked=RANKED, cadence=tidied.history.cadence)
    if place is not None:
        place(tidied, desk)
    if placing.figures is not None:
        by_item = {one.series.item: one for one in profile_items(history, events)}
        draw = lambda one: figures.history(by_item[one], tidied=tidied.history[one], events=events)  # noqa: E731
        desk.say(draw_items(placing.figures, tidied.history, {"tidied": draw}))


def _destination(to: Sequence[str]) -> Callable[[Any, Desk], None] | None:
    """Where it is kept, checked before the work; nothing that keeps is loaded where nothing is to be."""
    if not to:
        return None
    from veridex.job.placing import for_tidied

    return for_tidied(to)


def gathered(ledger: pd.DataFrame) -> pd.DataFrame:
    """The ledger with what is said of many items in the same words counted, behind what is said of one."""
    said = ["period", "what", "why"]
    count = ledger.groupby(said)["item"].transform("size")
    own, alike = ledger[count < MANY], ledger[count >= MANY]
    counted = alike.groupby(said, sort=False, as_index=False).agg(item=("item", lambda items: f"{len(items)} items"))
    if counted.empty:
        return own
    return pd.concat([own, counted.assign(before=np.nan, after=np.nan)[list(ledger.columns)]], ignore_index=True)
