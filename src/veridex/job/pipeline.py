"""Testing, deciding and publishing: what every way into the house does alike."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from veridex.core.backtest.lineup import entered_by_default
from veridex.core.backtest.runner import Course, run_backtest
from veridex.core.backtest.schemes import RollingOrigin, default_scheme
from veridex.core.backtest.trial import Trial
from veridex.core.calibration.bands import Wanted, checked_kind, checked_quantiles
from veridex.core.history.agreement import disagreement
from veridex.core.history.drivers import Drivers
from veridex.core.history.history import History
from veridex.core.methods.catalogue import Method, methods
from veridex.core.methods.catalogue import method as as_method
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.making import Ahead, Edition, make_publication
from veridex.core.publication.publication import Publication
from veridex.core.scoring.levels import checked_levels
from veridex.core.verdict.verdict import Verdict, decide
from veridex.errors import ParameterError, TrialUnlike
from veridex.exchange.forms.trials import read_trial
from veridex.job.desk import Desk, engine_of, made_now, running
from veridex.job.reading import whole_number
from veridex.job.requests import Deciding, Publishing, Testing
from veridex.job.words import Stated

__all__ = [
    "Outcome",
    "ask_to_publish",
    "backtested",
    "decided",
    "edition",
    "refuse_idle",
    "released",
    "rolling",
    "values",
]

YEAR_DIGITS = 4


def backtested(history: History, testing: Testing, explaining: Explanation, desk: Desk) -> Trial:
    """Backtest a lineup, by the words of a request."""
    course = Course(
        lineup=methods(testing.methods) if testing.methods else entered_by_default(history, driven=explaining.given),
        scheme=rolling(history, testing),
        levels=checked_levels(testing.levels),
        explaining=explaining,
    )
    engine = engine_of(testing.engine, len(history))
    with desk.watched("backtest", len(history)) as progress:
        return run_backtest(history, course, running(desk, engine, progress, testing.checkpoint))


def rolling(history: History, testing: Testing) -> RollingOrigin:
    """The scheme that a request tells of; what it does not tell is as by default."""
    usual = default_scheme(history, testing.horizon)
    return RollingOrigin(
        horizon=testing.horizon,
        origins=usual.origins if testing.origins is None else testing.origins,
        stride=testing.stride or (usual.stride if testing.origins is None else 1),
        window="expanding" if testing.window is None else testing.window,
        first=testing.first,
        gap=testing.gap,
    )


def decided(trial: Trial, deciding: Deciding) -> Verdict:
    """Decide, and override where the planner knows better."""
    verdict = decide(trial, deciding.rule, allowed=deciding.allowed or None, target=deciding.target)
    for text in deciding.override or ():
        parts = [part.strip() for part in text.split(":", 2)]
        if len(parts) < 3:
            raise ParameterError("override", repr(text), "write 'ITEM: METHOD: REASON'")
        verdict = verdict.override(*parts)
    return verdict


@dataclass(frozen=True, slots=True)
class Outcome:
    """A publication, and the verdict behind it."""

    publication: Publication
    verdict: Verdict | None


def refuse_idle(publishing: Publishing, stated: Stated) -> None:
    """Refuse words that the call makes nothing of."""
    if publishing.method:
        nothing = "your own method is published, and nothing is decided"
        stated.refuse(nothing, "rule", "allowed", "target", "override")
        stated.refuse("your own method is published without a backtest", "origins", "from")
        if len(publishing.method) > 1:
            stated.refuse("one method is published for all items; --override chooses for one", "method")
    elif publishing.trial is not None:
        stated.refuse("the trial has its origins already", "origins")


def ask_to_publish(
    history: History,
    publishing: Publishing,
    deciding: Deciding,
    origins: int | None,
    explaining: Explanation,
    desk: Desk,
) -> Outcome:
    """Publish by the planner's own method, or by the verdict of a trial that is read or made; and say which."""
    asked = edition(values(history, publishing), explaining, desk, tested=not publishing.method)
    engine = engine_of("auto", len(history))
    if publishing.method:
        own = as_method(publishing.method[0])
        desk.say(f"Published by your choice, {own}; nothing was backtested, so its error is not known.")
        return Outcome(released(history, own, asked, engine), None)
    trial = _trial(history, publishing, asked, origins, desk)
    for note in trial.notes:
        desk.say(note)
    verdict = decided(trial, deciding)
    return Outcome(released(history, verdict, asked, engine), verdict)


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


def _trial(history: History, publishing: Publishing, asked: Edition, origins: int | None, desk: Desk) -> Trial:
    """The trial that is named, or the default one."""
    if publishing.trial is not None:
        trial = read_trial(publishing.trial)
        desk.say(f"Published from {publishing.trial} ({trial.scheme.in_words()}; {len(trial.lineup)} methods).")
        return trial
    horizon = max(1, *(asked.ahead.steps(series) for series in history))
    testing = Testing(horizon=horizon, origins=origins, levels=publishing.levels)
    trial = backtested(history, testing, asked.explaining, desk)
    how = f"{trial.scheme.in_words()}; {len(trial.lineup)} methods"
    desk.say(f"No trial was named: ran the default backtest ({how}).")
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


def released(history: History, source: Verdict | Method, asked: Edition, engine: Any) -> Publication:
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
    return make_publication(history, source, asked, engine)
