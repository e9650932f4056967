"""What is published: an item's forecast with its bands beside last year, and the total of several items."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Unpack

import numpy as np
from matplotlib.artist import Artist
from matplotlib.figure import Figure

from veridex.core.arrays import FloatArray
from veridex.core.calibration.sums import added
from veridex.core.calibration.totals import Totals
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.short_names import short_name
from veridex.core.methods.words import counted
from veridex.core.publication.dossier import ItemPublication, Scores
from veridex.core.publication.groups import ALL
from veridex.core.publication.publication import Publication
from veridex.core.publication.shown import heading, held_in_words, past_of, season_before, summed
from veridex.core.readable import quantity
from veridex.errors import ParameterError
from veridex.figures.choices import item_of
from veridex.figures.overlays import lay
from veridex.figures.past import history
from veridex.figures.sheet import Asked, Sheet, view
from veridex.figures.style import AMBER, BANDS, INK, PLUM, TEAL, band_color, padded, wrapped
from veridex.figures.timeline import Timeline, band_key, line_key

__all__ = ["forecast", "total"]

TURNS_SHOWN = 4
"""Seasons of history shown unless something else is asked for."""

FUTURES = ((TEAL, (0, (5, 2))), (PLUM, (0, (5, 2))), (TEAL, ":"), (PLUM, ":"))


@view
def forecast(
    publication: Publication,
    item: str | None = None,
    *,
    last_year: bool = True,
    overlay: object = None,
    **asked: Unpack[Asked],
) -> Figure:
    """Draw an item's history in ink and its published forecast in amber, with bands labelled by what they held.

    Quantiles that were asked for are dotted, other futures of the drivers dashed; last year's demand stands beside the
    forecast.

    Parameters
    ----------
    publication : Publication
    item : str, optional
        Needed where there are several.
    last_year : bool
        Whether the demand of a season before stands beside the forecast.
    overlay
        As for `history`.
    **asked
        since, until, scale, title, ax.

    Raises
    ------
    ItemUnknown, ParameterError
    """
    sheet = Sheet.of(asked)
    one = publication[item_of(publication.items, item)]
    cadence, demand, wanted = publication.cadence, publication.head.demand, publication.head.wanted
    steps, start = max(one.horizon, 0), one.origin + 1 - one.past.size
    turn = max(demand.season_length, 1)
    usual = max(start, one.origin + 1 - max(TURNS_SHOWN * turn, 3 * steps, 6))
    stop = one.origin + 1 + steps
    span = sheet.span(cadence, start if sheet.since_stated else usual, stop)
    line = Timeline.on(sheet.panel(), cadence, span, demand.measure)
    points, lower, upper, quantiles = _numbers(one, len(wanted.levels), len(wanted.quantiles), steps)
    for j in reversed(range(len(wanted.levels))):
        line.band(one.origin + 1, lower[j], upper[j], band_color(j))
    keys: list[Artist] = [line_key("actual", INK)]
    beside = season_before(one, turn, steps) if last_year else np.full(steps, np.nan)
    if np.isfinite(beside).any():
        line.line(one.origin + 1, beside, INK, width=1.0, dash=(0, (2, 2)), marks=False)
        keys.append(line_key(f"{cadence.length(turn)} before", INK, width=1.0, dash=(0, (2, 2))))
    line.line(start, one.past, INK)
    laid, values = lay(line, past_of(publication, one), overlay)
    keys += laid
    line.line(one.origin + 1, points, AMBER, width=2.2)
    keys.append(line_key("forecast" if one.method is None else f"forecast: {short_name(one.method)}", AMBER, width=2.2))
    for own, share in zip(quantiles, wanted.quantiles, strict=True):
        line.line(one.origin + 1, own, PLUM, width=1.4, dash=":")
        keys.append(line_key(f"{share:g} % quantile", PLUM, width=1.4, dash=":"))
    for other, (color, dash) in zip(one.scenarios, FUTURES, strict=False):
        line.line(one.origin + 1, other.points, color, width=1.6, dash=dash)
        keys.append(line_key(f"if {other.scenario}", color, dash=dash))
    keys += _bands_keys(one.scores, wanted.levels)
    drawn = [line.cut(one.origin + 1, values)[1] for values in (points, beside, *lower, *upper, *quantiles)]
    drawn += [line.cut(one.origin + 1, other.points)[1] for other in one.scenarios]
    line.fit(sheet, start, one.past, *drawn, *values)
    sheet.titled(heading(publication, one), line.axes)
    _words(sheet, line, one, points)
    sheet.legend(keys)
    return sheet.whole


def _words(sheet: Sheet, line: Timeline, one: ItemPublication, points: FloatArray) -> None:
    """Cautions above the data; and why there is no forecast."""
    if one.cautions:
        said = f"Caution: {'; '.join(caution.why for caution in one.cautions)}"
        low, high = line.axes.get_ylim()
        lines = wrapped(said, sheet.letters(9.5, 0.95))
        if sheet.scale is None:
            line.axes.set_ylim(low, high + (0.05 * (lines.count("\n") + 1) + 0.02) * (high - low))
        line.axes.text(0.01, 0.985, lines, transform=line.axes.transAxes, va="top", color=PLUM, fontsize=9.5)
    if not np.isfinite(points).any():
        line.axes.text(0.5, 0.5, wrapped(one.reason, 80), transform=line.axes.transAxes, ha="center", color=INK)


def _numbers(
    one: ItemPublication, levels: int, quantiles: int, steps: int
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Forecasts, bounds (levels, steps) and quantiles; NaN where there are none."""
    if one.outlook is None:
        return np.full(steps, np.nan), *np.full((2, levels, steps), np.nan), np.full((quantiles, steps), np.nan)
    bands = one.outlook.bands
    return one.outlook.points, np.asarray(bands.lower), np.asarray(bands.upper), np.asarray(bands.quantiles)


def _bands_keys(scores: Scores | None, levels: tuple[float, ...]) -> list[Artist]:
    """Each level, and what share of actuals such bands held in the backtest."""
    keys = []
    for j, level in enumerate(levels):
        keys += band_key((level,), (band_color(j),), held_in_words(scores, level))
    return keys


@view
def total(source: Publication | History, items: Sequence[str] | None = None, **asked: Unpack[Asked]) -> Figure:
    """Draw the demand of several items together: past and forecast above; below, what adds up from the origin on.

    The lower panel has the band of the total, where totals over all items were published, and the same span of the
    season before. Of a history there is the past alone.

    Parameters
    ----------
    source : Publication or History
    items : sequence of str, optional
        By default all.
    **asked
        since, until, scale (of the upper panel), title, ax.

    Raises
    ------
    ParameterError, ItemUnknown
        If demand does not add up, or no item has a forecast.
    """
    measure = source.measure if isinstance(source, History) else source.head.demand.measure
    if not measure.adds_up:
        raise ParameterError("source", repr(source), f"{measure.name} does not add up over items")
    if isinstance(source, History):
        return history(_added(source, items), **asked)  # where any item is unknown, so is their sum
    sheet = Sheet.of(asked, panels=True)
    cadence, levels = source.cadence, source.head.wanted.levels
    start, past, points, count = _sums(source, items)
    turn, steps, first = max(source.head.demand.season_length, 1), points.size, source.head.wanted.first
    origin = start + past.size - 1
    usual = max(start, origin + 1 - max(TURNS_SHOWN * turn, 3 * steps, 6))
    span = sheet.span(cadence, start if sheet.since_stated else usual, origin + 1 + steps)
    top, below = sheet.figure.subplots(2, 1, height_ratios=(1.3, 1.0))
    line = Timeline.on(top, cadence, span, measure)
    line.line(start, past, INK)
    line.line(origin + 1, points, AMBER, width=2.2)
    line.fit(sheet, start, past, line.cut(origin + 1, points)[1])
    found = next((one.totals for one in source.groups if one.group == ALL), None) if items is None else None
    band = _cumulated(
        Timeline.on(below, cadence, (origin + 1, origin + 1 + steps), measure), past, points, found, turn, first
    )
    said = f"{quantity(float(points[first - 1 :].sum()), measure.unit)} {summed(source)}"
    sheet.titled(f"{counted(count, 'item')} together: next {cadence.length(steps)}, {said}")
    keys: list[Artist] = [line_key("actual", INK), line_key("forecast", AMBER, width=2.2)]
    keys.append(line_key(f"{cadence.length(turn)} before, added up", INK, width=1.0, dash=(0, (2, 2))))
    said_too = [] if band else ["no interval of the total: publish with groups=['all'] for one"]
    named = source.items if items is None else items
    if len(named) > count:
        said_too.append(f"{counted(len(named) - count, 'item')} left out: no forecast, or another last period")
    unknown = sum(int(np.isnan(source[name].past).sum()) for name in named)
    if unknown:
        said_too.append(f"{counted(unknown, 'unknown value')} counted as nothing in the past")
    without = "; ".join(said_too)
    sheet.legend([*keys, *(band_key(levels, BANDS, "interval of the total") if band else [])], note=without)
    return sheet.whole


def _added(many: History, items: Sequence[str] | None) -> ItemHistory:
    """The items of a history added up as they are tidied, as one; unknown where one of them is, between its ends."""
    chosen = [many[name] for name in (many.names if items is None else items)]
    first = min(one.start for one in chosen)
    values = np.zeros((len(chosen), max(one.start + len(one) for one in chosen) - first))
    for row, one in zip(values, chosen, strict=True):
        row[one.start - first : one.start - first + len(one)] = one.values
    name = f"{counted(len(chosen), 'item')} together"
    return replace(
        chosen[0], item=name, start=first, values=values.sum(axis=0), raw=None, rules=None, censored=None, parts=None
    )


def _sums(publication: Publication, items: Sequence[str] | None) -> tuple[int, FloatArray, FloatArray, int]:
    """The first ordinal, past and forecast demand added up over items, and how many of these have a forecast."""
    named = [publication[name] for name in (publication.items if items is None else items)]
    able = [(one, one.outlook.points) for one in named if one.available and one.outlook is not None]
    if not able:
        raise ParameterError("source", repr(publication), "none of these items has a forecast")
    ends = [one.origin for one, _ in able]
    origin = max(sorted(set(ends)), key=ends.count)  # lead times of items that end elsewhere are other periods
    able = [(one, ahead) for one, ahead in able if one.origin == origin]
    first = min(one.origin + 1 - one.past.size for one, _ in able)
    past, points = np.zeros(origin + 1 - first), np.zeros(min(ahead.size for _, ahead in able))
    for one, ahead in able:
        begin = one.origin + 1 - one.past.size - first
        past[begin : begin + one.past.size] += np.nan_to_num(one.past)
        points += ahead[: points.size]
    return first, past, points, len(able)


def _cumulated(
    line: Timeline, past: FloatArray, points: FloatArray, found: Totals | None, turn: int, first: int
) -> bool:
    """Demand added up from a lead time on; whether there is a band."""
    start, sums = line.first, added(points, first)
    drawn = [np.zeros(1), sums]
    banded = found is not None and bool(np.isfinite(found.points).any())
    if banded and found is not None:
        lower, upper = np.asarray(found.bands.lower), np.asarray(found.bands.upper)
        for j in reversed(range(lower.shape[0])):
            line.band(start, lower[j], upper[j], band_color(j))
        drawn += [lower, upper]
    if past.size >= turn > 1:
        before = added(past[past.size - turn :][: points.size], first)
        line.line(start, before, INK, width=1.0, dash=(0, (2, 2)), marks=False)
        drawn.append(before)
    line.line(start, sums, AMBER, width=2.2)
    values = np.concatenate([np.ravel(one) for one in drawn])
    line.axes.set_ylim(*padded(values, [0.0]))
    since = "here" if first == 1 else f"lead time {first}"
    line.axes.set_title(f"added up from {since} on", fontsize=11, color=INK, loc="left")
    return banded
