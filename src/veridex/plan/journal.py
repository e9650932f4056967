"""What runs of a plan keep beside it: a lock, a journal, and what nobody has been told yet."""

import json
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from filelock import FileLock, Timeout

from veridex.errors import DestinationRefused, PlanBusy
from veridex.plan.plan import TESTS
from veridex.staged import replace_text

__all__ = ["Journal"]

JOURNAL, LOCK, UNTOLD = "journal.jsonl", "lock", "untold.json"


class Journal:
    """The directory of a plan's runs.

    Parameters
    ----------
    plan : Path
        The plan's file; it is named in what is refused.
    directory : Path
        Made where it is not there.

    Raises
    ------
    DestinationRefused
        If it cannot be made.
    """

    def __init__(self, plan: Path, directory: Path) -> None:
        self._plan, self._directory = plan, directory
        try:
            directory.mkdir(parents=True, exist_ok=True)
        except OSError as problem:
            text = problem.strerror or str(problem)
            raise DestinationRefused(str(directory), text, "Put the plan where its runs can write beside it.") from None

    @property
    def tests(self) -> Path:
        """Where finished items of backtests are kept."""
        return self._directory / TESTS

    @contextmanager
    def locked(self) -> Iterator[None]:
        """Hold the plan: the system lets go of it, however the run ends.

        Raises
        ------
        PlanBusy
            If another run holds it.
        """
        lock = FileLock(self._directory / LOCK)
        try:
            lock.acquire(timeout=0)
        except Timeout:
            raise PlanBusy(str(self._plan)) from None
        try:
            yield
        finally:
            lock.release()

    def add(self, entry: Mapping[str, Any]) -> None:
        """Add a line; a line that a killed run left half written stays apart from it."""
        line = json.dumps(entry, ensure_ascii=False, allow_nan=False) + "\n"
        with (self._directory / JOURNAL).open("a+b") as file:
            if file.tell() > 0:
                file.seek(-1, os.SEEK_END)
                line = line if file.read(1) == b"\n" else "\n" + line
            file.write(line.encode())
            file.flush()
            os.fsync(file.fileno())

    def lines(self) -> list[dict[str, Any]]:
        """The lines that are whole, oldest first."""
        try:
            text = (self._directory / JOURNAL).read_text(encoding="utf-8", errors="replace")
        except FileNotFoundError:
            return []
        return [found for line in text.splitlines() if (found := _read(line)) is not None]

    def promise(self, what: Mapping[str, Any]) -> None:
        """Keep what is about to be published, so that it is told even if the run is killed before it tells."""
        text = json.dumps(what, ensure_ascii=False, allow_nan=False)
        replace_text(self._directory / UNTOLD, text)

    def promised(self) -> dict[str, Any] | None:
        """What a killed run has not told; None where there is nothing."""
        try:
            return _read((self._directory / UNTOLD).read_text(encoding="utf-8"))
        except (FileNotFoundError, UnicodeDecodeError):
            return None

    def fulfil(self) -> None:
        """Nothing is left to be told."""
        (self._directory / UNTOLD).unlink(missing_ok=True)


def _read(line: str) -> dict[str, Any] | None:
    try:
        found = json.loads(line)
    except ValueError:
        return None
    return found if isinstance(found, dict) else None
