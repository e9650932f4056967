"""Hostile histories through every figure: drawn without a warning, or refused in one message."""

import sys
import warnings
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np

import veridex as vx
from veridex import figures
from verification.hostile.families import PARTS, REFUSED, outcome, told
from verification.hostile.jobs import LINEUPS, portfolio

ROUNDS = 20
"""Portfolios that everything is drawn of."""

Drawn = tuple[str, Callable[[], Any]]


def of_a_history(many: vx.History, rng: np.random.Generator) -> Iterator[Drawn]:
    """What is drawn before anything is forecast, and of one fit."""
    one = many[str(rng.choice(many.names))]
    plain = ("history", "look", "over_years", "parts", "seasons", "stationarity", "side_by_side", "total")
    for name in plain:
        source = many if name in ("side_by_side", "total") else one
        yield name, lambda name=name, source=source: getattr(figures, name)(source)
    fitted = vx.fit(one, str(rng.choice(["naive", "theta", "smoothing", "linear-trend", "croston", "holt damped=yes"])))
    yield "fit", lambda: figures.fit(fitted, 4)
    yield "residuals", lambda: figures.residuals(fitted)
    yield "contributions", lambda: figures.contributions(fitted)
    tuning = vx.tune(many, "moving-average", {"window": [2, 3]}, vx.RollingOrigin(horizon=2, origins=3))
    yield "tuning", lambda: figures.tuning(tuning)


def of_a_test(many: vx.History, rng: np.random.Generator) -> Iterator[Drawn]:
    """What is drawn of a test, of what was published from it, and of what came since."""
    item = str(rng.choice(many.names))
    lineup = LINEUPS[int(rng.integers(len(LINEUPS)))]
    trial = vx.backtest(many, lineup, vx.RollingOrigin(horizon=2, origins=4))
    verdict = vx.decide(trial)
    for source in (trial, verdict):
        for name in ("contenders", "coverage", "holdout", "rolling", "volume"):
            asked = {} if name in ("coverage", "volume") else {"item": item}
            yield name, lambda name=name, source=source, asked=asked: getattr(figures, name)(source, **asked)
    for name in ("lead_times", "standings"):
        yield name, lambda name=name: getattr(figures, name)(trial)
    yield "folds", lambda: figures.folds(trial, item)
    yield "residuals", lambda: figures.residuals(trial, item)
    early = vx.History.of([one.first(max(len(one) - 2, 1)) for one in many])
    publication = vx.publish(early, method=lineup[0], horizon=4)
    yield "forecast", lambda: figures.forecast(publication, item)
    yield "total", lambda: figures.total(publication)
    yield "watch", lambda: figures.watch(vx.watch(publication, many))
    yield "record", lambda: figures.record(vx.track_record([publication], many))


KINDS = {"of a history": of_a_history, "of a test": of_a_test}


def fault(draw: Callable[[], Any]) -> str:
    """What is wrong with a figure when it is put on a canvas."""
    figure = draw()
    figure.canvas.draw()
    plt.close("all")
    return ""


def kind(task: tuple[str, int, int]) -> tuple[Counter[str], list[str]]:
    """What became of so many portfolios, drawn from a seed."""
    name, count, seed = task
    mpl.use("Agg")
    warnings.simplefilter("error")
    found, examples = Counter[str](), []

    def note(what: str, number: int, said: str) -> None:
        found["refused" if said.startswith(REFUSED) else "broken" if said else "drawn"] += 1
        if said and not said.startswith(REFUSED):
            examples.append(f"[{seed}, {number}] {what}: {said}")

    for number in range(count):
        rng = np.random.default_rng([seed, number, len(name)])
        drawn = KINDS[name](portfolio(rng), rng)
        while True:
            one: list[Drawn] = []
            said = outcome(lambda one=one, drawn=drawn: one.append(next(drawn)) or "")  # its work is a test before
            if not one:
                if not said.startswith("StopIteration"):
                    note("before", number, said)
                break
            note(one[0][0], number, outcome(lambda one=one: fault(one[0][1])))
    return found, examples


def main(rounds: int = ROUNDS) -> int:
    """Print what became of them; how many broke."""
    tasks = [(name, rounds // PARTS, seed) for name in KINDS for seed in range(PARTS)]
    return told(tasks, kind, lambda found: f"{found['drawn']} drawn, {found['refused']} refused")


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:2])) > 0)
