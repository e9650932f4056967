"""What a backtest has finished, in a directory, so that a killed one resumes."""

import hashlib
from collections.abc import Mapping
from dataclasses import fields
from importlib.metadata import version
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from veridex.core.backtest.arrays import TrialArrays
from veridex.errors import DestinationRefused
from veridex.exchange.places.files import replace_file

__all__ = ["Checkpoints"]


class Checkpoints:
    """A file per item; its name is made of everything that its results depend on.

    Parameters
    ----------
    directory : str or Path
        Made where it is not there. Files of other items, methods or values stay and are not used.

    Raises
    ------
    DestinationRefused
        If the directory cannot be made.
    """

    def __init__(self, directory: str | Path) -> None:
        self._directory = Path(directory)
        try:
            self._directory.mkdir(parents=True, exist_ok=True)
        except OSError as problem:
            text = problem.strerror or str(problem)
            raise DestinationRefused(str(directory), text, "Name another directory.") from None

    def load(self, key: bytes) -> TrialArrays | None:
        """The results of an item, if it was finished."""
        path = self._path(key)
        if not path.exists():
            return None
        try:
            with path.open("rb") as file, np.load(file) as held:
                return TrialArrays(**{f.name: held[f.name] for f in fields(TrialArrays)})
        except (OSError, ValueError, KeyError, BadZipFile):
            return None  # cut off while it was written: done again

    def save(self, key: bytes, arrays: TrialArrays) -> None:
        """Keep the results of an item: whole or not at all."""
        held = {f.name: getattr(arrays, f.name) for f in fields(TrialArrays)}
        replace_file(self._path(key), lambda path: _save(path, held))

    def _path(self, key: bytes) -> Path:
        digest = hashlib.sha256(version("veridex-demand").encode() + key).hexdigest()
        return self._directory / f"{digest[:32]}.npz"


def _save(path: Path, held: Mapping[str, Any]) -> None:
    with path.open("wb") as file:
        np.savez(file, **held)
