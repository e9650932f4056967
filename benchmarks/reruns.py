"""Runs of a plan: how much of a full run one new month takes, and how long a run takes that has nothing to do."""

import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd

__all__ = ["report_reruns"]

ITEMS, MONTHS = 1000, 96
PLAN = """plan = 1
[history]
file = "demand.csv"
item = "sku"
period = "month"
demand = "units"
cadence = "monthly"
[tidy]
gaps = "interpolate"
[test]
scheme = "rolling horizon=12 origins=24 anchor=12"
[publish]
horizon = 12
to = "published"
"""


def demand() -> pd.DataFrame:
    """Seasonal items with a trend of their own, and one in ten that is wanted now and then."""
    rng, t = np.random.default_rng(7), np.arange(MONTHS)
    months = pd.period_range(end="2025-08", periods=MONTHS, freq="M").strftime("%Y-%m")
    tables = []
    for i in range(ITEMS):
        season = 1 + rng.uniform(0, 0.5) * np.sin(2 * np.pi * (t + rng.integers(12)) / 12)
        sold = rng.lognormal(4, 1) * np.exp(rng.normal(0, 0.004) * t) * season * np.exp(0.15 * rng.normal(size=MONTHS))
        if i % 10 == 0:
            sold = rng.poisson(0.4, size=MONTHS) * rng.integers(1, 4, size=MONTHS)
        tables.append(pd.DataFrame({"sku": f"item-{i:04d}", "month": months, "units": np.round(sold).astype(int)}))
    return pd.concat(tables)


def seconds(directory: Path) -> float:
    """Of the real command, with its start."""
    command = [str(Path(sys.executable).with_name("veridex")), "run", "plan.toml", "--quiet"]
    begun = time.perf_counter()
    done = subprocess.run(command, cwd=directory, capture_output=True, text=True, check=False)
    if done.returncode not in (0, 3):
        sys.exit(done.stderr)
    return time.perf_counter() - begun


def report_reruns(report: Callable[[str, float, float, str], None]) -> None:
    """Print what was measured against the bars: a third of a full run, and five seconds."""
    with tempfile.TemporaryDirectory() as name:
        place, table = Path(name), demand()
        (place / "plan.toml").write_text(PLAN)
        table[table["month"] < "2025-08"].to_csv(place / "demand.csv", index=False)
        seconds(place)
        table.to_csv(place / "demand.csv", index=False)
        shutil.copytree(place, place / "again")
        newer = seconds(place / "again")
        report(f"run of {ITEMS} items, unchanged", seconds(place / "again"), 5.0, "s")
        shutil.rmtree(place / "plan.kept")
        shutil.rmtree(place / "published")
        full = seconds(place)
        report(f"run of {ITEMS} items with one new month, against a full one of {full:.0f} s", newer / full, 1 / 3, "")
