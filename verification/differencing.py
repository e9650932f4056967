"""Differencing advice on made-up series of known order: which D, d and transform it finds."""

from collections import Counter
from collections.abc import Callable

import numpy as np

import veridex as vx

N, SEASON_LENGTH, EACH = 144, 12, 50


def season(rng: np.random.Generator) -> np.ndarray:
    harmonic = rng.normal(size=SEASON_LENGTH)
    return np.resize((harmonic - harmonic.mean()) / harmonic.std(), N)


def ar(rng: np.random.Generator) -> np.ndarray:
    y, state = np.empty(N), 0.0
    for t, shock in enumerate(rng.normal(size=N + 50)):
        state = 0.6 * state + shock
        y[t - 50 if t >= 50 else 0] = state
    return 100 + y


def seasonal_walk(rng: np.random.Generator) -> np.ndarray:
    steps = rng.normal(size=(N // SEASON_LENGTH, SEASON_LENGTH))
    steps[0] *= 4
    return 200 + steps.cumsum(axis=0).ravel()


def multiplicative(rng: np.random.Generator) -> np.ndarray:
    level = np.cumsum(0.012 + 0.02 * rng.normal(size=N))
    return np.exp(5 + level + 0.2 * season(rng) + 0.05 * rng.normal(size=N))


# What was made, and the D and d that it has.
KINDS: dict[str, tuple[Callable[[np.random.Generator], np.ndarray], int, int]] = {
    "noise": (lambda rng: 100 + 5 * rng.normal(size=N), 0, 0),
    "autoregression 0.6": (ar, 0, 0),
    "random walk": (lambda rng: 100 + rng.normal(size=N).cumsum(), 0, 1),
    "random walk with drift": (lambda rng: 100 + (0.5 + rng.normal(size=N)).cumsum(), 0, 1),
    "twice integrated": (lambda rng: 5000 + rng.normal(size=N).cumsum().cumsum(), 0, 2),
    "fixed season with noise": (lambda rng: 200 + 10 * season(rng) + 5 * rng.normal(size=N), 0, 0),
    "seasonal random walk": (seasonal_walk, 1, 0),
    "multiplicative, growing spread": (multiplicative, 0, 1),
}


def main() -> None:
    print("| series | right D and d % | advised (D, d) | log or power % | most above the truth |")
    print("| --- | --- | --- | --- | --- |")
    right, transformed = [], {}
    for kind, (make, seasonal, plain) in KINDS.items():
        rng = np.random.default_rng(3)
        found: Counter[tuple[int, int]] = Counter()
        logs, above = 0, 0
        for _ in range(EACH):
            history = vx.History.from_numbers(make(rng), start="2012-01", cadence="monthly", item="made")
            advice = vx.differencing(history)
            found[advice.D, advice.d] += 1
            logs += advice.transform != "none"
            above = max(above, advice.D + advice.d - seasonal - plain)
        share = 100 * found[seasonal, plain] / EACH
        right.append(share)
        transformed[kind] = 100 * logs / EACH
        counts = ", ".join(f"{pair}: {count}" for pair, count in sorted(found.items()))
        print(f"| {kind}: ({seasonal}, {plain}) | {share:.0f} | {counts} | {transformed[kind]:.0f} | {above} |")
    others = [share for kind, share in transformed.items() if not kind.startswith("multiplicative")]
    print(f"\nRight over the bank: {np.mean(right):.1f} %; transform advised in {np.mean(others):.1f} % of the others.")


if __name__ == "__main__":
    main()
