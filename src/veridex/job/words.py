"""How a request says what its fields are for, and which of them do nothing where they were stated."""

import csv
from collections.abc import Callable, Collection
from dataclasses import dataclass, fields, is_dataclass
from typing import Any, NamedTuple, get_args, get_origin, get_type_hints

from veridex.core.methods.grammar import split_lineup
from veridex.errors import WordIdle

__all__ = ["Stated", "Told", "Word", "spelled_numbers", "split_names", "told_by"]


def split_names(text: str) -> tuple[str, ...]:
    """Names separated by commas; one that holds a comma stands in quotation marks, as in a CSV file.

    Examples
    --------
    >>> split_names('sku, "Net, sold"')
    ('sku', 'Net, sold')
    """
    parts = next(csv.reader([text], skipinitialspace=True), []) if '"' in text else split_lineup(text)
    return tuple(part.strip() for part in parts if part.strip())


def spelled_numbers(values: Collection[float | str]) -> str | None:
    """The inverse of `split_names` for numbers and plain names; None for none.

    Examples
    --------
    >>> spelled_numbers((80.0, 97.5))
    '80,97.5'
    """
    return ",".join(f"{one:g}" if isinstance(one, float | int) else one for one in values) or None


@dataclass(frozen=True, slots=True, kw_only=True)
class Word:
    """What a field of a request is for.

    Attributes
    ----------
    help : str
    name : str or None
        How it is spelled on the command line where its own name cannot be used.
    planned : str or None
        Its key in a plan file where that is not its own name; empty where a plan does not say it.
    positional : bool
        Whether it stands without its name on the command line.
    group : str
        What it is listed under in the help, where that is not the heading of its request.
    repeated : bool
        Whether it may be stated several times, each with one value.
    read : callable or None
        Makes the value of what was written, where it is more than a text.
    place : bool
        Whether it names a file or a directory; in a plan, relative to the plan's own place.
    secret : bool
        Whether it holds what only the environment may say: it is written as ``$NAME``.
    checked : callable or None
        Gives back a text that can be, and raises `ParameterError` at one that cannot.
    """

    help: str
    name: str | None = None
    planned: str | None = None
    positional: bool = False
    group: str = ""
    repeated: bool = False
    read: Callable[[str], Any] | None = None
    place: bool = False
    secret: bool = False
    checked: Callable[[str], str] | None = None


class Told(NamedTuple):
    """A field of a request with its type, its default (MISSING where there is none) and what it is for."""

    name: str
    kind: Any
    default: Any
    word: Word

    @property
    def listed(self) -> bool:
        """Whether it holds several values."""
        return get_origin(self.kind) is tuple

    @property
    def of_numbers(self) -> bool:
        """Whether it holds several numbers."""
        return self.listed and get_args(self.kind)[0] in (float, int)

    @property
    def spelled(self) -> str:
        """Its name on the command line."""
        return self.word.name or self.name

    @property
    def planned(self) -> str:
        """Its key in a plan file; empty where a plan does not say it."""
        return self.name if self.word.planned is None else self.word.planned


def told_by(request: Any) -> list[Told]:
    """The fields of a request, in order."""
    assert is_dataclass(request)
    hints = get_type_hints(request, include_extras=True)
    spoken = {one.name: get_args(hints[one.name]) for one in fields(request)}
    return [Told(one.name, spoken[one.name][0], one.default, spoken[one.name][1]) for one in fields(request)]


@dataclass(frozen=True, slots=True)
class Stated:
    """The words that a call states, whatever they say."""

    words: Collection[str] = ()

    def __contains__(self, word: str) -> bool:
        return word in self.words

    def refuse(self, because: str, *words: str) -> None:
        """Raise `WordIdle` where one of these words is stated, of which the call makes nothing."""
        idle = tuple(f"--{word.replace('_', '-')}" for word in words if word in self.words)
        if idle:
            raise WordIdle(idle, because)
