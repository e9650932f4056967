"""What can be wrong in a plan whose keys and types are right: methods, schemes, levels, files, words that clash."""

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from veridex.core.backtest.pace import Pace
from veridex.core.backtest.scheme_words import made, spelled
from veridex.core.calibration.bands import checked_quantiles
from veridex.core.methods.catalogue import method
from veridex.core.methods.grammar import Spelled
from veridex.core.periods.cadence import Cadence
from veridex.core.scoring.levels import checked_levels
from veridex.core.tidying.rules import checked_unfinished
from veridex.core.verdict.conditions import checked_target
from veridex.errors import InputError, ParameterError
from veridex.errors.plans import Fault
from veridex.errors.wording import near
from veridex.exchange.missing import meant_instead
from veridex.job.reading import TABLES, rules_of, whole_number
from veridex.job.requests import Deciding, Driving, Happening, Publishing, Reading, Telling, Testing, Tidying, Watching
from veridex.plan.plan import Plan

__all__ = ["faults_of"]

MOMENTS = ("done", "unchanged", "failed", "alerts")
ADDRESS = re.compile(r"[^@\s]+@[^@\s]+")
SERVER = re.compile(r"[^:\s]+:\d+")


def faults_of(plan: Plan) -> list[Fault]:
    """All that is wrong, section by section."""
    return [
        *_history(plan),
        *_drivers(plan),
        *_test(plan),
        *_decide(plan),
        *_publish(plan),
        *_watch(plan),
        *_tell(plan),
    ]


def _tried(path: str, check: Callable[..., Any], *values: Any) -> Iterator[Fault]:
    """The fault that a check finds in what stands at a path."""
    try:
        check(*values)
    except InputError as problem:
        said = f"{problem.value}: {problem.problem}" if isinstance(problem, ParameterError) else str(problem)
        yield Fault(path, said)


def _each(path: str, check: Callable[..., Any], values: tuple[Any, ...]) -> Iterator[Fault]:
    """The faults of values of a list; one that stands alone needs no number."""
    for number, value in enumerate(values, start=1):
        yield from _tried(path if len(values) == 1 else f"{path}[{number}]", check, value)


def _there(path: str, file: Any) -> Iterator[Fault]:
    """That a file is not there; addresses and standard input are not files."""
    if file is None or "://" in str(file) or str(file) == "-" or Path(file).exists():
        return
    yield Fault(path, f"there is no file {file}. {meant_instead(file)}".rstrip())


def _history(plan: Plan) -> Iterator[Fault]:
    asked = plan.request(Reading)
    yield from _there("history.file", asked.file)
    yield from _there("history.successors", asked.successors)
    if asked.cadence is not None:
        yield from _tried("history.cadence", Cadence.named, asked.cadence)
    if asked.as_of is not None and asked.until is None:
        yield Fault("history.as_of", 'it says from when until = "last complete month" is told; state that too')
    if asked.key is None and "=" in (asked.item or ""):
        yield Fault("history.item", f"{asked.item!r}: write a column, or COLUMN=KEY for one item")
    yield from _tried("tidy.unfinished", checked_unfinished, whole_number(plan.request(Tidying).unfinished))


def _drivers(plan: Plan) -> Iterator[Fault]:
    asked = plan.request(Driving)
    for word in asked.drivers:
        head, mark, _ = word.rpartition(":")
        table = head if mark and Path(head).suffix.lower() in TABLES else word
        if Path(table).suffix.lower() in TABLES:
            yield from _there("drivers.files", table)
    if asked.known_ahead and not asked.drivers:
        yield Fault("drivers.known_ahead", "it names drivers; say with files where they are read from")
    if asked.scenarios and not (asked.drivers or asked.working_days):
        yield Fault("drivers.scenarios", "they change drivers; say with files where these are read from")
    if asked.tidy_drivers is not None:
        yield from _tried("drivers.tidy", rules_of, asked.tidy_drivers, ("gaps", "outliers"))
    yield from _there("events.file", plan.request(Happening).events)


def _test(plan: Plan) -> Iterator[Fault]:
    asked = plan.request(Testing)
    yield from _each("test.methods", method, asked.methods)
    yield from _tried("test.levels", checked_levels, asked.levels)
    if asked.scheme is not None:
        yield from _tried("test.scheme", _scheme, asked.scheme)
    for name in ("horizon", "origins", "stride", "window", "search_every", "refit_every"):
        value = getattr(asked, name)
        if value is not None and value < 1:
            yield Fault(f"test.{name}", f"{value}: it is at least 1")
    if asked.gap is not None and asked.gap < 0:
        yield Fault("test.gap", f"{asked.gap}: it is at least 0")
    if asked.search_every > 0 and asked.refit_every > 0:
        yield from _tried("test", lambda: Pace(search_every=asked.search_every, refit_every=asked.refit_every))


def _scheme(text: str) -> object:
    """A scheme, its horizon perhaps said elsewhere."""
    said = spelled(text)
    return made(Spelled(said.name, {"horizon": 1, **said.settings}) if said.name == "rolling" else said)


def _decide(plan: Plan) -> Iterator[Fault]:
    asked, tested = plan.request(Deciding), plan.request(Testing)
    yield from _each("decide.allowed", method, asked.allowed)
    yield from _each("decide.override", lambda one: method(one.method), asked.override)
    named = [one.item for one in asked.override]
    for item in dict.fromkeys(item for item in named if named.count(item) > 1):
        yield Fault("decide.override", f"{item} is overridden twice")
    if asked.target is not None:
        yield from _tried("decide.target", checked_target, asked.target)
    if asked.bias_limit is not None and not asked.bias_limit > 0:
        yield Fault("decide.bias_limit", f"{asked.bias_limit:g}: it is percent of demand, above zero")
    if asked.coverage_floor and len(asked.coverage_floor) != 2:
        yield Fault("decide.coverage_floor", "write a level and the percent it must have held, as in [95, 90]")
    elif asked.coverage_floor and asked.coverage_floor[0] not in plan.request(Publishing).levels:
        yield Fault("decide.coverage_floor", f"{asked.coverage_floor[0]:g}: it is none of publish.levels")
    if any(step < 1 for step in asked.lead_times):
        yield Fault("decide.lead_times", f"{min(asked.lead_times)}: lead times count from 1")
    if tested.methods and asked.allowed:
        entered = {method(one) for one in tested.methods if not list(_tried("", method, one))}
        for one in asked.allowed:
            if not list(_tried("", method, one)) and method(one) not in entered:
                yield Fault("decide.allowed", f"{one} is none of test.methods")


def _publish(plan: Plan) -> Iterator[Fault]:
    asked = plan.request(Publishing)
    yield from _each("publish.method", method, asked.method)
    yield from _tried("publish.levels", checked_levels, asked.levels)
    yield from _tried("publish.quantiles", checked_quantiles, asked.quantiles)
    if asked.horizon.lstrip("-").isdecimal() and int(asked.horizon) < 1:
        yield Fault("publish.horizon", f'{asked.horizon}: it is at least 1, or the last period, as in "2026-12"')
    if asked.totals_from < 1:
        yield Fault("publish.totals_from", f"{asked.totals_from}: lead times count from 1")
    if len(asked.method) > 1:
        yield Fault("publish.method", "one method is published for all items; decide.override chooses for one")
    if not asked.method:
        return
    for name in ("test", "decide"):
        if name in plan.sections:
            said = f"publish.method is your own choice, and nothing is {'tested' if name == 'test' else 'decided'}"
            yield Fault(name, f"{said}; leave out one of the two")
    if asked.intervals == "calibrated":
        yield Fault("publish.intervals", "calibrated takes the evidence of a test, and publish.method asks for none")


def _watch(plan: Plan) -> Iterator[Fault]:
    asked, levels = plan.request(Watching), plan.request(Publishing).levels
    yield from _there("watch.prices", asked.prices)
    if asked.level is not None and asked.level not in levels:
        known = ", ".join(f"{one:g}" for one in levels)
        yield Fault("watch.level", f"{asked.level:g}: it is none of publish.levels ({known})")
    if asked.tolerance is not None and not asked.tolerance > 0:
        yield Fault("watch.tolerance", f"{asked.tolerance:g}: it is percent of the forecast, above zero")
    if asked.false_alerts is not None and not asked.false_alerts > 0:
        yield Fault("watch.false_alerts", f"{asked.false_alerts:g}: it is a number of alerts a period, above zero")
    elif asked.false_alerts is not None and asked.tolerance is not None:
        yield Fault("watch.false_alerts", "a tolerance is stated already; leave out one of the two")


def _tell(plan: Plan) -> Iterator[Fault]:
    asked = plan.request(Telling)
    for number, word in enumerate(asked.on, start=1):
        if word not in MOMENTS:
            yield Fault(f"tell.on[{number}]", f"{word!r} is none of {', '.join(MOMENTS)}.{near(word, MOMENTS)}")
    if "tell" in plan.sections and asked.webhook is None and not asked.mail_to:
        yield Fault("tell", "nobody is named; state webhook or mail_to")
    if asked.mail_to:
        for name in ("mail_from", "mail_server"):
            if getattr(asked, name) is None:
                yield Fault(f"tell.{name}", "mail_to needs it")
    named = [("tell.mail_from", asked.mail_from or ""), *(("tell.mail_to", one) for one in asked.mail_to)]
    for path, address in named:
        if address and not ADDRESS.fullmatch(address):
            yield Fault(path, f"{address!r} is no mail address")
    if asked.mail_server is not None and not SERVER.fullmatch(asked.mail_server):
        yield Fault("tell.mail_server", f'{asked.mail_server!r}: write host and port, as in "mail.example:587"')
    if (asked.mail_user is None) != (asked.mail_password is None):
        lacking = "mail_password" if asked.mail_password is None else "mail_user"
        yield Fault(f"tell.{lacking}", "user and password go together")
