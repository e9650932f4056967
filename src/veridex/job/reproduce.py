"""Reproducing: a publication made again from the same history and what its manifest says."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import Any

from veridex.core.backtest.engine import Engine, Progress
from veridex.core.backtest.pace import Pace
from veridex.core.backtest.runner import Course, run_backtest
from veridex.core.backtest.scheme_words import SCHEMES
from veridex.core.backtest.schemes import Scheme
from veridex.core.backtest.trial import Trial
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History, as_history
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method, methods
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.edition import Ahead, Edition
from veridex.core.publication.publication import Publication
from veridex.core.publication.reproducing import Reproduced, compared
from veridex.core.verdict.keeping import Before, kept_until_worse
from veridex.core.verdict.verdict import RULES, Verdict, decide
from veridex.errors import ParameterError
from veridex.job.desk import HERE, Desk
from veridex.job.engines import engine_of, made_now, running
from veridex.job.pipeline import released

__all__ = ["decided_as_published", "made_again", "reproduce"]


def reproduce(
    publication: Publication,
    history: History | ItemHistory,
    *,
    drivers: Drivers | None = None,
    events: Events | None = None,
    scenarios: Sequence[Drivers] = (),
    engine: str | Engine = "serial",
) -> Reproduced:
    """Make a publication again, as its manifest says, and say whether it is the same to the last bit.

    Parameters
    ----------
    publication : Publication
    history : History or ItemHistory
        What it was made from, read and tidied in the same way; what has come since is left out.
    drivers, events, scenarios : optional
        Those it was made with.
    engine : {"serial", "processes"} or Engine
        Any: all give the same bits.

    Returns
    -------
    Reproduced
        `same`; `frame`, what differs first of each item; `because`, what is known to be another than it was;
        `in_words()`; `again`, the publication.

    Raises
    ------
    ParameterError
        If no item of it is in the history, or it was decided by a rule or tested by a scheme of the planner's own,
        which a manifest cannot hold.
    """
    many = as_history(history)
    return made_again(publication, many, Explanation(drivers, events), tuple(scenarios), HERE, engine_of(engine))


def made_again(
    publication: Publication,
    history: History,
    explaining: Explanation,
    scenarios: tuple[Drivers, ...],
    desk: Desk,
    engine: Engine,
) -> Reproduced:
    """Test, decide and publish once more by what a manifest says, and hold the two against each other."""
    head = publication.head
    own = [history[item] for item in publication.items if item in history.names]
    if not own or history.cadence != publication.cadence:
        problem = f"the publication is of {len(publication.items)} {publication.cadence.name} items, none of them here"
        raise ParameterError("history", repr(history), problem)
    then = _as_then(own, publication, history)
    past = max(one.past.size for one in publication.published.values())
    asked = Edition(
        ahead=Ahead(head.until or head.horizon, past),
        wanted=head.wanted,
        explaining=explaining,
        scenarios=scenarios,
        groups=tuple(one.group for one in head.groups),
        made=made_now(desk),
    )
    source: Verdict | Method = _own_method(publication)
    if head.backtest is not None:
        source = _verdict(publication, history, then, explaining, desk, engine)
    with desk.watched("publish", len(then)) as progress:
        return compared(publication, released(then, source, asked, engine, progress=progress), then)


def _as_then(own: Sequence[ItemHistory], publication: Publication, history: History) -> History:
    """The items as far as they were known then."""
    return History.of([_cut(one, publication[one.item].origin) for one in own], notes=history.notes)


def _cut(one: ItemHistory, origin: int) -> ItemHistory:
    """An item up to an origin; as it is where it ends there or before."""
    return one.until(one.cadence.starts(origin)) if one.start <= origin < one.start + len(one) - 1 else one


def _own_method(publication: Publication) -> Method:
    """The planner's method for all items."""
    return next(one.decided for one in publication.published.values() if one.decided is not None)


def _verdict(
    publication: Publication, history: History, then: History, explaining: Explanation, desk: Desk, engine: Engine
) -> Verdict:
    """The verdict that was published: tested, decided, kept and overridden in the same way."""
    said: Mapping[str, Any] = publication.head.backtest or {}
    if said["rule"] not in RULES:
        problem = f"it was decided by a rule of your own ({said['rule']}), which a manifest cannot hold"
        raise ParameterError("publication", repr(publication), problem)
    tested = then
    if said["fingerprint"] != publication.head.demand.fingerprint:  # neighbours were tested too
        usual = Counter(one.origin for one in publication.published.values()).most_common(1)[0][0]
        others = [_cut(one, usual) for one in history if one.item not in then.names]
        tested = History.of([*then, *others], notes=history.notes)
    entered = [text for text in said["lineup"] if text not in said["added"]]
    course = Course(
        lineup=methods(entered),
        scheme=_scheme(said["settings"], publication),
        levels=tuple(said["levels"]),
        explaining=Explanation(explaining.drivers, explaining.events, said["foresight"]),
        pace=Pace(**said["pace"]),
        keep=said["kept"],
    )
    with desk.watched("backtest", len(tested)) as progress:
        trial = run_backtest(tested, course, running(desk, engine, progress))
    return decided_as_published(publication, trial)


def decided_as_published(
    publication: Publication, trial: Trial, engine: Engine | None = None, progress: Progress | None = None
) -> Verdict:
    """The verdict that was published: a trial decided, kept and overridden as the manifest says."""
    said: Mapping[str, Any] = publication.head.backtest or {}
    stated: dict[str, Any] = {
        key: tuple(one) if isinstance(one, list) else one for key, one in said["conditions"].items()
    }
    verdict = decide(trial, said["rule"], **stated, engine=engine, progress=progress)
    known = set(trial.history.names)
    published = [one for one in publication.published.values() if one.item in known]
    stayed = {one.item: _before(one) for one in published if one.stayed}
    verdict = kept_until_worse(verdict, stayed) if stayed else verdict
    for one in published:
        if one.override is not None and one.decided is not None:
            verdict = verdict.override(one.item, one.decided, one.override.reason)
    return verdict


def _before(one: ItemPublication) -> Before:
    """What was decided the time before, of an item that kept it."""
    method = one.decided
    if one.override is not None and one.override.instead_of is not None:
        (method,) = methods([one.override.instead_of])
    assert method is not None
    return Before(method, one.route)


def _scheme(settings: Mapping[str, Any], publication: Publication) -> Scheme:
    """The scheme of these settings."""
    for kind in SCHEMES.values():
        if settings.keys() == {one.name for one in fields(kind)}:
            made: Scheme = kind(**settings)
            return made
    problem = "it was tested by a scheme of your own, which a manifest cannot hold"
    raise ParameterError("publication", repr(publication), problem)
