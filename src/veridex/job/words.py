"""How a request says what its fields are for, and which of them do nothing where they were stated."""

import csv
from collections.abc import Collection
from dataclasses import dataclass

from veridex.core.methods.grammar import split_lineup
from veridex.errors import WordIdle

__all__ = ["Stated", "Word", "split_names"]


def split_names(text: str) -> tuple[str, ...]:
    """Names separated by commas; one that holds a comma stands in quotation marks, as in a CSV file.

    Examples
    --------
    >>> split_names('sku, "Net, sold"')
    ('sku', 'Net, sold')
    """
    parts = next(csv.reader([text], skipinitialspace=True), []) if '"' in text else split_lineup(text)
    return tuple(part.strip() for part in parts if part.strip())


@dataclass(frozen=True, slots=True)
class Word:
    """What a field of a request is for.

    Attributes
    ----------
    help : str
    name : str or None
        How it is spelled where its own name cannot be used.
    positional : bool
        Whether it stands without its name on the command line.
    """

    help: str
    name: str | None = None
    positional: bool = False


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
