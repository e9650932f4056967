"""What Larkmoor Apiary Supply sells, and how. All names and numbers are invented."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray, IntArray

__all__ = ["ITEMS", "SEED", "SPARES", "DemoItem", "generator_of", "monthly_demand", "temperature"]

SEED = 20250911


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
    restless : tuple of str and float
        From which month on the noise is multiplied, and by what.
    warmth : float
        Share of the level gained by a month one degree warmer than usual.
    fair : float
        Share of the level gained in a month with a trade fair.
    sparse : float
        Share of months in which it is wanted at all.
    """

    sku: str
    level: float
    growth: float
    season: tuple[float, float]
    noise: float
    since: str = "2016-10"
    until: str = "2025-09"
    shift: tuple[str, float] = ("2099-01", 1.0)
    restless: tuple[str, float] = ("2099-01", 1.0)
    warmth: float = 0.0
    fair: float = 0.0
    sparse: float = 1.0


ITEMS = (
    DemoItem("extractor-4-frame", 14, 0.5, (7.2, 0.55), 0.16),
    DemoItem("extractor-bearing", 4, 0.0, (8.0, 0.0), 0.40, sparse=0.35),
    DemoItem("feeder-rapid", 90, -4.0, (9.0, 0.50), 0.10, until="2024-02"),
    DemoItem("fondant-12kg", 310, 0.0, (12.2, 0.70), 0.09),
    DemoItem("fondant-2kg", 520, 12.0, (12.0, 0.65), 0.09),
    DemoItem("frames-pine-10", 410, 0.0, (4.5, 0.60), 0.09, warmth=0.03),
    DemoItem("frames-pine-50", 210, 20.0, (4.5, 0.65), 0.09, warmth=0.03),
    DemoItem("frames-plastic-10", 60, 22.0, (4.6, 0.50), 0.11),
    DemoItem("gloves-leather", 95, 2.0, (4.3, 0.35), 0.11),
    DemoItem("hive-national", 82, 6.0, (4.0, 0.55), 0.09, fair=0.25),
    DemoItem("hive-nucleus", 34, 0.0, (5.0, 0.60), 0.14, since="2025-03"),
    DemoItem("hive-ten-frame", 60, 4.0, (4.0, 0.50), 0.10, fair=0.25),
    DemoItem("hive-tool-j", 150, 0.0, (4.5, 0.20), 0.11),
    DemoItem("honey-tank-50", 18, 0.0, (7.5, 0.60), 0.15),
    DemoItem("jar-hex-280", 190, 60.0, (8.0, 0.60), 0.09, since="2024-01"),
    DemoItem("jar-honey-1kg", 260, -9.0, (8.0, 0.65), 0.08, warmth=0.02),
    DemoItem("jar-honey-250", 380, 18.0, (8.0, 0.60), 0.09, warmth=0.02),
    DemoItem("jar-honey-500", 760, 35.0, (8.0, 0.70), 0.08, warmth=0.02),
    DemoItem("lid-black-70", 640, 22.0, (8.1, 0.60), 0.09),
    DemoItem("lid-gold-63", 910, 30.0, (8.1, 0.65), 0.09),
    DemoItem("pollen-patty", 70, 8.0, (2.8, 0.65), 0.13, since="2018-01"),
    DemoItem("queen-cage", 120, 0.0, (6.0, 0.55), 0.05, restless=("2021-07", 4.0)),
    DemoItem("smoker-01", 108, 9.0, (4.2, 0.40), 0.08, fair=0.15),
    DemoItem("smoker-02", 74, 3.0, (4.2, 0.40), 0.09),
    DemoItem("smoker-fuel-1kg", 180, 5.0, (5.5, 0.45), 0.09),
    DemoItem("strainer-double", 46, 0.0, (7.8, 0.55), 0.12),
    DemoItem("suit-basic", 66, 0.0, (4.0, 0.35), 0.11),
    DemoItem("suit-ventilated", 40, 4.5, (4.0, 0.35), 0.10, shift=("2022-03", 1.6), fair=0.20),
    DemoItem("veil-round", 52, -1.0, (4.2, 0.30), 0.12),
    DemoItem("wax-sheet-national", 330, 10.0, (4.4, 0.60), 0.09),
)

SPARES = (
    DemoItem("bearing-6203", 4, 0.0, (7.0, 0.0), 0.45, sparse=0.35),
    DemoItem("crank-handle", 1.6, 0.0, (7.0, 0.0), 0.30, sparse=0.20),
    DemoItem("drive-belt-60", 3, 0.0, (7.0, 0.0), 0.90, sparse=0.30),
    DemoItem("gate-valve-38", 6, 0.0, (7.0, 0.0), 0.35, sparse=0.55),
    DemoItem("lid-clip", 30, 0.0, (7.0, 0.0), 1.10, sparse=0.40),
    DemoItem("motor-24v", 1.3, 0.0, (7.0, 0.0), 0.25, sparse=0.10),
    DemoItem("seal-ring-90", 9, 0.0, (7.0, 0.0), 0.60, sparse=0.25, until="2024-04"),
    DemoItem("strainer-mesh", 5, 0.0, (7.0, 0.0), 0.50, sparse=0.75),
)


def generator_of(*words: str) -> np.random.Generator:
    """A generator of its own for each name, so that one item's numbers never depend on another's."""
    return np.random.default_rng(np.random.SeedSequence([SEED, *"/".join(words).encode()]))


def monthly_demand(item: DemoItem, months: NDArray[np.datetime64], fairs: set[str]) -> IntArray:
    """Units wanted in each month; `fairs` are the months with a trade fair, as text."""
    rng = generator_of(item.sku)
    index = (months - np.datetime64("2016-10")).astype(np.int64)
    of_year = months.astype("datetime64[M]").astype(np.int64) % 12 + 1
    peak, swing = item.season
    level = item.level + item.growth * index / 12.0
    level *= np.where(months >= np.datetime64(item.shift[0]), item.shift[1], 1.0)
    harmonic = 1.0 + swing * np.cos(2.0 * np.pi * (of_year - peak) / 12.0)
    at_fair = np.array([str(month) in fairs for month in months])
    explained = 1.0 + item.fair * at_fair + item.warmth * (temperature(months) - usual_temperature(of_year))
    noise = item.noise * np.where(months >= np.datetime64(item.restless[0]), item.restless[1], 1.0)
    wanted = rng.random(months.size) < item.sparse
    demand = np.rint(level * harmonic * explained * np.exp(noise * rng.standard_normal(months.size)))
    alive = (months >= np.datetime64(item.since)) & (months <= np.datetime64(item.until))
    return np.where(alive & wanted, np.maximum(demand, 0.0 if item.sparse < 1 else 1.0), 0.0).astype(np.int64)


def usual_temperature(of_year: IntArray) -> FloatArray:
    """Forage temperature that a month usually has, degrees."""
    return np.asarray(10.5 - 6.5 * np.cos(2.0 * np.pi * (of_year - 1.3) / 12.0))


def temperature(months: NDArray[np.datetime64]) -> FloatArray:
    """Forage temperature of each month, degrees, rounded as it is published."""
    first = np.datetime64("2016-10")
    index = (months - first).astype(np.int64)
    odd = generator_of("temperature").standard_normal(int(index.max()) + 1) * 1.3
    of_year = months.astype("datetime64[M]").astype(np.int64) % 12 + 1
    return np.round(usual_temperature(of_year) + odd[index], 1)
