"""The text of a method: its name followed by `key=value` words."""

import re

from veridex.core.methods.settings import Value
from veridex.errors import SettingError

__all__ = ["parse", "split_lineup", "written"]

WORD = re.compile(r"(?P<key>[A-Za-z_]+)=(?P<value>\[(?:[^\[\]]|\[[^\[\]]*\])*\]|[^\s\[\],]+)(?:\s+|$)")
"""A list may hold methods whose own settings are lists."""

COMMA = re.compile(r",(?![^\[]*\])")
OUTER_COMMA = re.compile(r",(?=(?:[^\[\]]|\[(?:[^\[\]]|\[[^\[\]]*\])*\])*$)")


def parse(text: str) -> tuple[str, dict[str, Value]]:
    """Split ``"arima p=1 d=1 q=1"`` into its name and settings.

    Values are whole numbers, numbers, yes or no, words, or lists ``[a, b]`` of these.

    Raises
    ------
    SettingError
        If what follows the name is not made of `key=value` words, or a key stands there twice.

    Examples
    --------
    >>> parse("holt-winters season=additive damped=yes alpha=0.2")
    ('holt-winters', {'season': 'additive', 'damped': True, 'alpha': 0.2})
    """
    name, _, rest = text.strip().partition(" ")
    rest = rest.strip()
    settings: dict[str, Value] = {}
    position = 0
    while position < len(rest):
        match = WORD.match(rest, position)
        if match is None:
            raise SettingError(name, f"cannot read {rest[position:]!r}; settings are written key=value")
        if match["key"] in settings:
            raise SettingError(name, f"{match['key']} is given twice")
        settings[match["key"]] = _value(match["value"])
        position = match.end()
    return name, settings


def _value(text: str) -> Value:
    if text.startswith("["):
        inner = text[1:-1].strip()
        return [_value(part.strip()) for part in COMMA.split(inner)] if inner else []
    if text in ("yes", "no"):
        return text == "yes"
    for read in (int, float):
        try:
            return read(text)
        except ValueError:
            continue
    return text


def written(name: str, settings: dict[str, Value]) -> str:
    """The inverse of `parse`, keys in the order given."""
    return " ".join([name, *(f"{key}={_text(value)}" for key, value in settings.items())])


def _text(value: Value) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return "[" + ", ".join(_text(part) for part in value) + "]"
    return str(value)


def split_lineup(text: str) -> list[str]:
    """Split a comma-separated lineup; commas inside brackets do not separate.

    Examples
    --------
    >>> split_lineup("naive, arima p=1 d=1 q=1")
    ['naive', 'arima p=1 d=1 q=1']
    """
    parts = OUTER_COMMA.split(text)
    return [part.strip() for part in parts if part.strip()]
