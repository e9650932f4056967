"""Placing: destinations are checked before the work, and what stood there is said."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from veridex.core.publication.publication import Publication
from veridex.errors import PublicationUnreadable
from veridex.exchange.forms.publications import checked_publication, read_publication, standing
from veridex.exchange.forms.tidied import checked_tidied
from veridex.exchange.places.addresses import checked_file
from veridex.exchange.writing import write
from veridex.job.desk import Desk

__all__ = ["Destination", "for_fitted", "for_publication", "for_tidied", "for_trial", "last_published"]

Destination = Callable[[Any, Desk], None]
"""Called with what is to be kept, once it is there."""


def for_publication(to: Sequence[Path]) -> Destination:
    """Where a publication goes; raise `DestinationRefused` at once where it cannot."""
    replaced = [standing(checked_publication(one)) for one in to]
    return _placing(to, [f", in place of {old}" if old else "" for old in replaced])


def last_published(to: Sequence[Path], desk: Desk) -> Publication | None:
    """The publication that stands at the first of the destinations that holds one; what cannot be read is said."""
    for one in to:
        if not one.exists():
            continue
        try:
            return read_publication(one)
        except PublicationUnreadable as problem:
            desk.say(f"Nothing is compared with what stands there: {problem}")
    return None


def for_tidied(to: Sequence[Path]) -> Destination:
    """Where a tidied history goes."""
    for one in to:
        checked_tidied(one)
    return _placing(to)


def for_trial(to: Sequence[Path]) -> Destination:
    """Where a trial goes."""
    return _placing_file(to, ".parquet", "a trial")


def for_fitted(to: Sequence[Path]) -> Destination:
    """Where a fitted method goes."""
    return _placing_file(to, ".json", "a fitted method")


def _placing_file(to: Sequence[Path], ending: str, what: str) -> Destination:
    for one in to:
        checked_file(one, (ending,), what)
    return _placing(to)


def _placing(to: Sequence[Path], instead: Sequence[str] = ()) -> Destination:
    def place(what: Any, desk: Desk) -> None:
        for number, one in enumerate(to):
            desk.say(f"Written to {write(what, one)}{instead[number] if instead else ''}.")

    return place
