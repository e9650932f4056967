"""The seeded generator of the demo files of Larkmoor Apiary Supply. All names and numbers are invented.

``python -m veridex.demo.generator DIRECTORY`` writes the files that are packaged under ``data``.
"""

import csv
import sys
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from veridex.demo.items import ITEMS, SPARES, DemoItem, generator_of, monthly_demand, temperature

__all__ = ["write_all"]

Row = Sequence[object]

MONTHS = np.arange(np.datetime64("2016-10"), np.datetime64("2025-10"))
LAST_DAY = np.datetime64("2025-09-11")
UNFINISHED = 11 / 30
"""Share of the last month that had gone by when the files were written."""

BY_DAY = (
    *("smoker-01", "hive-national", "frames-pine-10", "jar-honey-500", "jar-honey-250", "lid-gold-63"),
    *("fondant-2kg", "suit-ventilated", "gloves-leather", "hive-tool-j", "feeder-rapid", "jar-hex-280"),
)
REGIONS = (("north", 0.40), ("south", 0.35), ("islands", 0.25))

FAIRS = tuple(
    (name, first, days)
    for year in range(2017, 2027)
    for name, first, days in (
        ("spring trade fair", np.datetime64(f"{year}-03-08"), 3),
        ("harvest trade fair", np.datetime64(f"{year}-10-12"), 2),
    )
)


def write_all(directory: Path) -> None:
    """Write every demo file."""
    directory.mkdir(parents=True, exist_ok=True)
    fairs = {str(first.astype("datetime64[M]")) for _, first, _ in FAIRS}
    write(directory / "demand.csv", ("sku", "month", "units", "out_of_stock"), _demand(fairs))
    write(directory / "orders.csv", ("order_date", "sku", "region", "quantity", "status"), _orders(fairs))
    write(directory / "weekly.csv", ("week", *WEEKLY), _weekly())
    write(directory / "spares.csv", ("part", "month", "units"), _spares())
    write(directory / "weather.csv", ("month", "temperature"), _weather())
    write(directory / "prices.csv", ("month", "price_index"), _prices())
    write(directory / "events.csv", ("name", "first", "last", "lead_in", "echo"), _events())
    (directory / "stands.csv").write_text("".join(f"{units}\n" for units in _stands()), encoding="utf-8")


def write(path: Path, header: Row, rows: Iterable[Row]) -> None:
    """Write one table."""
    with path.open("w", newline="", encoding="utf-8") as stream:
        table = csv.writer(stream, lineterminator="\n")
        table.writerow(header)
        table.writerows(rows)


def _demand(fairs: set[str]) -> list[Row]:
    """Monthly demand of all items, with every defect that a planner meets."""
    rows: list[Row] = []
    for item in ITEMS:
        units = monthly_demand(item, MONTHS, fairs).astype(object)
        first = int(np.argmax(np.datetime64(item.since) <= MONTHS)) if item.sku != "pollen-patty" else 0
        units[-1] = round(units[-1] * UNFINISHED)
        for month, wanted in zip(MONTHS[first:], units[first:], strict=True):
            rows += _defective(item.sku, str(month), wanted)
    return rows


OUTLIER = {
    ("gloves-leather", "2021-11"): 6.0,
    ("jar-honey-250", "2023-06"): 4.0,
    ("wax-sheet-national", "2019-08"): 0.1,
}
MISSING = {("lid-gold-63", "2018-05"), ("lid-gold-63", "2020-12"), ("hive-tool-j", "2023-07")}
UNKNOWN = {("strainer-double", "2019-06"), ("strainer-double", "2019-07"), ("honey-tank-50", "2022-10")}
OUT_OF_STOCK = {("smoker-02", "2023-04"), ("smoker-02", "2023-05"), ("frames-plastic-10", "2024-05")}
RETURNED = {("veil-round", "2020-01"): -6}
SPLIT = {("fondant-2kg", "2021-01"), ("suit-basic", "2022-06")}
TWICE = {("hive-ten-frame", "2024-03")}


def _defective(sku: str, month: str, wanted: int) -> list[Row]:
    """The rows of one item and month: usually one, with what went wrong there."""
    at = (sku, month)
    if at in MISSING:
        return []
    if at in UNKNOWN:
        return [(sku, month, "", "no")]
    if at in OUT_OF_STOCK:
        return [(sku, month, 0, "yes")]
    wanted = RETURNED.get(at, round(wanted * OUTLIER.get(at, 1.0)))
    if at in SPLIT:
        return [(sku, month, wanted // 3, "no"), (sku, month, wanted - wanted // 3, "no")]
    return [(sku, month, wanted, "no")] * (2 if at in TWICE else 1)


def _orders(fairs: set[str]) -> list[Row]:
    """Order lines of a dozen items over three years, by day and region; some of them cancelled."""
    months = MONTHS[np.datetime64("2022-09") <= MONTHS]
    rows: list[Row] = []
    for item in (item for item in ITEMS if item.sku in BY_DAY):
        rng = generator_of("orders", item.sku)
        units = monthly_demand(item, MONTHS, fairs)[months[0] <= MONTHS]
        for month, wanted in zip(months, units.tolist(), strict=True):
            for region, share in REGIONS:
                rows += _month_of_orders(item, month, round(wanted * share), region, rng)
    return sorted(rows, key=lambda row: tuple(map(str, row)))


def _month_of_orders(
    item: DemoItem, month: np.datetime64, wanted: int, region: str, rng: np.random.Generator
) -> list[Row]:
    """Split a month's demand into orders on working days; one in forty is cancelled and comes on top."""
    days = np.arange(month.astype("datetime64[D]"), (month + 1).astype("datetime64[D]"))
    days = days[np.is_busday(days)]
    count = max(1, min(wanted, int(rng.integers(4, 11))))
    chosen = rng.choice(days, size=count)
    shares = rng.dirichlet(np.full(count, 3.0))
    quantities = np.diff(np.rint(np.concatenate(([0.0], np.cumsum(shares))) * wanted)).astype(int)
    rows: list[Row] = []
    for day, quantity in zip(chosen, quantities.tolist(), strict=True):
        cancelled = rng.random() < 0.025
        if quantity > 0 and day <= LAST_DAY:
            rows.append((str(day), item.sku, region, quantity, "shipped"))
            if cancelled:
                rows.append((str(day), item.sku, region, 3 * quantity, "cancelled"))
    return rows


WEEKLY = ("smoker-01", "fondant-2kg", "jar-honey-500", "frames-pine-10", "gloves-leather", "remark")


def _weekly() -> list[Row]:
    """A wide sheet: a row per week, a column per item, and a column of remarks."""
    weeks = np.arange(np.datetime64("2022-09-05"), np.datetime64("2025-09-08"), np.timedelta64(7, "D"))
    columns = [_weekly_units(next(item for item in ITEMS if item.sku == sku), weeks) for sku in WEEKLY[:-1]]
    remarks = {"2023-12-25": "closed", "2024-12-23": "closed"}
    return [(str(week), *(column[i] for column in columns), remarks.get(str(week), "")) for i, week in enumerate(weeks)]


def _weekly_units(item: DemoItem, weeks: NDArray[np.datetime64]) -> list[int]:
    rng = generator_of("weekly", item.sku)
    calm = monthly_demand(replace(item, noise=0.0), MONTHS, set())
    at = (weeks.astype("datetime64[M]") - MONTHS[0]).astype(np.int64)
    noise = np.exp(2.0 * item.noise * rng.standard_normal(weeks.size))
    return [round(units) for units in calm[at] * noise * 12 / 52]


def _spares() -> list[Row]:
    """Spare parts that are wanted now and then."""
    months = MONTHS[np.datetime64("2019-01") <= MONTHS][:-1]
    return [
        (part.sku, str(month), units)
        for part in SPARES
        for month, units in zip(months, monthly_demand(part, months, set()).tolist(), strict=True)
    ]


def _weather() -> list[Row]:
    """Forage temperature, observed: nothing after the last month."""
    return list(zip(map(str, MONTHS[:-1]), temperature(MONTHS[:-1]).tolist(), strict=True))


def _prices() -> list[Row]:
    """A price index, known a year ahead."""
    months = np.arange(MONTHS[0], np.datetime64("2026-10"))
    steps = generator_of("prices").normal(0.25, 0.5, months.size)
    steps[months.astype(np.int64) % 6 != 0] = 0.0  # prices change twice a year
    index = 100.0 + np.cumsum(3.0 * np.maximum(steps, 0.0))
    return list(zip(map(str, months), np.round(index, 1).tolist(), strict=True))


def _events() -> list[Row]:
    """Trade fairs, and the spring catalogue with the weeks in which it is felt; once, a jubilee sale."""
    rows: list[Row] = [
        (name, str(first), str(first + np.timedelta64(days - 1, "D")), 3, 10) for name, first, days in FAIRS
    ]
    rows += [("spring catalogue", f"{year}-02-01", f"{year}-02-01", 0, 27) for year in range(2017, 2027)]
    return [*rows, ("jubilee sale", "2024-06-03", "2024-06-08", 0, 0)]


def _stands() -> list[int]:
    """Hive stands sold a month from 2020-01 on: numbers and nothing else."""
    months = np.arange(np.datetime64("2020-01"), np.datetime64("2025-09"))
    stands = DemoItem("hive-stand", 26, 1.5, (4.2, 0.45), 0.10)
    return [int(units) for units in monthly_demand(stands, months, set())]


if __name__ == "__main__":
    write_all(Path(sys.argv[1]))
