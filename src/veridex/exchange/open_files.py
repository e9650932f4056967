"""Files that stay open for reading: what others put into their place meanwhile does not touch what is read."""

import os
import weakref
from pathlib import Path
from typing import Any, BinaryIO

__all__ = ["OpenFiles"]


class OpenFiles:
    """Files by their paths, each opened when it is first read; in another process they are opened anew."""

    def __init__(self) -> None:
        self._handles: dict[Path, int] = {}
        weakref.finalize(self, _close, self._handles)

    def __getstate__(self) -> dict[str, Any]:
        return {}

    def __setstate__(self, _: dict[str, Any]) -> None:
        self.__init__()  # type: ignore[misc]

    def read(self, path: Path, at: int, size: int) -> bytes:
        """So many bytes from a place in a file on, or as many as there are."""
        if hasattr(os, "pread"):
            return os.pread(self._handle(path), size, at)
        with path.open("rb") as file:
            file.seek(at)
            return file.read(size)

    def stream(self, path: Path) -> BinaryIO:
        """All of a file, from its begin on."""
        if not hasattr(os, "pread"):  # a system that lets nobody move what is open
            return path.open("rb")
        file = os.fdopen(os.dup(self._handle(path)), "rb")
        file.seek(0)
        return file

    def forget(self, path: Path) -> None:
        """Close a file."""
        if path in self._handles:
            os.close(self._handles.pop(path))

    def _handle(self, path: Path) -> int:
        if path not in self._handles:
            self._handles[path] = os.open(path, os.O_RDONLY | getattr(os, "O_BINARY", 0))
        return self._handles[path]


def _close(handles: dict[Path, int]) -> None:
    while handles:
        os.close(handles.popitem()[1])
