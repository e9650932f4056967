"""Directories beside a trial that outlive a process: what was killed goes on with what it left there."""

import shutil
import weakref
from pathlib import Path

from filelock import FileLock, Timeout

__all__ = ["DECIDED", "PUBLISHED", "Home", "room_beside"]

PUBLISHED, DECIDED = "published-", "decided-"
"""What the names of such directories begin with: parts of a publication, and the minutes of a verdict."""

LOCK = "lock"


class Home:
    """A directory that outlives the process, held by one piece of work at a time."""

    def __init__(self, path: Path, lock: FileLock) -> None:
        self.path, self._lock = path, lock

    def let_go(self, holder: object) -> None:
        """Remove it when whoever uses it goes."""
        self._lock.release()
        weakref.finalize(holder, shutil.rmtree, self.path, ignore_errors=True)

    def leave(self) -> None:
        """Let others go on with what is there."""
        self._lock.release()

    def remove(self) -> None:
        """Remove it now."""
        self._lock.release()
        shutil.rmtree(self.path, ignore_errors=True)


def room_beside(trial: Path, kind: str, key: str) -> Home | None:
    """Where work by a trial in a directory is kept until it is finished, by all it depends on.

    What other work of this kind left there is removed, unless it is under way. None where this very work is done by
    another process at this time, or the directory cannot be written.
    """
    try:
        for other in trial.glob(f"{kind}*"):
            if other.name != kind + key and (lock := _held(other)) is not None:
                lock.release()
                shutil.rmtree(other, ignore_errors=True)
        path = trial / f"{kind}{key}"
        path.mkdir(exist_ok=True)
        lock = _held(path)
    except OSError:
        return None
    return None if lock is None else Home(path, lock)


def _held(directory: Path) -> FileLock | None:
    """The lock of a directory; None where somebody else has it."""
    lock = FileLock(directory / LOCK)
    try:
        lock.acquire(timeout=0)
    except Timeout:
        return None
    return lock
