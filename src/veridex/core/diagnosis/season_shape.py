"""What each period of a season usually has against the level around it, cycle by cycle."""

from dataclasses import dataclass, field

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray, IntArray
from veridex.core.history.item import ItemHistory
from veridex.core.periods.seasons import season_in_words
from veridex.core.reading.expectation import expect

__all__ = ["SeasonShape", "level_around", "season_shape"]

LEAST_LEVEL = 0.05
"""A level that sinks below this share of its highest cannot be divided by."""

MONDAY = 3
"""Days from a Monday to 1970-01-01, a Thursday."""


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class SeasonShape:
    """A season of one item, cycle by cycle.

    Attributes
    ----------
    item : str
    length : float
        In periods.
    relative : bool
        Whether values are in percent of the level; else they are above it, in the unit of demand.
    names : tuple of str
        The periods of the season, or spans of them where there are many.
    begins : tuple of str
        When each cycle began.
    cycles : ndarray, shape (cycles, periods of the season)
        NaN where nothing is known.
    """

    item: str
    length: float
    relative: bool
    names: tuple[str, ...]
    begins: tuple[str, ...]
    cycles: FloatArray = field(repr=False)

    @property
    def median(self) -> FloatArray:
        """Of all cycles, of each period of the season."""
        return self.quantile(0.5)

    def quantile(self, share: float) -> FloatArray:
        """What a share of the cycles lies below, of each period of the season; NaN of one that is not known."""
        known = ~np.isnan(self.cycles).all(axis=0)
        found = np.full(self.cycles.shape[1], np.nan)
        if known.any():
            found[known] = np.nanquantile(self.cycles[:, known], share, axis=0)
        return found

    def to_frame(self) -> pd.DataFrame:
        """A row per period of the season: item, season, phase, cycles known, their quartiles and ends, and in what."""
        return pd.DataFrame(
            {
                "item": self.item,
                "season_length": self.length,
                "phase": self.names,
                "cycles": (~np.isnan(self.cycles)).sum(axis=0),
                "lowest": self.quantile(0.0),
                "lower": self.quantile(0.25),
                "median": self.median,
                "upper": self.quantile(0.75),
                "highest": self.quantile(1.0),
                "unit": "percent of the level" if self.relative else "above the level",
            }
        )


def season_shape(series: ItemHistory, length: float, first: int, stop: int, most: int) -> SeasonShape | None:
    """The shape of one season over the periods from ordinal `first` up to `stop`; None of a season below two periods.

    An outlier does not move the level that others are held against.

    Seasons of a year go by the calendar's years, those of a week by its Mondays; others are counted. With more than
    `most` periods they are gathered into spans.
    """
    if length < 2:
        return None
    y = np.array(series.values)
    found = expect(y, series.season_length, turns=series.turns)
    level = level_around(np.where(found.outlying, found.values, y), length)
    known = level[~np.isnan(level)]
    relative = bool((np.nan_to_num(y, nan=1.0) >= 0).all() and known.size and known.min() > LEAST_LEVEL * known.max())
    inside = (series.ordinals >= first) & (series.ordinals < stop)
    cycle, place = _places(series, length)
    count = round(length) if length <= most else _gathered(length, most)
    cell = np.minimum((place * count).astype(np.int64), count - 1)
    row = cycle - cycle[inside].min()
    used = inside & ~np.isnan(y) & ~np.isnan(level)
    shape = (int(row[inside].max()) + 1, count)
    code = np.ravel_multi_index((row[used], cell[used]), shape)
    sums, levels, counts = (
        np.bincount(code, weights=one, minlength=shape[0] * count).reshape(shape)
        for one in (y[used], level[used], np.ones(int(used.sum())))
    )
    with np.errstate(all="ignore"):
        cycles = np.where(
            counts >= 0.5 * counts.max(), 100.0 * sums / levels if relative else (sums - levels) / counts, np.nan
        )
    begins = [int(np.flatnonzero(inside & (row == k))[0]) for k in range(shape[0])]
    return SeasonShape(
        item=series.item,
        length=length,
        relative=relative,
        names=_names(series, length, count),
        begins=tuple(_begin(series, length, at) for at in begins),
        cycles=cycles,
    )


def level_around(values: FloatArray, length: float) -> FloatArray:
    """The mean of the season around each period, of what is known of it; at the ends its last slope goes on.

    Of less than one and a half seasons it is the mean of all.
    """
    width = round(length)
    known = ~np.isnan(values)
    if not known.any():
        return np.full(values.size, np.nan)
    if values.size < 1.5 * width:
        return np.full(values.size, float(values[known].mean()))
    weights = np.full(width + (width % 2 == 0), 1.0)
    if width % 2 == 0:
        weights[[0, -1]] = 0.5
    sums, counts = (
        np.convolve(one, weights, mode="valid") for one in (np.where(known, values, 0.0), known.astype(np.float64))
    )
    with np.errstate(all="ignore"):
        inner = np.where(counts >= 0.5 * width, sums / counts, np.nan)
    if np.isnan(inner).all():
        return np.full(values.size, float(values[known].mean()))
    places = np.arange(inner.size)
    inner = np.interp(places, places[~np.isnan(inner)], inner[~np.isnan(inner)])
    half, reach = weights.size // 2, min(width, inner.size - 1)
    slopes = [(inner[reach] - inner[0]) / reach, (inner[-1] - inner[-1 - reach]) / reach] if reach else [0.0, 0.0]
    steps = np.arange(1, half + 1)
    before = inner[0] - slopes[0] * steps[::-1]
    after = inner[-1] + slopes[1] * steps[: values.size - half - inner.size]
    found = np.concatenate((before, inner, after))
    return np.maximum(found, 0.0) if (values[known] >= 0).all() else found


def _places(series: ItemHistory, length: float) -> tuple[IntArray, FloatArray]:
    """Which cycle each period is in, and where in it, from 0 up to 1."""
    word, cadence = season_in_words(series.cadence, length), series.cadence
    if word == "year" and not cadence.counted:
        stamps = series.periods.astype("datetime64[D]")
        years = stamps.astype("datetime64[Y]")
        if cadence.unit == "M":
            months = stamps.astype("datetime64[M]").astype(np.int64)
            return years.astype(np.int64), (months % 12) / 12.0
        days = (stamps - years.astype("datetime64[D]")).astype(np.int64)
        return years.astype(np.int64), days / 366.0
    ahead = 0.0
    if word == "week":
        ahead = MONDAY / cadence.days if cadence.unit != "B" else MONDAY
    turns = (series.ordinals + round(ahead)) / length
    cycle = np.floor(turns + 1e-9).astype(np.int64)
    return cycle, np.clip(turns - cycle, 0.0, 1.0 - 1e-9) + 1e-9


def _gathered(length: float, most: int) -> int:
    """So many equal spans of a long season, of whole periods where they can be."""
    for periods in range(2, round(length) + 1):
        if length / periods <= most and abs(length / periods - round(length / periods)) < 0.02 * length / periods:
            return round(length / periods)
    return most


def _names(series: ItemHistory, length: float, count: int) -> tuple[str, ...]:
    """What each cell is called: by the calendar where the season is one of its, else numbered."""
    word, cadence = season_in_words(series.cadence, length), series.cadence
    places = np.arange(count)
    if cadence.counted or word not in ("year", "week", "day"):
        return tuple(str(k + 1) for k in places)
    if word == "year" and cadence.unit == "M":
        months = np.datetime64("2024-01") + (12 * places) // count
        named = cadence.count < 3 or cadence.name != "quarterly"
        return tuple(f"{month.item():%b}" if named else f"Q{k + 1}" for k, month in enumerate(months))
    hours = np.asarray({"year": 24.0 * 366, "week": 24.0 * 7, "day": 24.0}[word] * places / count, dtype=np.float64)
    if cadence.unit == "B" and word == "week":
        hours = np.asarray(24.0 * places, dtype=np.float64)
    stamps = np.datetime64("2024-01-01T00:00") + np.round(60.0 * hours).astype("timedelta64[m]")  # a Monday
    forms = {"year": "{0.day} {0:%b}", "week": "{0:%a %H:%M}" if cadence.within_day else "{0:%a}", "day": "{0:%H:%M}"}
    return tuple(forms[word].format(stamp.item()) for stamp in stamps)


def _begin(series: ItemHistory, length: float, at: int) -> str:
    """When a cycle began, as people write it."""
    if season_in_words(series.cadence, length) == "year" and not series.cadence.counted:
        return str(series.periods[at].astype("datetime64[Y]"))
    return series.cadence.text(series.start + at)[:10]
