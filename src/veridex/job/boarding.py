"""The board: gather what a page shows, and write it."""

from collections.abc import Sequence
from pathlib import Path

from veridex.core.backtest.trial import Trial
from veridex.core.history.agreement import disagreement
from veridex.core.history.history import History
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.groups import ALL
from veridex.core.publication.publication import Publication
from veridex.core.publication.record.record import track_record
from veridex.core.publication.shown import past_of
from veridex.core.publication.watch.watch import Watch, watch
from veridex.core.verdict.verdict import RULES, Verdict
from veridex.errors import DestinationRefused, ParameterError, TrialUnlike
from veridex.exchange.forms.trials import TRIAL
from veridex.exchange.keeping import place_of, read_publication, read_publications, read_trial
from veridex.exchange.places.addresses import checked_file
from veridex.job.desk import Desk
from veridex.job.engines import engine_of
from veridex.job.pipeline import MANY_CHOICES, Asked, published
from veridex.job.reproduce import decided_as_published
from veridex.job.requests import Boarding, Deciding, Publishing, Testing
from veridex.onepage.page import board
from veridex.staged import replace_text

__all__ = ["checked_page", "handed_round", "tested_as_published", "write_board"]

ENDING = ".html"

Tested = Trial | Verdict | None


def checked_page(to: Path) -> Path:
    """Where a board goes, checked before the work.

    Raises
    ------
    DestinationRefused
        If it is no file ending in .html, or cannot be written.
    """
    return checked_file(to, ENDING, "a board")


def handed_round(asked: Boarding, desk: Desk) -> None:
    """Make the board of a publication or a trial.

    Raises
    ------
    PublicationUnreadable, TrialUnreadable, TrialUnlike, ParameterError
        If the source, the trial or an earlier publication cannot be read or belong to other demand.
    """
    to = checked_page(asked.to)
    publication, tested = _of_trial(asked, desk) if _is_trial(asked.source) else _of_publication(asked, desk)
    earlier = read_publications(*asked.earlier) if asked.earlier else ()
    write_board(publication, tested, to, desk, earlier=earlier)


def write_board(
    publication: Publication,
    tested: Tested,
    to: Path,
    desk: Desk,
    *,
    earlier: Sequence[Publication] = (),
    watched: Watch | None = None,
) -> None:
    """Write the page of what was published, with what came of earlier publications since."""
    others = [one for one in earlier if _which(one) != _which(publication) and one.cadence == publication.cadence]
    before = max(others, key=_when) if others else None
    history = _history(publication, tested) if others else None
    if others and history is None:
        desk.say("The publication keeps no past: what came of earlier ones is not on the page (a trial would tell it).")
    record = None
    with desk.waiting() as show:
        if before is not None and history is not None:
            show("Holding earlier publications against what came")
            watched = watch(before, history) if watched is None else watched
            shared = [one for one in others if not set(one.items).isdisjoint(history.names)]
            record = track_record(shared, history) if shared else None
        show("Writing the board")
        text = board(publication, tested, watched, record=record, before=before)
        replace_text(to, text)
    desk.say(f"Written to {to}: one page of {len(text) / 1e6:.1f} MB, to be opened in any browser.")


def _which(one: Publication) -> tuple[str, str]:
    """What tells a publication from others: when it was made, and from what."""
    return one.head.made.at, one.head.demand.fingerprint


def _when(one: Publication) -> tuple[int, str]:
    """When a publication looked ahead from, and when it was made."""
    return max(item.origin for item in one.published.values()), one.head.made.at


def _history(publication: Publication, tested: Tested) -> History | None:
    """Demand as it is known now: that of the trial, or what is published with the forecasts; None if nothing is."""
    if tested is not None:
        return tested.trial.history if isinstance(tested, Verdict) else tested.history
    known = [past_of(publication, one) for one in publication.published.values() if one.past.size]
    return History.of(known) if known else None


def _is_trial(source: str) -> bool:
    """Whether a trial stands at a place."""
    try:
        return place_of(source, TRIAL).holds(TRIAL)
    except DestinationRefused:
        return False


def _of_trial(asked: Boarding, desk: Desk) -> tuple[Publication, Tested]:
    """Decide a trial by the default rule and publish as far ahead as it was tested."""
    if asked.trial is not None:
        raise ParameterError("trial", repr(asked.trial), f"{asked.source} is a trial itself; name its publication")
    trial = read_trial(asked.source)
    if trial.driven:
        problem = "its methods took drivers, which a trial does not keep; publish with them, and name the publication"
        raise ParameterError("source", repr(asked.source), problem)
    groups = (ALL,) if trial.history.measure.adds_up and len(trial.history) > 1 else ()
    publishing = Publishing(horizon=str(trial.horizon), levels=trial.levels or (80, 95), groups=groups)
    request = Asked(publishing=publishing, deciding=Deciding(), testing=Testing(), explaining=Explanation())
    found = published(trial.history, request, trial, desk)
    return found.publication, found.verdict


def _of_publication(asked: Boarding, desk: Desk) -> tuple[Publication, Tested]:
    """A publication, and the trial that it was published from, decided as it was then."""
    publication = read_publication(asked.source)
    if asked.trial is None:
        return publication, None
    if publication.head.backtest is None:
        raise ParameterError("trial", repr(asked.trial), "the publication was made by a planner's own method, untested")
    return publication, tested_as_published(publication, read_trial(asked.trial), desk)


def tested_as_published(publication: Publication, trial: Trial, desk: Desk) -> Tested:
    """The verdict that a publication was made by; the trial alone where a planner's own rule decided.

    Raises
    ------
    TrialUnlike
        If it was published from another trial.
    """
    said = publication.head.backtest or {}
    if said["fingerprint"] != trial.history.fingerprint:
        past = _history(publication, None)
        raise TrialUnlike((past and disagreement(trial.history, past)) or "its demand is another")
    if said["rule"] not in RULES:
        desk.say("It was decided by a rule of your own: of blends the member with the largest share is shown.")
        return trial
    many = len(trial.history) >= MANY_CHOICES
    with desk.watched("decide", len(trial.history)) as progress:
        engine = engine_of("auto", len(trial.history)) if many else None
        return decided_as_published(publication, trial, engine, progress)
