"""Reading a plan file: every fault is reported, with its path and what may have been meant."""

import os
import re
import tomllib
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from veridex.errors import FileUnreadable, PlanWrong
from veridex.errors.plans import Fault
from veridex.errors.wording import listed, near
from veridex.exchange.missing import refuse_missing
from veridex.exchange.places.addresses import moved_address
from veridex.job.reading import TABLES
from veridex.job.words import Told
from veridex.plan.plan import Plan
from veridex.plan.sections import SECTIONS, VERSION, VERSION_KEY, keys_of, model_of

__all__ = ["read_plan"]

VARIABLE = re.compile(r"\$[A-Za-z_][A-Za-z0-9_]*")
PASSWORD = re.compile(r"://[^/@\s]*:(?!\$[A-Z_][A-Z0-9_]*@)[^/@\s]+@|[?&]\w*password=(?!\$)")

SAID = {
    "int_type": "write a whole number",
    "int_from_float": "write a whole number",
    "float_type": "write a number",
    "bool_type": "write true or false",
    "string_type": "write a text in quotation marks",
    "path_type": "write a path in quotation marks",
    "missing": "it is missing",
    "tuple_type": "write a list in brackets",
}
"""What our own words for Pydantic's kinds of errors are."""


def read_plan(file: str | Path) -> Plan:
    """Read a plan and check all that can be checked before the work.

    Parameters
    ----------
    file : str or Path
        A TOML file; docs/plan-file.md lists what it may say. Places in it are seen from its own directory.

    Raises
    ------
    FileUnreadable
        If there is no such file.
    PlanWrong
        If it is no TOML, or says what there is not; with every fault.
    """
    path = Path(file)
    table = _table(path)
    faults: list[Fault] = list(_of_the_whole(table))
    said: dict[Any, dict[str, Any]] = {}
    sections = [name for name in SECTIONS if isinstance(table.get(name), dict)]
    for name in sections:
        found, wrong = _section(name, table[name], path)
        faults += wrong
        for kind, words in found.items():
            said.setdefault(kind, {}).update(words)
    plan = Plan(file=path, said=said, sections=frozenset(sections))
    if not faults:
        from veridex.plan.checks import faults_of  # loads the core, which a misspelt key can do without

        faults += faults_of(plan)
    if faults:
        raise PlanWrong(str(file), tuple(faults))
    return plan


def _table(path: Path) -> dict[str, Any]:
    """What the file holds."""
    refuse_missing(path)
    try:
        text = path.read_text(encoding="utf-8")
    except IsADirectoryError:
        raise FileUnreadable(str(path), "it is a directory") from None
    except (OSError, UnicodeDecodeError) as problem:
        raise FileUnreadable(str(path), f"it cannot be read: {problem}") from None
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as problem:
        raise PlanWrong(str(path), (Fault("", f"it is no TOML: {problem}"),)) from None


def _of_the_whole(table: Mapping[str, Any]) -> Iterator[Fault]:
    """Faults of the version and of the names of sections."""
    version = table.get(VERSION_KEY)
    if version is None:
        yield Fault(VERSION_KEY, f"the version of the form is missing; write {VERSION_KEY} = {VERSION} at the top")
    elif version != VERSION:
        yield Fault(VERSION_KEY, f"this plan is of version {version}, and this Veridex reads version {VERSION}")
    known = tuple(SECTIONS)
    for name, value in table.items():
        if name == VERSION_KEY:
            continue
        if name not in SECTIONS:
            yield Fault(str(name), f"there is no such section; there are {listed(known)}.{near(str(name), known)}")
        elif not isinstance(value, dict):
            yield Fault(name, f"it is a section; write [{name}] on a line of its own, and its keys below")
    if "history" not in table:
        yield Fault("history", 'the section is missing; it says which file is read: file = "demand.csv"')


def _section(name: str, table: Mapping[str, Any], plan: Path) -> tuple[dict[Any, dict[str, Any]], list[Fault]]:
    """What a section says, by request and field; and what is wrong in it."""
    try:
        model = model_of(name).model_validate(dict(table))
    except ValidationError as problem:
        return {}, [_fault(name, one, table) for one in problem.errors()]
    said: dict[Any, dict[str, Any]] = {}
    faults = []
    for key in model.model_fields_set:
        kind, told = keys_of(name)[key]
        try:
            said.setdefault(kind, {})[told.name] = _placed(getattr(model, key), told, plan)
        except ValueError as problem:
            faults.append(Fault(f"{name}.{key}", str(problem)))
    return said, faults


def _fault(section: str, problem: Mapping[str, Any], table: Mapping[str, Any]) -> Fault:
    """One of Pydantic's errors in our words."""
    where = [one for one in problem["loc"] if isinstance(one, int) or one in keys_of(section) or one in table]
    path = section + "".join(f"[{one + 1}]" if isinstance(one, int) else f".{one}" for one in where)
    known = tuple(keys_of(section))
    value, kind = problem.get("input"), problem["type"]
    if kind == "extra_forbidden":
        return Fault(path, f"there is no such key; there are {listed(known, 60)}.{near(str(where[-1]), known)}")
    if kind == "literal_error":
        words = tuple(re.findall(r"'([^']*)'", problem["ctx"]["expected"]))
        return Fault(path, f"{value!r} is none of {listed(words)}.{near(str(value), words)}")
    if kind == "missing":
        return Fault(path, SAID[kind])
    said = SAID.get(kind, problem["msg"][:1].lower() + problem["msg"][1:])
    return Fault(path, said if kind in ("use", "override") else f"{value!r}: {said}")


def _placed(value: Any, told: Told, plan: Path) -> Any:
    """A value with its place seen from the call, and with what only the environment may say.

    Raises
    ------
    ValueError
        If it holds a password, or something is not in the environment.
    """
    values = value if isinstance(value, tuple) else (value,)
    if any(isinstance(one, (str, Path)) and PASSWORD.search(str(one)) for one in values):
        raise ValueError('it holds a password; put that into the environment and write its name: "$NAME"')
    if told.word.secret:
        if value is not None and not VARIABLE.fullmatch(value):
            raise ValueError('it is secret; put it into the environment and write the name of the variable: "$NAME"')
        return value
    if not told.word.place or value is None:
        return value
    placed = tuple(_seen(str(one), plan.parent, told.listed and not told.word.repeated) for one in values)
    kind = Path if isinstance(values[0], Path) else str
    return tuple(map(kind, placed)) if isinstance(value, tuple) else kind(placed[0])


def _seen(text: str, base: Path, perhaps_column: bool) -> str:
    """A place as it is seen from the call; an address, or a column where one may be meant, is left as it is."""
    if VARIABLE.fullmatch(text):
        if text[1:] not in os.environ:
            raise ValueError(f"the environment has no {text[1:]}")
        return os.environ[text[1:]]
    if "://" in text:
        return moved_address(text, lambda path: str(base / Path(path).expanduser()))
    if text == "-":
        return text
    head, mark, columns = text.rpartition(":")
    table = head if mark and Path(head).suffix.lower() in TABLES else text
    if perhaps_column and Path(table).suffix.lower() not in TABLES:
        return text
    rest = f":{columns}" if table != text else ""
    return f"{base / Path(table).expanduser()}{rest}"
