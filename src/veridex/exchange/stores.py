"""Item trials in a directory of parts, so that a killed backtest resumes."""

import hashlib
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
from veridex.exchange.records import head_in, packed, unpacked

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
        try:
            self._directory.mkdir(parents=True, exist_ok=True)
            for path in self._parts():
                for said, record in _records_in(path):
                    self._records.setdefault(said["item"], []).append(record)
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
        return None if records is None else _read(records[-1])

    def keys(self, item: str) -> tuple[str, ...]:
        """The keys of the newest trial of an item, those of what was lost empty."""
        said = _said(self._records[item][-1]) if item in self._records else None
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
                path.unlink(missing_ok=True)
        except OSError as problem:
            raise self._refused(problem) from None

    def _copied(self, record: Record) -> Record:
        """Add what a record holds once more."""
        with record.path.open("rb") as file:
            file.seek(record.at)
            head = head_in(file)
            assert head is not None
            end = file.tell() + int(head["size"])
            file.seek(record.at)
            return self._add(file.read(end - record.at), record.mark)

    def _parts(self) -> list[Path]:
        """The files of all runs, the oldest first."""
        return sorted(self._directory.glob(f"*{SUFFIX}"), key=lambda one: (one.stat().st_mtime_ns, one.name))

    def _add(self, record: bytes, mark: bytes) -> Record:
        with self._open() as file:
            at = file.tell()
            file.write(record)
        assert self._part is not None
        return Record(self._part, at, mark)

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


def _records_in(path: Path) -> Iterator[tuple[dict[str, Any], Record]]:
    """The records of a part with what is said of them, up to the first that is not whole."""
    with path.open("rb") as file:
        if file.read(len(HEAD)) != HEAD:
            return
        end = path.stat().st_size
        at = file.tell()
        while (said := head_in(file)) is not None:
            if file.tell() + said["size"] > end:
                return
            yield said, Record(path, at, _mark(said))
            at = file.seek(said["size"], os.SEEK_CUR)


def _mark(said: Mapping[str, Any]) -> bytes:
    """A few bytes for the keys of an item trial."""
    told = json.dumps([said["item"], list(said["keys"]), [bool(lost) for lost in said["lost"]]])
    return hashlib.blake2b(told.encode(), digest_size=12).hexdigest().encode()


def _said(record: Record) -> dict[str, Any] | None:
    """What stands before the trial in a record; None where it cannot be read."""
    try:
        with record.path.open("rb") as file:
            file.seek(record.at)
            return head_in(file)
    except OSError:
        return None


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


def _read(record: Record) -> ItemTrial | None:
    """The trial in a record; None where it is not what was written."""
    try:
        with record.path.open("rb") as file:
            file.seek(record.at)
            whole = unpacked(file)
        if whole is None:
            return None
        said, found = whole
        trail = _trail(found) if LINKS in found else None
        own = {name: found[name] for name in ARRAYS}
        return ItemTrial(item=said["item"], keys=tuple(said["keys"]), trail=trail, **own)
    except (OSError, ValueError, KeyError, TypeError):
        return None
