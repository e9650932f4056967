"""Seasons: found where they are, none where there is none; and what knowing them is worth."""

from collections.abc import Callable, Iterator

import numpy as np

import veridex as vx

__all__ = ["main"]

SERIES = 60


def main() -> None:
    """Print the share of series whose seasons were read right, by cadence and length."""
    print("| series | seasons | read right |\n| --- | --- | --- |")
    for name, cadence, n, wanted, make in _banks():
        right = sum(_read(make(np.random.default_rng([7, i]), n), cadence) == wanted for i in range(SERIES))
        said = " and ".join(f"{length:g}" for length in wanted) or "none"
        print(f"| {name} | {said} | {100 * right / SERIES:.0f} % |", flush=True)


def _read(y: np.ndarray, cadence: str) -> tuple[float, ...]:
    history = vx.History.from_numbers(y, cadence=cadence, start="2022-01-03")
    return tuple(sorted(round(length, 2) for length in vx.seasons(history).lengths))


Make = Callable[[np.random.Generator, int], np.ndarray]


def _banks() -> Iterator[tuple[str, str, int, tuple[float, ...], Make]]:
    for years in (2, 3, 4):
        days = 365 * years + years // 4
        yield f"{years} years of days", "daily", days, (7, 365.25), _swinging((7, 365.25))
        yield f"{years} years of days, a week only", "daily", days, (7,), _swinging((7,))
        yield f"{years} years of days, no season", "daily", days, (), _swinging(())
        yield f"{years} years of weeks", "weekly", 52 * years, (52.18,), _swinging((52.18,))
        yield f"{years} years of weeks, no season", "weekly", 52 * years, (), _swinging(())
    yield "10 weeks of hours", "hourly", 1680, (24, 168), _swinging((24, 168))
    yield "10 weeks of hours, a day only", "hourly", 1680, (24,), _swinging((24,))
    yield "10 weeks of hours, no season", "hourly", 1680, (), _swinging(())
    yield "6 weeks of half hours", "30 minutes", 2016, (48, 336), _swinging((48, 336))
    yield "8 years of months", "monthly", 96, (12,), _swinging((12,))
    yield "8 years of months, no season", "monthly", 96, (), _swinging(())


def _swinging(lengths: tuple[float, ...]) -> Make:
    """Counts, skewed or normal demand with seasons that swing by a tenth to a half, over a level that may wander."""

    def make(rng: np.random.Generator, n: int) -> np.ndarray:
        t = np.arange(n)
        logs = np.log(rng.uniform(20, 300)) + rng.choice([0.0, 0.3]) * t / n
        logs = logs + np.cumsum(rng.choice([0.0, 0.002, 0.01]) * rng.normal(size=n))
        for length in lengths:
            for k in (1, 2):
                size = rng.uniform(0.1, 0.5) / k**2
                logs = logs + size * np.sin(2 * np.pi * k * t / length + rng.uniform(0, 6.28))
        noise = rng.normal(size=n)
        if rng.random() < 0.3:  # demand that remembers a little
            for i in range(1, n):
                noise[i] += 0.4 * noise[i - 1]
        mean = np.exp(logs + rng.choice([0.1, 0.2, 0.3]) * noise)
        y = rng.poisson(mean).astype(float) if rng.random() < 0.5 else np.round(mean, 1)
        y[rng.random(n) < 0.003] *= 3.0
        return y

    return make
