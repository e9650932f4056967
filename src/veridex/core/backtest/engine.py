"""Who does the work of a backtest. The serial engine does it here and now."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Protocol, TypeVar

__all__ = ["Engine", "SerialEngine"]

T = TypeVar("T")
R = TypeVar("R")


class Engine(Protocol):
    """Applies a function to each task and gives the results in the tasks' order, whatever the machinery."""

    def map(self, function: Callable[[T], R], tasks: Sequence[T], lost: Callable[[T], R] | None = None) -> Iterable[R]:
        """Results in order. The function and the tasks can be pickled.

        `lost` makes what stands for a task whose worker died; without it that is an error.
        """
        ...


class SerialEngine:
    """One task after the other in this process."""

    def map(self, function: Callable[[T], R], tasks: Sequence[T], lost: Callable[[T], R] | None = None) -> Iterator[R]:
        """Results in order."""
        return map(function, tasks)
