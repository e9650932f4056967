"""`ItemHistory`: the demand of one item; and the spans that it and `History` can be cut to."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Protocol, Self

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.counts import whole_number
from veridex.core.history.coarser import Gather, coarsen
from veridex.core.history.measure import DEMAND, Measure
from veridex.core.laws.support import Support, support_of
from veridex.core.numerics.seasons.longer import longer_seasons
from veridex.core.numerics.seasons.profile import shows_season
from veridex.core.periods.cadence import Cadence
from veridex.core.periods.seasons import Turns, turns_of
from veridex.core.periods.spans import first_of_last, last_complete
from veridex.errors import HistoryTooShort, ParameterError

__all__ = ["ItemHistory", "Rules", "Spans", "locked", "uncensored"]


def locked(values: NDArray[Any]) -> NDArray[Any]:
    """Make an array read-only: freezing an object does not freeze its arrays."""
    values.flags.writeable = False
    return values


def uncensored(periods: int) -> FloatArray:
    """What is told of periods that were never out of stock."""
    return np.full((2, periods), np.nan)


class Rules(Protocol):
    """Rules that travel with a history and can be applied to any part of it; `TidyRules` are the only ones so far."""

    def applied(self, series: "ItemHistory") -> FloatArray:
        """Tidied demand of a series that holds raw values, from these values alone."""
        ...

    @property
    def key(self) -> str:
        """Everything that they depend on, as text."""

    @property
    def how(self) -> str:
        """Everything that tidied values depend on, as text."""

    def in_words(self) -> str:
        """The rules in a sentence."""
        ...


class Spans:
    """Spans, for one item and for many: each narrows every item to the periods asked for, ends included."""

    cadence: Cadence

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> Self:
        raise NotImplementedError

    def since(self, period: object) -> Self:
        """Keep what lies in `period` or after it."""
        first = self.cadence.period(period)
        return self._narrow(lambda start, stop: (max(start, first), stop), f"since {period}")

    def until(self, period: object, *, as_of: object = None) -> Self:
        """Keep what lies in `period` or before it.

        ``"last complete month"`` (or day, week, quarter, year, hour, period) is what had ended before the month in
        which the instant `as_of` lies: text, a date or a stamp. No clock is asked.
        """
        finished = last_complete(period, self.cadence, as_of) if isinstance(period, str) else None
        last = self.cadence.period(period) if finished is None else finished
        return self._narrow(lambda start, stop: (start, min(stop, last + 1)), f"until {period}")

    def last(self, periods: int | str) -> Self:
        """Keep the last so many periods of each item, or a span of it such as ``"2 years"``."""
        if isinstance(periods, str):
            return self._narrow(
                lambda start, stop: (max(start, first_of_last(periods, self.cadence, stop - 1)), stop),
                f"last {periods}",
            )
        kept = whole_number("last", periods)
        return self._narrow(lambda start, stop: (max(start, stop - kept), stop), f"last {kept}")

    def first(self, periods: int) -> Self:
        """Keep the first so many periods of each item."""
        kept = whole_number("first", periods)
        return self._narrow(lambda start, stop: (start, min(stop, start + kept)), f"first {kept}")

    def between(self, first: int, last: int) -> Self:
        """Keep each item's positions `first` to `last`, counted from 1, both included; `since` takes dates."""
        whole_number("last", last, whole_number("first", first))
        return self._narrow(
            lambda start, stop: (start + first - 1, min(stop, start + last)), f"positions {first} to {last}"
        )


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class ItemHistory(Spans):
    """The demand of one item, a value per period, oldest first.

    Attributes
    ----------
    item : str
    cadence : Cadence
    season_length : int
        Periods after which the season repeats; 1 where there is none.
    stated : tuple of float
        All its seasons, where they were stated; else those of the calendar are looked for.
    start : int
        Ordinal of the first period.
    values : ndarray of float, shape (n,)
        Demand per period in its unit, NaN where unknown; read-only. Tidied, where there are rules.
    measure : Measure
        What demand is: name, unit, whether it adds up, floor.
    raw : ndarray, shape (n,), or None
        Demand before tidying; None where nothing was tidied. `actuals` has it in both cases.
    rules : Rules or None
        What it was tidied by; a backtest applies them again in each fold, to the past alone.
    censored : ndarray, shape (2, n), or None
        Of periods in which stock ran out: what was sold all the same, which demand was at least, and the share of the
        period in stock; NaN elsewhere, and where the share is not told. The demand of such periods is unknown.
    parts : ndarray, shape (2, n), or None
        Numerator and denominator, where demand is a ratio.
    """

    item: str
    cadence: Cadence
    season_length: int
    start: int
    values: FloatArray = field(repr=False)
    stated: tuple[float, ...] = ()
    measure: Measure = DEMAND
    raw: FloatArray | None = field(default=None, repr=False)
    rules: Rules | None = field(default=None, repr=False)
    censored: FloatArray | None = field(default=None, repr=False)
    parts: FloatArray | None = field(default=None, repr=False)

    def __len__(self) -> int:
        return int(self.values.size)

    @property
    def stock_outs(self) -> BoolArray:
        """The periods in which stock ran out, shape (n,)."""
        return np.zeros(len(self), dtype=bool) if self.censored is None else ~np.isnan(self.censored[0])

    @property
    def actuals(self) -> FloatArray:
        """Demand as it was read, never filled or repaired: what forecasts are scored against."""
        return self.values if self.raw is None else self.raw

    @property
    def unit(self) -> str | None:
        """The unit of its measure."""
        return self.measure.unit

    @property
    def turns(self) -> Turns:
        """The seasons above the first that it may have: those stated, or those of the calendar."""
        return turns_of(self.cadence, self.stated)

    @property
    def seasons(self) -> tuple[float, ...]:
        """Its seasons: those stated, else those of the calendar that its demand shows, the shortest first."""
        if self.stated:
            return self.stated
        y, first = np.array(self.values), self.season_length
        above = tuple(one.length for one in longer_seasons(y, first, self.turns.lengths))
        own = () if self.turns.stand_for(first, above) or not shows_season(y, first) else (float(first),)
        return (*own, *above)

    @property
    def support(self) -> Support:
        """What demand can be: as stated, or as the values that were read show."""
        return support_of(self.actuals, self.measure.floor, self.measure.whole)

    def with_values(self, values: FloatArray) -> "ItemHistory":
        """The same series with other values, which nothing was done to yet."""
        return replace(self, values=locked(values), raw=None, rules=None)

    def under(self, rules: Rules | None) -> "ItemHistory":
        """The same raw values under other rules; None for the raw values themselves."""
        bare = replace(self, values=self.actuals, raw=None, rules=None)
        if rules is None:
            return bare
        return replace(bare, values=locked(rules.applied(bare)), raw=self.actuals, rules=rules)

    def continued(self, newer: "ItemHistory") -> "ItemHistory":
        """The series with newer data of the same item, whose values count where both have some.

        Raw values, stock-outs and numerators are joined likewise, and this series' own rules applied to the whole. The
        newer one must join up, which the caller has checked; what it holds before this one's start is left out.
        """
        kept, skipped = max(newer.start - self.start, 0), max(self.start - newer.start, 0)

        def joined(own: NDArray[Any], theirs: NDArray[Any]) -> NDArray[Any]:
            return np.concatenate((own[..., :kept], theirs[..., skipped:]), axis=-1)

        censored = parts = None
        if self.censored is not None or newer.censored is not None:
            censored = joined(
                *(uncensored(len(one)) if one.censored is None else one.censored for one in (self, newer))
            )
        if self.parts is not None and newer.parts is not None:
            parts = joined(self.parts, newer.parts)
        bare = replace(
            self,
            values=locked(joined(self.actuals, newer.actuals)),
            raw=None,
            rules=None,
            censored=censored,
            parts=parts,
        )
        return bare.under(self.rules)

    def __repr__(self) -> str:
        span = f"{self.cadence.text(self.start)} to {self.cadence.text(self.start + len(self) - 1)}"
        return f"ItemHistory({self.item!r}, {self.cadence.name}, {span}, {len(self)} periods)"

    @property
    def ordinals(self) -> IntArray:
        """Ordinals of the periods."""
        return np.arange(self.start, self.start + len(self), dtype=np.int64)

    @property
    def periods(self) -> NDArray[Any]:
        """Start stamps of the periods (`datetime64[s]`; ints when counted)."""
        return self.cadence.starts(self.ordinals)

    def phase_name(self, ordinal: int) -> str:
        """The place of a period in the season: by the calendar where the season is the calendar's, else numbered."""
        if self.season_length == self.cadence.season_length:
            return self.cadence.phase_name(ordinal)
        return f"phase {ordinal % self.season_length + 1}"

    @property
    def fingerprint(self) -> str:
        """SHA-256 of everything that can be computed from the series: to the bit, whatever kind of NaN is unknown."""
        rules = None if self.rules is None else self.rules.how
        said = (self.item, self.cadence.name, self.stated or self.season_length, self.start, rules)
        own = (self.measure.floor, self.measure.whole)
        digest = hashlib.sha256(repr(said if own == (None, None) else (*said, *own)).encode())
        for array in (self.actuals, self.values, *(() if self.censored is None else self.censored)):
            digest.update(np.where(np.isnan(array), np.nan, array).tobytes())
        return digest.hexdigest()

    def _narrow(self, span: Callable[[int, int], tuple[int, int]], wanted: str) -> "ItemHistory":
        start, stop = span(self.start, self.start + len(self))
        if stop <= start:
            raise HistoryTooShort(self.item, len(self), 1, f"the span {wanted}", "Choose a span it covers.")
        own = slice(start - self.start, stop - self.start)
        bare = replace(
            self,
            start=start,
            values=self.actuals[own],
            raw=None,
            rules=None,
            censored=None if self.censored is None else self.censored[:, own],
            parts=None if self.parts is None else self.parts[:, own],
        )
        return bare.under(self.rules)

    def at_cadence(self, cadence: str | Cadence, gather: Gather | None = None) -> "ItemHistory":
        """Gather to a coarser cadence: what adds up is added up, what does not averaged, unless you say otherwise.

        A coarser period not wholly known is unknown.

        A ratio is one of sums at every cadence. Of a tidied history the raw values are gathered and its rules applied
        to them at the new cadence.

        Raises
        ------
        CadenceUnknown, ParameterError
            If the periods of one do not fit into those of the other.
        """
        coarser = Cadence.named(cadence)
        gather = gather or ("mean" if self.measure.adds == "mean" else "sum")
        parts = None
        if self.parts is not None:
            if gather != "sum":
                raise ParameterError("gather", repr(gather), "a ratio divides two sums; leave gather='sum'")
            sums = [coarsen(part, self.start, self.cadence, coarser, "sum") for part in self.parts]
            parts, start = np.stack([gathered for gathered, _ in sums]), sums[0][1]
            with np.errstate(all="ignore"):
                values = np.where(parts[1] != 0, parts[0] / parts[1], np.nan)
        else:
            values, start = coarsen(self.actuals, self.start, self.cadence, coarser, gather)
        bare = ItemHistory(
            item=self.item,
            cadence=coarser,
            season_length=coarser.season_length,
            start=start,
            values=locked(values),
            measure=self.measure,
            parts=parts,
            censored=self._coarser_bounds(coarser, gather) if parts is None else None,
        )
        return bare.under(self.rules)

    def _coarser_bounds(self, coarser: Cadence, gather: Gather) -> FloatArray | None:
        """What was sold in coarser periods in some of whose periods stock ran out, and the share that it lasted."""
        if self.censored is None:
            return None
        out = self.stock_outs

        def gathered(values: FloatArray, how: Gather) -> FloatArray:
            return coarsen(values, self.start, self.cadence, coarser, how)[0]

        sold = gathered(np.where(out, self.censored[0], self.actuals), gather)
        share = gathered(np.where(out, np.nan_to_num(self.censored[1], nan=-np.inf), 1.0), "mean")
        known = (gathered(out.astype(np.float64), "sum") > 0.0) & ~np.isnan(sold)
        return np.where(known, np.stack((sold, np.where(np.isinf(share), np.nan, share))), np.nan)

    def to_frame(self) -> pd.DataFrame:
        """The history as a table: item, period, demand."""
        return pd.DataFrame({"item": self.item, "period": self.periods, "demand": self.values})
