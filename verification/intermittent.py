"""How far forecasts of demand that comes now and then are from the true mean: steady, and after it changed."""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

import veridex as vx

ITEMS = 400
CHANCES = (0.2, 0.35, 0.5)
MU, SIGMA = 1.5, 0.6
METHODS = ("croston", "sba", "tsb")


class Case(NamedTuple):
    """Months of history, and what chance and sizes are multiplied by in the last of them."""

    months: int
    chance: float = 1.0
    size: float = 1.0
    last: int = 0


CASES = {
    "steady, 48 months": Case(48),
    "steady, 24 months": Case(24),
    "the chance halved 18 months ago": Case(48, chance=0.5, last=18),
    "sizes halved 18 months ago": Case(48, size=0.5, last=18),
    "the chance doubled 18 months ago": Case(48, chance=2.0, last=18),
}


def drawn(case: Case) -> Iterator[tuple[vx.ItemHistory, float]]:
    """Histories of whole log-normal sizes, at least one, with at least three demands; and their mean to come."""
    rng = np.random.default_rng(5)
    many = np.exp(MU + SIGMA * np.random.default_rng(1).normal(size=100_000))
    new = np.arange(case.months) >= case.months - case.last
    for i in range(ITEMS):
        chance = CHANCES[i % len(CHANCES)] * np.where(new, case.chance, 1.0)
        scale = np.where(new, case.size, 1.0)
        sizes = np.maximum(np.round(scale * np.exp(MU + SIGMA * rng.normal(size=case.months))), 1.0)
        values = np.where(rng.random(case.months) < chance, sizes, 0.0)
        if (values > 0.0).sum() > 2:
            history = vx.History.from_numbers(values, start="2020-01", cadence="monthly", item="spare")
            yield history["spare"], float(chance[-1] * np.maximum(np.round(scale[-1] * many), 1.0).mean())


def main() -> None:
    print(
        f"Mean distance of the forecast from the true mean, and its bias, in percent of that; {ITEMS} items a case.\n"
    )
    print("| demand | " + " | ".join(METHODS) + " |")
    print("| --- " * (1 + len(METHODS)) + "|")
    for name, case in CASES.items():
        off: dict[str, list[float]] = {method: [] for method in METHODS}
        for series, mean in drawn(case):
            for method in METHODS:
                off[method].append(100.0 * (vx.fit(series, method).forecast(1).points[0] / mean - 1.0))
        cells = [f"{np.abs(one).mean():.1f} ({np.mean(one):+.1f})" for one in off.values()]
        print(f"| {name} | " + " | ".join(cells) + " |")
