"""The seeded generator of the Larkmoor Apiary Supply order history. All names and numbers are invented.

``python -m veridex.demo.generator FILE`` writes the file that is packaged as ``data/orders.csv``.
"""

import csv
import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np

__all__ = ["ITEMS", "write_orders"]

SEED = 20250911
FIRST, LAST = np.datetime64("2018-01-01"), np.datetime64("2025-09-11")


@dataclass(frozen=True, slots=True)
class DemoItem:
    """How an item of the demo sells.

    Attributes
    ----------
    sku : str
    level : float
        Units a month at the start.
    growth : float
        Units a month gained every year.
    season : tuple of float
        Month of the peak (1 to 12) and how much of the level it swings.
    noise : float
        Relative standard deviation of a month.
    since, until : str
        First and last month it sells.
    shift : tuple of str and float
        From which month on the level is multiplied, and by what.
    sparse : float
        Share of months in which it is wanted at all.
    """

    sku: str
    level: float
    growth: float
    season: tuple[float, float]
    noise: float
    since: str = "2018-01"
    until: str = "2025-09"
    shift: tuple[str, float] = ("2099-01", 1.0)
    sparse: float = 1.0


ITEMS = (
    DemoItem("hive-national", 90, 6.0, (4.0, 0.55), 0.10),
    DemoItem("frames-pine-50", 240, 20.0, (4.5, 0.65), 0.09),
    DemoItem("jar-honey-500", 800, 35.0, (8.0, 0.70), 0.08),
    DemoItem("smoker-01", 120, 9.0, (4.2, 0.40), 0.09),
    DemoItem("suit-ventilated", 45, 4.5, (4.0, 0.35), 0.14, shift=("2022-03", 1.6)),
    DemoItem("fondant-12kg", 310, 0.0, (12.2, 0.75), 0.10),
    DemoItem("extractor-bearing", 4, 0.0, (8.0, 0.0), 0.40, sparse=0.35),
    DemoItem("hive-tool-j", 150, 0.0, (4.5, 0.20), 0.12),
    DemoItem("feeder-rapid", 70, -3.0, (9.0, 0.50), 0.12, until="2024-02"),
    DemoItem("jar-hex-280", 190, 60.0, (8.0, 0.60), 0.10, since="2024-01"),
)


def write_orders(path: Path) -> None:
    """Write the order lines: order_date, sku, quantity, in order of date."""
    lines = sorted(line for item in ITEMS for line in _order_lines(item))
    with path.open("w", newline="", encoding="utf-8") as stream:
        table = csv.writer(stream, lineterminator="\n")
        table.writerow(("order_date", "sku", "quantity"))
        table.writerows(lines)


def _order_lines(item: DemoItem) -> list[tuple[str, str, int]]:
    """Split each month's demand into a handful of orders on working days."""
    rng = np.random.default_rng(np.random.SeedSequence([SEED, *item.sku.encode()]))
    lines = []
    months = np.arange(np.datetime64(item.since), np.datetime64(item.until) + 1)
    for month in months:
        wanted = _month_demand(item, month, rng)
        days = np.arange(month.astype("datetime64[D]"), (month + 1).astype("datetime64[D]"))
        days = days[np.is_busday(days)]
        orders = int(rng.integers(2, 6))
        chosen = rng.choice(days, size=orders)
        shares = rng.dirichlet(np.full(orders, 4.0))
        quantities = np.diff(np.round(np.concatenate(([0.0], np.cumsum(shares))) * wanted)).astype(int)
        lines += [
            (str(day), item.sku, int(quantity))
            for day, quantity in zip(chosen, quantities, strict=True)
            if quantity > 0 and FIRST <= day <= LAST
        ]
    return lines


def _month_demand(item: DemoItem, month: np.datetime64, rng: np.random.Generator) -> int:
    index = int((month - np.datetime64("2018-01")).astype(int))
    peak, swing = item.season
    level = item.level + item.growth * index / 12.0
    wave = 1.0 + swing * np.cos(2.0 * np.pi * (index % 12 + 1 - peak) / 12.0)
    if month >= np.datetime64(item.shift[0]):
        level *= item.shift[1]
    noise = np.exp(item.noise * rng.standard_normal())
    wanted = rng.random() < item.sparse
    return round(level * wave * noise) if wanted else 0


if __name__ == "__main__":
    write_orders(Path(sys.argv[1]))
