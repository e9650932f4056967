"""How a publication reads in the terminal: one item, or a thousand."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd
import typer

from veridex.cli.tables import paragraph, show
from veridex.core.methods.short_names import short_name
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.readable import number, quantity
from veridex.core.scoring.levels import level_label, on_number_line
from veridex.job.requests import Placing

__all__ = ["show_publication"]

REMARK = "remark:"
"""What a reason begins with that is none why there is no forecast."""

MOST_ROWS = 30
"""Items that people see; files have all."""


def show_publication(publication: Publication, placing: Placing, part: str = "forecasts") -> None:
    """Print one item's forecasts with their total, or a row for each of several items; files get the whole frame."""
    if part == "models":
        show(publication.models, placing, title="Models", hide=("n_estimates", "log_likelihood", "decided", "route"))
    elif part == "totals":
        show(publication.totals, placing, title="Totals", cadence=publication.cadence)
    elif placing.form != "table":
        show(publication.frame, placing, title="")
    elif len(publication.items) == 1:
        _show_one(publication, placing)
    else:
        _show_many(publication, placing)


def _show_one(publication: Publication, placing: Placing) -> None:
    """Every lead time of one item, then the sum and the reasons."""
    item = publication.items[0]
    one, cadence = publication[item], publication.cadence
    ahead = publication.forecasts
    ahead = ahead[ahead["scenario"] == ""]
    method = "" if one.method is None else short_name(one.method)
    title = f"{item}: next {cadence.length(len(ahead))} " + (f"by {method}" if method else "are not available")
    names = [str(name) for name in ahead.columns]
    hidden = ["item", "kind", "method", "scenario", "caution"]
    hidden += [name for name in names if name.startswith("half_width_") and not name.endswith("_percent")]
    hidden += [name for name in ("reason", "intervals") if ahead[name].nunique() <= 1]
    hidden += ["tested"] if ahead["tested"].all() else []
    shares = [name for name in names if name.endswith("_percent")]
    ahead = ahead.assign(**{name: ahead[name].round(1) for name in shares})
    renamed = {name: f"+/- % at {name.split('_')[2]}" for name in shares}
    caption = _totals_in_words(publication, item)
    kinds = ahead["intervals"].unique()
    if len(kinds) == 1 and kinds[0]:
        caption = f"{caption} Intervals: {kinds[0]}."
    shown = _around_forecast(ahead.drop(columns=hidden), publication.head.wanted.levels)
    show(shown.rename(columns=renamed), placing, title=title, caption=caption.strip(), cadence=cadence)
    typer.echo(paragraph(one.why))
    if one.fit is not None and not one.fit.members:  # what a blend is made of fills pages: --part models has it
        typer.echo(paragraph(one.fit.words))
    if one.cautions:
        typer.echo(paragraph(f"Caution: {'; '.join(caution.why for caution in one.cautions)}."))
    if one.reason:
        typer.echo(one.reason)


def _around_forecast(table: pd.DataFrame, levels: Sequence[float]) -> pd.DataFrame:
    """The forecast between its bounds, its standard error after them."""
    table = table.rename(columns={"value": "forecast"})
    line = [*on_number_line(levels, levels, levels, forecast=0), "std_error"]
    names = [str(name) for name in table.columns if name not in line]
    at = names.index("step") + 1
    return table[[*names[:at], *line, *names[at:]]]


def _totals_in_words(publication: Publication, item: str) -> str:
    """The demand of all lead times together."""
    one, wanted = publication[item], publication.head.wanted
    if one.totals is None or np.isnan(one.totals.points).all():
        return "" if one.totals is None else f"No total: {one.totals.reason}."
    total, steps = one.totals, one.totals.points.size
    bounds = [
        f"{level:g} %: {number(float(lower[-1]))} to {number(float(upper[-1]))}"
        for level, lower, upper in zip(wanted.levels, total.bands.lower, total.bands.upper, strict=True)
    ]
    which = f"all {steps}" if wanted.first == 1 else f"{wanted.first} to {steps}"
    sums = publication.head.demand.measure.adds_up
    which = f"{which[0].upper()}{which[1:]} together" if sums else f"The mean of {which}"
    unit = publication.head.demand.measure.unit
    return f"{which}: {quantity(float(total.points[-1]), unit)} ({'; '.join(bounds)})."


def _show_many(publication: Publication, placing: Placing) -> None:
    """A row for each of the largest items, groups after them, and how the items were decided."""
    head = publication.head
    level = head.wanted.levels[0]
    label = level_label(level)
    until = f"until {head.until}" if head.until is not None else f"next {head.horizon}"
    until += f" from step {head.wanted.first}" if head.wanted.first > 1 else ""
    total = f"{until} in all" if head.demand.measure.adds_up else f"mean, {until}"
    rows = [_row(one, level, total) for one in publication.published.values()]
    table = pd.DataFrame(rows)
    numbers = ["error", "value_added", f"coverage_{label}"]
    table[numbers] = table[numbers].astype(float)
    remarks = table[table["reason"].str.startswith(REMARK)]
    table["reason"] = table["reason"].where(~table["reason"].str.startswith(REMARK), "")
    shown = table.sort_values(total, ascending=False, kind="stable", ignore_index=True).head(MOST_ROWS)
    empty = [name for name in shown if shown[name].isna().all() or (shown[name].astype(object) == "").all()]
    fewer = f", the {len(shown)} largest" if len(shown) < len(table) else ""
    title = f"{len(table):,} items{fewer}; bounds are of the total"
    show(shown.drop(columns=empty), placing, title=title, caption=_how_decided(table, label))
    for said, items in remarks.groupby("reason")["item"]:
        typer.echo(paragraph(f"{str(said).removeprefix(REMARK).strip().capitalize()}: {', '.join(items)}."))
    _show_groups(publication, label)


def _row(one: ItemPublication, level: float, until: str) -> dict[str, Any]:
    """One item: its method, the next period, the total with its bounds, and how good it was."""
    label, scores, total = level_label(level), one.scores, one.totals
    method = one.decided or one.method  # what was decided on is shorter than the orders that were found
    return {
        "item": one.item,
        "method": None if method is None else short_name(method),
        "next": np.nan if one.outlook is None else one.outlook.points[0],
        f"lower_{label}": np.nan if total is None else total.bands.lower[0, -1],
        until: np.nan if total is None else total.points[-1],
        f"upper_{label}": np.nan if total is None else total.bands.upper[0, -1],
        "measure": None if scores is None else scores.measure,
        "error": None if scores is None else scores.error,
        "value_added": None if scores is None else scores.value_added,
        f"coverage_{label}": None if scores is None else scores.coverage.get(f"{level:g}"),
        "route": one.route,
        "caution": ", ".join(caution.what for caution in one.cautions),
        "reason": one.reason,
    }


def _show_groups(publication: Publication, label: str) -> None:
    """A line for the demand of each group over all lead times."""
    groups = publication.totals[publication.totals["group"] != "item"]
    for row in groups.drop_duplicates(["group", "name"], keep="last").to_dict("records"):
        name = row["name"] if row["name"] == row["group"] else f"{row['group']} {row['name']}"
        low, high = row[f"lower_{label}"], row[f"upper_{label}"]
        bounds = f"{label.replace('_', '.')} %: {low:,.0f} to {high:,.0f}; {row['intervals']}"
        typer.echo(f"{name}, {row['items']} items: {row['forecast']:,.0f} in all ({bounds})")


def _how_decided(table: pd.DataFrame, label: str) -> str:
    """How many items went which way."""
    counts = Counter(route or "by your choice" for route in table["route"])
    said = ", ".join(f"{count:,} {name}" for name, count in counts.most_common())
    without = int(table["next"].isna().sum())
    lacks = f" {without} without a forecast." if without else ""
    if (table["caution"] != "").any():
        lacks += " caution: intervals held far less than they claim, the benchmark was better, a size like none "
        lacks += "before, or a last period that is not over."
    level = label.replace("_", ".")
    return (
        f"{said}.{lacks} value_added: percent less error than the benchmark. coverage_{label}: percent of actuals "
        f"inside the {level} % intervals of lead times when tested. Write with --to for every period."
    )
