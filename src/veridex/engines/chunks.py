"""Tasks in chunks, made when they are handed over."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

__all__ = ["Chunks"]

ROUNDS = 50
"""Chunks for each worker: few enough to be cheap, many enough that none waits long for the last."""

LARGEST = 16
"""Tasks of a chunk: what workers bring at once, and what waits for one that is late, is in memory."""


@dataclass(frozen=True, slots=True)
class Chunks:
    """Tasks that are handed over together.

    Attributes
    ----------
    tasks : sequence
    size : int
    """

    tasks: Sequence[Any]
    size: int

    @classmethod
    def of(cls, tasks: Sequence[Any], workers: int, size: int | None) -> "Chunks":
        """Chunks for so many workers, of a stated size or of one that suits them; results do not depend on it."""
        return cls(tasks, size or max(1, min(LARGEST, len(tasks) // (workers * ROUNDS))))

    def __len__(self) -> int:
        return -(-len(self.tasks) // self.size)

    def __getitem__(self, number: int) -> list[Any]:
        return list(self.tasks[number * self.size : (number + 1) * self.size])
