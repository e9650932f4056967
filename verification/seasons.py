"""Seasons: found where they are, none where there is none; and what knowing them is worth."""

from collections.abc import Callable, Iterator

import numpy as np
import pandas as pd

import veridex as vx

__all__ = ["main"]

SERIES, ITEMS = 100, 16


def main() -> None:
    """Print the share of series whose seasons were read right, by cadence and length."""
    print("| series | seasons | read right |\n| --- | --- | --- |")
    for name, cadence, n, wanted, make in _banks():
        right = sum(_read(make(np.random.default_rng([7, i]), n), cadence) == wanted for i in range(SERIES))
        said = " and ".join(f"{length:g}" for length in wanted) or "none"
        print(f"| {name} | {said} | {100 * right / SERIES:.0f} % |", flush=True)
    worth()


def worth() -> None:
    """Print what the default publishes of days and months with promotions known ahead, against the true shape."""
    print("\nMean absolute error ahead, relative to that of the true shape on the level of late.")
    print("\n| demand | ahead | promotions | not told | told | of the possible gain |")
    print("| --- | --- | --- | --- | --- | --- |")
    for name, cadence, n, ahead, lengths, chance in (
        ("2 years of days", "daily", 730, 180, (7, 365.25), 0.0),
        ("2 years of days", "daily", 730, 180, (7, 365.25), 0.08),
        ("5 years of months", "monthly", 60, 12, (12,), 0.2),
        ("3 years of weeks", "weekly", 156, 26, (52.18,), 0.1),
    ):
        plain, driven, true = _errors(cadence, n, ahead, lengths, chance)
        told = "none" if not chance else f"{100 * chance:.0f} % of periods"
        gain = "-" if not chance else f"{100 * (plain - driven) / (plain - true):.0f} %"
        row = (name, str(ahead), told, f"{plain / true:.3f}", f"{driven / true:.3f}" if chance else "-", gain)
        print(f"| {' | '.join(row)} |", flush=True)


def _errors(cadence: str, n: int, ahead: int, lengths: tuple[float, ...], chance: float) -> tuple[float, float, float]:
    """Errors of what is published without and with the promotions, and of the true shape, scaled by item."""
    histories, tables, futures = [], [], []
    for i in range(ITEMS):
        rng = np.random.default_rng([8, i, n])
        t = np.arange(n + ahead)
        shape = sum(rng.uniform(0.15, 0.4) * np.sin(2 * np.pi * t / one + rng.uniform(0, 6.28)) for one in lengths)
        promo = (rng.random(t.size) < chance) * 1.0
        shape = shape + 0.4 * promo
        logs = np.log(rng.uniform(30, 200)) + np.cumsum(0.003 * rng.normal(size=t.size)) + shape
        y = rng.poisson(np.exp(logs + 0.15 * rng.normal(size=t.size))).astype(float)
        item = f"item-{i:02d}"
        history = vx.History.from_numbers(y[:n], cadence=cadence, start="2022-01-03", item=item)
        histories.append(history[item])
        stamps = history.cadence.starts(history[item].start + t)
        tables.append(pd.DataFrame({"item": item, "period": stamps, "promo": promo}))
        late = slice(n - n // 8, n)
        level = y[late].sum() / np.exp(shape[late]).sum()
        futures.append((y[n:], level * np.exp(shape[n:]), np.abs(np.diff(y[:n])).mean()))
    portfolio = vx.History.of(histories)
    drivers = vx.Drivers.from_frame(pd.concat(tables), item="item", cadence=cadence, known_ahead="all")
    scheme = vx.RollingOrigin(horizon=ahead, origins=6)
    found = []
    for given in (None, drivers) if chance else (None,):
        trial = vx.backtest(portfolio, scheme=scheme, drivers=given)
        made = vx.publish(portfolio, vx.decide(trial), horizon=ahead, drivers=given)
        points = [made[f"item-{i:02d}"].outlook.points for i in range(ITEMS)]
        pairs = zip(points, futures, strict=True)
        found.append(float(np.mean([np.abs(y - point).mean() / scale for point, (y, _, scale) in pairs])))
    true = float(np.mean([np.abs(y - shape).mean() / scale for y, shape, scale in futures]))
    return found[0], found[-1], true


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
