"""Drivers looked at and repaired as demand is: gaps, outliers, shifts, readings that outweigh all others."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
import pandas as pd

from veridex.core.history.driver import EVERY_ITEM
from veridex.core.history.drivers import Drivers
from veridex.core.history.item import ItemHistory, locked
from veridex.core.history.measure import Measure
from veridex.core.reading.expectation import expect
from veridex.core.tidying.ledger import ledger_of
from veridex.core.tidying.rules import Gaps, Outliers, TidyRules, mend

__all__ = ["TidiedDrivers", "driver_remarks", "profile_drivers", "tidy_drivers"]

COLUMNS = {
    "driver": "str",
    "item": "str",
    "known_ahead": "bool",
    "periods": "int64",
    "unknown": "int64",
    "outlier_periods": "object",
    "shift_periods": "object",
    "heaviest": "float64",
    "heaviest_period": "str",
}
"""Columns of the profile of drivers; `heaviest` is the largest share of one reading in all squares about the mean."""

HEAVY = 0.5
"""Share from which on one reading outweighs all others."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class TidiedDrivers:
    """Drivers with rules, which every fold applies to what was known of them, and what the rules do to all of them.

    `ledger` has a row per repair or finding: item (the driver), period, what, before, after, why.
    """

    drivers: Drivers
    ledger: pd.DataFrame = field(repr=False)


def profile_drivers(drivers: Drivers) -> pd.DataFrame:
    """What is in drivers, and what is wrong with them: a row per driver, or per driver and item.

    Columns: driver, item (empty where it holds for all), known_ahead, periods, unknown (gaps between the first and the
    last reading), outlier_periods, shift_periods, heaviest (the largest share of one reading in the squares about the
    mean: its leverage; Belsley, Kuh and Welsch, 1980, section 2.1), heaviest_period. A driver of two values has none.
    """
    rows = []
    for series, ahead in _series(drivers):
        values = np.array(series.values)
        known = values[~np.isnan(values)]
        text = [series.cadence.text(ordinal) for ordinal in series.ordinals.tolist()]
        outlying, shifts, share = np.zeros(values.size, dtype=bool), [], np.zeros(values.size)
        if np.unique(known).size > 2:
            found = expect(values, series.season_length, turns=series.turns)
            outlying, shifts = found.outlying, [shift.place for shift in found.shifts]
            share = np.nan_to_num(np.square(values - known.mean()) / np.square(known - known.mean()).sum())
        at = int(share.argmax())
        heavy = bool(share[at] > 0.0)
        name, _, item = series.item.partition(JOINED)
        rows.append(
            (
                name,
                item,
                ahead,
                values.size,
                int(np.isnan(values).sum()),
                tuple(text[place] for place in np.flatnonzero(outlying)),
                tuple(text[place] for place in shifts),
                float(share[at]) if heavy else np.nan,
                text[at] if heavy else "",
            )
        )
    return pd.DataFrame(rows, columns=list(COLUMNS)).astype(COLUMNS)


def driver_remarks(drivers: Drivers) -> tuple[str, ...]:
    """What is wrong with each driver, in a sentence; nothing of those with which nothing is."""
    found = []
    for row in profile_drivers(drivers).to_dict("records"):
        outlying, shifted = row["outlier_periods"], row["shift_periods"]
        parts = [
            f"{row['unknown']} readings missing inside" if row["unknown"] else "",
            f"outlying in {_few(outlying)}" if outlying else "",
            f"its level shifts in {_few(shifted)}" if shifted else "",
        ]
        said = "; ".join(part for part in parts if part)
        whose = f"{row['driver']} of {row['item']}" if row["item"] else row["driver"]
        if said:
            found.append(f"Driver {whose}: {said}.")
    return tuple(found)


def _few(periods: tuple[str, ...], most: int = 3) -> str:
    more = f" and {len(periods) - most} more" if len(periods) > most else ""
    return ", ".join(periods[:most]) + more


def tidy_drivers(drivers: Drivers, *, gaps: Gaps = "unknown", outliers: Outliers = "flag") -> TidiedDrivers:
    """Give drivers rules by which gaps and outliers are repaired, as those of demand are; see `tidy`.

    Drivers of two values, such as promotions, keep their outliers. What is only observed is repaired in each fold from
    what was known at its origin.

    Parameters
    ----------
    gaps : {"unknown", "zero", "carry", "interpolate", "seasonal"}
    outliers : {"leave", "flag", "repair"}

    Raises
    ------
    ParameterError
        If a rule is unknown.
    """
    rules = TidyRules(gaps=gaps, outliers=outliers)
    marks = [mark for series, _ in _series(drivers) for mark in ledger_of(series, mend(series, rules), rules)]
    table = pd.DataFrame(
        {
            "item": [mark.item.partition(JOINED)[0] for mark in marks],
            "period": drivers.cadence.starts(np.array([mark.ordinal for mark in marks], dtype=np.int64)),
            "what": [mark.what for mark in marks],
            "before": [mark.before for mark in marks],
            "after": [mark.after for mark in marks],
            "why": [mark.why for mark in marks],
        }
    )
    return TidiedDrivers(drivers=replace(drivers, rules=rules), ledger=table)


JOINED = "\u0000"
"""Stands between a driver and the item whose it is."""


def _series(drivers: Drivers) -> Iterator[tuple[ItemHistory, bool]]:
    """Each driver as a history of its own, from its first reading to its last, and whether it is known ahead."""
    for driver in drivers.columns:
        for item, (start, values) in driver.spans.items():
            known = np.flatnonzero(~np.isnan(values))
            if not known.size:
                continue
            own = values[known[0] : known[-1] + 1]
            series = ItemHistory(
                item=driver.name if item == EVERY_ITEM else f"{driver.name}{JOINED}{item}",
                cadence=drivers.cadence,
                season_length=drivers.cadence.season_length,
                start=start + int(known[0]),
                values=locked(own.copy()),
                measure=Measure(driver.name, None, "mean"),
            )
            yield series, driver.known_ahead
