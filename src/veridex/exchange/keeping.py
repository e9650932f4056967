"""Keeping values in places and reading them back: the one way in and the one way out."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from veridex.core.backtest.trial import Trial
from veridex.core.history.history import History
from veridex.core.publication.head import Planned
from veridex.core.publication.publication import Publication
from veridex.errors import DestinationRefused
from veridex.exchange.damaged import DAMAGED
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.forms.tidied import HISTORY, TIDIED
from veridex.exchange.forms.trials import TRIAL
from veridex.exchange.kept import Form, Unfit
from veridex.exchange.places.addresses import place_of
from veridex.exchange.places.directories import Torn
from veridex.exchange.places.place import Place, keep_together
from veridex.exchange.trial_directories import is_trial_directory, read_trial_directory

__all__ = [
    "checked",
    "keep",
    "own_history",
    "place_of",
    "planned_at",
    "read_publication",
    "read_publications",
    "read_trial",
    "restored_from",
    "shown",
    "standing",
]


def checked(form: Form, destinations: Sequence[str | Path]) -> list[Place]:
    """The places that are meant, each checked.

    Raises
    ------
    DestinationRefused
        If one of them cannot keep such values, or is named twice.
    """
    places = [place_of(one, form) for one in destinations]
    twice = next((one for k, one in enumerate(places) if one.same in [other.same for other in places[:k]]), None)
    if twice is not None:
        raise DestinationRefused(twice.shown, "it is named twice", "Name each place once.")
    for one in places:
        one.check(form)
    return places


def keep(form: Form, value: Any, destinations: Sequence[str | Path]) -> None:
    """Write a value to places, to all of them or none.

    Raises
    ------
    DestinationRefused
        If one of them cannot be written.
    """
    keep_together(form.keep(value), checked(form, destinations))


def restored_from(form: Form, source: str | Path) -> Any:
    """The value that a place holds.

    Raises
    ------
    VeridexError
        The form's own, if it holds none that this version reads, or it is not what was written.
    """
    try:
        place = place_of(source, form)
    except DestinationRefused as problem:
        raise form.unreadable(problem.destination, problem.problem) from None
    try:
        found = place.found(form)
    except Torn as problem:
        raise form.unreadable(place.shown, f"it was changed since it was written: {problem}") from None
    except Unfit as problem:
        raise form.unreadable(place.shown, str(problem)) from None
    except DAMAGED as problem:
        said = problem.strerror if isinstance(problem, OSError) and problem.strerror else str(problem)
        raise form.unreadable(place.shown, f"no {form.kind} can be read there ({said.partition(chr(10))[0]})") from None
    try:
        return form.restore(found)
    except (KeyError, TypeError, ValueError, IndexError) as problem:
        raise form.unreadable(place.shown, f"it is not what this version writes ({problem!r})") from None


def read_publication(source: str | Path) -> Publication:
    """Read what `write` wrote; values come back to the bit, from a workbook to the digits that it holds.

    Parameters
    ----------
    source : str or Path
        A directory, a workbook, or the address of a database: ``sqlite:///forecasts.db`` has the newest publication,
        ``sqlite:///forecasts.db?number=3`` an older one.

    Raises
    ------
    PublicationUnreadable
        If there is no publication of this version's format, or it is not what was written.
    """
    publication: Publication = restored_from(PUBLICATION, source)
    return publication


def read_publications(*sources: str | Path) -> tuple[Publication, ...]:
    """Read all publications that places hold, as a track record asks for.

    Parameters
    ----------
    *sources : str or Path
        Whatever `read_publication` reads; a directory that has such directories and files in it; or the address of a
        database, of which all are read that it keeps.

    Raises
    ------
    PublicationUnreadable
        If a source holds none, or one of them cannot be read.
    """
    return tuple(read_publication(one) for source in sources for one in _each(source))


def _each(source: str | Path) -> Sequence[str | Path]:
    """The addresses of the publications of a source; the source itself where there is none, or one."""
    text = str(source)
    if "://" in text:
        mark = "&" if "?" in text else "?"
        try:
            numbers = () if "number=" in text else place_of(source, PUBLICATION).numbers(PUBLICATION)
        except (DestinationRefused, OSError, ValueError):
            numbers = ()  # reading it says what is wrong with it
        return [f"{text}{mark}number={number}" for number in numbers] or [source]
    directory = Path(source)
    if not directory.is_dir() or place_of(source, PUBLICATION).holds(PUBLICATION):
        return [source]
    return [one for one in sorted(directory.iterdir()) if _holds_one(one)] or [source]


def _holds_one(path: Path) -> bool:
    """Whether a publication stands there."""
    try:
        return place_of(path, PUBLICATION).holds(PUBLICATION)
    except DestinationRefused:
        return False


def read_trial(source: str | Path) -> Trial:
    """Read a trial that `vx.write` or a backtest has written: the same results to the bit.

    One in a directory stays there: items are read when they are asked for, and what would load all of them says so.

    Raises
    ------
    TrialUnreadable
        If there is no such place, it holds no trial of this version, or it is not what was written.
    """
    if is_trial_directory(source):
        return read_trial_directory(source)
    trial: Trial = restored_from(TRIAL, source)
    return trial


def own_history(source: str | Path) -> History | None:
    """The history that `vx.write` put there, raw values, marks and rules to the bit; None where there is none of ours.

    Raises
    ------
    FileUnreadable
        If it is one of ours and was changed since it was written.
    """
    place = _home_of(source)
    for form in (TIDIED, HISTORY):
        try:
            at = place_of(place, form)
        except DestinationRefused:
            continue
        if at.holds(form):
            history: History = restored_from(form, place)
            return history
    return None


def _home_of(source: str | Path) -> str | Path:
    """The place that a source names: itself, or the directory whose table it is."""
    if "://" in str(source):
        return source
    path = Path(source)
    ours = path.name == f"{HISTORY.tables['demand']}.csv" and (path.parent / HISTORY.head_file).is_file()
    return path.parent if ours else path


def shown(destination: str | Path) -> str:
    """A destination as messages have it: without credentials."""
    return place_of(destination, PUBLICATION).shown if "://" in str(destination) else str(destination)


def standing(place: Place, form: Form) -> str:
    """What a place holds of an earlier publication or trial, in words; empty where it holds none that can be read."""
    head = place.head(form) if form in (PUBLICATION, TRIAL) else None
    if head is None:
        return ""
    if form is PUBLICATION:
        return f"the publication made at {head['created']}" if "created" in head else ""
    if head.get("format") != form.version:
        return ""
    return f"the trial of {head['items']:,} items by {len(head['lineup'])} methods"


def planned_at(source: str | Path) -> Planned | None:
    """The plan that a whole publication at a place followed; None where there is none, or none that can be read."""
    try:
        head = place_of(source, PUBLICATION).head(PUBLICATION)
        said = (head or {}).get("plan")
        return None if said is None or (head or {}).get("format") != PUBLICATION.version else Planned(**said)
    except (TypeError, DestinationRefused):
        return None
