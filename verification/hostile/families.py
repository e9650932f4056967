"""Hostile histories by the thousand through every family: finite or a reason, bounds in order, no warning."""

import sys
import tempfile
import warnings
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np

import veridex as vx
from verification.fuzz import history

HISTORIES = 100
"""Of each family."""

PARTS = 5
"""What a family is parted into, so that the slow ones keep every processor busy."""

REFUSED = "refused"

FAMILIES = {
    "naive": ("mean", "naive", "seasonal-naive", "drift", "last-change", "seasonal-naive turns=1"),
    "averages": ("moving-average window=3", "moving-average weights=[3, 2, 1]", "seasonal-mean"),
    "level": ("simple-smoothing", "simple-smoothing error=multiplicative", "simple-smoothing alpha=0.3"),
    "trend": ("holt", "holt damped=yes", "holt error=multiplicative", "holt constants=stable"),
    "season": ("holt-winters", "holt-winters season=multiplicative damped=yes", "holt-winters estimate_starts=all"),
    "searched smoothing": ("smoothing", "smoothing transform=log", "smoothing average=yes"),
    "drawn": (
        "holt intervals=with-estimation",
        "holt-winters intervals=simulated",
        "arima d=1 intervals=with-estimation",
    ),
    "theta": ("theta", "theta transform=box-cox", "theta season=multiplicative", "theta optimised=yes"),
    "arima": ("arima p=1 d=1 q=1", "arima p=2 constant=yes", "arima q=1 transform=log", "arima p=1 season=dummies"),
    "seasonal arima": ("arima p=0 d=1 q=1 P=0 D=1 Q=1", "arima p=1 d=0 q=0 P=1 D=0 Q=0"),
    "searched arima": ("arima", "arima season=none", "arima q=1 keep=chosen"),
    "trends": ("linear-trend", "poly-trend degree=2 transform=log", "bending-trend"),
    "seasonal regression": ("trend-season", "harmonic", "trend-season transform=log"),
    "intermittent": ("croston", "sba", "tsb"),
    "made of others": (
        "combination of=[theta, naive, tsb] weights=[1, 2, 3]",
        "combination of=[naive, theta, moving-average weights=[2, 1]] weights=trimmed",
        "tuned of=[moving-average window=2, seasonal-naive, naive] horizon=2 origins=4",
        "naive transform=log",
        "drift transform=box-cox",
    ),
}


def faults(text: str, y: np.ndarray, rng: np.random.Generator, home: Path) -> str:
    """What is wrong with what a method makes of a history; empty where nothing is."""
    series = vx.History.from_numbers(y, cadence="counted", seasons=int(rng.choice([1, 4, 12])))
    fitted = vx.fit(series, text)
    forecast = fitted.forecast(4, levels=(80, 95))
    if not fitted.available:
        return "" if fitted.reason and np.isnan(forecast.points).all() else "neither a forecast nor a reason"
    if forecast.reason and np.isnan(forecast.points).all():
        return ""
    if not np.isfinite(forecast.points).all() or not (forecast.std_error >= 0.0).all():
        return "a forecast that is no number"
    quantiles = np.array([[forecast.law(step).quantile(share) for share in (2.5, 10, 50, 90, 97.5)] for step in (1, 4)])
    if not np.isfinite(quantiles).all():
        return "bounds that are no numbers"
    if (np.diff([*forecast.lower[::-1], *forecast.upper], axis=0) < 0.0).any():
        return "bounds that are not in order"
    if not (fitted.in_words() and fitted.equation()) or not np.isfinite(fitted.coefficients["value"]).all():
        return "no words, no equation, or an estimate that is no number"
    if not np.array_equal(vx.fit(series, text).forecast(4).points, forecast.points):
        return "other bits the second time"
    if rng.random() < 0.1:
        again = vx.read_fitted(vx.write(fitted, home / "model.json"))
        if not np.array_equal(again.forecast(4).points, forecast.points):
            return "another forecast after a journey through a file"
        applied = fitted.apply(series)
        if applied.available and not np.allclose(applied.forecast(4).points, forecast.points, rtol=1e-9, atol=1e-12):
            return "another forecast when it is carried over to the same values"
    return published_faults(series, text)


def published_faults(series: vx.History, text: str) -> str:
    """What is wrong with its publication."""
    publication = vx.publish(series, method=text, horizon=4)
    for table in (publication.forecasts, publication.totals):
        numbers = table.select_dtypes("number").to_numpy(dtype=float, na_value=np.nan)
        if np.isinf(numbers).any():
            return "infinite numbers are published"
        unknown = table.iloc[:, 4 if "value" in table else 5].isna()
        if (unknown & (table["reason"] == "")).any():
            return "nothing is published, without a reason"
    return ""


def outcome(work: Callable[[], str]) -> str:
    """What is wrong with some work: what it says, that it was refused, or what broke."""
    try:
        return work()
    except vx.VeridexError as problem:
        return f"{REFUSED}: {type(problem).__name__}" if str(problem) else "refused without a word"
    except Exception as problem:
        return f"{type(problem).__name__}: {str(problem)[:90]}"


def family(task: tuple[str, int, int]) -> tuple[Counter[str], list[str]]:
    """What became of so many histories of a family, drawn from a seed."""
    name, count, seed = task
    warnings.simplefilter("error")
    rng, found, examples = np.random.default_rng([seed, *name.encode()]), Counter[str](), []
    with tempfile.TemporaryDirectory() as home:
        for k in range(count):
            text = FAMILIES[name][k % len(FAMILIES[name])]
            y = history(rng)
            if rng.random() < 0.2:
                with np.errstate(all="ignore"):
                    y = np.nan_to_num(y * 10.0 ** rng.integers(-250, 250), nan=np.nan, posinf=1e300, neginf=-1e300)
            y = np.append(y, rng.choice([np.nan, 1.0]))
            said = outcome(lambda text=text, y=y: faults(text, y, rng, Path(home)))
            found[said] += 1
            if said and len(examples) < 3:
                examples.append(f"{text}: {said}: {y[:60].tolist()}")
    return found, examples


def told(tasks: list[Any], work: Callable[[Any], tuple[Counter[Any], list[str]]], line: Callable[[Any], str]) -> int:
    """Do the tasks in processes, print what became of each and what broke; how many broke."""
    wrong = 0
    with ProcessPoolExecutor() as workers:
        for (name, *_), (found, examples) in zip(tasks, workers.map(work, tasks), strict=True):
            wrong += len(examples)
            print(f"{name}: {line(found)}, {len(examples)} broken", flush=True)
            for one in examples[:5]:
                print(f"    {one}", flush=True)
    return wrong


def main(histories: int = HISTORIES) -> int:
    """Print what became of them, family by family; how many broke."""
    wrong = 0
    with ProcessPoolExecutor() as workers:
        tasks = [(name, histories // PARTS, seed) for name in FAMILIES for seed in range(PARTS)]
        ended = workers.map(family, tasks)
        for name in FAMILIES:
            counted, shown = zip(*islice(ended, PARTS), strict=True)
            found, examples = sum(counted, Counter[str]()), [one for few in shown for one in few]
            bad = sum(count for said, count in found.items() if said)
            wrong += bad
            print(f"{name}: {sum(found.values())} histories, {bad} broken", flush=True)
            for said, count in found.most_common(6):
                if said:
                    print(f"    {count} x {said}", flush=True)
            for one in examples if bad else ():
                print(f"    {one}", flush=True)
    return wrong


if __name__ == "__main__":
    main(*map(int, sys.argv[1:2]))
