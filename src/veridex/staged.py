"""Single files that appear whole or not at all, however many write them at once."""

import glob
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from veridex.errors import DestinationRefused

__all__ = ["StagedFile", "StagedPath", "refuse_file", "replace_file", "replace_text", "settle", "sweep"]


ROOMY = 180
"""Bytes of a name that may be made longer."""


class StagedPath:
    """Something that stands beside its place under a name of its own; see `Staged`.

    A link stays a link: what it points to is replaced. Of two writers the later one wins, whole.

    Parameters
    ----------
    target : Path

    Raises
    ------
    DestinationRefused
        If it cannot be written; what was there before stays.
    """

    def __init__(self, target: Path) -> None:
        self._target, self._place = target, Path(os.path.realpath(target))
        try:
            self._place.parent.mkdir(parents=True, exist_ok=True)
            sweep(self._place)
            self._fill()
        except OSError as problem:
            self.close()
            raise self._refused(problem) from None
        except BaseException:
            self.close()
            raise

    def _fill(self) -> None:
        """Write it beside its place."""

    def close(self) -> None:
        """Remove what is left beside the place."""

    @property
    def _prefix(self) -> str:
        """What names beside the place begin with; they tell whose it is."""
        return f".{_short(self._place)}-{os.getpid()}-"

    def _refused(self, problem: OSError) -> DestinationRefused:
        return DestinationRefused(str(self._target), problem.strerror or str(problem), "Nothing was written.")


class StagedFile(StagedPath):
    """A file that a function writes, given its path."""

    def __init__(self, target: Path, writer: Callable[[Path], None]) -> None:
        self._writer = writer
        self._stage: Path | None = None
        self._old: Path | None = None
        super().__init__(target)

    def _fill(self) -> None:
        handle, name = tempfile.mkstemp(prefix=self._prefix, suffix=self._place.suffix, dir=self._place.parent)
        os.close(handle)
        self._stage = Path(name)
        self._writer(self._stage)
        self._stage.chmod(0o644)
        settle(self._stage)

    def commit(self) -> None:
        """Put it into its place in one step; what stood there is kept beside it until all is done."""
        assert self._stage is not None
        try:
            if self._place.exists():
                old = self._stage.with_name(f"{self._stage.name}-old")
                os.link(self._place, old)
                self._old = old
        except OSError:
            pass  # a disk without links: then there is no way back
        try:
            os.replace(self._stage, self._place)
        except OSError as problem:
            raise self._refused(problem) from None

    def undo(self) -> None:
        """Put the old one back; where there was none, none is left."""
        if self._old is not None:
            os.replace(self._old, self._place)
        else:
            self._place.unlink(missing_ok=True)

    def close(self) -> None:
        """Remove what is left beside the place."""
        for left in (self._stage, self._old):
            if left is not None:
                left.unlink(missing_ok=True)


def replace_file(target: Path, writer: Callable[[Path], None]) -> Path:
    """Write a file and put it into its place, as `StagedFile` does."""
    staged = StagedFile(target, writer)
    try:
        staged.commit()
    finally:
        staged.close()
    return target


def replace_text(target: Path, text: str) -> Path:
    """Write a text as a file, in UTF-8, as `replace_file` does."""

    def write(path: Path) -> None:
        path.write_text(text, encoding="utf-8", newline="")

    return replace_file(target, write)


def sweep(place: Path) -> None:
    """Remove what writers that were killed have left beside a place; its name says whose it was."""
    called = _short(place)
    for left in place.parent.glob(f".{glob.escape(called)}-*-*"):
        owner = left.name.removeprefix(f".{called}-").partition("-")[0]
        if owner.isdigit() and not _alive(int(owner)):
            if left.is_dir():
                shutil.rmtree(left, ignore_errors=True)
            else:
                left.unlink(missing_ok=True)


def _short(place: Path) -> str:
    """A name that leaves room for what is put behind it: disks hold names of 255 bytes."""
    if len(os.fsencode(place.name)) <= ROOMY:
        return place.name
    return f"{place.name[:40]}~{hashlib.sha256(os.fsencode(place.name)).hexdigest()[:16]}"


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def settle(path: Path) -> None:
    """Have the system write a file out, so that a full disk is noticed before the old one goes."""
    with path.open("rb") as file:
        os.fsync(file.fileno())


def refuse_file(target: Path) -> None:
    """Raise `DestinationRefused` where no file can be put, before any work is done."""
    if target.is_dir():
        raise DestinationRefused(str(target), "this is a directory", "Name a file.")
    place = Path(os.path.realpath(target))
    nearest = next(parent for parent in (place.parent, *place.parent.parents) if parent.exists())
    if not nearest.is_dir() or not os.access(nearest, os.W_OK):
        raise DestinationRefused(str(target), f"{nearest} cannot be written to", "Name another place.")
