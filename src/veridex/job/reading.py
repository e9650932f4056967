"""Reading: FILE, its span, the rules it is tidied by, what may explain it."""

import re
from collections.abc import Iterable
from dataclasses import asdict, fields
from pathlib import Path
from typing import Any, Literal, get_args, get_origin, get_type_hints

import numpy as np

from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.preparation.regressors import Explanation
from veridex.core.reading.unfinished import unfinished_period
from veridex.core.tables.notes import notes_about
from veridex.core.tidying.driver_rules import driver_remarks, tidy_drivers
from veridex.core.tidying.succession import continued
from veridex.core.tidying.tidy import Tidied, tidy
from veridex.errors import ParameterError
from veridex.exchange.calendars import read_holidays, working_days
from veridex.exchange.explaining import read_drivers, read_events, read_table
from veridex.exchange.reading import read_history
from veridex.job.desk import Desk
from veridex.job.requests import Driving, Happening, Reading, Ruling, Tidying
from veridex.job.words import split_names

__all__ = [
    "brought",
    "events_of",
    "explanation",
    "read",
    "read_whole",
    "rules_of",
    "scenarios_of",
    "settled",
    "tell_notes",
    "tidied_by",
    "whole_number",
]

TABLES = (".csv", ".tsv", ".txt", ".parquet", ".xlsx", ".xls")
"""What the names of tables end in."""

SPELLINGS = ("dates", "tz", "fiscal_named", "decimal", "encoding")
"""Words of a reading that hold for tables of drivers too."""

YEARS_AHEAD = 20
"""Calendar years after the history that holidays are looked up for."""

SCENARIO = re.compile(r"(?P<name>.+?) since (?P<since>[^:]+): *(?P<changes>.+)")

SPANS = ("since", "until", "last", "as_of", "notes")
"""Words of a reading that are not about the file."""


def read(reading: Reading, rules: str | None, desk: Desk, happening: Happening | None = None) -> History:
    """Read FILE, keep the one item and the span asked for, tidy it by the rules given, and say what was decided."""
    return settled(read_whole(reading, desk), reading, rules, desk, happening)


def settled(
    history: History, reading: Reading, rules: str | None, desk: Desk, happening: Happening | None = None
) -> History:
    """Tidy what was read by the rules given, events excused, and keep the one item asked for.

    A last period that is not over is left out. All items together tell it, so the one is picked afterwards.
    """
    if rules is not None:
        tidied = tidied_by(history, rules_of(rules), None if happening is None else events_of(happening, history))
        tell_notes(tidied.notes, reading, desk)
        history = tidied.history
    elif not reading.keep_unfinished:
        history = _finished(history, desk)
    return history if reading.key is None else history.only(reading.key)


def _finished(history: History, desk: Desk) -> History:
    """Leave out a last period that is not over, and say it."""
    found = unfinished_period(history)
    if found is None:
        return history
    last, why = found
    period, before = history.cadence.text(last), history.cadence.text(last - 1)
    desk.say(f"Left out {period}, which looks unfinished: {why}. --keep-unfinished keeps it.")
    kept = history.until(before)
    for note in kept.notes[len(history.notes) :]:
        desk.say(note)
    return kept


def read_whole(reading: Reading, desk: Desk) -> History:
    """Read FILE and keep the span asked for, all items."""
    words: dict[str, Any] = {f.name: getattr(reading, f.name) for f in fields(reading)}
    for name in (*SPANS, "file", "keep_unfinished", "successors"):
        del words[name]
    words |= {
        "item": _one_or_all(reading.key_columns),
        "period": _one_or_all(reading.period),
        "items": list(reading.items) or None,
        "invalid": list(reading.invalid) or None,
        "fiscal_start": _month(reading.fiscal_start),
        "whole": None if reading.whole is None else reading.whole == "yes",
        "unfinished": "keep" if reading.keep_unfinished else "drop",
    }
    history = read_history(reading.file, **words)
    if reading.successors is not None:
        history = continued(history, read_table(reading.successors))
    if reading.key is not None:
        history[reading.key]  # an unknown item is refused before anything is done
    tell_notes(history.notes, reading, desk)
    return _narrowed(history, reading, desk)


def _narrowed(history: History, reading: Reading, desk: Desk) -> History:
    """Keep the span asked for."""
    if reading.as_of is not None and reading.until is None:
        raise ParameterError("as_of", repr(reading.as_of), "it says from when --until 'last complete month' is told")
    if reading.since is not None:
        history = history.since(reading.since)
    if reading.until is not None:
        as_of = desk.now().replace(tzinfo=None, microsecond=0) if reading.as_of == "now" else reading.as_of
        history = history.until(reading.until, as_of=as_of)
    if reading.last is not None:
        history = history.last(whole_number(reading.last))
    return history


def whole_number(text: str) -> Any:
    """A number where there are digits alone, else the words."""
    return int(text) if text.isdecimal() else text


def _month(text: str | None) -> str | int | None:
    """A month by its name or its number."""
    return None if text is None else whole_number(text)


def _one_or_all(names: tuple[str, ...]) -> str | list[str] | None:
    """One column, or several."""
    return names[0] if len(names) == 1 else list(names) or None


def tell_notes(notes: Iterable[str], reading: Reading, desk: Desk) -> None:
    """Say what concerns the item asked for, and in one line how much more there is."""
    if reading.key is None or reading.notes == "all":
        own, others, times = list(notes), 0, 0
    else:
        own, others, times = notes_about(notes, reading.key)
    for note in own:
        desk.say(note)
    if others:
        said = f"{others:,} other item{'s' if others > 1 else ''}: {times:,} note{'s' if times > 1 else ''}"
        desk.say(f"{said}, --notes all shows them.")


def rules_of(words: str, known_to: tuple[str, ...] | None = None) -> Tidying:
    """Rules that are written as ``gaps=interpolate outliers=repair``; of some of them, where only these do something.

    Raises
    ------
    ParameterError
        If a word is no rule, or says what the rule does not know.
    """
    known = {key: kind for key, kind in get_type_hints(Tidying).items() if known_to is None or key in known_to}
    found: dict[str, Any] = {}
    for word in words.split():
        key, mark, value = word.partition("=")
        if not mark or key not in known:
            raise ParameterError("tidy", repr(word), f"write rules as gaps=interpolate; they are {', '.join(known)}")
        allowed = get_args(known[key]) if get_origin(known[key]) is Literal else ()
        if allowed and value not in allowed:
            raise ParameterError("tidy", repr(word), f"{key} is one of {', '.join(map(str, allowed))}")
        found[key] = value
    return Tidying(**found)


def tidied_by(history: History, rules: Tidying, events: Events | None = None) -> Tidied:
    """Tidy a history."""
    words: dict[str, Any] = asdict(rules)
    days = words.pop("per_working_day")
    words["unfinished"] = whole_number(rules.unfinished)
    per = None if days is None else days_worked((days,), history)
    return tidy(history, **words, events=events, per=per)


def events_of(happening: Happening, history: History) -> Events | None:
    """The events of a file and the holidays of a calendar, where they are named."""
    found = None if happening.events is None else read_events(happening.events)
    if happening.holidays:
        days_off = read_holidays(list(happening.holidays), *_years(history, "holidays"))
        found = days_off if found is None else found + days_off
    return found


def _tables(words: Iterable[str], file: str) -> dict[str, list[str]]:
    """Which tables drivers are read from, and which columns of each; none named means all that hold numbers.

    A word is a table, a column of the table named before it (``weather.csv:temp,hum``), or one of FILE.
    """
    found: dict[str, list[str]] = {}
    table = file
    for word in words:
        head, _, column = word.rpartition(":")
        if Path(word).exists() or "://" in word or (Path(word).suffix.lower() in TABLES and not head):
            table, column = word, ""
        elif head and (Path(head).exists() or Path(head).suffix.lower() in TABLES):
            table = head
        found.setdefault(table, []).extend([column] if column else [])
    return found


def explanation(driving: Driving, happening: Happening, reading: Reading, history: History, desk: Desk) -> Explanation:
    """Read drivers and events; their files are laid out as FILE is: the same column of dates, the same items."""
    drivers = None
    if driving.drivers:
        tables = _tables(driving.drivers, reading.file)
        drivers = read_drivers(
            list(tables),
            period=list(reading.period) or "period",
            cadence=history.cadence,
            item=_one_or_all(reading.key_columns),
            columns={table: names for table, names in tables.items() if names},
            known_ahead=driving.known_ahead,
            fiscal_start=_month(reading.fiscal_start),
            **{word: getattr(reading, word) for word in SPELLINGS},
            apart=[
                name
                for name in (reading.demand or "demand", reading.status, reading.stock_out, reading.in_stock)
                if name
            ],
        )
        if driving.tidy_drivers is not None:
            rules = rules_of(driving.tidy_drivers, ("gaps", "outliers"))
            drivers = tidy_drivers(drivers, gaps=rules.gaps, outliers=rules.outliers).drivers
        for note in (*drivers.notes, *driver_remarks(drivers)):
            desk.say(note)
    elif driving.known_ahead:
        names = ", ".join(driving.known_ahead)
        raise ParameterError("known_ahead", repr(names), "it names drivers; pass their file with --drivers")
    if driving.working_days:
        days = days_worked(driving.working_days, history)
        drivers = days if drivers is None else drivers.joined(days)
    return Explanation(drivers, events_of(happening, history), driving.foresight)


def brought(
    reading: Reading, ruling: Ruling, driving: Driving, happening: Happening, desk: Desk
) -> tuple[History, Explanation]:
    """Demand, tidied where rules are given, and what may explain it."""
    history = read(reading, ruling.tidy, desk, happening)
    return history, explanation(driving, happening, reading, history, desk)


def scenarios_of(driving: Driving, told: Explanation) -> tuple[Drivers, ...]:
    """The other futures of the drivers, each written as ``NAME since PERIOD: DRIVER=+10%, DRIVER=5``.

    Raises
    ------
    ParameterError
        If one cannot be read, or there are no drivers.
    """
    found = []
    for text in driving.scenarios:
        parts = SCENARIO.fullmatch(text.strip())
        pairs = [] if parts is None else [one.partition("=") for one in split_names(parts["changes"])]
        if parts is None or not pairs or not all(mark and value.strip() for _, mark, value in pairs):
            raise ParameterError("scenario", repr(text), "write 'NAME since PERIOD: DRIVER=+10%, DRIVER=5'")
        if told.drivers is None:
            raise ParameterError("scenario", repr(text), "it changes drivers; pass their file with --drivers")
        changes = {key.strip(): _change(value.strip()) for key, _, value in pairs}
        found.append(told.drivers.scenario(parts["name"], changes, parts["since"]))
    return tuple(found)


def _change(text: str) -> float | str:
    """A number is the value itself; one with a sign, or in percent, changes the value."""
    if text[:1] in "+-" or text.endswith("%"):
        return text
    try:
        return float(text)
    except ValueError:
        raise ParameterError("scenario", repr(text), "a change is a number, +5, -3 or +10%") from None


def days_worked(codes: tuple[str, ...], history: History) -> Drivers:
    """Working days of the periods of a history and some years after it."""
    given = "none" if codes == ("none",) else list(codes)
    return working_days(given, *_years(history, "working_days"), cadence=history.cadence)


def _years(history: History, word: str) -> tuple[int, int]:
    """The calendar years of a history and some after it.

    Raises
    ------
    ParameterError
        If its periods have no dates.
    """
    if history.cadence.counted:
        raise ParameterError(word, history.cadence.name, "counted periods have no dates")
    last = int((history.starts + np.diff(history.offsets)).max()) - 1
    first, end = (int(history.cadence.text(ordinal)[:4]) for ordinal in (int(history.starts.min()), last))
    return first, end + YEARS_AHEAD
