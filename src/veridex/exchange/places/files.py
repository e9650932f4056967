"""Single files that appear whole or not at all, however many write them at once."""

import glob
import os
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path

from veridex.errors import DestinationRefused

__all__ = ["refuse_file", "replace_file", "replace_text", "settle", "sweep"]


def replace_file(target: Path, writer: Callable[[Path], None]) -> Path:
    """Write a file beside its place under a name of its own, then put it there in one step.

    A link stays a link: what it points to is replaced. Of two writers the later one wins, whole.

    Raises
    ------
    DestinationRefused
        If it cannot be written; what was there before stays.
    """
    place = Path(os.path.realpath(target))
    stage = None
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        sweep(place)
        prefix = f".{place.name}-{os.getpid()}-"
        handle, name = tempfile.mkstemp(prefix=prefix, suffix=place.suffix, dir=place.parent)
        os.close(handle)
        stage = Path(name)
        writer(stage)
        stage.chmod(0o644)
        settle(stage)
        os.replace(stage, place)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Nothing was written.") from None
    finally:
        if stage is not None:
            stage.unlink(missing_ok=True)
    return target


def replace_text(target: Path, text: str) -> Path:
    """Write a text as a file, in UTF-8, as `replace_file` does."""

    def write(path: Path) -> None:
        path.write_text(text, encoding="utf-8")

    return replace_file(target, write)


def sweep(place: Path) -> None:
    """Remove what writers that were killed have left beside a place; its name says whose it was."""
    for left in place.parent.glob(f".{glob.escape(place.name)}-*-*"):
        owner = left.name.removeprefix(f".{place.name}-").partition("-")[0]
        if owner.isdigit() and not _alive(int(owner)):
            if left.is_dir():
                shutil.rmtree(left, ignore_errors=True)
            else:
                left.unlink(missing_ok=True)


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
