"""Runs of a plan that are killed at random moments: the last publication stays whole, the next run is right."""

import hashlib
import os
import random
import shutil
import signal
import sys
import tempfile
import time
from contextlib import redirect_stderr, redirect_stdout
from importlib.resources import files
from pathlib import Path

import pandas as pd

import veridex as vx
from veridex.plan.journal import Journal

KILLS = 20
ITEMS = ("smoker-01", "suit-ventilated", "jar-honey-500", "hive-national", "extractor-bearing", "hive-nucleus")
BEFORE, AFTER = "2025-07-15", "2025-08-15"
PLAN = """plan = 1
[history]
file = "demand.csv"
item = "sku"
period = "month"
demand = "units"
cadence = "monthly"
stock_out = "out_of_stock"
[tidy]
gaps = "interpolate"
[test]
methods = ["seasonal-naive", "theta", "simple-smoothing", "croston"]
scheme = "rolling horizon=6 origins=12 anchor=12"
[decide]
keep = "until worse"
[publish]
horizon = 6
to = ["published", "copy"]
"""
LEFT = {"plan.toml", "demand.csv", "plan.kept", "published", "copy"}


def digest(directory: Path) -> str:
    """What a directory holds."""
    held = hashlib.sha256()
    for path in sorted(directory.iterdir()):
        held.update(path.name.encode() + path.read_bytes())
    return held.hexdigest()


def child(work: Path, as_of: str) -> int:
    """A process of its own that follows the plan; it has loaded everything, so that kills hit the work."""
    process = os.fork()
    if process == 0:
        with Path(os.devnull).open("w") as nowhere, redirect_stdout(nowhere), redirect_stderr(nowhere):
            try:
                vx.run_plan(work / "plan.toml", as_of=as_of)
            finally:
                os._exit(0)
    return process


def finished(work: Path, as_of: str) -> float:
    """Seconds of a run that nobody kills."""
    begun = time.perf_counter()
    os.waitpid(child(work, as_of), 0)
    return time.perf_counter() - begun


def stray(work: Path) -> list[str]:
    """What a run must not leave behind."""
    kept = {path.name for path in (work / "plan.kept").iterdir()} - {"journal.jsonl", "lock", "tests"}
    parts = {path.name for path in (work / "plan.kept" / "tests").iterdir()} - {"trial.json", "history.parquet", "lock"}
    names = {path.name for path in work.iterdir()} - LEFT
    return sorted(names | kept | {name for name in parts if not name.startswith(("part-", "cut-"))})


def difference(work: Path, whole: Path) -> str:
    """What of the publication differs first, and what the journal says of the run."""
    for place in ("published", "copy"):
        for path in sorted((whole / place).iterdir()):
            own = work / place / path.name
            if not own.exists() or own.read_bytes() != path.read_bytes():
                said = own.read_text("utf-8")[:300] if own.exists() else "not there"
                return (
                    f"{place}/{path.name}: {said}\n{(work / 'plan.kept' / 'journal.jsonl').read_text('utf-8')[-600:]}"
                )
    return "nothing"


def main(kills: int = KILLS) -> None:
    rng = random.Random(22)
    with tempfile.TemporaryDirectory() as directory:
        start, whole, work = (Path(directory) / name for name in ("start", "whole", "work"))
        start.mkdir()
        table = pd.read_csv(files("veridex.demo") / "data" / "demand.csv", dtype=str, keep_default_na=False)
        table[table["sku"].isin(ITEMS)].to_csv(start / "demand.csv", index=False)
        (start / "plan.toml").write_text(PLAN)
        vx.run_plan(start / "plan.toml", as_of=BEFORE)  # loads and compiles what the children share
        shutil.copytree(start, whole)
        vx.run_plan(whole / "plan.toml", as_of=AFTER)
        old, new = digest(start / "published"), digest(whole / "published")
        shutil.copytree(start, work)
        took = finished(work, AFTER)
        count = {"killed at work": 0, "old stood": 0, "new stood": 0, "torn": 0, "next run wrong": 0, "stray": 0}
        number = 0
        while count["killed at work"] < kills and number < 4 * kills:
            number += 1
            shutil.rmtree(work)
            shutil.copytree(start, work)
            process = child(work, AFTER)
            # Half of them in the last third, where files are written.
            time.sleep(rng.uniform(0.0 if number % 2 else 0.65, 0.97) * took)
            os.kill(process, signal.SIGKILL)
            os.waitpid(process, 0)
            found = {digest(work / place) for place in ("published", "copy")}
            count["killed at work"] += len(Journal(work / "plan.toml", work / "plan.kept").lines()) < 2
            count["torn"] += not found <= {old, new}
            count["old stood"] += old in found
            count["new stood"] += found == {new}
            finished(work, AFTER)
            if {digest(work / place) for place in ("published", "copy")} != {new}:
                count["next run wrong"] += 1
                print(difference(work, whole))
            left = stray(work)
            count["stray"] += bool(left)
            if left:
                print(left)
        print("| of runs | ".replace("runs", f"{number} runs of {took:.1f} s") + "count | bar |\n| --- | --- | --- |")
        bars = {"torn": "0", "next run wrong": "0", "stray": "0"}
        for name, value in count.items():
            print(f"| {name} | {value} | {bars.get(name, '')} |")
        if any(count[name] for name in bars):
            sys.exit("a killed run did harm")


if __name__ == "__main__":
    main()
