"""What `publish` does: it publishes, shows, keeps and draws."""

from pathlib import Path

from veridex.cli.desk import DESK
from veridex.cli.published import show_publication
from veridex.core.history.history import History
from veridex.figures.coverage import draw_coverage
from veridex.figures.forecast import draw_forecast
from veridex.figures.style import save
from veridex.job.drawing import draw_items
from veridex.job.pipeline import Outcome, ask_to_publish, refuse_idle
from veridex.job.placing import for_publication
from veridex.job.reading import explanation, read
from veridex.job.requests import Deciding, Explaining, Publishing, Reading, Ruling, Telling, Testing
from veridex.job.words import Stated

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
    """Draw each item's forecast, and what the intervals held when tested."""
    said = draw_items(directory, history, "forecast", lambda one: draw_forecast(found.publication, one))
    if found.verdict is None or found.verdict.intervals.empty:
        return said
    save(draw_coverage(found.verdict), directory / "coverage.png")
    return f"{said} Also coverage.png."
