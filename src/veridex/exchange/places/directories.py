"""Directories of files that appear whole or not at all, sealed by digests."""

import ctypes
import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

from veridex.errors import DestinationRefused, StoreError
from veridex.exchange.places.files import settle, sweep

__all__ = ["SEAL", "Torn", "read_directory", "refuse_directory", "write_directory"]

SEAL = "seal.json"
"""The file that holds the digests of all others: what was edited, cut or swapped does not fit it."""

EXCHANGE, HERE = 2, -100
TRIES = 20
"""A reader beside a writer may find one file of the old set and one of the new: it looks again, so many times."""


class Torn(StoreError):
    """The files of a directory do not belong together."""


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
    place = Path(os.path.realpath(target))
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        sweep(place)
        stage = Path(tempfile.mkdtemp(prefix=f".{place.name}-{os.getpid()}-", dir=place.parent))
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Name another directory.") from None
    try:
        stage.chmod(0o755)
        for name, writer in files.items():
            writer(stage / name)
        seal = {name: _digest((stage / name).read_bytes()) for name in files}
        (stage / SEAL).write_text(json.dumps(seal, indent=1) + "\n", encoding="utf-8")
        for name in (*files, SEAL):
            settle(stage / name)
        _swap(stage, place)
    except OSError as problem:
        raise DestinationRefused(str(target), problem.strerror or str(problem), "Nothing was written.") from None
    finally:
        shutil.rmtree(stage, ignore_errors=True)
    return target


def read_directory(source: Path, names: tuple[str, ...]) -> dict[str, bytes]:
    """The contents of files that were written together.

    Raises
    ------
    OSError
        If one is not there.
    Torn
        If they are not what was written: edited, cut, or of different publications.
    """
    problem = "it holds no seal"
    for _ in range(TRIES):
        held = {name: (source / name).read_bytes() for name in (SEAL, *names)}
        try:
            seal = json.loads(held.pop(SEAL))
        except ValueError:
            continue
        wrong = [name for name in names if not isinstance(seal, dict) or seal.get(name) != _digest(held[name])]
        if not wrong:
            return held
        problem = f"{wrong[0]} is not what was written"
    raise Torn(problem)


def refuse_directory(target: Path, names: set[str]) -> None:
    """Raise `DestinationRefused` where files of these names must not be written."""
    if target.exists() and not target.is_dir():
        raise DestinationRefused(str(target), "this is a file", "Name a directory.")
    nearest = next(parent for parent in (target.absolute(), *target.absolute().parents) if parent.exists())
    if not os.access(nearest, os.W_OK) or not nearest.is_dir():
        raise DestinationRefused(str(target), f"{nearest} cannot be written to", "Name another directory.")
    if target.is_dir() and (others := sorted({p.name for p in target.iterdir()} - names - {SEAL})):
        found = ", ".join(others[:3])
        raise DestinationRefused(str(target), f"it holds other files ({found})", "Name a new or an empty directory.")


def _digest(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def _swap(stage: Path, target: Path) -> None:
    """Put the staged directory in the target's place; whatever fails, one whole directory stands there."""
    if not target.exists():
        try:
            os.replace(stage, target)
            return
        except OSError:
            if not target.exists():  # else another writer was faster: its directory is replaced
                raise
    if _exchanged(stage, target):
        return
    aside = Path(tempfile.mkdtemp(prefix=f".{target.name}-{os.getpid()}-", dir=target.parent))
    os.replace(target, aside / "old")
    try:
        os.replace(stage, target)
    except OSError:
        os.replace(aside / "old", target)
        raise
    finally:
        shutil.rmtree(aside, ignore_errors=True)


def _exchanged(one: Path, other: Path) -> bool:
    """Exchange two directories in one step, where the system can: no moment has neither."""
    try:
        rename = ctypes.CDLL(None, use_errno=True).renameat2
    except (AttributeError, OSError, TypeError):
        return False
    return bool(rename(HERE, os.fsencode(one), HERE, os.fsencode(other), EXCHANGE) == 0)
