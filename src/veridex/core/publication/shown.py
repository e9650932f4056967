"""What pictures of a published item show beside its forecast and say of it, whoever draws them."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.publication.dossier import ItemPublication, Scores
from veridex.core.publication.publication import Publication
from veridex.core.readable import quantity

__all__ = ["heading", "held_in_words", "past_of", "season_before", "summed"]


def past_of(publication: Publication, one: ItemPublication) -> ItemHistory:
    """The history that is published with a forecast."""
    demand = publication.head.demand
    return ItemHistory(
        item=one.item,
        cadence=publication.cadence,
        season_length=demand.season_length,
        start=one.origin + 1 - one.past.size,
        values=one.past,
        measure=demand.measure,
    )


def heading(publication: Publication, one: ItemPublication) -> str:
    """What a picture of an item's forecast is called: how far it looks ahead, and what that is in all."""
    cadence, measure = publication.cadence, publication.head.demand.measure
    steps, totals = max(one.horizon, 0), one.totals
    retired = ", retired" if one.route == "retired" else ""
    said = f"{one.item}{retired}: next {cadence.noun if steps == 1 else cadence.length(steps)}"
    if totals is None or not totals.points.size or not np.isfinite(totals.points[-1]):
        return said
    return f"{said}, {quantity(float(totals.points[-1]), measure.unit)} {summed(publication)}"


def summed(publication: Publication) -> str:
    """What is said behind a total: they need not begin with the next period."""
    first = publication.head.wanted.first
    said = "in all" if publication.head.demand.measure.adds_up else "in the mean"
    return said if first == 1 else f"{said} from lead time {first} on"


def season_before(one: ItemPublication, turn: int, steps: int) -> FloatArray:
    """The demand of the same periods a season before; of later ones nothing."""
    found = np.full(steps, np.nan)
    if turn > 1:
        known = one.past[max(one.past.size - turn, 0) :][:steps] if one.past.size >= turn else np.empty(0)
        found[: known.size] = known
    return found


def held_in_words(scores: Scores | None, level: float) -> str:
    """What share of actuals the bands of a level held in the backtest."""
    held = np.nan if scores is None else scores.coverage.get(f"{level:g}", np.nan)
    return f"interval (held {held:.0f} % when tested)" if np.isfinite(held) else "interval (coverage not tested)"
