"""Kernels compiled once per machine: part by part, side by side in processes, before the work that needs them."""

import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING

import numba
from filelock import FileLock
from llvmlite.binding import get_host_cpu_features, get_host_cpu_name

from veridex.core.numerics.compiled import copy_into
from veridex.job.desk import Desk
from veridex.version import VERSION

if TYPE_CHECKING:
    from veridex.core.methods.method import Method

__all__ = ["ALL", "FAMILIES", "TO_TEST", "UNKEPT", "kept_in", "parts_of", "prepare"]

UNKEPT = (
    "Compiled code cannot be kept on this machine, so that every run compiles anew: neither the directory of the "
    "package nor the user's cache can be written. Set NUMBA_CACHE_DIR to a directory that can."
)

GLANCE = 0.25
"""Seconds from one look at the processes to the next."""

FAMILIES: dict[str, tuple[str, ...]] = {
    "arima": ("arima", "arima p=1 d=1 q=1"),
    "smoothing": ("smoothing", "simple-smoothing", "holt", "holt-winters season=additive", "holt-winters damped=yes"),
    "theta": ("theta",),
    "group-season": ("group-season",),
    "intermittent": ("croston", "sba", "tsb"),
    "regression": ("linear-trend", "poly-trend", "trend-season", "harmonic", "bending-trend", "driver-regression"),
    "plain": ("mean", "naive", "seasonal-naive", "drift", "last-change", "seasonal-mean", "moving-average"),
}
"""The methods of each family, those that take longest to compile first."""


ALL = ("arima", "smoothing", "histories", *list(FAMILIES)[2:], "diagnosis", "backtests")
"""Every part, those that take longest first."""

TO_TEST = ("histories", "backtests")
"""What a backtest needs besides the families of its methods."""

_ready: set[str] = set()


def parts_of(lineup: Iterable["Method"]) -> tuple[str, ...]:
    """The parts that fitting a lineup asks for, those of methods inside other methods among them."""
    said = {word for one in lineup for word in re.findall(r"[a-z][a-z-]*", one.text)}
    return tuple(name for name, texts in FAMILIES.items() if said & {text.split()[0] for text in texts})


def prepare(wanted: Iterable[str], desk: Desk) -> tuple[str, ...]:
    """Compile what is wanted and not yet compiled on this machine, show how far it is, and say which parts that were.

    A part that fails is said, and left to the work itself, which compiles what it needs.
    """
    missing = [name for name in wanted if name not in _ready]
    if not missing or not _can_start():
        return ()
    place = kept_in()
    _ready.update(missing)
    if place is None:
        desk.say(UNKEPT)
        return ()
    note = place / f"veridex-{_machine()}.json"
    if not set(missing) - _noted(note):
        return ()
    with FileLock(note.with_suffix(".lock")):  # of two runs at once the second waits for the first
        left = [name for name in ALL if name in set(missing) - _noted(note)]
        _side_by_side(left, note, desk)
    made = _noted(note)
    if failed := [name for name in left if name not in made]:
        desk.say(f"Not prepared: {', '.join(failed)}; what is needed of it is compiled by the work itself.")
    return tuple(name for name in left if name in made)


def kept_in() -> Path | None:
    """The directory that holds compiled code; None where none can be written."""
    path = copy_into.stats.cache_path  # type: ignore[attr-defined]
    return None if path is None else Path(path)


def _can_start() -> bool:
    """Whether this program can be started again as Python: not where it was frozen into one file."""
    return bool(sys.executable) and not getattr(sys, "frozen", False)


def _machine() -> str:
    """What compiled code depends on: the versions, the processor, the sources."""
    sources = max(path.stat().st_mtime_ns for path in (Path(__file__).parents[1] / "core").rglob("*.py"))
    features = get_host_cpu_features().flatten()
    told = (VERSION, numba.__version__, sys.version, get_host_cpu_name(), features, sources)
    return sha256(repr(told).encode()).hexdigest()[:16]


def _noted(note: Path) -> set[str]:
    """The parts that are compiled already."""
    try:
        return set(json.loads(note.read_text()))
    except (OSError, ValueError):
        return set()


def _side_by_side(left: list[str], note: Path, desk: Desk) -> None:
    """A process per part, as many at a time as there are cores; what is done is noted at once."""
    waiting, running, done = list(left), dict[str, subprocess.Popen[bytes]](), 0
    begun = time.monotonic()
    try:
        with desk.waiting() as show:
            while waiting or running:
                while waiting and len(running) < _cores():
                    name = waiting.pop(0)
                    running[name] = _started(name)
                for name in [name for name, process in running.items() if process.poll() is not None]:
                    done += 1
                    if running.pop(name).returncode == 0:
                        _add(name, note)
                _show(show, running, done, len(left), time.monotonic() - begun)
                time.sleep(GLANCE)
    finally:  # whoever stops the work stops these
        for process in running.values():
            process.terminate()


def _show(show: Callable[[str], None], running: Iterable[str], done: int, all_of: int, seconds: float) -> None:
    if names := " and ".join(running):
        show(f"Preparing for this machine, once: {names}, {done} of {all_of}, {seconds:.0f} s")


def _started(name: str) -> subprocess.Popen[bytes]:
    nowhere = subprocess.DEVNULL
    words = [sys.executable, "-m", "veridex.job.warmups", name]
    return subprocess.Popen(words, stdin=nowhere, stdout=nowhere, stderr=nowhere)


def _cores() -> int:
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def _add(name: str, note: Path) -> None:
    with suppress(OSError):  # then it is looked for again next time
        note.write_text(json.dumps(sorted(_noted(note) | {name})))
