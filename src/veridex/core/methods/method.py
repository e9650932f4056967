"""`Method`: a method of the catalogue with its settings, as a value. Text is only how people spell it."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.plan import Sizes
from veridex.core.methods.grammar import written
from veridex.errors import ParameterError

__all__ = ["Method"]


@dataclass(frozen=True, eq=False)
class Method:
    """A method of the catalogue with its settings in canonical form.

    Two methods are equal when they are the same model, however they were spelled: settings at their defaults are
    dropped, the others stand in the order of the catalogue, and what a method is made of are methods again.

    Attributes
    ----------
    name : str
    given : tuple of (str, value)
        The settings that are not at their defaults; lists are tuples, members are methods.
    family : Family
        What does it.
    settings : mapping
        Every setting of the family, defaults filled in.
    """

    name: str
    given: tuple[tuple[str, Any], ...] = ()
    family: Family[Any] = field(repr=False, compare=False, kw_only=True)
    settings: Mapping[str, Any] = field(repr=False, compare=False, kw_only=True)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Method) and self.name == other.name and self.given == other.given

    def __hash__(self) -> int:
        return hash((self.name, self.given))

    @cached_property
    def text(self) -> str:
        """The one spelling of the method; reading it gives the same method, its numbers to the bit."""
        return written(self.name, self.given)

    def __str__(self) -> str:
        return self.text

    def __repr__(self) -> str:
        return f"Method({self.text!r})"

    @property
    def driven(self) -> bool:
        """Whether it is handed drivers where there are some."""
        return self.family.takes_drivers and self.settings.get("drivers") != "none"

    @property
    def alone(self) -> bool:
        """Whether it forecasts from demand alone, whatever drivers and events there are."""
        return not self.driven and self.settings.get("events", "none") == "none"

    def refuse_in_vain(self, drivers: object, events: object) -> None:
        """Refuse drivers or events that the method would not look at.

        Raises
        ------
        ParameterError
        """
        name, handed = ("drivers", drivers) if drivers is not None else ("events", events)
        if self.alone and handed is not None:
            problem = (
                f"{self.text} forecasts from demand alone; leave them out, say drivers=all, or take another method"
            )
            raise ParameterError(name, repr(handed), problem)

    @cached_property
    def borrows(self) -> tuple[str, ...]:
        """Key columns by which it, or what it is made of, groups neighbours that lend a season; an empty one: found."""
        own = (self.settings.get("group") or "",) if self.family.borrows else ()
        return tuple(dict.fromkeys((*own, *(column for one in self.members for column in one.borrows))))

    @property
    def members(self) -> "tuple[Method, ...]":
        """What it is made of; none of a method that stands for itself."""
        of = self.settings.get("of")
        return of if isinstance(of, tuple) else ()

    @property
    def weights(self) -> tuple[float, ...]:
        """The numbers by which a blend weighs its members, shares of one; none where it has no numbers."""
        stated = self.settings.get("weights")
        if not self.members or not isinstance(stated, tuple):
            return ()
        return tuple(float(one) / sum(stated) for one in stated)

    def needs(self, season_length: int) -> str:
        """How much history it needs, in words."""
        needed: str = self.family.plan(self.settings, Sizes(season_length)).needs
        return needed
