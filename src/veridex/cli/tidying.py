"""What `tidy` does and shows: the ledger of every repair."""

from veridex import figures
from veridex.cli.desk import DESK
from veridex.cli.tables import show
from veridex.core.tidying.profile import profile_items
from veridex.job.drawing import draw_items
from veridex.job.placing import for_tidied
from veridex.job.reading import events_of, read_whole, tell_notes, tidied_by
from veridex.job.requests import Happening, Reading, Telling, Tidying

__all__ = ["run_tidy"]


def run_tidy(reading: Reading, tidying: Tidying, happening: Happening, telling: Telling) -> None:
    """Repair a history, list every repair, and keep both."""
    place = for_tidied(telling.to)
    history, events = read_whole(reading, DESK), events_of(happening.events)
    tidied = tidied_by(history, tidying, events)
    tell_notes(tidied.notes, reading, DESK)
    tidied = tidied if reading.key is None else tidied.only(reading.key)
    if len(tidied.ledger) or telling.form != "table":
        title = f"Ledger: {len(tidied.ledger):,} entries"
        show(tidied.ledger, telling.form, title=title, cadence=tidied.history.cadence)
    place(tidied, DESK)
    if telling.figures is not None:
        by_item = {one.series.item: one for one in profile_items(history, events)}
        draw = lambda one: figures.history(by_item[one], tidied=tidied.history[one], events=events)  # noqa: E731
        DESK.say(draw_items(telling.figures, tidied.history, {"tidied": draw}))
