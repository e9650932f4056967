"""Writing a plan: what was said, section by section, with remarks for whoever reads it."""

import os
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import tomlkit

from veridex.errors import PlanWrong
from veridex.exchange.places.addresses import moved_address
from veridex.job.requests import Overrule, Tidying
from veridex.job.words import Told
from veridex.plan.reading import read_plan
from veridex.plan.sections import SECTIONS, VERSION, VERSION_KEY, keys_of
from veridex.staged import replace_file

__all__ = ["plan_text", "write_plan"]

ALWAYS = {("publish", "horizon"), ("publish", "levels")}
"""Keys that a plan states though they say what holds anyway: people look for them."""

LONGEST = 100
"""Letters of a list on one line."""


def write_plan(requests: Iterable[Any], target: Path, remarks: Mapping[str, Sequence[str]]) -> Path:
    """Write what requests say as a plan, whole or not at all; places are seen from the plan's own directory.

    Parameters
    ----------
    requests : iterable of requests
    target : Path
    remarks : mapping of str to sequence of str
        Lines above each section; under the empty name those at the top.

    Raises
    ------
    DestinationRefused
        If it cannot be written.
    PlanWrong
        If it would be wrong; nothing is written then.
    """
    text = plan_text(requests, target.parent, remarks)

    def write(path: Path) -> None:
        path.write_text(text, encoding="utf-8")
        try:
            read_plan(path)
        except PlanWrong as problem:
            raise PlanWrong(str(target), problem.faults) from None

    return replace_file(target, write)


def plan_text(requests: Iterable[Any], base: Path, remarks: Mapping[str, Sequence[str]]) -> str:
    """The text of a plan."""
    told = {type(one): one for one in requests}
    document = tomlkit.document()
    for line in remarks.get("", ()):
        document.add(tomlkit.comment(line))
    document.add(VERSION_KEY, VERSION)
    for section in SECTIONS:
        words = {
            key: _plain(getattr(told[kind], one.name), one, base)
            for key, (kind, one) in keys_of(section).items()
            if kind in told and (getattr(told[kind], one.name) != one.default or (section, key) in ALWAYS)
        }
        lines = remarks.get(section, ())
        bare = section == "tidy" and Tidying in told  # by the rules as they are by default
        if not words and not lines and not bare:
            continue
        table = tomlkit.table()
        for line in lines:
            table.add(tomlkit.comment(line))
        for key, value in words.items():
            table.add(key, value)
        document.add(tomlkit.nl())
        document.add(section, table)
    return tomlkit.dumps(document)


def _plain(value: Any, told: Told, base: Path) -> Any:
    """A value as TOML holds it; one of a list alone stands without brackets."""
    if told.word.read is not None:
        return _overrules(value)
    if isinstance(value, tuple):
        plain = [_one(one, told, base) for one in value]
        if len(plain) == 1:
            return plain[0]
        listed = tomlkit.array()
        listed.extend(plain)
        return listed.multiline(sum(len(str(one)) + 4 for one in plain) > LONGEST)
    return _one(value, told, base)


def _one(value: Any, told: Told, base: Path) -> Any:
    """One value: a place as it is seen from the plan, a whole number without a decimal mark."""
    if told.word.place:
        text = str(value)
        perhaps_column = told.listed and not told.word.repeated and not Path(text.partition(":")[0]).suffix
        if "://" in text:
            return moved_address(text, lambda path: os.path.relpath(path, base))
        ours = isinstance(value, Path) or told.word.repeated  # what we write goes with the plan
        known = text[:1] in "$-" or perhaps_column or (Path(text).is_absolute() and not ours)
        return text if known else os.path.relpath(text, base)
    if isinstance(value, float) and value.is_integer():
        return int(value)
    if isinstance(value, str) and value.isdecimal() and not value.startswith("0"):
        return int(value)
    return value


def _overrules(value: Sequence[Overrule]) -> Any:
    """The planner's own choices, a table each."""
    tables = tomlkit.aot()
    for one in value:
        table = tomlkit.table()
        for key in ("item", "method", "reason"):
            table.add(key, getattr(one, key))
        tables.append(table)
    return tables
