"""Everything that is kept, changed at random places: what is read is what was written, or one error refuses it."""

import random
import shutil
import tempfile
import warnings
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

import veridex as vx
from veridex.plan.reading import read_plan

MUTATIONS = 100

PLAN = """plan = 1

[history]
file = "DEMAND"
item = "sku"
period = "month"
demand = "units"
cadence = "monthly"

[test]
methods = ["seasonal-naive", { use = "arima", p = 1, d = 1, q = 1 }]
scheme = "rolling horizon=6 origins=12"

[[decide.override]]
item = "smoker-01"
method = "theta"
reason = "renewed"

[publish]
horizon = 6
levels = [80, 95]
to = "out"
"""


def history() -> vx.History:
    rng = np.random.default_rng(0)
    season = 1.0 + 0.3 * np.sin(2 * np.pi * np.arange(48) / 12)
    made = [
        vx.History.from_numbers(
            np.rint(80 * season * np.exp(0.1 * rng.normal(size=48))), start="2021-01", cadence="monthly", item=name
        )[name]
        for name in ("smoker-01", "jar-250")
    ]
    return vx.History.of(made)


def mutated(data: bytes, rng: random.Random) -> bytes:
    """One change: a byte, a number, a cut, a piece twice, a piece gone, two pieces swapped."""
    if not data:
        return b"x"
    kind, at = rng.randrange(6), rng.randrange(len(data))
    span = min(rng.randrange(1, 40), len(data) - at)
    if kind == 0:
        return data[:at] + bytes([data[at] ^ (1 << rng.randrange(8))]) + data[at + 1 :]
    if kind == 1:
        digits = [k for k, byte in enumerate(data) if 48 <= byte <= 57]
        place = rng.choice(digits) if digits else at
        return data[:place] + str(rng.randrange(10)).encode() + data[place + 1 :]
    if kind == 2:
        return data[:at]
    if kind == 3:
        return data[: at + span] + data[at : at + span] + data[at + span :]
    if kind == 4:
        return data[:at] + data[at + span :]
    other = rng.randrange(len(data))
    first, second = sorted((at, other))
    return data[:first] + data[second : second + span] + data[first + span : second] + data[first : first + span]


def kinds(home: Path) -> dict[str, tuple[Path, Callable[[Path], Any]]]:
    """What is written, where, and how it is read to something that can be compared."""
    made = history()
    trial = vx.backtest(made, ["seasonal-naive", "theta"], vx.RollingOrigin(horizon=3, origins=4))
    publication = vx.publish(made, vx.decide(trial), horizon=3)
    tidied = vx.tidy(made, outliers="flag")
    (home / "plan.toml").write_text(PLAN.replace("DEMAND", str(home / "demand.csv")))
    (home / "demand.csv").write_text("sku,month,units\nsmoker-01,2024-01,3\n")
    vx.write(publication, home / "directory")
    vx.write(publication, home / "book.xlsx")
    vx.write(publication, home / "tables.parquet")
    vx.write(publication, f"sqlite:///{home / 'shop.db'}")
    vx.write(trial, home / "trial")
    vx.write(trial, home / "trial.parquet")
    vx.write(tidied, home / "tidied")
    vx.write(vx.fit(made["jar-250"], "arima p=1 d=1 q=1"), home / "model.json")

    def told(path: Path) -> Any:
        address = f"sqlite:///{path}" if path.suffix == ".db" else path
        found = vx.read_publication(address)
        return found.frame.to_csv() + found.totals.to_csv() + found.models.to_csv()

    return {
        "directory": (home / "directory", told),
        "workbook": (home / "book.xlsx", told),
        "parquet": (home / "tables.parquet", told),
        "sqlite": (home / "shop.db", told),
        "trial in a directory": (home / "trial", lambda path: vx.read_trial(path).errors.to_csv()),
        "trial in parquet": (home / "trial.parquet", lambda path: vx.read_trial(path).errors.to_csv()),
        "tidied history": (home / "tidied", lambda path: vx.read_history(path).to_frame().to_csv()),
        "model": (home / "model.json", lambda path: vx.read_fitted(path).forecast(3).frame.to_csv()),
        "plan": (home / "plan.toml", lambda path: repr(read_plan(path).key)),
    }


def tamper(path: Path, rng: random.Random) -> None:
    """Change one file of what is kept, or swap two of them."""
    files = [one for one in sorted(path.rglob("*")) if one.is_file()] if path.is_dir() else [path]
    if len(files) > 1 and rng.random() < 0.1:
        one, other = rng.sample(files, 2)
        first, second = one.read_bytes(), other.read_bytes()
        one.write_bytes(second)
        other.write_bytes(first)
        return
    chosen = rng.choice(files)
    chosen.write_bytes(mutated(chosen.read_bytes(), rng))


def outcome(read: Callable[[Path], Any], path: Path, right: Any) -> str:
    """What becomes of reading it."""
    try:
        found = read(path)
    except vx.VeridexError as problem:
        return "refused" if str(problem) and str(problem).count("\n") < 12 else f"refused without words: {problem!r}"
    except (MemoryError, RecursionError) as problem:
        return f"BROKEN {problem!r}"
    except Exception as problem:
        return f"BROKEN {type(problem).__name__}: {str(problem)[:100]}"
    return "the same" if found == right else "OTHER"


def main(mutations: int = MUTATIONS) -> int:
    """Print what became of each kind; how many were broken, or read as something else."""
    warnings.simplefilter("error")
    wrong = 0
    with tempfile.TemporaryDirectory() as directory:
        home = Path(directory)
        (home / "kept").mkdir()
        for name, (path, read) in kinds(home / "kept").items():
            rng, right, counts = random.Random(name), read(path), Counter[str]()
            for _ in range(mutations):
                work = home / "work"
                work.mkdir()
                copy = work / path.name
                (shutil.copytree if path.is_dir() else shutil.copy)(path, copy)
                tamper(copy, rng)
                told = outcome(read, copy, right)
                # A plan is meant to be edited: another one that reads is no fault.
                counts["the same" if name == "plan" and told == "OTHER" else told] += 1
                shutil.rmtree(work)
            bad = {said: count for said, count in counts.items() if said not in ("refused", "the same")}
            wrong += sum(bad.values())
            fine = f"{counts['refused']} refused, {counts['the same']} the same"
            print(f"{name}: {fine}, {sum(bad.values())} wrong", flush=True)
            for said, count in sorted(bad.items(), key=lambda pair: -pair[1])[:6]:
                print(f"    {count} x {said}", flush=True)
    return wrong


if __name__ == "__main__":
    main()
