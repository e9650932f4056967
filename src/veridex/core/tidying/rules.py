"""Rules by which a series is tidied, and applying them to any part of it, from that part alone."""

from dataclasses import dataclass, field, replace
from typing import Literal, get_args

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.events import Events
from veridex.core.history.item import ItemHistory
from veridex.core.reading.censored import learned_values
from veridex.core.reading.expectation import Expectation, expect
from veridex.errors import ParameterError

__all__ = ["Gaps", "Mended", "Negative", "Outliers", "TidyRules", "checked_unfinished", "mend"]

Gaps = Literal["unknown", "zero", "carry", "interpolate", "seasonal"]
Negative = Literal["keep", "zero", "refuse"]
Outliers = Literal["leave", "flag", "repair"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TidyRules:
    """What is done with what. They travel with a history; a backtest applies them in each fold to the past alone.

    Attributes
    ----------
    gaps : {"unknown", "zero", "carry", "interpolate", "seasonal"}
        What a period of unknown demand becomes; one out of stock is never zero.
    outliers : {"leave", "flag", "repair"}
        What is done with outliers; `repair` replaces them by their robust expectation.
    negative : {"keep", "zero", "refuse"}
    events : Events
        Periods inside events are not outlying.
    finished : int or None
        Ordinal of the last period kept, where unfinished ones were dropped: they are not dropped twice.
    """

    gaps: Gaps = "unknown"
    outliers: Outliers = "flag"
    negative: Negative = "keep"
    events: Events = field(default_factory=Events)
    finished: int | None = None

    def __post_init__(self) -> None:
        for name, words in (("gaps", Gaps), ("outliers", Outliers), ("negative", Negative)):
            if getattr(self, name) not in get_args(words):
                known = ", ".join(map(repr, get_args(words)))
                raise ParameterError(name, repr(getattr(self, name)), f"it is one of {known}")

    def applied(self, series: ItemHistory) -> FloatArray:
        """Tidied demand of a series that holds raw values, from these values alone."""
        if self.gaps == "unknown" and self.outliers != "repair" and self.negative != "zero":
            return np.array(series.actuals)
        # Outliers that are only listed change no value, and to look for them takes longer than all the rest.
        return mend(series, self if self.outliers == "repair" else replace(self, outliers="leave")).values

    @property
    def key(self) -> str:
        """Everything that they depend on, as text."""
        return repr((self.finished, self.how))

    @property
    def how(self) -> str:
        """Everything that tidied values depend on, as text: what was dropped at the end is not there any more."""
        return repr((self.gaps, self.outliers, self.negative, self.events.happenings))

    def in_words(self) -> str:
        """The rules in a sentence."""
        return f"gaps {self.gaps}, outliers {self.outliers}, negative demand {self.negative}"


def checked_unfinished(unfinished: str | int) -> str | int:
    """What is done with last periods, if it is one of the things that can be.

    Raises
    ------
    ParameterError
    """
    if unfinished not in ("drop", "keep") and not (isinstance(unfinished, int) and unfinished >= 0):
        raise ParameterError("unfinished", repr(unfinished), "it is 'drop', 'keep' or a number of last periods")
    return unfinished


@dataclass(frozen=True, slots=True, eq=False)
class Mended:
    """A series after its rules, and which periods each of them touched.

    Attributes
    ----------
    raw, values : ndarray, shape (n,)
        Before and after.
    negative, filled, outlying, stock_outs : ndarray of bool, shape (n,)
        Periods of negative demand; of unknown demand given a value; outliers; periods out of stock.
    expectation : Expectation or None
        None where neither outliers nor seasonal gaps asked for it.
    """

    raw: FloatArray
    values: FloatArray
    negative: BoolArray
    filled: BoolArray
    outlying: BoolArray
    stock_outs: BoolArray
    expectation: Expectation | None


def mend(series: ItemHistory, rules: TidyRules) -> Mended:
    """Apply rules to the raw values of a series.

    In this order: negative demand, gaps that are zero sales, outliers, the other gaps.
    """
    raw = series.actuals
    n = raw.size
    values = np.array(raw)
    stock_outs = series.stock_outs
    with np.errstate(invalid="ignore"):
        negative = raw < 0
    if rules.negative == "zero":
        values[negative] = 0.0
    if rules.gaps == "zero":
        values[_gaps(values) & ~stock_outs] = 0.0
    if rules.gaps not in ("unknown", "zero"):
        values = learned_values(series.under(None).with_values(values))
    expectation = None
    outlying = np.zeros(n, dtype=bool)
    if rules.outliers != "leave" or rules.gaps == "seasonal":
        aside = rules.events.touched(series.cadence, series.start, n)
        expectation = expect(values, series.season_length, aside, series.turns)
    if rules.outliers != "leave" and expectation is not None:
        outlying = expectation.outlying
        if rules.outliers == "repair":
            values[outlying] = _expected(expectation, values)[outlying]
    _fill(values, rules.gaps, expectation)
    filled = np.isnan(raw) & ~np.isnan(values)
    return Mended(raw, values, negative, filled, outlying, stock_outs, expectation)


def _gaps(values: FloatArray) -> BoolArray:
    """Unknown periods after the first known one: before it the item may not have existed."""
    unknown = np.isnan(values)
    known = np.flatnonzero(~unknown)
    unknown[: known[0] if known.size else unknown.size] = False
    return unknown


def _expected(expectation: Expectation, values: FloatArray) -> FloatArray:
    """Expected demand, not below zero where demand never is."""
    known = values[~np.isnan(values)]
    return np.maximum(expectation.values, 0.0) if known.size and known.min() >= 0 else expectation.values


def _fill(values: FloatArray, gaps: Gaps, expectation: Expectation | None) -> None:
    """Fill what is still unknown, in place; a gap at the end has no later neighbour and is carried."""
    lost = _gaps(values)
    if gaps not in ("carry", "interpolate", "seasonal") or not lost.any():
        return
    places = np.arange(values.size)
    known = np.flatnonzero(~np.isnan(values))
    if gaps == "carry":
        values[lost] = values[known[np.searchsorted(known, places[lost]) - 1]]
        return
    if gaps == "seasonal" and expectation is not None:
        values[lost] = _expected(expectation, values)[lost]
        lost = _gaps(values)
        known = np.flatnonzero(~np.isnan(values))
    values[lost] = np.interp(places[lost], known, values[known])
