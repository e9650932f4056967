"""What `publish` does: it publishes, shows, keeps and draws."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from veridex import figures
from veridex.cli.desk import DESK
from veridex.cli.published import show_publication
from veridex.core.history.history import History
from veridex.job.drawing import draw_items, draw_named
from veridex.job.pipeline import Outcome, ask_to_publish, refuse_idle
from veridex.job.placing import for_publication
from veridex.job.reading import explanation, read
from veridex.job.requests import Deciding, Explaining, Publishing, Reading, Ruling, Telling, Testing
from veridex.job.words import Stated

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["run_publish"]


def run_publish(
    reading: Reading,
    publishing: Publishing,
    deciding: Deciding,
    explaining: Explaining,
    testing: Testing,
    ruling: Ruling,
    telling: Telling,
    stated: Stated,
) -> None:
    """Refit the winner of each item, forecast, and show, keep and draw what is published."""
    refuse_idle(publishing, stated)
    place = for_publication(telling.to)
    history = read(reading, ruling.tidy, DESK)
    told = explanation(explaining, reading, history, DESK)
    found = ask_to_publish(history, publishing, deciding, testing.origins, told, DESK)
    show_publication(found.publication, telling.form, publishing.part)
    place(found.publication, DESK)
    if telling.figures is not None:
        DESK.say(draw_published(found, history, telling.figures))


def draw_published(found: Outcome, history: History, directory: Path) -> str:
    """Draw each item's forecast and, where it was tested, the last one over what came; totals; what intervals held."""
    publication, verdict = found.publication, found.verdict
    kinds: dict[str, Callable[[str], Figure]] = {"forecast": lambda one: figures.forecast(publication, one)}
    named: dict[str, Callable[[], Figure]] = {}
    if len(history) > 1 and history.measure.adds_up and any(one.available for one in publication.published.values()):
        named["total"] = lambda: figures.total(publication)
    if verdict is not None and not verdict.intervals.empty:
        tested = verdict
        kinds["holdout"] = lambda one: figures.holdout(tested, one)
        named["coverage"] = lambda: figures.coverage(tested)
        if len(history) > 1:
            named["volume"] = lambda: figures.volume(tested)
    said = draw_items(directory, history, kinds)
    return f"{said} {draw_named(directory, named)}" if named else said
