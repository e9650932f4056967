"""Placing: destinations are checked before the work, written together, and what stood there is said."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from veridex.core.backtest.store import Opener
from veridex.core.publication.publication import Publication
from veridex.core.publication.shelf import Shelf
from veridex.errors import PublicationUnreadable
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.forms.tidied import TIDIED
from veridex.exchange.forms.trials import TRIAL
from veridex.exchange.keeping import checked, place_of, read_publication, standing
from veridex.exchange.kept import Form
from veridex.exchange.places.addresses import checked_file
from veridex.exchange.places.place import keep_together
from veridex.exchange.trial_directories import TrialDirectory
from veridex.exchange.writing import write
from veridex.job.desk import Desk

__all__ = ["Destination", "for_fitted", "for_publication", "for_tidied", "for_trial", "last_published", "stands"]


class Destination:
    """Where a value goes, all of it or none; called with the value, once it is there.

    Parameters
    ----------
    form : Form
    to : sequence of str

    Raises
    ------
    DestinationRefused
        At once, where it cannot be kept.
    """

    def __init__(self, form: Form, to: Sequence[str | Path]) -> None:
        self._form, self._places = form, checked(form, to)
        # A backtest takes the head of an older trial away as it begins.
        self._stood = [standing(one, form) for one in self._places]

    @property
    def opened(self) -> Opener | None:
        """The stores that results go into while they are worked out, where a directory is named: these are there."""
        return next((one.opened for one in self._places if isinstance(one, TrialDirectory)), None)

    @contextmanager
    def held(self) -> Iterator[None]:
        """Keep others from working results out into the same directory.

        Raises
        ------
        DestinationRefused
            If somebody does already.
        """
        with ExitStack() as stack:
            for one in self._places:
                if isinstance(one, TrialDirectory):
                    stack.enter_context(one.held())
            yield

    def refuse_too_many(self, rows: Mapping[str, int]) -> None:
        """Raise `DestinationRefused` where so many rows of its tables do not fit, before they are worked out."""
        for one in self._places:
            one.room(rows)

    def __call__(self, what: Any, desk: Desk) -> None:
        """Write it, and say where and in place of what."""
        if not self._places:
            return
        keep_together(self._form.keep(what), self._places)
        if isinstance(what, Publication) and isinstance(what.published, Shelf):
            what.published.placed()
        for one, old in zip(self._places, self._stood, strict=True):
            instead = "" if not old else f", in place of {old}" if not one.numbered else f", after {old}"
            desk.say(f"Written to {one.shown}{instead}.")


def for_publication(to: Sequence[str | Path]) -> Destination:
    """Where a publication goes."""
    return Destination(PUBLICATION, to)


def for_tidied(to: Sequence[str]) -> Destination:
    """Where a tidied history goes."""
    return Destination(TIDIED, to)


def for_trial(to: Sequence[str | Path]) -> Destination:
    """Where a trial goes."""
    return Destination(TRIAL, to)


class _Files:
    """Where a fitted method goes: JSON files."""

    def __init__(self, to: Sequence[str]) -> None:
        self._to = [checked_file(one, ".json", "a fitted method") for one in to]

    def __call__(self, what: Any, desk: Desk) -> None:
        for one in self._to:
            desk.say(f"Written to {write(what, one)}.")


def for_fitted(to: Sequence[str]) -> Callable[[Any, Desk], None]:
    """Where a fitted method goes."""
    return _Files(to)


def stands(to: str | Path) -> bool:
    """Whether there is something of ours at a place, whole or not."""
    return place_of(to, PUBLICATION).occupied(PUBLICATION)


def last_published(to: Sequence[str], desk: Desk) -> Publication | None:
    """The publication that stands at the first of the destinations that holds one; what cannot be read is said."""
    for one in to:
        if not stands(one):
            continue
        try:
            return read_publication(one)
        except PublicationUnreadable as problem:
            desk.say(f"Nothing is compared with what stands there: {problem}")
    return None
