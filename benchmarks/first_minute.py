"""The first minute: whole processes as a newcomer starts them, in multiples of one that only imports.

`python -m benchmarks.first_minute` prints these alone.
"""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from veridex.demo.files import write_demo_data

__all__ = ["report_first_minute"]

Report = Callable[[str, float, float, str], None]

YARDSTICK = "import numba, pandas, matplotlib.pyplot, scipy.optimize"
COLUMNS = ("--item", "sku", "--period", "month", "--demand", "units")
VERIDEX = str(Path(sys.executable).with_name("veridex"))
ROWS = 25
"""Of the small file: a head, and two years of months of one item."""


def report_first_minute(report: Report) -> None:
    """Print each bar with what was measured; the yardstick is measured before and after, and in between."""
    with tempfile.TemporaryDirectory() as directory:
        place = Path(directory)
        data = write_demo_data(place / "data") / "demand.csv"
        (place / "demand.csv").write_text("\n".join(data.read_text().splitlines()[:ROWS]) + "\n")
        profile = (VERIDEX, "profile", "demand.csv", *COLUMNS)
        yardsticks = [_seconds(place, sys.executable, "-c", YARDSTICK) for _ in range(5)]
        found = {
            "veridex profile of 24 rows, caches cold": (_seconds(place, *profile, cold=True), 2.5),
            "veridex demo, caches cold": (_seconds(place, VERIDEX, "demo", "cold", cold=True), 18.0),
        }
        yardsticks += [_seconds(place, sys.executable, "-c", YARDSTICK) for _ in range(5)]
        _seconds(place, VERIDEX, "demo", "first")
        _seconds(place, *profile)
        found |= {
            "veridex demo, caches warm": (_middle(3, place, VERIDEX, "demo"), 3.5),
            "veridex profile of 24 rows, caches warm": (_middle(7, place, *profile), 1.2),
            "veridex profile of a file that is not there": (_middle(7, place, VERIDEX, "profile", "demant.csv"), 0.3),
            "veridex profile --help": (_middle(7, place, VERIDEX, "profile", "--help"), 0.2),
        }
        yardsticks += [_seconds(place, sys.executable, "-c", YARDSTICK) for _ in range(5)]
        unit = float(np.median(yardsticks))
        print(f"yardstick, {YARDSTICK}: {unit:.2f} s ({min(yardsticks):.2f} to {max(yardsticks):.2f})")
        for what, (seconds, bar) in found.items():
            report(f"{what}: {seconds:.2f} s, in yardsticks", seconds / unit, bar, "x")
        bare, whole = (_middle(7, place, sys.executable, "-c", code) for code in ("pass", "import veridex"))
        report("import veridex", whole - bare, 0.15, "s")


def _middle(repeats: int, place: Path, *words: str) -> float:
    """The middle of several runs; each demo goes to a directory of its own, so that it has all to do."""
    ends = [(f"run-{time.monotonic_ns()}",) if words[-1] == "demo" else () for _ in range(repeats)]
    return float(np.median([_seconds(place, *words, *end) for end in ends]))


def _seconds(place: Path, *words: str, cold: bool = False) -> float:
    """Seconds of a process, with what was compiled before or with nothing of it."""
    environment = dict(os.environ)
    if cold:
        fresh = place / f"cold-{time.monotonic_ns()}"
        environment |= {"NUMBA_CACHE_DIR": str(fresh / "numba"), "MPLCONFIGDIR": str(fresh / "matplotlib")}
    begun = time.perf_counter()
    done = subprocess.run(words, cwd=place, env=environment, check=False, capture_output=True)
    assert done.returncode in (0, 2), done.stderr.decode()
    return time.perf_counter() - begun


if __name__ == "__main__":
    from benchmarks.__main__ import report

    report_first_minute(report)
