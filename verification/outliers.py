"""Known faults in made-up series: how many outliers and level shifts are found, how many clean months flagged."""

import numpy as np

from veridex.core.periods.seasons import Turns
from veridex.core.reading.expectation import Expectation, expect

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


def days(rng: np.random.Generator, _kind: str) -> tuple[np.ndarray, np.ndarray]:
    """Two to three years of days with week and year."""
    n = int(rng.integers(730, 1096))
    t = np.arange(n)
    level, cv = rng.uniform(80, 400), rng.uniform(0.08, 0.2)
    year = rng.uniform(0.1, 0.4) * np.sin(2 * np.pi * t / 365.25 + rng.uniform(0, 6.28))
    week = rng.uniform(0.05, 0.3) * np.sin(2 * np.pi * t / 7 + rng.uniform(0, 6.28))
    expected = level * (1 + rng.uniform(-0.05, 0.1) * t / 365 + year + week)
    return expected + cv * level * rng.normal(size=n), np.full(n, cv * level)


KINDS = ("seasonal", "trending", "trend and season", "relative", "growing spread")


def read(kind: str, y: np.ndarray) -> Expectation:
    if kind == "days with week and year":
        return expect(y, 7, turns=Turns((365.25,)))
    return expect(y, SEASON_LENGTH)


def main() -> None:
    print(
        "| series | 6-sigma outliers found % | clean periods flagged % | false shifts per series | 4-sigma shifts % |"
    )
    print("| --- | --- | --- | --- | --- |")
    for kind in (*KINDS, "days with week and year"):
        make, draws, reach = (days, DRAWS // 5, 7) if kind not in KINDS else (series, DRAWS, 2)
        rng = np.random.default_rng(7)
        found = placed = flagged = clean = shifts = hits = 0
        for _ in range(draws):
            y, sigma = make(rng, kind)
            n = y.size
            faulty = y.copy()
            where = rng.choice(n, size=rng.integers(1, 4), replace=False)
            faulty[where] += rng.choice((-6.0, 6.0), size=where.size) * sigma[where]
            seen = read(kind, faulty)
            found += int(seen.outlying[where].sum())
            placed += where.size
            seen = read(kind, y)
            flagged += int(seen.outlying.sum())
            clean += n
            shifts += len(seen.shifts)
            at = int(rng.integers(n // 8, n - n // 8))
            shifted = y.copy()
            shifted[at:] += rng.choice((-4.0, 4.0)) * sigma[at]
            hits += any(abs(shift.place - at) <= reach for shift in read(kind, shifted).shifts)
        print(
            f"| {kind} | {100 * found / placed:.1f} | {100 * flagged / clean:.2f} | {shifts / draws:.3f} "
            f"| {100 * hits / draws:.1f} |",
            flush=True,
        )
    part_of_a_year()
    short_series()


def part_of_a_year() -> None:
    """Print how often days with less than a turn and a half of a year are said to have a shift, and have one found."""
    print("\n| days with part of a year | with a false shift % | 4-sigma shifts % |\n| --- | --- | --- |")
    for n in (150, 250, 350, 450, 540):
        rng = np.random.default_rng([4, n])
        false = hits = 0
        for _ in range(DRAWS // 5):
            t, level, cv = np.arange(n), rng.uniform(80, 400), rng.uniform(0.08, 0.2)
            year = rng.uniform(0.2, 0.5) * np.sin(2 * np.pi * t / 365.25 + rng.uniform(0, 6.28))
            y = level * (1 + year + rng.uniform(0.05, 0.3) * np.sin(2 * np.pi * t / 7) + cv * rng.normal(size=n))
            false += bool(expect(y, 7, turns=Turns((365.25,))).shifts)
            at = int(rng.integers(n // 4, 3 * n // 4))
            y[at:] += 4 * cv * level * rng.choice((-1.0, 1.0))
            hits += any(abs(shift.place - at) <= 7 for shift in expect(y, 7, turns=Turns((365.25,))).shifts)
        print(f"| {n} | {100 * false / (DRAWS // 5):.1f} | {100 * hits / (DRAWS // 5):.1f} |", flush=True)


def short_series() -> None:
    """Print how many short series without a shift are said to have one."""
    print("\n| short series, 15 to 30 values | with a shift % |\n| --- | --- |")
    makes = {
        "independent": lambda e: 50 + 8 * e,
        "a line": lambda e: 50 + 1.5 * np.arange(e.size) + 8 * e,
        "whole numbers": lambda e: np.round(np.maximum(6 + 2.5 * e, 0)),
        "log-normal": lambda e: np.exp(3 + 0.5 * e),
        "what remembers 0.5": lambda e: (
            50 + 8 * np.array([e[: i + 1] @ 0.5 ** np.arange(i, -1, -1) for i in range(e.size)])
        ),
    }
    for name, make in makes.items():
        rng = np.random.default_rng([3, len(name)])
        said = sum(bool(expect(make(rng.normal(size=rng.integers(15, 31))), 1).shifts) for _ in range(DRAWS))
        print(f"| {name} | {100 * said / DRAWS:.1f} |", flush=True)


if __name__ == "__main__":
    main()
