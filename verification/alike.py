"""The same bits, whoever works: one to seven workers, parts of 1, 64 and 1,000 items, memory or disk, any order."""

import hashlib
import tempfile
from pathlib import Path

import veridex as vx
from veridex.core.backtest.folds import ARRAYS
from veridex.engines.processes import ProcessEngine
from verification.demand import mixed

__all__ = ["main"]

FEW, MANY = 100, 1_000
"""Steady items, beside some of every other kind: for the numbers of workers, and for the sizes of parts."""

LINEUP = ["theta", "group-season", "croston", "drift"]
SCHEME = vx.RollingOrigin(horizon=3, origins=4)
WORKERS = tuple((workers, 16) for workers in range(1, 8))
PARTS = ((2, 1), (3, 64), (5, 1_000))


def bits(trial: vx.Trial, names: list[str]) -> str:
    """A digest of all results, but for the time they took, of items in one order."""
    digest = hashlib.sha256()
    for whole in (trial, *trial.cuts):
        for item in names:
            if item in whole.history.names:
                digest.update(b"".join(getattr(whole[item], name).tobytes() for name in ARRAYS if name != "seconds"))
    return digest.hexdigest()[:16]


def said(publication: vx.Publication) -> str:
    """A digest of all that is published, in one order."""
    rows = publication.frame.sort_values(["item", "period"]).reset_index(drop=True)
    return hashlib.sha256(rows.to_csv().encode()).hexdigest()[:16]


def main() -> None:
    """Print whether all ways give what serial work in memory gives; an error ends it where one does not."""
    for items, ways in ((FEW, WORKERS), (MANY, PARTS)):
        history = mixed("steady", items=items).history
        names = sorted(history.names)
        made = vx.backtest(history, LINEUP, SCHEME)
        first = bits(made, names), said(vx.publish(history, vx.decide(made), horizon=3, past=0))
        print(f"{len(history):,} items, serial work in memory: results {first[0]}, publication {first[1]}")
        for workers, part in ways:
            assert everywhere(history, ProcessEngine(workers, part)) == first, (workers, part)
            print(f"  {workers} workers, parts of {part:,}, on disk: the same", flush=True)
        turned = vx.History.of(list(history)[::-1])
        assert everywhere(turned, ProcessEngine(2, 16)) == first
        print("  items in the other order: the same", flush=True)


def everywhere(history: vx.History, engine: ProcessEngine) -> tuple[str, str]:
    """What workers give, with a trial in a directory and a publication made part by part."""
    with tempfile.TemporaryDirectory() as place:
        made = vx.backtest(history, LINEUP, SCHEME, engine=engine, to=Path(place) / "trial")
        verdict = vx.decide(vx.read_trial(Path(place) / "trial"), engine=engine)
        out = vx.publish(history, verdict, horizon=3, past=0, engine=engine, to=Path(place) / "out.parquet")
        return bits(made, sorted(history.names)), said(out)
