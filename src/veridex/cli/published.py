"""How a publication reads in the terminal: one item, or a thousand."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
import pandas as pd
import typer

from veridex.cli.tables import paragraph, show
from veridex.core.methods.short_names import brief_name, short_name
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.readable import number, quantity
from veridex.core.scoring.levels import level_label, on_number_line
from veridex.job.requests import Placing

__all__ = ["show_publication"]

REMARK = "remark:"
"""What a reason begins with that is none why there is no forecast."""

NUMBERS = ("next", "wape", "mae", "bias", "error", "value_added")
"""Columns that are empty where nothing was tested."""

PERCENT = ("wape", "bias", "value_added")

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
    hidden = ["item", "kind", "method", "scenario", "caution", "benchmark", "verdict"]
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
    """A row for each of the largest items, what they come to, groups after them, and how the items were decided."""
    head = publication.head
    level = head.wanted.levels[0]
    label = level_label(level)
    until = f"until {head.until}" if head.until is not None else f"next {head.horizon}"
    until += f" from step {head.wanted.first}" if head.wanted.first > 1 else ""
    total = f"{until} in all" if head.demand.measure.adds_up else f"mean, {until}"
    table = pd.DataFrame([_row(one, level, total) for one in publication.published.values()])
    remarks = table[table["reason"].str.startswith(REMARK)]
    table["reason"] = table["reason"].where(~table["reason"].str.startswith(REMARK), "")
    shown = table.sort_values(total, ascending=False, kind="stable", ignore_index=True)
    shown = shown if placing.wide else shown.head(MOST_ROWS)
    if head.demand.measure.adds_up:
        shown = pd.concat([shown, _sum_of(publication, table, total, label)], ignore_index=True)
    bounds = (f"lower_{label}", f"upper_{label}")
    shown = shown.astype(dict.fromkeys((*NUMBERS, *bounds, f"coverage_{label}"), float))
    shown = shown.round(dict.fromkeys((*PERCENT, f"coverage_{label}"), 1))
    empty = [name for name in shown if shown[name].isna().all() or (shown[name].astype(object) == "").all()]
    fewer = f", the {MOST_ROWS} largest" if not placing.wide and len(table) > MOST_ROWS else ""
    title = f"{len(table):,} items{fewer}; bounds are of the total"
    ranked: tuple[str, ...] = (
        "item",
        total,
        "wape",
        "mark",
        "method",
        f"lower_{label}",
        f"upper_{label}",
        "bias",
        "next",
        "error",
    )
    ranked += ("value_added", "mae", f"coverage_{label}", "caution", "reason", "route", "measure")
    legend, caption = _legend(table, label), _how_decided(table)
    show(shown.drop(columns=empty), placing, title=title, caption=caption, legend=legend, ranked=ranked)
    for said, items in remarks.groupby("reason")["item"]:
        typer.echo(paragraph(f"{str(said).removeprefix(REMARK).strip().capitalize()}: {', '.join(items)}."))
    _show_groups(publication, label)


def _row(one: ItemPublication, level: float, until: str) -> dict[str, Any]:
    """One item: its method, the next period, the total with its bounds, and how good it was."""
    label, scores, total = level_label(level), one.scores, one.totals
    method = one.decided or one.method  # what was decided on is shorter than the orders that were found
    marks = ["overridden" if one.override is not None else "", "caution" if one.cautions else ""]
    return {
        "item": one.item,
        "mark": " ".join(filter(None, marks)),
        "method": None if method is None else brief_name(method),
        "next": np.nan if one.outlook is None else one.outlook.points[0],
        f"lower_{label}": np.nan if total is None else total.bands.lower[0, -1],
        until: np.nan if total is None else total.points[-1],
        f"upper_{label}": np.nan if total is None else total.bands.upper[0, -1],
        "wape": None if scores is None else scores.wape,
        "mae": None if scores is None else scores.mae,
        "bias": None if scores is None else scores.bias,
        "measure": None if scores is None else scores.measure,
        "error": None if scores is None else scores.error,
        "value_added": None if scores is None else scores.value_added,
        f"coverage_{label}": None if scores is None else scores.coverage.get(f"{level:g}"),
        "route": one.route,
        "caution": ", ".join(caution.what for caution in one.cautions),
        "reason": one.reason,
    }


def _sum_of(publication: Publication, table: pd.DataFrame, total: str, label: str) -> pd.DataFrame:
    """The last row: what all items that have a forecast come to; with bounds where the total of all was asked for."""
    known = table[table["next"].notna()]
    row: dict[str, Any] = dict.fromkeys(table.columns)
    row |= dict.fromkeys(("mark", "route", "caution", "reason"), "")
    row |= {"item": f"all {len(known):,}", "next": known["next"].sum(), total: known[total].sum()}
    whole = publication.totals[publication.totals["group"] == "all"]
    if len(whole):
        row |= {name: whole[name].iloc[-1] for name in (f"lower_{label}", f"upper_{label}")} | {
            total: whole["forecast"].iloc[-1]
        }
    return pd.DataFrame([row])


def _show_groups(publication: Publication, label: str) -> None:
    """A line for the demand of each group over all lead times."""
    groups = publication.totals[publication.totals["group"] != "item"]
    for row in groups.drop_duplicates(["group", "name"], keep="last").to_dict("records"):
        name = row["name"] if row["name"] == row["group"] else f"{row['group']} {row['name']}"
        low, high = row[f"lower_{label}"], row[f"upper_{label}"]
        bounds = f"{label.replace('_', '.')} %: {low:,.0f} to {high:,.0f}; {row['intervals']}"
        typer.echo(f"{name}, {row['items']} items: {row['forecast']:,.0f} in all ({bounds})")


def _blends(table: pd.DataFrame) -> bool:
    """Whether a blend is among the methods."""
    return bool(table["method"].astype("str").str.contains(r" \+\d+$").any())


def _how_decided(table: pd.DataFrame) -> str:
    """How many items went which way."""
    counts = Counter(route or "by your choice" for route in table["route"])
    said = ", ".join(f"{count:,} {name}" for name, count in counts.most_common())
    without = int(table["next"].isna().sum())
    lacks = f" {without} without a forecast." if without else ""
    return f"{said}.{lacks} Write with --to for every period."


def _legend(table: pd.DataFrame, label: str) -> dict[str, str]:
    """What columns hold, said where they are shown."""
    found = {
        "wape": "wape: absolute error when tested, in percent of demand.",
        "mae": "mae: the same in units of demand.",
        "bias": "bias: percent, above zero where forecasts were too low.",
        "value_added": "value_added: percent less error than the benchmark.",
        f"coverage_{label}": f"coverage_{label}: percent of actuals inside the {label.replace('_', '.')} % intervals.",
    }
    if _blends(table):
        found["method"] = "+5: a blend with five others, of which the largest part is named."
    if (table["caution"] != "").any():
        said = (
            "caution: intervals held far less than they claim, the benchmark was better, a size like none before, or "
        )
        found["mark"] = f"{said}a last period that is not over."
    return found
