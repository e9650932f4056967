"""Temporary directories that go with whoever holds them, and arrays in them."""

import shutil
import tempfile
import weakref
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.room import MEMORY, Growing

__all__ = ["Scratch", "ScratchRoom"]


class Scratch:
    """A temporary directory; it is removed when nobody holds it any more, at the end of the process at the latest.

    Parameters
    ----------
    what : str
        What its name says is in it.
    """

    def __init__(self, what: str) -> None:
        self.path = Path(tempfile.mkdtemp(prefix=f"veridex-{what}-"))
        weakref.finalize(self, shutil.rmtree, self.path, ignore_errors=True)


class ScratchRoom:
    """Arrays in files of a temporary directory: the system holds in memory what is used, and as much as there is.

    In another process, where such an array comes as a copy, it is a room in memory.
    """

    def __init__(self) -> None:
        self._scratch = Scratch("history")
        self._number = 0

    def __reduce__(self) -> tuple[Any, ...]:
        return _memory, ()

    def _file(self) -> Path:
        self._number += 1
        return self._scratch.path / f"{self._number}.f64"

    def empty(self, shape: tuple[int, ...]) -> FloatArray:
        """An array whose values are still to be written."""
        return np.asarray(np.memmap(self._file(), dtype=np.float64, mode="w+", shape=shape))

    def growing(self) -> Growing:
        """An array of unknown length."""
        return _Written(self._file())


class _Written:
    """Pieces of an array, written one behind the other; those of several rows column by column."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: BinaryIO | None = None
        self._rows: tuple[int, ...] = ()

    def add(self, piece: FloatArray) -> None:
        """Put a piece behind the others, along the last axis."""
        self._file = self._file or self._path.open("wb")
        self._rows = piece.shape[:-1]
        self._file.write(np.ascontiguousarray(piece.T, dtype=np.float64).tobytes())

    def finished(self) -> FloatArray:
        """The whole array."""
        assert self._file is not None
        self._file.close()
        flat = np.asarray(np.memmap(self._path, dtype=np.float64, mode="r+"))
        return flat.reshape(-1, *self._rows).T if self._rows else flat


def _memory() -> Any:
    return MEMORY
