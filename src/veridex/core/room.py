"""Where large arrays are put: in memory, or wherever else there is room."""

from typing import Protocol

import numpy as np

from veridex.core.arrays import FloatArray

__all__ = ["MEMORY", "Growing", "Room"]


class Growing(Protocol):
    """An array that is made one piece after the other."""

    def add(self, piece: FloatArray) -> None:
        """Put a piece behind the others, along the last axis."""
        ...

    def finished(self) -> FloatArray:
        """The whole array."""
        ...


class Room(Protocol):
    """Makes arrays, and keeps them as long as anybody holds the room."""

    def empty(self, shape: tuple[int, ...]) -> FloatArray:
        """An array whose values are still to be written."""
        ...

    def growing(self) -> Growing:
        """An array of unknown length."""
        ...


class _Pieces:
    def __init__(self) -> None:
        self._pieces: list[FloatArray] = []

    def add(self, piece: FloatArray) -> None:
        self._pieces.append(piece)

    def finished(self) -> FloatArray:
        return np.concatenate(self._pieces, axis=-1)


class _Memory:
    def empty(self, shape: tuple[int, ...]) -> FloatArray:
        return np.empty(shape)

    def growing(self) -> Growing:
        return _Pieces()


MEMORY: Room = _Memory()
"""The memory of this process."""
