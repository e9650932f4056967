"""Directories of files that appear whole or not at all."""

import os
import shutil
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

from veridex.errors import DestinationRefused

__all__ = ["refuse_directory", "write_directory"]


def write_directory(target: Path, files: Mapping[str, Callable[[Path], None]]) -> Path:
    """Write files into a directory, all or nothing; earlier ones of the same names are replaced.

    Parameters
    ----------
    target : Path
    files : mapping of str to callable
        What writes each file, given its path.

    Raises
    ------
    DestinationRefused
        If the directory holds other files, or cannot be written.
    """
    refuse_directory(target, set(files))
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        stage = Path(tempfile.mkdtemp(prefix=f".{target.name}-", dir=target.parent))
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another directory.") from None
    try:
        stage.chmod(0o755)
        for name, writer in files.items():
            writer(stage / name)
        _swap(stage, target)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Nothing was written.") from None
    finally:
        shutil.rmtree(stage, ignore_errors=True)
    return target


def refuse_directory(target: Path, names: set[str]) -> None:
    """Raise `DestinationRefused` where files of these names must not be written."""
    if target.exists() and not target.is_dir():
        raise DestinationRefused(str(target), "this is a file", "Name a directory.")
    nearest = next(parent for parent in (target.absolute(), *target.absolute().parents) if parent.exists())
    if not os.access(nearest, os.W_OK) or not nearest.is_dir():
        raise DestinationRefused(str(target), f"{nearest} cannot be written to", "Name another directory.")
    if target.is_dir() and (others := sorted({p.name for p in target.iterdir()} - names)):
        found = ", ".join(others[:3])
        raise DestinationRefused(str(target), f"it holds other files ({found})", "Name a new or an empty directory.")


def _swap(stage: Path, target: Path) -> None:
    """Put the staged directory in the target's place; whatever fails, one whole directory stands there."""
    if not target.exists():
        os.replace(stage, target)
        return
    aside = Path(tempfile.mkdtemp(prefix=f".{target.name}-old-", dir=target.parent))
    os.replace(target, aside / "old")
    try:
        os.replace(stage, target)
    except OSError:
        os.replace(aside / "old", target)
        raise
    finally:
        shutil.rmtree(aside, ignore_errors=True)
