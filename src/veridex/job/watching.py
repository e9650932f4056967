"""Watching: a publication against what came since, in the words of a request."""

from veridex.core.history.history import History
from veridex.core.publication.publication import Publication
from veridex.core.publication.watch.watch import Watch, watch
from veridex.exchange.explaining import read_table
from veridex.job.desk import Desk
from veridex.job.requests import Watching

__all__ = ["watched"]


def watched(publication: Publication, history: History, asked: Watching, desk: Desk) -> Watch:
    """Hold a publication against a newer history; a level that it lacks is the widest that it has, which is said."""
    levels = publication.head.wanted.levels
    level = asked.level if asked.level in levels else None
    if asked.level is not None and level is None:
        desk.say(f"The publication has no {asked.level:g} % interval: watched at {max(levels):g} %.")
    prices = None if asked.prices is None else read_table(asked.prices)
    return watch(
        publication,
        history,
        level=level,
        tolerance=asked.tolerance,
        false_alerts=asked.false_alerts,
        prices=prices,
    )
