"""How people look at a publication in a workbook: across the periods, as a picture, and what it is about."""

import numpy as np

from veridex.core.methods.words import counted
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.head import Head
from veridex.core.publication.publication import Publication
from veridex.core.scoring.levels import level_label
from veridex.exchange.forms.extent import Extent
from veridex.exchange.kept import View

__all__ = ["about_of", "views_of"]


def views_of(publication: Publication, extent: Extent) -> tuple[View, ...]:
    """A row per item and a column per period ahead; and a picture of one item with its bands."""
    head, measure = publication.head, publication.head.demand.measure
    ahead = np.arange(extent.first, extent.last + 1)
    across = {
        "rows": "item",
        "columns": "period",
        "values": "value",
        "where": {"kind": "forecast", "scenario": ""},
        "periods": publication.cadence.starts(ahead),
        "adds_up": measure.adds_up,
    }
    picture = {
        "rows": "item",
        "columns": "period",
        "values": "value",
        "kind": "kind",
        "past": "actual",
        "other": "scenario",
        "bands": [(level, *(f"{side}_{level_label(level)}" for side in ("lower", "upper"))) for level in _widest(head)],
        "label": measure.label,
    }
    return View("Forecast", "across", "forecast", across), View("Picture", "picture", "forecast", picture)


def _widest(head: Head) -> list[float]:
    """The levels whose bands are drawn, the widest first; more than two cannot be told apart."""
    return sorted(head.wanted.levels, reverse=True)[:2]


def about_of(publication: Publication) -> dict[str, str]:
    """What a workbook says of itself, a line each."""
    head, cadence = publication.head, Cadence.named(publication.head.demand.cadence)
    demand, wanted = head.demand, head.wanted
    tested = head.backtest
    levels = ", ".join(f"{level:g} %" for level in wanted.levels)
    quantiles = ", ".join(f"{one:g} %" for one in wanted.quantiles)
    until = f"until {head.until}" if head.until else f"{cadence.length(head.horizon)} ahead"
    said = {
        "what": f"Forecasts of {counted(len(publication.published), 'item')}, {cadence.name}, {until}",
        "demand": f"{demand.measure.label}, {demand.first} to {demand.last}",
        "tidied": demand.tidying or "no",
        "intervals": f"{levels}, {wanted.kind or 'calibrated where there is a backtest, else of the model'}",
        "quantiles": quantiles or "none",
        "tested": "nothing was backtested" if tested is None else _tested(tested),
        "made": f"{head.made.at}, Veridex {head.made.versions.get('veridex', '')}",
        "plan": "" if head.plan is None else head.plan.file,
        "remarks": "\n".join(map(str, demand.notes)),
        "sheets": "Forecast: an item per row. Picture: pick an item in the yellow cell. Items: what is published for "
        "each, why, and how good it was. Totals: demand of several lead times together. Long: history and forecasts "
        "under each other, with all bounds. Ledger: repairs of the history. A hidden sheet holds what Veridex reads "
        "back besides.",
    }
    return {name: text for name, text in said.items() if text}


def _tested(backtest: object) -> str:
    """By what rule it was decided, and how that was tested."""
    assert isinstance(backtest, dict)
    return "; ".join(f"{name}: {backtest[name]}" for name in ("rule", "scheme") if backtest.get(name))
