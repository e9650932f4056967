"""Known faults in made-up series: how many outliers and level shifts are found, how many clean months flagged."""

import numpy as np

from veridex.core.reading.expectation import expect

DRAWS = 1000
N, SEASON_LENGTH = 96, 12


def series(rng: np.random.Generator, kind: str) -> tuple[np.ndarray, np.ndarray]:
    """A clean series, and the standard deviation of its noise per period."""
    t = np.arange(N)
    harmonic = np.cos(2 * np.pi * (t - rng.integers(12)) / 12) + 0.4 * np.cos(4 * np.pi * (t - rng.integers(12)) / 12)
    level = rng.uniform(80, 400)
    trend = level * (1 + rng.uniform(-0.05, 0.12) * t / 12)
    noise = rng.normal(size=N)
    swing, cv = rng.uniform(0.1, 0.5), rng.uniform(0.03, 0.12)
    if kind == "seasonal":
        expected, sigma = level * (1 + swing * harmonic), np.full(N, cv * level)
    elif kind == "trending":
        expected, sigma = trend, np.full(N, cv * level)
    elif kind == "trend and season":
        expected, sigma = trend + swing * level * harmonic, np.full(N, cv * level)
    elif kind == "relative":
        expected = trend * (1 + min(swing, 0.4) * harmonic)
        sigma = cv * expected
    else:
        expected = trend + swing * level * harmonic
        sigma = cv * level * (0.5 + 1.5 * t / N)
    return expected + sigma * noise, sigma


KINDS = ("seasonal", "trending", "trend and season", "relative", "growing spread")


def main() -> None:
    print("| series | 6-sigma outliers found % | clean months flagged % | false shifts per series | 4-sigma shifts % |")
    print("| --- | --- | --- | --- | --- |")
    for kind in KINDS:
        rng = np.random.default_rng(7)
        found = placed = flagged = clean = shifts = hits = 0
        for _ in range(DRAWS):
            y, sigma = series(rng, kind)
            faulty = y.copy()
            where = rng.choice(N, size=rng.integers(1, 4), replace=False)
            faulty[where] += rng.choice((-6.0, 6.0), size=where.size) * sigma[where]
            seen = expect(faulty, SEASON_LENGTH)
            found += int(seen.outlying[where].sum())
            placed += where.size
            seen = expect(y, SEASON_LENGTH)
            flagged += int(seen.outlying.sum())
            clean += N
            shifts += len(seen.shifts)
            at = int(rng.integers(12, N - 12))
            shifted = y.copy()
            shifted[at:] += rng.choice((-4.0, 4.0)) * sigma[at]
            hits += any(abs(shift.place - at) <= 2 for shift in expect(shifted, SEASON_LENGTH).shifts)
        print(
            f"| {kind} | {100 * found / placed:.1f} | {100 * flagged / clean:.2f} | {shifts / DRAWS:.3f} "
            f"| {100 * hits / DRAWS:.1f} |"
        )


if __name__ == "__main__":
    main()
