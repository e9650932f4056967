"""Constants of our own that no publication gives: what others would have done to the forecasts.

Each setting of a compiled constant runs in a process of its own with kernels of its own.
"""

import os
import subprocess
import sys
import tempfile

import numpy as np

from verification.portfolios import PROCESSES, SEASON_LENGTH, portfolio

ITEMS = 60
LENGTHS = (30, 48, 96)
METHODS = (
    "holt damped=yes",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative damped=yes",
)
WALLS_OF_PHI = ((0.8, 0.98), (0.5, 0.99), (0.0, 1.0), (0.9, 0.995))
FIRST_SEASONS = (2, 3, 5, 8)
WIDTHS = (7, 9, 11, 13, 15, 21, 35)


def errors_of_smoothing() -> None:
    """Mean absolute error of each method and length, as a ratio to that of the drift method, over all processes."""
    import veridex as vx

    plain: dict[tuple[str, int], list[float]] = {}
    for draw, name in enumerate(PROCESSES):
        made = portfolio(name, draw, ITEMS)
        for series, futures in zip(made.history, made.futures, strict=True):
            for n in LENGTHS:
                part = series.last(n)
                scale = np.abs(np.diff(part.values)).mean()
                for method in METHODS:
                    points = vx.fit(part, method).forecast(12).points
                    plain.setdefault((method, n), []).append(float(np.abs(futures - points).mean() / scale))
    print(" ".join(f"{np.mean(plain[method, n]):.4f}" for n in LENGTHS for method in METHODS))


PATCHED = """
import veridex.core.numerics.smoothing.region as region
import veridex.core.numerics.smoothing.starts as starts
region.LEAST_PHI, region.MOST_PHI = {walls}
starts.TURNS_FOR_SEASON = {turns}
from verification.constants import errors_of_smoothing
errors_of_smoothing()
"""


def errors_with(walls: tuple[float, float], turns: int) -> list[float]:
    """The same with other constants compiled into the kernels."""
    with tempfile.TemporaryDirectory() as cache:
        script = PATCHED.format(walls=walls, turns=turns)
        ended = subprocess.run(
            [sys.executable, "-c", script],
            env=os.environ | {"NUMBA_CACHE_DIR": cache},
            capture_output=True,
            text=True,
            check=True,
        )
    return [float(value) for value in ended.stdout.split()]


def smoothing() -> None:
    print(f"Mean absolute error over {len(PROCESSES)} processes with {ITEMS} items and 100 futures each, 12 ahead, in")
    print(f"mean changes of the history, by length of the history; mean over {len(METHODS)} methods.\n")
    print("| walls of phi | first seasons | " + " | ".join(f"{n} months" for n in LENGTHS) + " | all |")
    print("| --- |" + " --- |" * (len(LENGTHS) + 2))
    tried = [(walls, 5) for walls in WALLS_OF_PHI] + [((0.5, 0.99), turns) for turns in FIRST_SEASONS if turns != 5]
    for walls, turns in tried:
        found = np.reshape(errors_with(walls, turns), (len(LENGTHS), len(METHODS))).mean(axis=1)
        cells = " | ".join(f"{value:.4f}" for value in (*found, found.mean()))
        print(f"| {walls[0]:g} to {walls[1]:g} | {turns} | {cells} |", flush=True)


def loess() -> None:
    from veridex.core.diagnosis import decomposition

    print(
        "\nSeason of a decomposition by loess: root mean squared error of the season of 200 simulated series each, by"
    )
    print("how far it wanders a year (share of its size) and by the width in seasons that it is smoothed over.\n")
    print("| years | wanders | " + " | ".join(str(width) for width in WIDTHS) + " |")
    print("| --- | --- |" + " --- |" * len(WIDTHS))
    import veridex as vx

    kept = decomposition.SEASON_WIDTH
    for years in (5, 10, 15):
        for wander in (0.0, 0.05, 0.1, 0.2):
            cells = []
            for width in WIDTHS:
                decomposition.SEASON_WIDTH = width
                found = []
                for seed in range(200):
                    rng = np.random.default_rng([7, years, seed])
                    y, season = wandering(rng, years, wander)
                    series = vx.History.from_numbers(y, start="2010-01", cadence="monthly", item="made-up")
                    found.append(np.sqrt(np.mean((vx.decompose(series).seasonal - season) ** 2)))
                cells.append(f"{np.mean(found):.3f}")
            print(f"| {years} | {wander:g} | {' | '.join(cells)} |", flush=True)
    decomposition.SEASON_WIDTH = kept


def wandering(rng: np.random.Generator, years: int, wander: float) -> tuple[np.ndarray, np.ndarray]:
    """Demand with noise of a third of its season's size, and that season, whose months wander."""
    first = rng.normal(size=SEASON_LENGTH)
    steps = np.vstack((first, wander * rng.normal(size=(years - 1, SEASON_LENGTH))))
    season = steps.cumsum(axis=0)
    season = (season - season.mean(axis=1, keepdims=True)).ravel()
    level = 100 + 0.05 * rng.normal(size=season.size).cumsum()
    return level + season + 0.33 * rng.normal(size=season.size), season


def main() -> None:
    smoothing()
    loess()
