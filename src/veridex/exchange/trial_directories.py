"""Trials in directories, item by item: what a portfolio is tested to be need not fit into memory."""

import hashlib
import json
import os
import warnings
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from itertools import chain
from pathlib import Path
from typing import Any, ClassVar

import pyarrow as pa
from filelock import FileLock, Timeout
from pyarrow import parquet

from veridex.core.backtest import store as stores
from veridex.core.backtest.folds import ARRAYS, FoldArrays, ItemTrial, digest_of
from veridex.core.backtest.minutes import NO_MINUTES, Minutes
from veridex.core.backtest.store import Extent, Kept, Opener, Store, merged, stacked
from veridex.core.backtest.trial import Trial
from veridex.errors import DestinationRefused, TrialUnreadable
from veridex.exchange.forms.trials import TRIAL, head_of, history_rows, history_under, trial_under
from veridex.exchange.homes import DECIDED, PUBLISHED, room_beside
from veridex.exchange.kept import Form, Found, Unfit, line_of
from veridex.exchange.kept import Kept as KeptValue
from veridex.exchange.minutes import KeptMinutes
from veridex.exchange.places.directories import SEAL, StagedDirectory, refuse_directory
from veridex.exchange.places.paths import PathPlace
from veridex.exchange.places.place import Staged
from veridex.exchange.scratch import Scratch
from veridex.exchange.stores import SUFFIX, PartsDirectory
from veridex.staged import StagedFile, replace_file, sweep

__all__ = ["DirectoryStore", "TrialDirectory", "for_a_while", "is_trial_directory", "read_trial_directory"]

HISTORY, CUT, LOCK = "history.parquet", "cut-", "lock"

STAGED = (TRIAL.head_file, HISTORY)
"""Files that stand beside their places before they are shown."""

AT_HAND = 8
"""Items that were asked for last are asked for again: so many stay in memory."""

MEGABYTE = 1e6

TRIES = 3
"""Times that a trial is opened while others put theirs into its place."""


class DirectoryStore:
    """Item trials in a directory of parts; see `Store`.

    Parameters
    ----------
    directory : Path
    names : tuple of str
    extent : Extent
    """

    whole: ClassVar[bool] = False

    def __init__(self, directory: Path, names: tuple[str, ...], extent: Extent) -> None:
        self.directory, self.names, self.extent = directory, names, extent
        self.parts = PartsDirectory(directory)
        self.before: tuple[Kept, ...] = (self.parts,)
        self._places = {name: place for place, name in enumerate(names)}
        self._at_hand: OrderedDict[int, ItemTrial] = OrderedDict()
        self.home: Scratch | None = None

    def __len__(self) -> int:
        return len(self.names)

    def at(self, place: int) -> ItemTrial:
        """The trial of the item at a place.

        Raises
        ------
        TrialUnreadable
            If it is not what was written.
        """
        if place not in self._at_hand:
            self._at_hand[place] = self._read(self.names[place])
            if len(self._at_hand) > AT_HAND:
                self._at_hand.popitem(last=False)
        self._at_hand.move_to_end(place)
        return self._at_hand[place]

    def get(self, item: str) -> ItemTrial | None:
        """The trial of an item, if there is one."""
        return self.at(self._places[item]) if item in self._places else None

    def holds(self, item: str, keys: tuple[str, ...]) -> bool:
        """Whether all of an item is there already, under these keys and with nothing lost."""
        return self.parts.keys(item) == keys

    def put(self, one: ItemTrial, methods: Sequence[int]) -> None:
        """Put in the results of some methods of an item, at these places of the lineup."""
        before = None if len(methods) == self.extent.methods else self.parts.newest(one.item)
        self._at_hand.pop(self._places[one.item], None)
        self.parts.keep(merged(before, one, methods, self.extent))

    def blocks(self) -> Iterator[tuple[int, FoldArrays]]:
        """Arrays of items that stand behind each other, with the place of the first."""
        for first in range(0, len(self), stores.BLOCK):
            yield first, stacked([self.at(place) for place in range(first, min(first + stores.BLOCK, len(self)))])

    def results(self) -> Iterator[bytes]:
        """What each item's results depend on."""
        return ("".join(self.parts.keys(name)).encode() for name in self.names)

    def minutes(self, said: str, others: Sequence[Store]) -> Minutes:
        """Where what is said while a verdict is reached is kept until it is, by all that it depends on."""
        if self.home is not None:
            return NO_MINUTES
        own = chain.from_iterable(one.results() for one in (self, *others) if isinstance(one, DirectoryStore))
        key = digest_of(said.encode(), "\n".join(self.names).encode(), *own)
        home = room_beside(self.directory, DECIDED, key)
        return NO_MINUTES if home is None else KeptMinutes(home)

    def finish(self) -> None:
        """Let older trials go where they take most of the room."""
        self.parts.newest_only(self.names)

    @property
    def arrays(self) -> FoldArrays:
        """All of it in memory, which is said."""
        bytes_of = sum(getattr(self.at(0), name).nbytes for name in ARRAYS)
        size = bytes_of * len(self) / MEGABYTE
        said = f"loading all {len(self):,} items of {self.directory}: {size:,.0f} MB; trial[item] loads one"
        warnings.warn(said, stacklevel=3)
        return stacked([self.at(place) for place in range(len(self))]).locked()

    def _read(self, item: str) -> ItemTrial:
        found, extent = self.parts.newest(item), self.extent
        if found is None or found.points.shape != (extent.methods, extent.origins, extent.horizon):
            known = "is not what was written, or was replaced since it was opened"
            raise TrialUnreadable(str(self.directory), f"what it holds of {item!r} {known}")
        return found


class TrialDirectory(PathPlace):
    """A directory with a trial in it: a head, the history, item trials in parts, and the same of cut ones; see `Place`.

    A backtest writes it as it goes; the head comes last, so that what was killed is no trial, and is gone on with.
    """

    def check(self, form: Form) -> None:
        """Refuse a directory with other files in it; what killed writers have left there goes."""
        for place in (self._target, *self._target.glob(f"{CUT}*")):
            for name in STAGED:
                sweep(place / name)
        refuse_directory(self._target, {form.head_file, HISTORY}, _is_ours)

    @contextmanager
    def held(self) -> Iterator[None]:
        """Keep other backtests out while one is written here.

        Raises
        ------
        DestinationRefused
            If there is one already, or the directory cannot be made.
        """
        try:
            self._target.mkdir(parents=True, exist_ok=True)
            lock = FileLock(self._target / LOCK)
            lock.acquire(timeout=0)
        except Timeout:
            busy = "another backtest is being written there"
            raise DestinationRefused(self.shown, busy, "Wait for it, or name another directory.") from None
        except OSError as problem:
            said = problem.strerror or str(problem)
            raise DestinationRefused(self.shown, said, "Check that it can be written.") from None
        try:
            yield
        finally:
            lock.release()

    def opened(self, number: int, names: tuple[str, ...], extent: Extent) -> DirectoryStore:
        """The store of a trial that is written here, or of one of its cuts; see `Opener`."""
        if not number:
            (self._target / TRIAL.head_file).unlink(missing_ok=True)
        return DirectoryStore(_place_of(self._target, number), names, extent)

    def stage(self, kept: KeptValue) -> Staged:
        """Write all of it beside the directory; of a trial that is in it already the head."""
        trial: Trial = kept.value
        if _lives_in(trial, self._target):
            _write_histories(trial, self._target)
            own = [one.store.parts for one in (trial, *trial.cuts) if isinstance(one.store, DirectoryStore)]
            return StagedFile(self._target / kept.form.head_file, lambda path: _write_head(trial, path, own))

        def fill(stage: Path) -> None:
            parts = []
            for number, one in enumerate((trial, *trial.cuts)):
                store = DirectoryStore(_place_of(stage, number), one.history.names, one.store.extent)
                for own in one:
                    store.put(own, range(one.store.extent.methods))
                parts.append(store.parts)
            _write_histories(trial, stage)
            _write_head(trial, stage / kept.form.head_file, parts)

        return StagedDirectory(self._target, fill)

    def head(self, form: Form) -> dict[str, Any] | None:
        """What the head says; None where there is none that can be read."""
        try:
            return _read_head(self._target)
        except (OSError, ValueError):
            return None

    def holds(self, form: Form) -> bool:
        """Whether a head of this version is there."""
        return (self.head(form) or {}).get("format") == form.version

    def found(self, form: Form) -> Found:
        """A trial is read item by item, not as tables."""
        raise Unfit("it is read with read_trial")


def for_a_while() -> Opener:
    """Stores in a temporary directory, which goes with them."""
    home = Scratch("tested")

    def opened(number: int, names: tuple[str, ...], extent: Extent) -> DirectoryStore:
        store = TrialDirectory(home.path).opened(number, names, extent)
        store.home = home
        return store

    return opened


def is_trial_directory(source: str | Path) -> bool:
    """Whether there is a directory that a trial may be in."""
    return "://" not in str(source) and Path(source).is_dir()


def read_trial_directory(source: str | Path) -> Trial:
    """The trial in a directory: items are read when they are asked for.

    Raises
    ------
    TrialUnreadable
        If there is none of this version, its backtest was not finished, or it is not what was written.
    """
    for left in reversed(range(TRIES)):
        before = _which(Path(source))
        try:
            return _opened(Path(source))
        except (OSError, ValueError, KeyError, TypeError, pa.ArrowException, DestinationRefused) as problem:
            if left and _which(Path(source)) != before:
                continue  # another writer has put its own there meanwhile
            said = problem.strerror if isinstance(problem, OSError) and problem.strerror else str(problem)
            raise TrialUnreadable(str(source), said.partition("\n")[0]) from None
    raise AssertionError


def _opened(directory: Path) -> Trial:
    """The trial in a directory, its items not yet read."""
    if not (directory / TRIAL.head_file).exists():
        begun = any(directory.glob(f"*{SUFFIX}"))
        again = "its backtest was not finished: run it once more with to= this directory, and it goes on"
        raise ValueError(again if begun else "it holds no trial")
    head = _read_head(directory)
    if head.get("format") != TRIAL.version:
        raise ValueError(f"it is no trial that this version reads ({TRIAL.version!r})")
    cuts = tuple(_trial(cut, _place_of(directory, k), ()) for k, cut in enumerate(head["cuts"], start=1))
    return _trial(head, directory, cuts)


def _which(directory: Path) -> int:
    """What tells a directory from another one under the same name."""
    try:
        return directory.stat().st_ino
    except OSError:
        return 0


def _trial(head: dict[str, Any], directory: Path, cuts: tuple[Trial, ...]) -> Trial:
    content = (directory / HISTORY).read_bytes()
    if hashlib.sha256(content).hexdigest() != head["history_digest"]:
        raise ValueError(f"{HISTORY} is not what was written")
    history = history_under(head, parquet.read_table(pa.BufferReader(content)))
    store = DirectoryStore(directory, history.names, Extent(**head["extent"]))
    if store.parts.seal(history.names) != head["parts"]:
        raise ValueError("its parts are not those that it was finished with")
    return trial_under(head, history, store, cuts)


def _place_of(directory: Path, number: int) -> Path:
    """Where the trial itself is, or one of its cuts."""
    return directory / f"{CUT}{number}" if number else directory


def _is_ours(path: Path) -> bool:
    return (
        path.suffix == SUFFIX
        or path.name in (SEAL, LOCK)
        or path.name.startswith(tuple(f".{name}-" for name in STAGED))  # of another writer, who is still at work
        or (path.name.startswith((CUT, PUBLISHED, DECIDED)) and path.is_dir())
    )


def _lives_in(trial: Trial, directory: Path) -> bool:
    store = trial.store
    return isinstance(store, DirectoryStore) and os.path.realpath(store.directory) == os.path.realpath(directory)


def _write_histories(trial: Trial, directory: Path) -> None:
    for number, one in enumerate((trial, *trial.cuts)):
        rows = history_rows(one.history)
        replace_file(_place_of(directory, number) / HISTORY, partial(parquet.write_table, rows, compression="zstd"))


def _write_head(trial: Trial, path: Path, parts: Sequence[PartsDirectory]) -> None:
    """The head, what tells its histories and parts from others with it, and its own digest."""
    head = head_of(trial)
    for number, (said, one, own) in enumerate(zip((head, *head["cuts"]), (trial, *trial.cuts), parts, strict=True)):
        content = (_place_of(path.parent, number) / HISTORY).read_bytes()
        said["history_digest"] = hashlib.sha256(content).hexdigest()
        said["parts"] = own.seal(one.history.names)
    text = line_of(head)
    path.write_text(line_of({"seal": hashlib.sha256(text.encode()).hexdigest(), "trial": text}) + "\n", "utf-8")


def _read_head(directory: Path) -> dict[str, Any]:
    said = json.loads((directory / TRIAL.head_file).read_text("utf-8"))
    if hashlib.sha256(said["trial"].encode()).hexdigest() != said["seal"]:
        raise ValueError("its head was changed")
    head: dict[str, Any] = json.loads(said["trial"])
    return head
