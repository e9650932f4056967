"""Which places there are, told by how a destination is written; what none of them serves is refused."""

from pathlib import Path

from veridex.errors import DestinationRefused
from veridex.exchange.places.directories import refuse_directory
from veridex.exchange.places.files import refuse_file

__all__ = ["checked_directory", "checked_file"]

FILES = {".csv": "CSV", ".parquet": "Parquet", ".json": "JSON"}
"""Endings of single files, and what they hold."""

OTHER_FILES = (".xlsx", ".xls", ".ods", ".db", ".sqlite", ".feather", ".html", ".zip", ".gz")
"""Endings that name files of another kind: a directory is not meant by them."""


def checked_directory(destination: str | Path, names: set[str], what: str) -> Path:
    """The directory that holds tables of these names.

    Raises
    ------
    DestinationRefused
        If it is no directory's name, holds anything else, or cannot be written.
    """
    target = _path(destination, what, "a directory")
    if target.suffix.lower() in (*FILES, *OTHER_FILES) and not target.is_dir():
        raise _unserved(destination, what, "a directory")
    refuse_directory(target, names)
    return target


def checked_file(destination: str | Path, endings: tuple[str, ...], what: str) -> Path:
    """The file that is meant, of one of these endings.

    Raises
    ------
    DestinationRefused
        If its ending is another, or it cannot be written.
    """
    kinds = " or ".join(f"a file ending in {ending}" for ending in endings)
    target = _path(destination, what, kinds)
    if target.suffix.lower() not in endings or target.is_dir():
        raise _unserved(destination, what, kinds)
    refuse_file(target)
    return target


def _path(destination: str | Path, what: str, served: str) -> Path:
    if "://" in str(destination):
        raise _unserved(destination, what, served)
    return Path(destination)


def _unserved(destination: str | Path, what: str, served: str) -> DestinationRefused:
    return DestinationRefused(str(destination), f"no place of this kind keeps {what}", f"Name {served}.")
