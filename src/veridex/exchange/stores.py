"""Item trials in a directory of parts, so that a killed backtest resumes."""

import hashlib
import io
import json
import os
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import numpy as np

from veridex.core.backtest.folds import ARRAYS, ItemTrial
from veridex.core.backtest.trail import LENGTH, Trail
from veridex.errors import DestinationRefused
from veridex.exchange.open_files import OpenFiles
from veridex.exchange.records import SIZE, head_in, packed, unpacked

__all__ = ["SUFFIX", "PartsDirectory"]

HEAD = b"veridex item trials 5\n"
LINKS, MEMORIES, SIZES = "links", "memories", "memory_sizes"
SUFFIX = ".trials"
MOST_PARTS = 4
"""Files of runs, from which on they are put together."""


class Record(NamedTuple):
    """Where an item trial stands: what is said of it, then its arrays; and what tells it from others of the item."""

    path: Path
    at: int
    size: int
    mark: bytes


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
        self._files = OpenFiles()
        try:
            self._directory.mkdir(parents=True, exist_ok=True)
            for path in self._parts():
                with self._files.stream(path) as file:
                    for item, record in _records_in(file, path):
                        self._records.setdefault(item, []).append(record)
        except OSError as problem:
            raise self._refused(problem) from None

    def held(self, item: str) -> tuple[ItemTrial, ...]:
        """The trials of an item, the newest first."""
        found = (self._read(record) for record in reversed(self._records.get(item, [])))
        return tuple(one for one in found if one is not None)

    def keep(self, one: ItemTrial) -> None:
        """Add the trial of an item behind the others.

        Raises
        ------
        DestinationRefused
            If it cannot be written.
        """
        arrays = {name: getattr(one, name) for name in ARRAYS} | _trail_arrays(one)
        said = {"item": one.item, "keys": one.keys, "lost": one.lost}
        try:
            record = self._add(packed(said, arrays), _mark(said))
        except OSError as problem:
            raise self._refused(problem) from None
        self._records.setdefault(one.item, []).append(record)

    def newest(self, item: str) -> ItemTrial | None:
        """The newest trial of an item; None where there is none, or it is not what was written."""
        records = self._records.get(item)
        return None if records is None else self._read(records[-1])

    def keys(self, item: str) -> tuple[str, ...]:
        """The keys of the newest trial of an item, those of what was lost empty."""
        said = self._said(self._records[item][-1]) if item in self._records else None
        if said is None:
            return ()
        return tuple("" if lost else key for key, lost in zip(said["keys"], said["lost"], strict=True))

    def seal(self, items: Sequence[str]) -> str:
        """What tells the newest trials of items from any others: their keys, and what of them was lost."""
        marks = (self._records[item][-1].mark if item in self._records else b"" for item in items)
        return hashlib.sha256(b"\n".join(marks)).hexdigest()

    def newest_only(self, items: Sequence[str]) -> None:
        """Keep the newest trial of each item, where there are many files or most of what they hold is older.

        Raises
        ------
        DestinationRefused
            If the directory cannot be written.
        """
        try:
            parts = self._parts()
            if len(parts) <= MOST_PARTS and sum(map(len, self._records.values())) <= 2 * len(items):
                return
            self._part = None
            for item in items:
                self._records[item] = [self._copied(self._records[item][-1])]
            for path in parts:
                self._files.forget(path)
                path.unlink(missing_ok=True)
        except OSError as problem:
            raise self._refused(problem) from None

    def _copied(self, record: Record) -> Record:
        """Add what a record holds once more."""
        return self._add(self._files.read(record.path, record.at, record.size), record.mark)

    def _parts(self) -> list[Path]:
        """The files of all runs, the oldest first."""
        return sorted(self._directory.glob(f"*{SUFFIX}"), key=lambda one: (one.stat().st_mtime_ns, one.name))

    def _add(self, record: bytes, mark: bytes) -> Record:
        with self._open() as file:
            at = file.tell()
            file.write(record)
        assert self._part is not None
        return Record(self._part, at, len(record), mark)

    def _open(self) -> BinaryIO:
        """The part of this run, which no other run writes to."""
        if self._part is None:
            handle, name = tempfile.mkstemp(prefix="part-", suffix=SUFFIX, dir=self._directory)
            with os.fdopen(handle, "wb") as file:
                file.write(HEAD)
            self._part = Path(name)
        return self._part.open("ab")

    def _said(self, record: Record) -> dict[str, Any] | None:
        """What stands before the trial in a record; None where it cannot be read."""
        try:
            size = self._files.read(record.path, record.at, SIZE)
            line = int.from_bytes(size, "little")
            return head_in(io.BytesIO(size + self._files.read(record.path, record.at + SIZE, line)))
        except OSError:
            return None

    def _read(self, record: Record) -> ItemTrial | None:
        """The trial in a record; None where it is not what was written."""
        try:
            whole = unpacked(io.BytesIO(self._files.read(record.path, record.at, record.size)))
            return None if whole is None else _trial_of(*whole)
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def _refused(self, problem: OSError) -> DestinationRefused:
        text = problem.strerror or str(problem)
        return DestinationRefused(str(self._directory), text, "Name another directory.")


def _records_in(file: BinaryIO, path: Path) -> Iterator[tuple[str, Record]]:
    """The records of a part with their items, up to the first that is not whole."""
    if file.read(len(HEAD)) != HEAD:
        return
    whole = os.fstat(file.fileno()).st_size
    at = file.tell()
    while (said := head_in(file)) is not None:
        end = file.tell() + said["size"]
        if end > whole:
            return
        yield said["item"], Record(path, at, end - at, _mark(said))
        at = file.seek(end)


def _mark(said: Mapping[str, Any]) -> bytes:
    """A few bytes for the keys of an item trial."""
    told = json.dumps([said["item"], list(said["keys"]), [bool(lost) for lost in said["lost"]]])
    return hashlib.blake2b(told.encode(), digest_size=12).hexdigest().encode()


def _trail_arrays(one: ItemTrial) -> dict[str, Any]:
    """A trail as arrays: links by method and fold, memories behind each other."""
    if one.trail is None:
        return {}
    memories = one.trail.memories
    return {
        LINKS: np.frombuffer(b"".join(b"".join(own) for own in one.trail.links), dtype=np.uint8),
        MEMORIES: np.concatenate(memories) if memories else np.empty(0),
        SIZES: np.array([memory.size for memory in memories], dtype=np.int64),
    }


def _trail(found: Mapping[str, Any]) -> Trail:
    """The trail that arrays hold."""
    sizes, links = found[SIZES], found[LINKS].tobytes()
    own = [links[at : at + LENGTH] for at in range(0, len(links), LENGTH)]
    folds = len(own) // max(sizes.size, 1)
    by_method = tuple(tuple(own[m * folds : (m + 1) * folds]) for m in range(sizes.size))
    return Trail(by_method, tuple(np.split(found[MEMORIES], np.cumsum(sizes)[:-1])))


def _trial_of(said: Mapping[str, Any], found: Mapping[str, Any]) -> ItemTrial:
    """The trial that a record holds."""
    trail = _trail(found) if LINKS in found else None
    own = {name: found[name] for name in ARRAYS}
    return ItemTrial(item=said["item"], keys=tuple(said["keys"]), trail=trail, **own)
