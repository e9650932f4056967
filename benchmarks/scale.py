"""Portfolios at size: time and memory from test to publication, and folds against those of an earlier state.

Each measurement is a process of its own, so that none inherits memory or warm caches from another. Memory is that of
all its processes together, shared pages once.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import veridex as vx
from benchmarks.portfolio import portfolio, watched

__all__ = ["report_scale"]

FEW, SOME, MANY = 1_000, 2_000, 20_000

BEFORE = "b2079b6857d6"
"""The state whose trials, verdicts and publications were in one memory and whose plain folds were Python."""

THIRTEEN = (
    *("seasonal-naive", "naive", "smoothing", "arima", "theta", "holt-winters season=additive damped=yes", "mean"),
    *("holt damped=yes", "simple-smoothing", "drift", "sba", "holt-winters season=multiplicative damped=yes"),
    "trend-season",
)


def whole_job(items: int) -> dict[str, float]:
    """Seconds and peak megabytes of each stage: a trial in a directory, a verdict, a publication in Parquet."""
    history = portfolio(items)
    vx.backtest(portfolio(2), None, vx.RollingOrigin(horizon=12))
    found: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as directory:
        place = Path(directory)

        def stage(name: str, work: Callable[[], object]) -> None:
            def timed() -> float:
                begun = time.perf_counter()
                work()
                return time.perf_counter() - begun

            found[f"{name} s"], found[f"{name} MB"] = watched(timed)

        kept: list[object] = []
        scheme = vx.RollingOrigin(horizon=12)
        stage("test", lambda: vx.backtest(history, None, scheme, engine="processes", to=place / "trial"))
        stage("decide", lambda: kept.append(vx.decide(vx.read_trial(place / "trial"), engine="processes")))
        stage(
            "publish",
            lambda: vx.publish(history, kept[0], horizon=12, past=0, engine="processes", to=place / "out.parquet"),
        )
    return found


def folds(items: int, engine: str) -> float:
    """Seconds for 12 origins, 12 ahead, of thirteen methods."""
    scheme = vx.RollingOrigin(horizon=12, origins=12)
    vx.backtest(portfolio(2), THIRTEEN, scheme)
    history = portfolio(items)
    begun = time.perf_counter()
    vx.backtest(history, THIRTEEN, scheme, engine=engine)
    return time.perf_counter() - begun


def _apart(expression: str, source: Path | None = None) -> object:
    """What an expression over this file gives in a process of its own, with our source or an earlier one."""
    here = Path(__file__).parents[1]
    places = os.pathsep.join(str(one) for one in (source or here / "src", here))  # for its workers, too
    lines = ("import json", f"from benchmarks.scale import folds, whole_job; print(json.dumps({expression}))")
    done = subprocess.run(
        [sys.executable, "-c", "\n".join(lines)],
        capture_output=True,
        text=True,
        check=True,
        env=os.environ | {"PYTHONPATH": places},
    )
    return json.loads(done.stdout.splitlines()[-1])


def _against_before(items: int) -> tuple[float, float, float]:
    """Least seconds on two cores before and now, and on one now, turn about; NaN before where there is no history."""
    here = Path(__file__).parents[1]
    with tempfile.TemporaryDirectory() as directory:
        tree = Path(directory) / "before"
        there = subprocess.run(["git", "worktree", "add", "--detach", tree, BEFORE], cwd=here, capture_output=True)
        try:
            runs = [
                (
                    _apart(f"folds({items}, 'processes')", tree / "src") if not there.returncode else float("nan"),
                    _apart(f"folds({items}, 'processes')"),
                    _apart(f"folds({items}, 'serial')"),
                )
                for _ in range(2)
            ]
        finally:
            subprocess.run(["git", "worktree", "remove", "--force", tree], cwd=here, capture_output=True, check=False)
    return tuple(min(float(run[k]) for run in runs) for k in range(3))


def report_scale(report: Callable[[str, float, float, str], None]) -> None:
    """Print what was measured against the bars; the largest portfolio takes half an hour."""
    before, now, alone = _against_before(FEW)
    report(f"{FEW} items, 12 origins, thirteen methods, two cores, against before", now / before, 0.65, "x")
    report("  two processes against one (at least 1.85)", now / alone, 1 / 1.85, "x")
    few, some, many = (_apart(f"whole_job({items})") for items in (FEW, SOME, MANY))
    seconds = [sum(value for name, value in one.items() if name.endswith(" s")) for one in (few, some, many)]
    peaks = [max(value for name, value in one.items() if name.endswith(" MB")) for one in (few, some, many)]
    for items, one in zip((FEW, SOME, MANY), (few, some, many), strict=True):
        print(
            f"{items:>6} items: "
            + ", ".join(f"{name.split()[0]} {value:.0f} {name.split()[1]}" for name, value in one.items())
        )
    report(f"{MANY} items from test to publication, peak of all processes", peaks[2], 1200.0, "MB")
    report(f"  time over that of {FEW}", seconds[2] / seconds[0], 20.5, "x")
    report(f"  peak over that of {SOME}", peaks[2] / peaks[1], 1.15, "x")
    report(f"verdict and publication of {FEW} items", few["decide s"] + few["publish s"], 6.0, "s")
