"""How a request says what its fields are for, and which of them do nothing where they were stated."""

from collections.abc import Collection
from dataclasses import dataclass

from veridex.errors import WordIdle

__all__ = ["Stated", "Word"]


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
