"""`ItemReading`: what an item is taken for, by everybody who asks."""

from collections import OrderedDict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.lengths import CLEAR, length_class_now
from veridex.core.laws.support import Support
from veridex.core.numerics.seasons.profile import shows_season
from veridex.core.periods.cadence import Cadence
from veridex.core.reading.life import alive, fading
from veridex.core.reading.neighbours import FOUND, ends_of, seasons_at
from veridex.core.reading.pattern import SELDOM, demand_pattern
from veridex.core.reading.unfinished import unfinished_period
from veridex.errors import ItemUnknown

__all__ = ["ItemReading", "Readings"]

AT_HAND = 256
"""Readings that were asked for last are asked for again: so many are kept."""

FEWEST_PERIODS = 8
"""Known periods below which demand without a season is short; with one it is two seasons."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemReading:
    """What an item is, from all of its history and what its neighbours show.

    Attributes
    ----------
    item : str
    cadence : Cadence
    season_length : int
    sold_as : {"unknown", "intermittent", "new", "short", "regular"}
        The first of these that it is, or was while it was sold.
    evidence : str
        What tells so; empty for regular demand.
    known : int
        Known periods.
    length : int
        The class of length that it is forecast from.
    interval, variation : float
        Mean number of periods from one demand to the next; squared coefficient of variation of their sizes.
    demand_class : {"smooth", "erratic", "intermittent", "lumpy", "none"}
    retired, unfinished : bool
        Whether nothing is sold any more, and whether the last period is only half there.
    last_sale : int or None
        Ordinal of the last period with a sale.
    support : Support
        Its sign, and whether it is counted in whole numbers.
    shows_season : bool
        Whether its own history shows a season.
    faded : float
        Share of the demand of its last seasons in that of as many before, where it is dying; else nought.
    faded_over : int
        Over how many periods.
    clarity : float
        How much wider its season swings, by what it and its neighbours show, than the noise in its own profile of it.
    """

    item: str
    cadence: Cadence
    season_length: int
    sold_as: str
    evidence: str
    known: int
    length: int
    interval: float
    variation: float
    demand_class: str
    retired: bool
    unfinished: bool
    last_sale: int | None
    support: Support
    shows_season: bool
    clarity: float
    faded: float = 0.0
    faded_over: int = 0

    @property
    def kind(self) -> str:
        """``"retired"``, or as it is sold."""
        return "retired" if self.retired else self.sold_as

    @property
    def because(self) -> str:
        """What tells its kind; empty for regular demand."""
        gone = self.retired and self.last_sale is not None
        return f"nothing was sold since {self.cadence.text(int(self.last_sale or 0))}" if gone else self.evidence

    @property
    def season(self) -> str:
        """Who shows its season: ``"own"``, ``"neighbours"`` or ``"none"``."""
        if self.shows_season:
            return "own"
        return "neighbours" if self.season_length > 1 and self.clarity > CLEAR else "none"

    @property
    def life(self) -> str:
        """What of its life everybody should know before looking at a number; empty where nothing is remarkable."""
        if self.retired:
            return f"retired: {self.because}"
        if self.faded:
            length = self.cadence.length(self.faded_over)
            return f"dying: the last {length} sold {100 * self.faded:.0f} % of those before"
        return f"{self.kind}: {self.cadence.length(self.known)} known" if self.kind in ("new", "short") else ""

    @property
    def end(self) -> str:
        """That its last period is not over; empty where it is."""
        return f"the last {self.cadence.noun} is not over" if self.unfinished else ""

    def in_words(self) -> str:
        """For people: "smooth demand in whole numbers from 0 on, 82 months known, a season of 12 of its own"."""
        if self.kind == "unknown":
            return "nothing known"
        season = {
            "own": f"a season of {self.season_length} that it shows itself",
            "neighbours": f"a season of {self.season_length} that its neighbours show",
            "none": "no season",
        }[self.season]
        if self.last_sale is None:
            return f"never sold, {self.cadence.length(self.known)} known"
        kind = f"{self.demand_class} demand in {self.support.in_words()}"
        known = self.life or f"{self.cadence.length(self.known)} known"
        return ", ".join(said for said in (kind, known, self.end, season) if said)


class Readings(Mapping[str, ItemReading]):
    """What each item of a history is taken for, read from its values as they are tidied when it is asked for.

    Parameters
    ----------
    history : History
    """

    def __init__(self, history: History) -> None:
        self._history = history
        seasons = seasons_at(history, FOUND, ends_of(history))
        self._clarity = np.array([seasons.clarity(name)[0] for name in history.names])
        unfinished = unfinished_period(history)
        self._unfinished = None if unfinished is None else unfinished[0]
        self._begin = float(np.median(history.starts)) + history.season_length
        self._at_hand: OrderedDict[str, ItemReading] = OrderedDict()

    def __getitem__(self, item: str) -> ItemReading:
        if item not in self._at_hand:
            try:
                place = self._history.place(item)
            except ItemUnknown:
                raise KeyError(item) from None
            clarity = float(self._clarity[place])
            self._at_hand[item] = _reading(self._history.at(place), clarity, self._unfinished, self._begin)
            if len(self._at_hand) > AT_HAND:
                self._at_hand.popitem(last=False)
        return self._at_hand[item]

    def __iter__(self) -> Iterator[str]:
        return iter(self._history.names)

    def __len__(self) -> int:
        return len(self._history)


@np.errstate(all="ignore")
def _reading(series: ItemHistory, clarity: float, unfinished: int | None, begin: float) -> ItemReading:
    """The reading of one item; histories that start after `begin` are new."""
    values, cadence = series.values, series.cadence
    known = np.flatnonzero(~np.isnan(values))
    sold = np.flatnonzero(np.nan_to_num(values) != 0)
    last_sale = series.start + int(sold[-1]) if sold.size else None
    retired = alive(values, series.season_length)[1]
    interval, variation, demand_class = demand_pattern(values)
    faded, over = fading(values, series.season_length)
    enough = 2 * series.season_length if series.season_length > 1 else FEWEST_PERIODS
    sold_as, evidence = "regular", ""
    if not known.size:
        sold_as, evidence = "unknown", "nothing is known of its demand"
    elif demand_class in SELDOM:
        sold_as, evidence = "intermittent", f"demand comes in about one of {interval:.1f} periods"
    elif known.size < enough:
        sold_as = "new" if series.start + int(known[0]) > begin else "short"
        evidence = f"only {known.size} periods are known"
    return ItemReading(
        item=series.item,
        cadence=cadence,
        season_length=series.season_length,
        sold_as=sold_as,
        evidence=evidence,
        known=int(known.size),
        length=length_class_now(series),
        interval=interval,
        variation=variation,
        demand_class=demand_class,
        retired=retired,
        unfinished=unfinished == series.start + len(series) - 1,
        last_sale=last_sale,
        support=series.support,
        shows_season=shows_season(np.array(values), series.season_length),
        clarity=clarity,
        faded=faded,
        faded_over=over,
    )
