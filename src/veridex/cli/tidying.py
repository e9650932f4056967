"""What `profile` and `tidy` show, and the rules of `--tidy`."""

from pathlib import Path
from typing import Any

import pandas as pd

from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.tidying.profile import ItemProfile
from veridex.core.tidying.tidy import Tidied, tidy
from veridex.errors import ParameterError
from veridex.exchange.explaining import read_events

__all__ = ["events_from", "number_or_word", "profile_for_show", "tidied_by", "unfinished_note"]

RULES = ("gaps", "duplicates", "outliers", "unfinished", "negative")

SHOWN = {
    "item": "item",
    "first": "first",
    "last": "last",
    "unknown": "unknown",
    "duplicates": "doubled",
    "mean": "mean",
    "demand_class": "class",
    "trend_strength": "trend",
    "season_strength": "season",
    "outlier_periods": "outliers",
    "shift_periods": "level shifts",
    "remarks": "remarks",
}
"""Columns of the profile that people see, and what they are called there; CSV and JSON have all."""


def events_from(file: Path | None) -> Events | None:
    """The events of a file, if one was named."""
    return None if file is None else read_events(file)


def tidied_by(history: History, words: str) -> Tidied:
    """Tidy by rules written as ``gaps=interpolate outliers=repair``.

    Raises
    ------
    ParameterError
        If a word is no rule.
    """
    rules: dict[str, Any] = {}
    for word in words.split():
        key, mark, value = word.partition("=")
        if not mark or key not in RULES:
            raise ParameterError("tidy", repr(word), f"write rules as gaps=interpolate; they are {', '.join(RULES)}")
        rules[key] = number_or_word(value)
    return tidy(history, **rules)


def unfinished_note(profiles: list[ItemProfile]) -> str:
    """Say once that the last period is unfinished; empty if none is."""
    found = [one.series for one in profiles if one.numbers["unfinished"]]
    if not found:
        return ""
    period = found[0].cadence.text(found[0].start + len(found[0]) - 1)
    return f"{period} looks unfinished in {len(found)} of {len(profiles)} items: `veridex tidy` leaves it out."


def number_or_word(text: str) -> str | int:
    """A number of periods, or a word."""
    return int(text) if text.isdigit() else text


def profile_for_show(profiles: list[ItemProfile], form: str) -> pd.DataFrame:
    """The whole table for files; for people what matters most, with the rest as remarks."""
    table = pd.DataFrame([one.numbers for one in profiles])
    lists = ("seasons", "outlier_periods", "shift_periods")
    if form != "json":
        table = table.assign(**{name: [" ".join(map(str, value)) for value in table[name]] for name in lists})
    if form != "table":
        return table
    table["remarks"] = [_remarks(one.numbers) for one in profiles]
    dates = {
        name: [one.series.cadence.text(one.series.start + (len(one.series) - 1) * (name == "last")) for one in profiles]
        for name in ("first", "last")
    }
    shown = {name: [_few(one.numbers[name]) for one in profiles] for name in ("outlier_periods", "shift_periods")}
    strengths = {name: table[name].round(2) for name in ("trend_strength", "season_strength")}
    return table.assign(**dates, **strengths, **shown)[list(SHOWN)].rename(columns=SHOWN)


def _few(periods: tuple[str, ...], most: int = 3) -> str:
    """The first periods, and how many more."""
    more = f" +{len(periods) - most}" if len(periods) > most else ""
    return " ".join(periods[:most]) + more


def _remarks(numbers: dict[str, Any]) -> str:
    """What else is remarkable about an item, in a few words."""
    found = [
        f"{numbers['out_of_stock']} out of stock" if numbers["out_of_stock"] else "",
        f"{numbers['negative']} negative" if numbers["negative"] else "",
        f"first sale after {numbers['leading_zeros']}" if numbers["leading_zeros"] else "",
        "retired" if numbers["retired"] else "",
        "grows with level" if numbers["grows_with_level"] else "",
        numbers["spread_change"] and f"spread changed {numbers['spread_change']}",
    ]
    return ", ".join(word for word in found if word)
