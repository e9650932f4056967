"""Who does the work of a backtest. The serial engine does it here and now."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Protocol, TypeVar

__all__ = ["Engine", "SerialEngine"]

T = TypeVar("T")
R = TypeVar("R")


class Engine(Protocol):
    """Applies a function to each task and gives the results in the tasks' order, whatever the machinery."""

    def map(self, function: Callable[[T], R], tasks: Sequence[T]) -> Iterable[R]:
        """Results in order. The function and the tasks can be pickled."""
        ...


class SerialEngine:
    """One task after the other in this process."""

    def map(self, function: Callable[[T], R], tasks: Sequence[T]) -> Iterator[R]:
        """Results in order."""
        return map(function, tasks)
