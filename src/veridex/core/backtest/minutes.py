"""`Minutes`: what was said while a verdict was reached, kept as it comes, so that one that was stopped goes on.

What items say and what was chosen for them comes in a fixed order. So what is there already is a beginning of it, and
needs neither keys nor an index. It is kept as plain values and arrays: nothing in it could be run.
"""

from collections.abc import Iterator
from typing import Any, NamedTuple, Protocol

__all__ = ["NO_MINUTES", "Minutes", "Noted"]


class Noted(NamedTuple):
    """What is kept of an item: values that JSON can hold, and arrays by name."""

    said: dict[str, Any]
    arrays: dict[str, Any]


class Minutes(Protocol):
    """Keeps what is noted, part by part, in the order in which it comes."""

    def read(self, part: str) -> Iterator[Noted]:
        """What is there already, from the beginning up to where it was stopped."""
        ...

    def add(self, part: str, noted: Noted) -> None:
        """Keep one more."""
        ...

    def leave(self) -> None:
        """It was stopped: whoever comes next may go on."""
        ...

    def close(self) -> None:
        """All is said: nothing will have to be gone on with."""
        ...


class _Nowhere:
    def read(self, part: str) -> Iterator[Noted]:
        return iter(())

    def add(self, part: str, noted: Noted) -> None: ...

    def leave(self) -> None: ...

    def close(self) -> None: ...


NO_MINUTES: Minutes = _Nowhere()
"""Nothing is kept."""
