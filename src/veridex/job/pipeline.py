"""Deciding and publishing: what every way into the house does alike."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from veridex.core.backtest.engine import Engine
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.bands import Wanted, checked_kind, checked_quantiles
from veridex.core.history.agreement import disagreement
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method
from veridex.core.methods.catalogue import method as as_method
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.edition import Ahead, Edition
from veridex.core.publication.making import make_publication
from veridex.core.publication.publication import Publication
from veridex.core.publication.shelf import MemoryShelf, Opened
from veridex.core.scoring.levels import checked_levels
from veridex.core.verdict.keeping import Before, kept_until_worse
from veridex.core.verdict.verdict import Verdict, decide
from veridex.errors import ParameterError, TrialUnlike
from veridex.exchange.forms.trials import TRIAL
from veridex.exchange.keeping import place_of, read_trial
from veridex.job.desk import Advance, Desk
from veridex.job.engines import engine_of, made_now, staying
from veridex.job.reading import whole_number
from veridex.job.requests import Deciding, Publishing, Testing
from veridex.job.shelving import shelf_for
from veridex.job.testing import backtested
from veridex.job.words import Stated, told_by

__all__ = [
    "MANY_CHOICES",
    "Asked",
    "Outcome",
    "decided",
    "edition",
    "published",
    "reach",
    "refuse_idle",
    "refuse_with_again",
    "released",
    "rows_ahead",
    "rows_of",
    "trial_for",
    "values",
]

YEAR_DIGITS = 4

MANY_CHOICES = 500
"""Items from which on workers are worth their start when it is decided: a choice takes them a few milliseconds."""


def decided(
    trial: Trial,
    deciding: Deciding,
    last: Publication | None = None,
    engine: Engine | None = None,
    progress: Advance | None = None,
) -> Verdict:
    """Decide, keep what was published last time where that is wanted, and override where the planner knows better."""
    verdict = decide(
        trial,
        deciding.rule,
        allowed=deciding.allowed or None,
        lead_times=deciding.lead_times or None,
        target=deciding.target,
        bias_limit=deciding.bias_limit,
        coverage_floor=_floor(deciding),
        simplest=deciding.simplest,
        engine=engine,
        progress=progress,
    )
    if deciding.keep == "until worse" and last is not None:
        verdict = kept_until_worse(verdict, last_methods(last))
    for own in deciding.override:
        verdict = verdict.override(own.item, own.method, own.reason)
    return verdict


def _floor(deciding: Deciding) -> tuple[float, float] | None:
    """The level and what its intervals must have held."""
    if not deciding.coverage_floor:
        return None
    if len(deciding.coverage_floor) != 2:
        said = ",".join(f"{one:g}" for one in deciding.coverage_floor)
        raise ParameterError("coverage_floor", said, "write a level and the percent it must have held, as in 95,90")
    level, least = deciding.coverage_floor
    return level, least


def last_methods(last: Publication) -> dict[str, Before]:
    """What was decided on for each item of a publication, but for the planner's own choices."""
    return {
        one.item: Before(one.decided, one.route)
        for one in last.published.values()
        if one.decided is not None and one.override is None and one.route
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What is to be published, in the words of its requests, with what was read for it.

    Attributes
    ----------
    publishing, deciding, testing
    explaining : Explanation
    scenarios : tuple of Drivers
    last : Publication or None
        What was published last time.
    """

    publishing: Publishing
    deciding: Deciding
    testing: Testing
    explaining: Explanation
    scenarios: tuple[Drivers, ...] = ()
    last: Publication | None = None


@dataclass(frozen=True, slots=True)
class Outcome:
    """A publication, and the verdict behind it."""

    publication: Publication
    verdict: Verdict | None


def refuse_idle(publishing: Publishing, stated: Stated) -> None:
    """Refuse words that the call makes nothing of."""
    if publishing.method:
        nothing = "your own method is published, and nothing is decided"
        stated.refuse(nothing, "rule", "allowed", "target", "override", "keep", "simplest")
        stated.refuse(nothing, "lead_times", "bias_limit", "coverage_floor")
        stated.refuse("your own method is published without a backtest", "origins", "scheme", "methods", "from")
        if len(publishing.method) > 1:
            stated.refuse("one method is published for all items; --override chooses for one", "method")
    elif publishing.trial is not None:
        stated.refuse("the trial has its origins already", "origins", "scheme", "methods")


def refuse_with_again(stated: Stated) -> None:
    """Refuse words beside a publication that is made again: its manifest says what and how."""
    said = [one for kind in (Publishing, Deciding, Testing) for one in told_by(kind)]
    idle = dict.fromkeys(one.spelled for one in said if one.name not in ("again", "engine"))
    stated.refuse("what is made again is what its manifest says", *idle, "to", "figures")


def published(history: History, asked: Asked, trial: Trial | None, desk: Desk) -> Outcome:
    """Publish by the verdict of a trial, or by the planner's own method where there is none; and say so."""
    own = asked.publishing.method
    words = values(history, asked.publishing)
    made = edition(words, asked.explaining, desk, tested=not own, scenarios=asked.scenarios)
    engine = engine_of(asked.testing.engine, len(history))
    if own:
        method = as_method(own[0])
        desk.say(f"Published by your choice, {method}; nothing was backtested, so its error is not known.")
        return Outcome(released(history, method, made, engine, shelf_for(len(history), method, made)), None)
    assert trial is not None
    for note in trial.notes:
        desk.say(note)
    with staying(engine):
        with desk.watched("decide", len(trial.history)) as progress:
            many = len(trial.history) >= MANY_CHOICES
            verdict = decided(trial, asked.deciding, asked.last, engine if many else None, progress)
        with desk.watched("publish", len(history)) as progress:
            opened = shelf_for(len(history), verdict, made)
            return Outcome(released(history, verdict, made, engine, opened, progress), verdict)


def values(history: History, publishing: Publishing) -> dict[str, Any]:
    """What is published, in values; a number is a count of periods, but four digits of a yearly history are a year."""
    a_year = history.cadence.name.startswith("yearly") and len(publishing.horizon) == YEAR_DIGITS
    return {
        "horizon": publishing.horizon if a_year else whole_number(publishing.horizon),
        "past": whole_number(publishing.past),
        "levels": publishing.levels,
        "quantiles": publishing.quantiles,
        "intervals": publishing.intervals,
        "totals_from": publishing.totals_from,
        "groups": publishing.groups,
    }


def rows_of(history: History, publishing: Publishing, scenarios: int = 0) -> dict[str, int]:
    """How many rows of forecasts a publication will have, and of totals."""
    said = values(history, publishing)
    return rows_ahead(history, Ahead(said["horizon"], said["past"]), scenarios)


def rows_ahead(history: History, ahead: Ahead, scenarios: int = 0) -> dict[str, int]:
    """The same, of what is published in values."""
    steps = sum(max(ahead.steps(series), 0) for series in history)
    past = sum(ahead.periods(series) for series in history)
    return {"forecast": past + steps * (1 + scenarios), "total": steps}


def reach(history: History, testing: Testing, publishing: Publishing) -> Testing:
    """The test, as far ahead as what is published where it does not say itself; its levels are the published ones."""
    if testing.horizon is not None or (testing.scheme is not None and "horizon=" in testing.scheme):
        return replace(testing, levels=publishing.levels)
    ahead = Ahead(values(history, publishing)["horizon"], 0)
    furthest = max(1, *(ahead.steps(series) for series in history))
    return replace(testing, horizon=furthest, levels=publishing.levels)


def trial_for(history: History, asked: Asked, desk: Desk) -> Trial | None:
    """The trial that is named, or the one that is asked for; none where nothing is to be tested."""
    publishing, testing = asked.publishing, asked.testing
    if publishing.method:
        return None
    if publishing.trial is not None:
        trial = read_trial(publishing.trial)
        where = place_of(publishing.trial, TRIAL).shown
        desk.say(f"Published from {where} ({trial.scheme.in_words()}; {len(trial.lineup)} methods).")
        return trial
    trial = backtested(history, reach(history, testing, publishing), asked.explaining, desk)
    own = testing.scheme is not None or testing.methods
    how = f"{trial.scheme.in_words()}; {len(trial.lineup)} methods"
    desk.say(f"No trial was named: ran {'yours' if own else 'the default backtest'} ({how}).")
    return trial


def edition(
    words: dict[str, Any], explaining: Explanation, desk: Desk, *, tested: bool, scenarios: Sequence[Drivers] = ()
) -> Edition:
    """What is published and how, checked; `words` are those of `values`.

    Raises
    ------
    ParameterError
        If one of them cannot be, or scenarios have no drivers or no names of their own.
    """
    names = [one.name for one in scenarios]
    if scenarios and (explaining.drivers is None or "" in names or len(set(names)) < len(names)):
        raise ParameterError("scenarios", repr(names), "pass drivers, and make each scenario from them with a name")
    quantiles, groups = words["quantiles"], words["groups"]
    return Edition(
        ahead=Ahead(words["horizon"], words["past"]),
        wanted=Wanted(
            checked_levels(words["levels"]),
            checked_quantiles((quantiles,) if isinstance(quantiles, (int, float)) else tuple(quantiles)),
            checked_kind(words["intervals"], tested=tested),
            words["totals_from"],
        ),
        explaining=explaining,
        scenarios=tuple(scenarios),
        groups=(groups,) if isinstance(groups, str) else tuple(groups),
        made=made_now(desk),
    )


def released(
    history: History,
    source: Verdict | Method,
    asked: Edition,
    engine: Any,
    opened: Opened = MemoryShelf,
    progress: Advance | None = None,
) -> Publication:
    """Publish, unless the source does not fit the history or the drivers.

    Raises
    ------
    TrialUnlike
        If the verdict's trial was made on other demand than this, or under other rules.
    ParameterError
        If drivers are missing that the verdict was reached with, or the method takes none.
    """
    if isinstance(source, Verdict):
        if (differs := disagreement(source.trial.history, history)) != "":
            raise TrialUnlike(differs)
        if source.trial.driven and not asked.explaining.given:
            raise ParameterError("drivers", "None", "the verdict was reached with drivers or events; pass them again")
    else:
        source.refuse_in_vain(asked.explaining.drivers, asked.explaining.events)
    return make_publication(history, source, asked, engine, opened, progress)
