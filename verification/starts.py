"""Do the searches for the top of a likelihood find it? From scratch, and from the optimum of the origin before."""

import numpy as np
from scipy.optimize import minimize

from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.numerics.smoothing.recursion import LEVEL, half_deviance, recursion
from veridex.core.numerics.smoothing.region import LEVEL_ESTIMATED, SHARES, Asked, put, sought_entries
from veridex.core.numerics.smoothing.search import estimate_smoothing
from verification.models import FORMS, form_words, random_row, simulated

SERIES = 200
RANDOM_STARTS = 50
N = 96
NOTICEABLE = 1e-3
"""Differences of log-likelihood that count."""

FREE = np.full(4, np.nan)


def library_best(rng, y, form, row):
    """Half the deviance at the best end of a library's bounded optimiser from random starts, given the same seasons."""
    sought = sought_entries(form, Asked(SHARES, LEVEL_ESTIMATED, FREE))
    bounded = np.isfinite(sought.high)
    scale = np.where(sought.which == LEVEL, 3.0, np.where(bounded, 1.0, 0.3))
    states, fitted, trial = np.empty(2 + form.m), np.empty(y.size), row.copy()

    def objective(u):
        put(u * scale, sought, trial)
        value = half_deviance(*recursion(y, *form, trial, states, fitted), 1e-300)
        return value if np.isfinite(value) else 1e10

    best = np.inf
    walls = list(zip(sought.low / scale, sought.high / scale, strict=True))
    middle = np.where(sought.which == LEVEL, y[:12].mean(), 0.0) / scale
    spread = np.where(sought.which == LEVEL, 5.0, 1.0) / scale
    low, high = np.where(bounded, sought.low, 0.0), np.where(bounded, sought.high, 0.0)
    for _ in range(RANDOM_STARTS):
        start = np.where(bounded, rng.uniform(low, high), rng.normal(middle, spread))
        best = min(best, minimize(objective, start, method="L-BFGS-B", bounds=walls).fun)
    return best


def smoothing() -> None:
    print(f"{SERIES} series of {N} months, each simulated from one of the fifteen forms and fitted with it; percent of")
    print(
        f"fits whose log-likelihood is lower by more than {NOTICEABLE:g} than the best of {RANDOM_STARTS} random starts"
    )
    print("of a library's bounded quasi-Newton method.\n")
    rng = np.random.default_rng(1)
    gaps = {}
    for i in range(SERIES):
        form = FORMS[i % len(FORMS)]
        y = simulated(rng, form, random_row(rng, form), N)
        row, stats = np.empty(7 + form.m), np.empty(4)
        estimate_smoothing(y, form, Asked(SHARES, LEVEL_ESTIMATED, FREE), np.zeros(7 + form.m), row, stats)
        ours = half_deviance(*recursion(y, *form, row, np.empty(2 + form.m), np.empty(N)), 1e-300)
        gaps.setdefault(form, []).append(ours - library_best(rng, y, form, row))
    print("| form | fits | below the best, % | furthest below | furthest above |")
    print("| --- | --- | --- | --- | --- |")
    for form, found in gaps.items():
        share = 100 * np.mean(np.array(found) > NOTICEABLE)
        words = form_words(form).removeprefix("smoothing ")
        print(f"| {words} | {len(found)} | {share:.1f} | {max(max(found), 0):.4f} | {-min(min(found), 0):.4f} |")
    every = np.concatenate(list(gaps.values()))
    print(
        f"| all | {every.size} | {100 * np.mean(every > NOTICEABLE):.1f} | {every.max():.4f} | {-every.min():.4f} |\n"
    )


def series(seed: int) -> np.ndarray:
    """Half of them a growing season with proportional noise, half a wandering level with a fixed season."""
    rng, t = np.random.default_rng(seed), np.arange(N)
    if seed % 2:
        return (100 + 0.5 * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=N))
    return 200 + 4 * rng.normal(size=N).cumsum() + 20 * np.sin(2 * np.pi * t / 12) + 6 * rng.normal(size=N)


METHODS = (
    "simple-smoothing",
    "holt damped=yes",
    "holt-winters season=additive",
    "holt-winters season=additive damped=yes",
    "holt-winters season=multiplicative",
    "holt-winters season=multiplicative damped=yes",
    "arima p=1 d=1 q=1",
    "arima p=2 d=0 q=1",
)


def warm_starts() -> None:
    print("30 series of 78 to 89 months, re-fitted after each month; percent of fits below the other by as much.\n")
    print("| method | warm below scratch | scratch below warm |")
    print("| --- | --- | --- |")
    for text in METHODS:
        chosen = method(text)
        plan = chosen.family.plan(chosen.settings, Sizes(12))

        def likelihood(y, warm, chosen=chosen, plan=plan):
            rows = Rows.allocate(plan, y.size)
            chosen.family.run(plan, y.copy(), None, warm, rows)
            return rows.stats[0]

        gaps = []
        for seed in range(30):
            y, warm = series(seed), np.zeros(plan.warm_size)
            gaps += [
                likelihood(y[:stop], warm) - likelihood(y[:stop], np.zeros(plan.warm_size)) for stop in range(78, 90)
            ]
        below, above = (100 * np.mean(np.array(gaps) * sign > NOTICEABLE) for sign in (-1, 1))
        print(f"| {text} | {below:.1f} | {above:.1f} |", flush=True)


def main() -> None:
    smoothing()
    warm_starts()
