"""What all places have in common that are a file or a directory."""

import os
from collections.abc import Mapping
from pathlib import Path

from veridex.exchange.kept import Form
from veridex.staged import refuse_file

__all__ = ["FilePlace", "PathPlace"]


class PathPlace:
    """A path, where another writer replaces what is there; see `Place`.

    Parameters
    ----------
    target : Path
    """

    numbered = waits = False

    def __init__(self, target: Path) -> None:
        self._target = target
        self.shown, self.same = str(target), os.path.realpath(target)

    def room(self, rows: Mapping[str, int]) -> None:
        """There is always room."""

    def numbers(self, form: Form) -> tuple[int, ...]:
        """Nothing is numbered."""
        return ()

    def occupied(self, form: Form) -> bool:
        """Whether it is there."""
        return self._target.exists()


class FilePlace(PathPlace):
    """A path of one file."""

    def check(self, form: Form) -> None:
        """Refuse what cannot be written to."""
        refuse_file(self._target)
