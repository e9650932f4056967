"""Publications made on other numbers of workers, by other engines and in another order: the same to the bit."""

import sys
import tempfile
from pathlib import Path

import veridex as vx
from veridex.engines.processes import ProcessEngine
from verification.portfolios import PROCESSES, portfolio

ITEMS, AHEAD = 20, 6


def made(history: vx.History, engine: object) -> vx.Publication:
    scheme = vx.RollingOrigin(horizon=AHEAD, origins=8)
    verdict = vx.decide(vx.backtest(history, scheme=scheme, engine=engine))
    return vx.publish(history, verdict, horizon=AHEAD, groups=["all"], engine=engine)


def main() -> None:
    worst = 0
    print("| portfolio | made again with | items that differ |\n| --- | --- | --- |")
    for name in list(PROCESSES)[::2]:
        history = portfolio(name, 0, ITEMS).history
        with tempfile.TemporaryDirectory() as kept:
            vx.write(made(history, "serial"), Path(kept) / "publication")
            first = vx.read_publication(Path(kept) / "publication")
        backwards = vx.History.of(list(history)[::-1])
        for workers, chunk, order in ((1, 1, backwards), (2, None, backwards), (3, 7, history)):
            found = vx.reproduce(first, order, engine=ProcessEngine(workers, chunk))
            worst = max(worst, len(found.frame))
            said = "items backwards" if order is backwards else "items as they were"
            print(f"| {name} | {workers} workers, {said} | {len(found.frame)} |")
    if worst:
        sys.exit("a bar is missed")


if __name__ == "__main__":
    main()
