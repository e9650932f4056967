"""What `publish` does: it publishes, shows, keeps and draws; or makes again what was published."""

import typer

from veridex.cli.desk import ALERTS, desk_for
from veridex.cli.published import show_publication
from veridex.cli.tables import paragraph, show
from veridex.core.publication.reproducing import Reproduced
from veridex.exchange.keeping import read_publication
from veridex.job.boarding import checked_page, write_board
from veridex.job.drawing import draw_published
from veridex.job.engines import engine_of
from veridex.job.pipeline import Asked, published, refuse_idle, refuse_with_again, rows_of, trial_for
from veridex.job.placing import for_publication, last_published
from veridex.job.reading import brought, scenarios_of
from veridex.job.reproduce import made_again
from veridex.job.requests import Deciding, Driving, Happening, Placing, Publishing, Reading, Ruling, Testing
from veridex.job.words import Stated

__all__ = ["run_publish"]

MOST = 12
"""Items that people see; files get all."""


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
) -> int:
    """Refit the winner of each item, forecast, and show, keep and draw what is published."""
    desk = desk_for(placing)
    if publishing.again is not None:
        refuse_with_again(stated)
        before = read_publication(publishing.again)
        history, told = brought(reading, ruling, driving, happening, desk)
        engine = engine_of(testing.engine, len(before.items))
        return _show_again(made_again(before, history, told, scenarios_of(driving, told), desk, engine), placing)
    refuse_idle(publishing, stated)
    if not placing.to:
        stated.refuse("what was published last time is looked for where --to says", "keep")
    place = for_publication(placing.to)
    if publishing.board is not None:
        checked_page(publishing.board)
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
    if publishing.board is not None:
        earlier = () if asked.last is None else (asked.last,)
        write_board(found.publication, found.verdict, publishing.board, desk, earlier=earlier)
    return 0


def _show_again(found: Reproduced, placing: Placing) -> int:
    """Whether it is the same, and what differs first of each item."""
    if placing.form != "table" or not found.same:
        show(found.frame.head(MOST) if placing.form == "table" else found.frame, placing, title="What differs first")
    if placing.form == "table":
        typer.echo(paragraph(found.in_words()))
    return 0 if found.same else ALERTS
