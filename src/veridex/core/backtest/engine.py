"""Who does the work of a backtest. The serial engine does it here and now."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Protocol, TypeVar, overload

from veridex.core.threads import one_thread

__all__ = ["Engine", "Progress", "SerialEngine", "Tasks"]

T = TypeVar("T")
R = TypeVar("R")

Progress = Callable[[int, int], None]
"""Told how many are done, and of how many."""


class Tasks(Sequence[T]):
    """Tasks that are made when they are handed out, so that no more of them are in memory than are worked on.

    Parameters
    ----------
    make : callable
        Makes the task of a number.
    count : int
    """

    def __init__(self, make: Callable[[int], T], count: int) -> None:
        self._make, self._count = make, count

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, at: int) -> T: ...
    @overload
    def __getitem__(self, at: slice) -> list[T]: ...
    def __getitem__(self, at: int | slice) -> T | list[T]:
        if isinstance(at, slice):
            return [self._make(k) for k in range(*at.indices(self._count))]
        if not 0 <= at < self._count:
            raise IndexError(at)
        return self._make(at)


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
        """Results in order, each made on one thread, as workers have them: the same bits from every engine."""
        return map(one_thread()(function), tasks)
