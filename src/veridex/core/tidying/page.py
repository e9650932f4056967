"""The profile of one item as a page to read."""

import numpy as np

from veridex.core.readable import number, quantity
from veridex.core.tidying.ledger import outlier_words
from veridex.core.tidying.profile import ItemProfile

__all__ = ["page"]

CLASSES = {
    "smooth": "smooth: wanted in nearly every period, in even quantities",
    "erratic": "erratic: wanted in nearly every period, in uneven quantities",
    "intermittent": "intermittent: wanted now and then, in even quantities",
    "lumpy": "lumpy: wanted now and then, in uneven quantities",
    "none": "never wanted",
}


def page(one: ItemProfile) -> str:
    """What is in one series, in sentences, a line for each subject."""
    lines = [
        _span(one),
        f"It is taken for {one.reading.in_words()}.",
        _holes(one),
        _demand(one),
        _shape(one),
        *_standing_out(one),
        _weight(one),
    ]
    return "\n".join(line for line in lines if line)


def _span(one: ItemProfile) -> str:
    series, n = one.series, one.numbers
    first, last = (series.cadence.text(series.start + place) for place in (0, len(series) - 1))
    unit = f" in {series.unit}" if series.unit else ""
    stated = " and ".join(f"{length:g}" for length in series.stated if length > 1)
    seasons = f", a stated season of {stated}" if stated else ""
    return (
        f"{series.item}: {series.cadence.name} {series.measure.name}{unit}, {first} to {last}, "
        f"{series.cadence.length(n['periods'])}{seasons}."
    )


def _holes(one: ItemProfile) -> str:
    n, cadence = one.numbers, one.series.cadence
    found = []
    if n["unknown"]:
        places = np.flatnonzero(np.isnan(one.series.values)).tolist()
        named = ", ".join(cadence.text(one.series.start + place) for place in places[:6])
        more = f" and {len(places) - 6} more" if len(places) > 6 else ""
        found.append(f"{n['unknown']} unknown ({named}{more})")
    if n["out_of_stock"]:
        found.append(f"{n['out_of_stock']} of them out of stock")
    if n["duplicates"]:
        found.append(f"{n['duplicates']} with several rows")
    if n["negative"]:
        found.append(f"{n['negative']} negative")
    if n["unfinished"]:
        found.append("the last one unfinished")
    return f"Periods with something wrong: {'; '.join(found)}." if found else "No period is missing or doubled."


def _demand(one: ItemProfile) -> str:
    n, cadence = one.numbers, one.series.cadence
    text = f"Demand is {CLASSES[n['demand_class']]}"
    if n["demand_class"] != "none":
        text += f" (a demand every {n['demand_interval']:.2f} {cadence.plural}, squared variation of sizes "
        text += f"{n['cv_squared']:.2f})" if np.isfinite(n["cv_squared"]) else "not available)"
    if n["leading_zeros"]:
        text += f". Nothing was sold in the first {cadence.length(n['leading_zeros'])}"
    return text + "."


def _shape(one: ItemProfile) -> str:
    n, found = one.numbers, one.found
    if not np.isfinite(found.values).any():
        return "Too few values to tell trend, season or outliers."
    shown = found.seasonal or bool(found.longer)
    season = f"season {n['season_strength']:.2f}" if shown else "no season"
    if not shown and one.reading.season == "own":
        season = "a season shows, over too few years to judge its periods by"
    elif not shown and one.reading.season == "neighbours":
        season = "a season that its neighbours show"
    text = f"Strength of trend {n['trend_strength']:.2f}, {season}"
    if n["seasons"]:
        lengths = " and ".join(f"{length:g}" for length in n["seasons"])
        text += f"; it repeats itself after {lengths} {one.series.cadence.plural}"
    if found.relative:
        text += "; season and spread grow with the level"
    return text + "."


def _standing_out(one: ItemProfile) -> list[str]:
    series, found = one.series, one.found
    lines = [
        f"Outlier in {series.cadence.text(series.start + place)}: {number(float(series.values[place]))}, "
        f"{outlier_words(found, place)}."
        for place in np.flatnonzero(found.outlying).tolist()
    ]
    lines += [
        f"Level shift in {series.cadence.text(series.start + shift.place)}: "
        f"{'up' if shift.size > 0 else 'down'} by {number(abs(shift.size))} ({shift.ratio:.1f} standard errors)."
        for shift in found.shifts
    ]
    if found.spread is not None:
        period = series.cadence.text(series.start + found.spread.place)
        lines.append(f"From {period} on the spread is {found.spread.ratio:.2g} times what it was.")
    return lines


def _weight(one: ItemProfile) -> str:
    n = one.numbers
    if not one.series.measure.adds_up:
        return f"Its mean is {quantity(n['mean'], one.series.unit)}; {one.series.measure.name} has no volume."
    return f"Volume {n['volume']:,.0f} in all: {n['volume_share']:.1f} % of all items, rank {n['volume_rank']}."
