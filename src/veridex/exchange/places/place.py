"""What a place is, and how several of them are written together: all of them, or none."""

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from veridex.errors import DestinationRefused
from veridex.exchange.kept import Form, Found, Kept

__all__ = ["Place", "Staged", "keep_together"]


class Staged(Protocol):
    """What was written and is not seen yet."""

    def commit(self) -> None:
        """Let it be seen, in one step."""

    def undo(self) -> None:
        """After a commit: let what stood there before be seen again."""

    def close(self) -> None:
        """Clear away whatever is no longer needed; without a commit, nothing was written."""


class Place(Protocol):
    """Where named tables are kept, whole or not at all.

    Attributes
    ----------
    shown : str
        Its address as messages have it: without credentials.
    same : str
        What tells it from other places, however it is written.
    numbered : bool
        Whether what is there stays when another is written.
    waits : bool
        Whether what is staged there keeps others waiting, so that it is staged last.
    """

    shown: str
    same: str
    numbered: bool
    waits: bool

    def check(self, form: Form) -> None:
        """Raise `DestinationRefused` where such a value cannot be kept, before any work."""

    def room(self, rows: Mapping[str, int]) -> None:
        """Raise `DestinationRefused` where tables of so many rows do not fit."""

    def stage(self, kept: Kept) -> Staged:
        """Write it so that nobody sees it yet.

        Raises
        ------
        DestinationRefused
            If it cannot be written; nothing was.
        """

    def head(self, form: Form) -> dict[str, Any] | None:
        """The head of what stands there, whole; None where nothing does, or nothing that can be read."""

    def holds(self, form: Form) -> bool:
        """Whether something of this form is there, whole or not."""

    def occupied(self, form: Form) -> bool:
        """Whether something is there where one of this form would stand."""

    def numbers(self, form: Form) -> tuple[int, ...]:
        """The numbers of all that is kept there, the oldest first; none where nothing is numbered."""

    def found(self, form: Form) -> Found:
        """What stands there.

        Raises
        ------
        Torn
            If it is not what was written.
        OSError, ValueError
            If nothing can be read.
        """


def keep_together(kept: Kept, places: Sequence[Place]) -> None:
    """Write a value to all places, or to none.

    Everything is written out of sight first, and then shown place by place; where that fails, what was shown already
    is taken back.

    Raises
    ------
    DestinationRefused
        If one of them cannot be written; it is named.
    """
    for one in places:
        one.check(kept.form)
        one.room(kept.rows)
    staged: list[Staged] = []
    shown: list[Staged] = []
    try:
        # In one order everywhere, so that two writers never wait for each other.
        for one in sorted(places, key=lambda place: (place.waits, place.shown)):
            staged.append(one.stage(kept))  # noqa: PERF401 - what was staged is closed if the next fails
        try:
            for each in reversed(staged):  # a server may still refuse, a file hardly
                each.commit()
                shown.append(each)
        except BaseException:
            for each in reversed(shown):
                each.undo()
            raise
    except DestinationRefused as problem:
        if len(places) > 1:
            nothing = f"Nothing was written to any of the {len(places)} places."
            raise DestinationRefused(problem.destination, problem.problem, nothing) from None
        raise
    finally:
        for each in staged:
            each.close()
