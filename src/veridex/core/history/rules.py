"""What a history knows of the rules it was tidied by: that they can be applied to any part of it again."""

from typing import TYPE_CHECKING, Protocol

from veridex.core.arrays import FloatArray

if TYPE_CHECKING:
    from veridex.core.history.item import ItemHistory

__all__ = ["Rules"]


class Rules(Protocol):
    """Rules that travel with a history; `TidyRules` are the only ones so far."""

    def applied(self, series: "ItemHistory") -> FloatArray:
        """Tidied demand of a series that holds raw values, from these values alone."""
        ...

    @property
    def key(self) -> str:
        """Everything that they depend on, as text."""

    def in_words(self) -> str:
        """The rules in a sentence."""
        ...
