"""What a plan file may say: its sections, derived from the requests of the job and checked by Pydantic."""

import datetime
from collections.abc import Callable, Mapping
from dataclasses import MISSING, fields
from functools import cache, partial
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, create_model
from pydantic_core import PydanticCustomError

from veridex.core.methods.grammar import Spelled, written
from veridex.errors import ParameterError
from veridex.job.requests import (
    Deciding,
    Driving,
    Happening,
    Overrule,
    Placing,
    Publishing,
    Reading,
    Telling,
    Testing,
    Tidying,
    Watching,
)
from veridex.job.words import Told, told_by

__all__ = ["SECTIONS", "VERSION", "VERSION_KEY", "keys_of", "model_of"]

VERSION_KEY, VERSION = "plan", 1

SECTIONS: Mapping[str, tuple[Any, ...]] = {
    "history": (Reading,),
    "tidy": (Tidying,),
    "drivers": (Driving,),
    "events": (Happening,),
    "test": (Testing,),
    "decide": (Deciding,),
    "publish": (Publishing, Placing),
    "watch": (Watching,),
    "tell": (Telling,),
}
"""The sections in the order of the work, and the requests whose fields they hold."""

USE = "use"
"""The key of a table that names a method or a scheme; its other keys are settings."""

SPELLED = ("methods", "method", "allowed", "scheme")
"""Fields that hold methods or schemes, which a plan may write as tables."""


@cache
def keys_of(section: str) -> dict[str, tuple[Any, Told]]:
    """The keys of a section, each with the request and the field that it is for."""
    return {one.planned: (kind, one) for kind in SECTIONS[section] for one in told_by(kind) if one.planned}


@cache
def model_of(section: str) -> type[BaseModel]:
    """The form of a section; keys that it does not know are refused."""
    found: dict[str, Any] = {
        key: (_checked(told), ... if told.default is MISSING else None) for key, (_, told) in keys_of(section).items()
    }
    return create_model(section, __config__=ConfigDict(extra="forbid"), **found)


def _checked(told: Told) -> Any:
    """The type of a key, with what is done to its value before it is checked."""
    if told.word.read is not None:
        return Annotated[Any, BeforeValidator(_overrules)]
    if told.listed:
        element = Annotated[get_args(told.kind)[0], Field(strict=True)] if told.of_numbers else get_args(told.kind)[0]
        before = _numbers if told.of_numbers else _texts(told)
        return Annotated[tuple[element, ...], BeforeValidator(before)]  # type: ignore[valid-type]
    kinds = get_args(told.kind) if get_origin(told.kind) is not Literal else (told.kind,)
    if any(get_origin(one) is Literal for one in (told.kind, *kinds)):
        return Annotated[told.kind, BeforeValidator(_word)]
    if told.word.checked is not None:
        return Annotated[told.kind, BeforeValidator(_text), AfterValidator(partial(_by, told.word.checked))]
    if str in (told.kind, *kinds):
        return Annotated[told.kind, BeforeValidator(_spelled if told.name in SPELLED else _text)]
    strict = any(one in (told.kind, *kinds) for one in (int, float, bool))
    return Annotated[told.kind, Field(strict=True)] if strict else told.kind


def _by(check: Callable[[str], str], text: str) -> str:
    """A text that was found to be possible."""
    try:
        return check(text)
    except ParameterError as problem:
        raise PydanticCustomError("word", "{said}", {"said": problem.problem}) from None


def _text(value: Any) -> Any:
    """A text; numbers and dates are taken as they are written."""
    if isinstance(value, bool):
        return value
    if isinstance(value, (datetime.date, datetime.time)):
        return value.isoformat()
    return f"{value}" if isinstance(value, (int, float)) else value


def _word(value: Any) -> Any:
    """One of some words: yes and no may be written as TOML writes them."""
    return ("yes" if value else "no") if isinstance(value, bool) else _text(value)


def _spelled(value: Any) -> Any:
    """A method or a scheme as its text, or as a table with `use` and its settings."""
    if not isinstance(value, dict):
        return _text(value)
    settings = {str(key): _setting(one) for key, one in value.items() if key != USE}
    if not isinstance(value.get(USE), str):
        raise PydanticCustomError("use", 'a table names what it means, as in { use = "arima", p = 1, d = 1 }')
    return written(value[USE], settings.items())


def _setting(value: Any) -> Any:
    """A setting's value; methods inside a list may be tables too."""
    if isinstance(value, list):
        return [_setting(one) for one in value]
    if isinstance(value, dict) and isinstance(value.get(USE), str):
        return Spelled(value[USE], {key: _setting(one) for key, one in value.items() if key != USE})
    return value


def _texts(told: Told) -> Callable[[Any], Any]:
    """Texts; one alone may stand without brackets."""
    each = _spelled if told.name in SPELLED else _text

    def several(value: Any) -> Any:
        return tuple(each(one) for one in value) if isinstance(value, list) else (each(value),)

    return several


def _numbers(value: Any) -> Any:
    """Numbers; one alone may stand without brackets."""
    return tuple(value) if isinstance(value, list) else (value,)


def _overrules(value: Any) -> tuple[Overrule, ...]:
    """A planner's own choices, each as a table or as the text that the command line takes."""
    return tuple(_overrule(one) for one in (value if isinstance(value, list) else [value]))


def _overrule(value: Any) -> Overrule:
    names = tuple(one.name for one in fields(Overrule))
    if isinstance(value, str):
        try:
            return Overrule.of(value)
        except ParameterError as problem:
            raise PydanticCustomError("override", "{said}", {"said": problem.problem}) from None
    said = f"an override has {', '.join(names)}"
    if not isinstance(value, dict):
        raise PydanticCustomError("override", "{said}", {"said": said})
    stray, missing = [key for key in value if key not in names], [name for name in names if not value.get(name)]
    if stray or missing:
        what = f"no {stray[0]!r}" if stray else f"and this one lacks its {missing[0]}"
        raise PydanticCustomError("override", "{said}", {"said": f"{said}, {what}"})
    return Overrule(_text(value["item"]), _spelled(value["method"]), str(value["reason"]))
