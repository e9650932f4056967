"""Do the searches for the top of a likelihood find it? From scratch, and from the optimum of the origin before."""

import numpy as np

from veridex.core.methods.catalogue import method
from veridex.core.methods.contract import Rows

SERIES = 30
RANDOM_STARTS = 30
NOTICEABLE = 1e-3
"""Differences of log-likelihood that count."""

METHODS = (
    "simple-smoothing",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative",
    "holt-winters season=multiplicative damped=yes",
    "arima p=1 d=1 q=1",
    "arima p=2 d=0 q=1",
)


def series(seed: int) -> np.ndarray:
    """Half of them a growing season with proportional noise, half a wandering level with a fixed season."""
    rng, t = np.random.default_rng(seed), np.arange(96)
    if seed % 2:
        return (100 + 0.5 * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=96))
    return 200 + 4 * rng.normal(size=96).cumsum() + 20 * np.sin(2 * np.pi * t / 12) + 6 * rng.normal(size=96)


def main() -> None:
    print(f"{SERIES} series of 96 months; percent of fits whose log-likelihood is lower by more than {NOTICEABLE:g}.")
    print(f"Best: of {RANDOM_STARTS} random starts. Warm: from the optimum of the origin before.\n")
    print("| method | scratch below best | warm below scratch | scratch below warm |")
    print("| --- | --- | --- | --- |")
    rng = np.random.default_rng(1)
    for text in METHODS:
        chosen = method(text)
        plan = chosen.family.prepare(chosen.settings, 12, 1, ())

        def likelihood(y, warm, chosen=chosen, plan=plan):
            rows = Rows.allocate(plan, y.size)
            chosen.family.run(plan, y.copy(), None, warm, rows)
            return rows.stats[0]

        beaten, below, above = [], [], []
        for seed in range(SERIES):
            y = series(seed)
            start = np.zeros((RANDOM_STARTS, plan.warm_size))
            start[:, 0] = 1.0
            start[:, 1:] = rng.uniform(-3, 3, size=(RANDOM_STARTS, plan.warm_size - 1))
            scratch = likelihood(y, np.zeros(plan.warm_size))
            beaten.append(max(likelihood(y, one) for one in start) - scratch > NOTICEABLE)
            warm = np.zeros(plan.warm_size)
            for stop in range(78, 90):
                gap = likelihood(y[:stop], warm) - likelihood(y[:stop], np.zeros(plan.warm_size))
                below.append(gap < -NOTICEABLE)
                above.append(gap > NOTICEABLE)
        shares = [f"{100 * np.mean(found):.1f}" for found in (beaten, below, above)]
        print(f"| {text} | {' | '.join(shares)} |", flush=True)
