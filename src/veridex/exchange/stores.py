"""Item trials in a directory of parts, so that a killed backtest resumes."""

import hashlib
import io
import json
import os
import tempfile
from collections.abc import Collection, Iterator, Mapping
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple
from zipfile import BadZipFile

import numpy as np

from veridex.core.backtest.folds import ARRAYS, ItemTrial, digest_of
from veridex.errors import DestinationRefused

__all__ = ["PartsDirectory"]

HEAD = b"veridex item trials 1\n"
SUFFIX = ".trials"
SIZE = 8
"""Bytes of a length."""


class Record(NamedTuple):
    """Where an item trial stands."""

    path: Path
    at: int
    said: dict[str, Any]


class PartsDirectory:
    """Item trials one behind the other in files, a file per run; what was cut off at the end of one is not used.

    Parameters
    ----------
    directory : str or Path
        Made where it is not there. Trials of other items, methods or values stay and are not used.

    Raises
    ------
    DestinationRefused
        If the directory cannot be made or read.
    """

    def __init__(self, directory: str | Path) -> None:
        self._directory = Path(directory)
        self._part: Path | None = None
        self._records: dict[str, list[Record]] = {}
        try:
            self._directory.mkdir(parents=True, exist_ok=True)
            for path in self._parts():
                for item, record in _records_in(path):
                    self._records.setdefault(item, []).append(record)
        except OSError as problem:
            raise self._refused(problem) from None

    def held(self, item: str) -> tuple[ItemTrial, ...]:
        """The trials of an item, the newest first."""
        found = (_read(record) for record in reversed(self._records.get(item, [])))
        return tuple(one for one in found if one is not None)

    def keep(self, one: ItemTrial) -> None:
        """Add the trial of an item behind the others.

        Raises
        ------
        DestinationRefused
            If it cannot be written.
        """
        target = io.BytesIO()
        np.savez(target, **{name: getattr(one, name) for name in ARRAYS})
        body = target.getvalue()
        said = {"item": one.item, "keys": one.keys, "size": len(body), "digest": _digest(body)}
        try:
            self._add(said, body)
        except OSError as problem:
            raise self._refused(problem) from None

    def compact(self, wanted: Collection[str]) -> None:
        """Keep the trials with these keys, each once; the others go where they take more than half of the room.

        Raises
        ------
        DestinationRefused
            If the directory cannot be written.
        """
        try:
            parts = {path: [record for _, record in _records_in(path)] for path in self._parts()}
            held = {_key(record): record for records in parts.values() for record in records}
            useful = [record for key, record in held.items() if key in wanted]
            if 2 * sum(record.said["size"] for record in useful) < sum(path.stat().st_size for path in parts):
                self._part = None
                for record in useful:
                    self._add(record.said, _body(record))
                kept = set() if self._part is None else {self._part}
            else:
                kept = {record.path for record in useful}
            for path in parts.keys() - kept:
                path.unlink(missing_ok=True)
        except OSError as problem:
            raise self._refused(problem) from None

    def _parts(self) -> list[Path]:
        """The files of all runs, the oldest first."""
        return sorted(self._directory.glob(f"*{SUFFIX}"), key=lambda one: (one.stat().st_mtime_ns, one.name))

    def _add(self, said: Mapping[str, Any], body: bytes) -> None:
        head = json.dumps(said, ensure_ascii=False).encode()
        with self._open() as file:
            file.write(len(head).to_bytes(SIZE, "little") + head + body)

    def _open(self) -> BinaryIO:
        """The part of this run, which no other run writes to."""
        if self._part is None:
            handle, name = tempfile.mkstemp(prefix="part-", suffix=SUFFIX, dir=self._directory)
            with os.fdopen(handle, "wb") as file:
                file.write(HEAD)
            self._part = Path(name)
        return self._part.open("ab")

    def _refused(self, problem: OSError) -> DestinationRefused:
        text = problem.strerror or str(problem)
        return DestinationRefused(str(self._directory), text, "Name another directory.")


def _digest(body: bytes) -> str:
    return hashlib.sha256(body).hexdigest()


def _records_in(path: Path) -> Iterator[tuple[str, Record]]:
    """The records of a part, up to the first that is not whole."""
    with path.open("rb") as file:
        if file.read(len(HEAD)) != HEAD:
            return
        end = path.stat().st_size
        while (said := _head(file)) is not None:
            at = file.tell()
            if at + said["size"] > end:
                return
            yield said["item"], Record(path, at, said)
            file.seek(said["size"], os.SEEK_CUR)


def _head(file: BinaryIO) -> dict[str, Any] | None:
    """What stands before a trial; None at the end, or where the rest makes no sense."""
    size = int.from_bytes(file.read(SIZE), "little")
    try:
        said = json.loads(file.read(size))
        whole = isinstance(said["item"], str) and isinstance(said["size"], int) and said["size"] > 0
        return said if whole else None
    except (ValueError, KeyError, TypeError, MemoryError, OverflowError):
        return None


def _key(record: Record) -> str:
    """The key of the trial in a record."""
    return digest_of(repr(tuple(record.said["keys"])).encode())


def _body(record: Record) -> bytes:
    """The bytes of the trial in a record."""
    with record.path.open("rb") as file:
        file.seek(record.at)
        return file.read(int(record.said["size"]))


def _read(record: Record) -> ItemTrial | None:
    """The trial in a record; None where it is not what was written."""
    try:
        body = _body(record)
        if _digest(body) != record.said["digest"]:
            return None
        with np.load(io.BytesIO(body)) as found:
            arrays = {name: found[name] for name in ARRAYS}
        return ItemTrial(item=record.said["item"], keys=tuple(record.said["keys"]), **arrays)
    except (OSError, ValueError, KeyError, BadZipFile):
        return None
