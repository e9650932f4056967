"""Errors and notes in the words of the command line: Python's `cadence='weekly'` is `--cadence weekly` here."""

import re
from typing import Any

from veridex.errors import InputError, ParameterError, ReadingError, SeveralItems
from veridex.job import requests
from veridex.job.words import told_by

__all__ = ["note_spoken", "seen", "spoken"]

STEERING = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")
"""Signs that no text needs on a screen; tabs and ends of lines stay."""

SAID = re.compile(r"\b([a-zA-Z_]+)='([^']*)'")
BARE = re.compile(r"\b([a-z_]+)=(?=[,.;]?(?:\s|$))")


def seen(text: str) -> str:
    r"""A text with signs that would steer the terminal, or turn the reading direction, written out.

    Examples
    --------
    >>> print(seen("smoker" + chr(27) + "[31m"))
    smoker\x1b[31m
    """
    return STEERING.sub(lambda found: found[0].encode("unicode_escape").decode("ascii"), text)


def spoken(error: InputError) -> str:
    """An error as the command line says it."""
    return seen(_spoken(error))


def _spoken(error: InputError) -> str:
    options = _options(*(getattr(requests, name) for name in requests.__all__))
    if isinstance(error, SeveralItems):
        return f"{error.problem}; pick one: --item COLUMN={error.first}, or of a plan --item {error.first}."
    if isinstance(error, ParameterError) and error.name in options:
        return str(error).replace(f"{error.name}=", f"--{options[error.name]} ", 1)
    return note_spoken(str(error)) if isinstance(error, ReadingError) else str(error)


def note_spoken(text: str) -> str:
    """A note as the command line says it; rules of tidying are written there as they are in Python."""
    text = seen(text)
    options = _options(requests.Reading)

    def said(found: re.Match[str]) -> str:
        name = options.get(found[1])
        return found[0] if name is None else f"--{name} {found[2]}"

    def bare(found: re.Match[str]) -> str:
        name = options.get(found[1])
        return found[0] if name is None else f"--{name}"

    return BARE.sub(bare, SAID.sub(said, text))


def _options(*kinds: Any) -> dict[str, str]:
    """The fields of requests, by how their options are spelled."""
    told = [one for kind in kinds if hasattr(kind, "TITLE") for one in told_by(kind)]
    return {one.name: one.spelled.replace("_", "-") for one in told}
