"""The choices of a verdict: made when they are asked for, and kept where the trial is in memory anyhow."""

from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from veridex.core.verdict.choice import Choice

__all__ = ["AT_HAND", "NOBODY", "Choices", "Elsewhere"]

AT_HAND = 64
"""Choices that were asked for last are asked for again: so many are kept of a trial that is not in memory."""


class Elsewhere(NamedTuple):
    """How a choice is made by somebody who has neither the trial nor the other items.

    Attributes
    ----------
    choose, lost : callable
        Given a case, the choice, and the one for a case whose workers die; they can be handed on.
    case : callable
        Given an item, its case.
    """

    choose: Callable[[Any], Choice]
    lost: Callable[[Any], Choice]
    case: Callable[[str], Any]


class Choices(Mapping[str, Choice]):
    """Choices by item, in the order of a trial's.

    Parameters
    ----------
    names : tuple of str
    make : callable
        Given an item, what is to be published for it.
    kept : bool
        Whether all that were made are kept.
    key : str or None
        Everything that they depend on beside the trial, as text; None where nothing tells, as of a function.
    elsewhere : Elsewhere, optional
        How others make them.
    """

    def __init__(
        self,
        names: tuple[str, ...],
        make: Callable[[str], Choice],
        *,
        kept: bool,
        key: str | None = None,
        elsewhere: Elsewhere | None = None,
    ) -> None:
        self._names, self._make, self._kept, self.key = dict.fromkeys(names), make, kept, key
        self.elsewhere = elsewhere
        self._made: OrderedDict[str, Choice] = OrderedDict()
        self._own: dict[str, Choice] = {}

    def __getitem__(self, item: str) -> Choice:
        if item not in self._names:
            raise KeyError(item)
        if item in self._own:
            return self._own[item]
        if item not in self._made:
            self._made[item] = self._make(item)
            if not self._kept and len(self._made) > AT_HAND:
                self._made.popitem(last=False)
        return self._made[item]

    def made(self, item: str) -> Choice | None:
        """The choice for an item, if it was made already."""
        return self._own.get(item, self._made.get(item))

    def put(self, choice: Choice) -> None:
        """Take in a choice that was made elsewhere, if it is to be kept."""
        if choice.died:  # another verdict in the same words may have more luck
            self._own[choice.item] = choice
            self.key = None if self.key is None else f"{self.key}; {choice.item!r} died"
        elif self._kept:
            self._made[choice.item] = choice

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)

    def changed(self, change: Callable[[Choice], Choice], how: str) -> "Choices":
        """The same, each changed; `how` is everything that the change depends on."""
        key = None if self.key is None else f"{self.key}; {how}"
        return Choices(tuple(self._names), lambda item: change(self[item]), kept=self._kept, key=key)

    def but(self, item: str, choice: Choice) -> "Choices":
        """The same, but for one."""
        winner, override = choice.winner, choice.override
        own = (item, None if winner is None else winner.method.text, None if override is None else override.reason)
        key = None if self.key is None else f"{self.key}; {own!r}"
        found = Choices((), self._make, kept=self._kept, key=key, elsewhere=self.elsewhere)
        found._names, found._made, found._own = self._names, self._made, {**self._own, item: choice}
        return found


def _of_nobody(item: str) -> Choice:
    raise KeyError(item)


NOBODY = Choices((), _of_nobody, kept=False)
"""No choices."""
