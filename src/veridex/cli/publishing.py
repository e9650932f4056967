"""What `publish` does: it publishes, shows, keeps and draws."""

from veridex.cli.desk import desk_for
from veridex.cli.published import show_publication
from veridex.job.drawing import draw_published
from veridex.job.pipeline import Asked, published, refuse_idle, rows_of, trial_for
from veridex.job.placing import for_publication, last_published
from veridex.job.reading import brought, scenarios_of
from veridex.job.requests import Deciding, Driving, Happening, Placing, Publishing, Reading, Ruling, Testing
from veridex.job.words import Stated

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
    if not placing.to:
        stated.refuse("what was published last time is looked for where --to says", "keep")
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
    place.refuse_too_many(rows_of(history, publishing, len(asked.scenarios)))
    found = published(history, asked, trial_for(history, asked, desk), desk)
    show_publication(found.publication, placing, publishing.part)
    place(found.publication, desk)
    if placing.figures is not None:
        desk.say(draw_published(found, history, placing.figures))
