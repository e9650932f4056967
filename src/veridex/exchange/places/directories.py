"""Directories of files that appear whole or not at all, sealed by digests."""

import ctypes
import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import BinaryIO

from veridex.errors import DestinationRefused, StoreError
from veridex.staged import StagedPath, settle

__all__ = ["SEAL", "StagedDirectory", "Torn", "open_directory", "read_directory", "refuse_directory"]

SEAL = "seal.json"
"""The file that holds the digests of all others: what was edited, cut or swapped does not fit it."""

EXCHANGE, HERE = 2, -100
TRIES = 20
"""A reader beside a writer may find one file of the old set and one of the new: it looks again, so many times."""


class Torn(StoreError):
    """The files of a directory do not belong together."""


class StagedDirectory(StagedPath):
    """Files in a directory, sealed; earlier ones of the same names are replaced.

    Parameters
    ----------
    target : Path
    fill : callable
        Given the directory, writes the files into it.
    """

    def __init__(self, target: Path, fill: Callable[[Path], None]) -> None:
        self._filler = fill
        self._stage: Path | None = None
        self._replaced = False
        super().__init__(target)

    def _fill(self) -> None:
        self._stage = Path(tempfile.mkdtemp(prefix=self._prefix, dir=self._place.parent))
        self._new.mkdir()
        self._filler(self._new)
        files = (path for path in self._new.rglob("*") if path.is_file())
        names = sorted(path.relative_to(self._new).as_posix() for path in files)
        seal = {name: _digest(self._new / name) for name in names}
        (self._new / SEAL).write_text(json.dumps(seal, indent=1) + "\n", encoding="utf-8")
        for name in (*names, SEAL):
            settle(self._new / name)

    @property
    def _new(self) -> Path:
        assert self._stage is not None
        return self._stage / "new"

    def commit(self) -> None:
        """Put it into its place; whatever fails, one whole directory stands there."""
        try:
            self._replaced = _swap(self._new, self._place)
        except OSError as problem:
            raise self._refused(problem) from None

    def undo(self) -> None:
        """Put the old one back; where there was none, none is left."""
        if self._replaced:
            _swap(self._new, self._place)
        else:
            os.replace(self._place, self._new)

    def close(self) -> None:
        """Remove what is left beside the place."""
        if self._stage is not None:
            shutil.rmtree(self._stage, ignore_errors=True)


def read_directory(source: Path, names: tuple[str, ...]) -> dict[str, bytes]:
    """The contents of files that were written together; see `open_directory`."""
    with ExitStack() as stack:
        opened = open_directory(source, names)
        return {name: stack.enter_context(file).read() for name, file in opened.items()}


def open_directory(source: Path, names: tuple[str, ...]) -> dict[str, BinaryIO]:
    """Files that were written together, open: what another writer puts there meanwhile does not touch them.

    Raises
    ------
    OSError
        If one is not there.
    Torn
        If they are not what was written: edited, cut, or of different publications.
    """
    problem = "it holds no seal"
    for _ in range(TRIES):
        with ExitStack() as stack:
            seal_text = (source / SEAL).read_bytes()
            opened = {name: stack.enter_context((source / name).open("rb")) for name in names}
            try:
                seal = json.loads(seal_text)
            except ValueError:
                continue
            digests = {name: hashlib.file_digest(file, "sha256").hexdigest() for name, file in opened.items()}
            wrong = [name for name in names if not isinstance(seal, dict) or seal.get(name) != digests[name]]
            if not wrong:
                for file in opened.values():
                    file.seek(0)
                stack.pop_all()
                return dict(opened)
            problem = f"{wrong[0]} is not what was written"
    raise Torn(problem)


def refuse_directory(target: Path, names: set[str], ours: Callable[[Path], bool] = lambda _: False) -> None:
    """Raise `DestinationRefused` where files of these names must not be written, or what is there is not ours."""
    if target.exists() and not target.is_dir():
        raise DestinationRefused(str(target), "this is a file", "Name a directory.")
    nearest = next(parent for parent in (target.absolute(), *target.absolute().parents) if parent.exists())
    if not os.access(nearest, os.W_OK) or not nearest.is_dir():
        raise DestinationRefused(str(target), f"{nearest} cannot be written to", "Name another directory.")
    there = list(target.iterdir()) if target.is_dir() else []
    if others := sorted({one.name for one in there if not ours(one)} - names - {SEAL}):
        found = ", ".join(others[:3])
        raise DestinationRefused(str(target), f"it holds other files ({found})", "Name a new or an empty directory.")


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _swap(new: Path, target: Path) -> bool:
    """Put a directory in the target's place; whether one stood there, which is now where the new one was."""
    if not target.exists():
        try:
            os.replace(new, target)
            return False
        except OSError:
            if not target.exists():  # else another writer was faster: its directory is replaced
                raise
    if _exchanged(new, target):
        return True
    aside = new.with_name("aside")
    os.replace(target, aside)
    try:
        os.replace(new, target)
    except OSError:
        os.replace(aside, target)
        raise
    os.replace(aside, new)
    return True


def _exchanged(one: Path, other: Path) -> bool:
    """Exchange two directories in one step, where the system can: no moment has neither."""
    try:
        rename = ctypes.CDLL(None, use_errno=True).renameat2
    except (AttributeError, OSError, TypeError):
        return False
    return bool(rename(HERE, os.fsencode(one), HERE, os.fsencode(other), EXCHANGE) == 0)
