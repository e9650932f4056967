"""Which places there are, told by how a destination is written; what none of them serves is refused."""

import os
import re
from collections.abc import Callable
from pathlib import Path

from veridex.errors import DestinationRefused
from veridex.exchange.kept import Form
from veridex.exchange.places.csv_files import CsvDirectory, CsvFile
from veridex.exchange.places.parquet_files import ParquetDirectory, ParquetFile
from veridex.exchange.places.place import Place
from veridex.staged import refuse_file

__all__ = ["checked_file", "moved_address", "place_of"]

OTHER_FILES = (
    *(".json", ".txt", ".tsv", ".pq", ".pkl", ".xls", ".xlsm", ".ods"),
    *(".db", ".sqlite", ".feather", ".html", ".zip", ".gz"),
)
"""Endings that name files of another kind: a directory is not meant by them."""

SQLITE = re.compile(r"(sqlite(?:\+\w+)?:///)(?!/)([^?]+)(.*)")
"""An address with the relative path of a file in it."""

DATABASES = ("sqlite", "postgresql")


def place_of(destination: str | Path, form: Form) -> Place:
    """The place that is meant, if it keeps such values.

    Raises
    ------
    DestinationRefused
        If none does that is written so; it names those that do.
    """
    text = _whole_letters(destination)
    scheme, mark, _ = text.partition("://")
    if mark:
        if scheme.partition("+")[0] not in DATABASES:
            raise _unserved(f"{scheme}://", form)
        from veridex.exchange.places.databases.place import Database  # loads SQLAlchemy

        return Database(text)
    target = Path(destination)
    ending = target.suffix.lower()
    if ending == ".parquet":
        return ParquetFile(target) if form.alone else ParquetDirectory(target)
    if ending == ".xlsx" and not form.lists:
        from veridex.exchange.places.workbooks.place import Workbook

        return Workbook(target)
    if ending == ".csv" and form.alone and not form.lists:
        return CsvFile(target)
    if form.by_item and (not ending or target.is_dir()):
        from veridex.exchange.trial_directories import TrialDirectory  # knows of trials, where places know of none

        return TrialDirectory(target)
    if form.lists or (ending in (*OTHER_FILES, ".csv", ".xlsx") and not target.is_dir()):
        raise _unserved(text, form)
    return CsvDirectory(target)


def moved_address(address: str, move: Callable[[str], str]) -> str:
    """An address as it is seen from elsewhere: the relative path of a SQLite file is moved, all else stays.

    Examples
    --------
    >>> moved_address("sqlite:///sales.db?retain=3", lambda path: f"plans/{path}")
    'sqlite:///plans/sales.db?retain=3'
    """
    found = SQLITE.fullmatch(address)
    return address if found is None else f"{found[1]}{move(found[2])}{found[3]}"


def checked_file(destination: str | Path, ending: str, what: str) -> Path:
    """The file that is meant, of this ending.

    Raises
    ------
    DestinationRefused
        If its ending is another, or it cannot be written.
    """
    target = Path(destination)
    if "://" in _whole_letters(destination) or target.suffix.lower() != ending or target.is_dir():
        problem = f"no place of this kind keeps {what}"
        raise DestinationRefused(str(destination), problem, f"Name a file ending in {ending}.")
    refuse_file(target)
    return target


def _whole_letters(destination: str | Path) -> str:
    """A destination as a text that the names of files can be made of."""
    text = str(destination)
    try:
        os.fsencode(text)
    except UnicodeEncodeError:
        raise DestinationRefused(ascii(text), "its name holds half a letter", "Name it with whole ones.") from None
    return text


def _unserved(shown: str, form: Form) -> DestinationRefused:
    """What keeps such values."""
    named = (
        ["a directory"]
        if form.by_item
        else []
        if form.lists
        else ["a directory (of CSV files)", "a workbook ending in .xlsx"]
    )
    named += ["a file ending in .parquet" if form.alone else "a directory ending in .parquet"]
    named += ["a file ending in .csv"] if form.alone and not form.lists else []
    named += ["a database such as sqlite:///forecasts.db"]
    said = f"Name {', '.join(named[:-1])} or {named[-1]}."
    return DestinationRefused(shown, f"no place of this kind keeps {form.called}", said)
