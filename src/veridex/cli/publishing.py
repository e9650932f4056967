"""What `publish` does: it publishes, shows, keeps and draws."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from veridex import figures
from veridex.cli.desk import desk_for
from veridex.cli.published import show_publication
from veridex.core.history.history import History
from veridex.job.drawing import draw_items, draw_named
from veridex.job.pipeline import Asked, Outcome, published, refuse_idle, trial_for
from veridex.job.placing import for_publication, last_published
from veridex.job.reading import brought, scenarios_of
from veridex.job.requests import Deciding, Driving, Happening, Placing, Publishing, Reading, Ruling, Testing
from veridex.job.words import Stated

if TYPE_CHECKING:
    from matplotlib.figure import Figure

__all__ = ["run_publish"]


def run_publish(
    reading: Reading,
    publishing: Publishing,
    deciding: Deciding,
    driving: Driving,
    happening: Happening,
    testing: Testing,
    ruling: Ruling,
    placing: Placing,
    stated: Stated,
) -> None:
    """Refit the winner of each item, forecast, and show, keep and draw what is published."""
    desk = desk_for(placing)
    refuse_idle(publishing, stated)
    place = for_publication(placing.to)
    history, told = brought(reading, ruling, driving, happening, desk)
    asked = Asked(
        publishing=publishing,
        deciding=deciding,
        testing=testing,
        explaining=told,
        scenarios=scenarios_of(driving, told),
        last=last_published(placing.to, desk),
    )
    found = published(history, asked, trial_for(history, asked, desk), desk)
    show_publication(found.publication, placing, publishing.part)
    place(found.publication, desk)
    if placing.figures is not None:
        desk.say(draw_published(found, history, placing.figures))


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
