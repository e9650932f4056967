"""The same bits, whoever works: one to seven workers, parts of 1, 64 and 1,000 items, memory or disk, any order."""

import hashlib
import tempfile
from pathlib import Path

import veridex as vx
from veridex.core.backtest.folds import ARRAYS
from veridex.engines.processes import ProcessEngine
from verification.demand import mixed

__all__ = ["main"]

ITEMS = 1_000
"""Steady ones, beside some of every other kind."""

LINEUP = ["theta", "group-season", "croston", "drift"]
SCHEME = vx.RollingOrigin(horizon=3, origins=4)
WAYS = (*((workers, 64) for workers in range(1, 8)), (2, 1), (2, 1_000), (5, 1_000))


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
    history = mixed("steady", items=ITEMS).history
    names = sorted(history.names)
    trial = vx.backtest(history, LINEUP, SCHEME)
    published = vx.publish(history, vx.decide(trial), horizon=3, past=0)
    first = bits(trial, names), said(published)
    print(f"{len(history):,} items, serial work in memory: results {first[0]}, publication {first[1]}")
    for workers, part in WAYS:
        engine = ProcessEngine(workers, part)
        with tempfile.TemporaryDirectory() as place:
            made = vx.backtest(history, LINEUP, SCHEME, engine=engine, to=Path(place) / "trial")
            verdict = vx.decide(made, engine=engine)
            out = vx.publish(history, verdict, horizon=3, past=0, engine=engine, to=Path(place) / "out.parquet")
            assert (bits(made, names), said(out)) == first, (workers, part)
        print(f"{workers} workers, parts of {part}, on disk: the same")
    turned = vx.History.of(list(history)[::-1])
    made = vx.backtest(turned, LINEUP, SCHEME)
    assert (bits(made, names), said(vx.publish(turned, vx.decide(made), horizon=3, past=0))) == first
    print("items in the other order: the same")
