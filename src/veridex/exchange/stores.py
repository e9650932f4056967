"""Item trials in a directory of parts, so that a killed backtest resumes."""

import hashlib
import json
import os
import tempfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, BinaryIO, NamedTuple

import numpy as np

from veridex.core.backtest.folds import ARRAYS, ItemTrial
from veridex.core.backtest.trail import LENGTH, Trail
from veridex.errors import DestinationRefused

__all__ = ["PartsDirectory"]

HEAD = b"veridex item trials 4\n"
LINKS, MEMORIES, SIZES = "links", "memories", "memory_sizes"
SUFFIX = ".trials"
MOST_PARTS = 4
"""Files of runs, from which on they are put together."""

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
        arrays = {name: getattr(one, name) for name in ARRAYS} | _trail_arrays(one)
        body = b"".join(np.ascontiguousarray(array).tobytes() for array in arrays.values())
        said = {"item": one.item, "keys": one.keys, "size": len(body), "digest": _digest(body)}
        said["arrays"] = [(name, array.dtype.str, array.shape) for name, array in arrays.items()]
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
            held = {key: record for records in parts.values() for record in records for key in record.said["keys"]}
            useful = list({(record.path, record.at): record for key, record in held.items() if key in wanted}.values())
            room = sum(path.stat().st_size for path in parts)
            if len(parts) > MOST_PARTS or 2 * sum(record.said["size"] for record in useful) < room:
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
    """A checksum that tells a record that was cut or changed; it is faster than one against malice."""
    return hashlib.blake2b(body, digest_size=16).hexdigest()


def _arrays(body: bytes, said: Sequence[tuple[str, str, Sequence[int]]]) -> dict[str, Any]:
    """The arrays that stand behind each other."""
    found, at = {}, 0
    for name, kind, shape in said:
        count = int(np.prod(shape))
        found[name] = np.frombuffer(body, dtype=np.dtype(kind), count=count, offset=at).reshape(shape)
        at += found[name].nbytes
    return found


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


def _body(record: Record) -> bytes:
    """The bytes of the trial in a record."""
    with record.path.open("rb") as file:
        file.seek(record.at)
        return file.read(int(record.said["size"]))


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
        body = _body(record)
        if _digest(body) != record.said["digest"]:
            return None
        found = _arrays(body, record.said["arrays"])
        trail = _trail(found) if LINKS in found else None
        own = {name: found[name] for name in ARRAYS}
        return ItemTrial(item=record.said["item"], keys=tuple(record.said["keys"]), trail=trail, **own)
    except (OSError, ValueError, KeyError, TypeError):
        return None
