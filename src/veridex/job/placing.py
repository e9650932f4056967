"""Placing: destinations are checked before the work, and what stood there is said."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from veridex.exchange.forms.publications import checked_publication, standing
from veridex.exchange.forms.tidied import checked_tidied
from veridex.exchange.places.addresses import checked_file
from veridex.exchange.writing import write
from veridex.job.desk import Desk

__all__ = ["Destination", "for_publication", "for_tidied", "for_trial"]

Destination = Callable[[Any, Desk], None]
"""Called with what is to be kept, once it is there."""


def for_publication(to: Path | None) -> Destination:
    """Where a publication goes; raise `DestinationRefused` at once where it cannot."""
    replaced = "" if to is None else standing(checked_publication(to))
    return _placing(to, f", in place of {replaced}" if replaced else "")


def for_tidied(to: Path | None) -> Destination:
    """Where a tidied history goes."""
    if to is not None:
        checked_tidied(to)
    return _placing(to)


def for_trial(to: Path | None) -> Destination:
    """Where a trial goes."""
    if to is not None:
        checked_file(to, (".parquet",), "a trial")
    return _placing(to)


def _placing(to: Path | None, instead: str = "") -> Destination:
    def place(what: Any, desk: Desk) -> None:
        if to is not None:
            desk.say(f"Written to {write(what, to)}{instead}.")

    return place
