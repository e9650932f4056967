"""`profile`: what is in a history, a row per item."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.candidates import candidate_seasons
from veridex.core.diagnosis.strength import strength
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.reading.expectation import Expectation, expect
from veridex.core.reading.item_reading import ItemReading, Readings

__all__ = ["ItemProfile", "profile", "profile_items"]

BLOCK = 1_000
"""Items whose rows are made into columns at once."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemProfile:
    """What is in one series; see `profile` for the numbers.

    `reading` is what it is taken for, `numbers` its row, `found` what is expected of each of its periods.
    """

    series: ItemHistory
    reading: ItemReading
    numbers: dict[str, Any]
    found: Expectation


def profile(history: History | ItemHistory, events: Events | None = None) -> pd.DataFrame:
    """What is in a history, and what is wrong with it: a row per item, from the raw values.

    Columns: item, first, last, periods, known, unknown, out_of_stock, duplicates (periods with several rows of a
    table), negative, zeros, leading_zeros, trailing_zeros, retired (nothing sold at the end for a season, at least
    six and at most 26 periods, and three times as long as in any pause before), mean, demand_interval (mean number of
    periods from one demand to the next), cv_squared (squared coefficient of variation of the demands that are
    not zero), demand_class (smooth, erratic, intermittent, lumpy), trend_strength and season_strength (0 to 1),
    seasons (their lengths, the shortest first; without one candidates, the strongest first), grows_with_level (whether
    season and spread do), spread_change (the period, if the spread changed), outliers (count), outlier_periods,
    level_shifts (count), shift_periods, unfinished (whether the last period is), volume, volume_share (percent of all
    items), volume_rank, season (who shows one: own, neighbours or none), taken_for (what it is taken for, in words).

    Parameters
    ----------
    history : History or ItemHistory
    events : Events, optional
        Periods inside events are not outlying.

    References
    ----------
    Demand classes: Syntetos, Boylan and Croston (2005). Strengths: Wang, Smith and Hyndman (2006). Outliers: see
    docs/methods.md.
    """
    each = (one.numbers for one in _each(history, events))
    blocks = [pd.DataFrame(block) for block in iter(lambda: list(islice(each, BLOCK)), [])]
    return pd.concat(blocks, ignore_index=True) if len(blocks) > 1 else blocks[0]


def profile_items(history: History | ItemHistory, events: Events | None = None) -> list[ItemProfile]:
    """The profile of each item, with what is expected of each of its periods."""
    return list(_each(history, events))


def _each(history: History | ItemHistory, events: Events | None) -> Iterator[ItemProfile]:
    many = History.of([history]) if isinstance(history, ItemHistory) else history
    many = many.under(None) if many.rules is not None else many
    read = Readings(many)
    with np.errstate(all="ignore"):
        volumes = np.array([float(np.nansum(series.values)) for series in many])
        total = float(volumes.sum())
    ranks = np.empty(len(many), dtype=np.int64)
    ranks[np.argsort(-volumes, kind="stable")] = np.arange(1, len(many) + 1)
    for series, volume, rank in zip(many, volumes.tolist(), ranks.tolist(), strict=True):
        values = np.array(series.values)
        one = read[series.item]
        if one.unfinished:
            values[-1] = np.nan  # half a month is not outlying, and tells nothing of whole ones
        aside = (events or Events()).touched(series.cadence, series.start, len(series))
        found = expect(values, series.season_length, aside, series.turns)
        share = {"volume": volume, "volume_share": 100 * volume / total if total else math.nan, "volume_rank": rank}
        if not many.measure.adds_up:  # a price has no volume
            share = dict.fromkeys(share, math.nan)
        with np.errstate(all="ignore"):  # demand near the limits of floating point overflows in its squares
            numbers = (
                _span(series, len(many.repeats.get(series.item, ()))) | _demand(series, one) | _shape(series, found)
            )
        said = {"unfinished": one.unfinished} | share | {"season": one.season, "taken_for": one.in_words()}
        yield ItemProfile(series=series, reading=one, numbers=numbers | said, found=found)


def _span(series: ItemHistory, duplicates: int) -> dict[str, Any]:
    """From when to when, and what is missing."""
    known = ~np.isnan(series.values)
    return {
        "item": series.item,
        "first": series.periods[0],
        "last": series.periods[-1],
        "periods": len(series),
        "known": int(known.sum()),
        "unknown": int((~known).sum()),
        "out_of_stock": int(series.stock_outs.sum()),
        "duplicates": duplicates,
    }


def _demand(series: ItemHistory, read: ItemReading) -> dict[str, Any]:
    """How often and how evenly it is wanted."""
    y = series.values[~np.isnan(series.values)]
    sold = np.flatnonzero(y != 0)
    leading = int(sold[0]) if sold.size else y.size
    trailing = int(y.size - 1 - sold[-1]) if sold.size else 0
    return {
        "negative": int((y < 0).sum()),
        "zeros": int((y == 0).sum()),
        "leading_zeros": leading,
        "trailing_zeros": trailing,
        "retired": read.retired,
        "mean": float(y.mean()) if y.size else math.nan,
        "demand_interval": read.interval,
        "cv_squared": read.variation,
        "demand_class": read.demand_class,
    }


def _shape(series: ItemHistory, found: Expectation) -> dict[str, Any]:
    """Trend, season, spread, and what stands out."""
    judged = ~np.isnan(found.scores)
    clean = np.where(judged, np.where(found.outlying, found.values, series.values), np.nan)
    with np.errstate(all="ignore"):
        logs = found.relative
        z = np.log(np.maximum(clean, 1e-300)) if logs else clean
        trend = np.where(judged, np.log(found.trend) if logs else found.trend, np.nan)
        season = np.where(judged, np.log(found.season) if logs else found.season, np.nan)
        rest = z - trend - season
    outlying = np.flatnonzero(found.outlying).tolist()
    return {
        "trend_strength": strength(trend, rest) if np.isfinite(found.values).any() else math.nan,
        "season_strength": strength(season, rest) if found.seasonal or found.longer else 0.0,
        "seasons": series.seasons or tuple(map(float, candidate_seasons(_without_trend(z, trend), 1))),
        "grows_with_level": found.relative,
        "spread_change": series.cadence.text(series.start + found.spread.place) if found.spread else "",
        "outliers": len(outlying),
        "outlier_periods": tuple(series.cadence.text(series.start + place) for place in outlying),
        "level_shifts": len(found.shifts),
        "shift_periods": tuple(series.cadence.text(series.start + shift.place) for shift in found.shifts),
    }


def _without_trend(z: FloatArray, trend: FloatArray) -> FloatArray:
    return z - trend if np.isfinite(trend).any() else z
