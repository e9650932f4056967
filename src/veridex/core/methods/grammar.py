"""The text of a method: its name followed by `key=value` words; lists may hold methods, to any depth."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from veridex.errors import SettingError

__all__ = ["Spelled", "parse", "parse_value", "split_lineup", "written"]

OPEN, CLOSE = "[(", "])"


@dataclass(frozen=True, slots=True)
class Spelled:
    """A method as it was written: nothing is known yet of its name and settings."""

    name: str
    settings: Mapping[str, Any]


def parse(text: str) -> Spelled:
    """Read ``"arima p=1 d=1 q=1"`` as a name and settings.

    Values are whole numbers, numbers, yes or no, words, or lists ``[a, b]`` of these and of methods with settings.

    Raises
    ------
    SettingError
        If what follows the name is not made of `key=value` words, or a key stands there twice.

    Examples
    --------
    >>> parse("holt-winters season=additive damped=yes alpha=0.2").settings
    {'season': 'additive', 'damped': True, 'alpha': 0.2}
    >>> parse("combination of=[naive, tuned of=[theta, holt] horizon=2]").settings["of"][1].settings["horizon"]
    2
    """
    name, *words = _split(text.strip(), " ") or [""]
    settings: dict[str, Any] = {}
    for word in words:
        key, mark, value = word.partition("=")
        if not mark or not key.isidentifier() or not _balanced(value) or not value:
            raise SettingError(name, f"cannot read {word!r}; settings are written key=value")
        if key in settings:
            raise SettingError(name, f"{key} is given twice")
        settings[key] = parse_value(value)
    return Spelled(name, settings)


def parse_value(text: str) -> Any:
    """Read what stands after ``key=``."""
    if text.startswith("["):
        return [_item(part) for part in _split(text[1:-1], ",")]
    if text in ("yes", "no"):
        return text == "yes"
    for read in (int, float):
        try:
            return read(text)
        except ValueError:
            continue
    return text


def _item(text: str) -> Any:
    """An item of a list: a method with settings of its own, or a value; a name may hold spaces."""
    words = _split(text, " ")
    return parse(text) if any("=" in word for word in words[1:]) else parse_value(text)


def _split(text: str, mark: str) -> list[str]:
    """Parts between marks that stand outside all brackets, without those that are empty."""
    parts, depth, begin = [], 0, 0
    for at, letter in enumerate(text):
        depth += (letter in OPEN) - (letter in CLOSE)
        if letter == mark and depth == 0:
            parts.append(text[begin:at])
            begin = at + 1
    return [part.strip() for part in (*parts, text[begin:]) if part.strip()]


def _balanced(text: str) -> bool:
    """Whether every bracket that opens closes, and a list is all there is."""
    depth = 0
    for at, letter in enumerate(text):
        depth += (letter in OPEN) - (letter in CLOSE)
        if depth < 0 or (depth == 0 and letter == "]" and at < len(text) - 1):
            return False
    return depth == 0


def written(name: str, settings: Iterable[tuple[str, Any]]) -> str:
    """The inverse of `parse`, keys in the order given, numbers with all their digits.

    Examples
    --------
    >>> written("arima", [("p", 1), ("drivers", ("price", "price@1"))])
    'arima p=1 drivers=[price, price@1]'
    """
    return " ".join([name, *(f"{key}={_text(value)}" for key, value in settings)])


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Sequence) and not isinstance(value, str):
        return "[" + ", ".join(_text(part) for part in value) + "]"
    if isinstance(value, Spelled):
        return written(value.name, value.settings.items())
    return str(value)


def split_lineup(text: str) -> list[str]:
    """Split a comma-separated lineup; commas inside brackets do not separate.

    Examples
    --------
    >>> split_lineup("naive, arima p=1 d=1 q=1")
    ['naive', 'arima p=1 d=1 q=1']
    """
    return _split(text, ",")
