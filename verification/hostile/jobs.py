"""Hostile histories through whole jobs: tidied, tested, decided, tuned, published, watched; finite or a reason."""

import sys
import warnings
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import pandas as pd

import veridex as vx
from verification.fuzz import history
from verification.hostile.families import REFUSED, outcome

JOBS = 60
"""Of each kind."""

LINEUPS = (
    ["naive", "theta"],
    ["seasonal-naive", "simple-smoothing", "croston"],
    ["holt damped=yes", "drift transform=log"],
    ["arima p=1 d=1 q=1", "trend-season"],
    ["smoothing", "combination of=[naive, mean]"],
)
MEASURES = ("mae", "mse", "rmse", "mape", "smape", "wape", "mase", "rmsse")
GRIDS = (
    ("moving-average", {"window": [2, 3]}),
    ("simple-smoothing", {"alpha": [0.1, 0.5]}),
    ("holt", {"damped": [True, False]}),
)


def portfolio(rng: np.random.Generator) -> vx.History:
    """One to three hostile histories of any size, as long as anybody's."""
    made = []
    for k in range(int(rng.integers(1, 4))):
        y = np.resize(history(rng), int(rng.choice([2, 7, 20, 45])))
        with np.errstate(all="ignore"):
            y = y * 10.0 ** rng.integers(-250, 250) if rng.random() < 0.1 else y
        y[-1] = 1.0 if np.isnan(y[-1]) else y[-1]
        item, cadence = f"item-{k}", "monthly"
        made.append(vx.History.from_numbers(y, start="2020-01", cadence=cadence, item=item, seasons=4)[item])
    return vx.History.of(made)


def no_number(table: pd.DataFrame, *known: str) -> str:
    """A column of a table that holds an infinite number, or lacks one without a reason."""
    for name in table.select_dtypes("number"):
        values = table[name].to_numpy(dtype=float, na_value=np.nan)
        if np.isinf(values).any():
            return f"{name} is infinite"
    for name in known:
        if (table[name].isna() & (table["reason"].fillna("") == "")).any():
            return f"{name} is unknown without a reason"
    return ""


def tested(rng: np.random.Generator) -> str:
    """What is wrong with a backtest, its verdict, and what is published by it."""
    many, lineup = portfolio(rng), LINEUPS[int(rng.integers(len(LINEUPS)))]
    scheme = vx.RollingOrigin(horizon=int(rng.integers(1, 5)), origins=int(rng.integers(1, 7)))
    trial = vx.backtest(many, lineup, scheme)
    if not np.array_equal(trial.arrays.points, vx.backtest(many, lineup, scheme).arrays.points, equal_nan=True):
        return "other bits the second time"
    verdict = vx.decide(trial)
    publication = vx.publish(many, verdict, horizon=int(rng.integers(1, 7)), groups=["all"])
    found = no_number(trial.standings()) or no_number(trial.errors) or no_number(verdict.intervals)
    found = found or no_number(publication.frame) or no_number(publication.totals, "forecast")
    found = found or no_number(publication.forecasts, "value")
    if found:
        return found
    for item in many.names:
        if not verdict.why(item) or not publication[item].why:
            return "no word on why"
        outlook = publication[item].outlook
        if outlook is not None:
            lower, upper = np.asarray(outlook.bands.lower), np.asarray(outlook.bands.upper)
            ladder = np.concatenate((lower[::-1], upper))
            if (np.diff(ladder, axis=0) < 0.0).any():
                return "bounds that are not in order"
    watched = vx.watch(publication, many)
    record = vx.track_record([publication], many)
    return "" if watched.in_words() and record.in_words() else "no words of a watch or a record"


def tuned(rng: np.random.Generator) -> str:
    """What is wrong with settings tried inside folds."""
    method, grid = GRIDS[int(rng.integers(len(GRIDS)))]
    scheme = vx.RollingOrigin(horizon=int(rng.integers(1, 4)), origins=int(rng.integers(1, 6)))
    found = vx.tune(portfolio(rng), method, grid, scheme, measure=str(rng.choice(MEASURES)))
    if not found.in_words() or bool(found.best) == bool(found.reason):
        return "neither a setting nor a reason, or both"
    return no_number(found.frame)


def looked(rng: np.random.Generator) -> str:
    """What is wrong with what is said of a history before anything is forecast."""
    many = portfolio(rng)
    found = no_number(vx.profile(many))
    tidied = vx.tidy(
        many,
        gaps=str(rng.choice(["interpolate", "unknown", "seasonal", "carry"])),
        outliers=str(rng.choice(["flag", "repair"])),
    )
    found = found or no_number(tidied.ledger)
    for one in many:
        said = (vx.stationarity(one), vx.breaks(one), vx.seasons(one), vx.differencing(one), vx.decompose(one))
        found = found or no_number(said[0].table)
        if not said[0].reading:
            return "no reading of stationarity"
        audit = vx.fit(one, "naive").audit()
        found = found or no_number(audit.table)
    return found


KINDS = {"tested": tested, "tuned": tuned, "looked at": looked}


def kind(task: tuple[str, int, int]) -> tuple[str, Counter[str], list[str]]:
    """What became of so many jobs of a kind."""
    name, count, seed = task
    warnings.simplefilter("error")
    found, examples = Counter[str](), []
    for number in range(count):
        rng = np.random.default_rng([seed, number, len(name)])
        said = outcome(lambda rng=rng: KINDS[name](rng))
        if said.startswith(f"{REFUSED}: "):  # too little history for the test that is asked for
            found[REFUSED] += 1
            said = ""
        found[said] += 1
        if said and len(examples) < 4:
            examples.append(f"[{seed}, {number}]: {said}")
    return name, found, examples


def main(jobs: int = JOBS) -> int:
    """Print what became of them; how many broke."""
    wrong, parts = 0, 4
    with ProcessPoolExecutor() as workers:
        tasks = [(name, jobs // parts, seed) for name in KINDS for seed in range(parts)]
        for name, found, examples in workers.map(kind, tasks):
            refused = found.pop(REFUSED, 0)
            bad = sum(count for said, count in found.items() if said)
            wrong += bad
            print(f"{name}: {sum(found.values())} jobs, {refused} refused, {bad} broken", flush=True)
            for one in examples:
                print(f"    {one}", flush=True)
    return wrong


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:2])) > 0)
