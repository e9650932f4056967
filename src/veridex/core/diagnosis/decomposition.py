"""`decompose`: trend, season and what remains, classical or by loess, with one season or several."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import ClassVar, Literal, get_args, overload

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.diagnosis.differencing import differencing
from veridex.core.diagnosis.splitting import by_loess, classical
from veridex.core.diagnosis.strength import strength
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.notebook import Faced
from veridex.core.numerics.seasons.longer import STATED_TURNS
from veridex.core.periods.seasons import Turns, season_name
from veridex.errors import ItemUnknown, ParameterError

__all__ = ["Decomposition", "Decompositions", "decompose"]

By = Literal["loess", "classical"]
Form = Literal["additive", "multiplicative"]


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Decomposition(Faced):
    """The parts of one series.

    Attributes
    ----------
    series : ItemHistory
    by : {"loess", "classical"}
    form : {"additive", "multiplicative"}
        Whether the parts add up or multiply.
    seasons : tuple of float
    trend, seasonal, rest : ndarray, shape (n,)
        `seasonal` holds all seasons together; NaN where there is none (at the ends of a classical trend).
    by_season : ndarray, shape (seasons, n)
    reason : str
        Why it is not available; empty where it is.
    """

    FACE: ClassVar[tuple[str, ...]] = (
        "reason",
        "to_frame",
    )

    series: ItemHistory
    by: By
    form: Form
    seasons: tuple[float, ...] = ()
    trend: FloatArray = field(repr=False)
    by_season: FloatArray = field(repr=False)
    reason: str = ""

    @property
    def seasonal(self) -> FloatArray:
        """All seasons together, shape (n,)."""
        if self.form == "multiplicative":
            return np.asarray(np.prod(self.by_season, axis=0))
        return np.asarray(np.sum(self.by_season, axis=0))

    @property
    def adjusted(self) -> FloatArray:
        """Demand without its season, shape (n,)."""
        with np.errstate(all="ignore"):
            y = self.series.values
            return y / self.seasonal if self.form == "multiplicative" else y - self.seasonal

    @property
    def rest(self) -> FloatArray:
        """What is left, shape (n,): around zero, or around one where the parts multiply."""
        with np.errstate(all="ignore"):
            return self.adjusted / self.trend if self.form == "multiplicative" else self.adjusted - self.trend

    @property
    def strengths(self) -> dict[str, float]:
        """Strength of the trend and of each season, 0 to 1 (Wang, Smith and Hyndman, 2006).

        Share of the variance of the part and the rest together that is not the rest's; of the logarithms
        where the parts multiply.
        """
        if self.reason:
            return {}
        logs = self.form == "multiplicative"
        with np.errstate(all="ignore"):
            rest = np.log(self.rest) if logs else self.rest
            parts = {"trend": self.trend} | {
                season_name(season_length): part
                for season_length, part in zip(self.seasons, self.by_season, strict=True)
            }
            return {name: strength(np.log(part) if logs else part, rest) for name, part in parts.items()}

    def to_frame(self) -> pd.DataFrame:
        """A row per period: item, period, demand, a column per season, adjusted, trend, rest."""
        names = [season_name(season_length) for season_length in self.seasons]
        return pd.DataFrame(
            {
                "item": self.series.item,
                "period": self.series.periods,
                "demand": self.series.values,
                **dict(zip(names, self.by_season, strict=True)),
                "adjusted": self.adjusted,
                "trend": self.trend,
                "rest": self.rest,
            }
        )


@dataclass(frozen=True, slots=True, eq=False)
class Decompositions(Faced):
    """The parts of each item of a history, in its order."""

    FACE: ClassVar[tuple[str, ...]] = ("strengths",)

    found: tuple[Decomposition, ...] = field(repr=False)

    def __len__(self) -> int:
        return len(self.found)

    def __iter__(self) -> Iterator[Decomposition]:
        return iter(self.found)

    def __getitem__(self, item: str) -> Decomposition:
        """The parts of one item.

        Raises
        ------
        ItemUnknown
            If there is no such item.
        """
        for one in self.found:
            if one.series.item == item:
                return one
        raise ItemUnknown(item, tuple(one.series.item for one in self.found))

    def __repr__(self) -> str:
        lost = sum(bool(one.reason) for one in self.found)
        return f"Decompositions({len(self)} items{f', {lost} not available' if lost else ''})"

    @property
    def strengths(self) -> pd.DataFrame:
        """A row per item: item, form, the strengths of trend and seasons, reason where there are no parts."""
        rows = [
            {"item": one.series.item, "form": one.form, **one.strengths, "reason": one.reason} for one in self.found
        ]
        table = pd.DataFrame(rows)
        return table[[*(name for name in table.columns if name != "reason"), "reason"]]

    def to_frame(self) -> pd.DataFrame:
        """The tables of all items under each other; a season that an item does not have is NaN."""
        table = pd.concat([one.to_frame() for one in self.found], ignore_index=True)
        ends = ["adjusted", "trend", "rest"]
        return table[[*(name for name in table.columns if name not in ends), *ends]]


@overload
def decompose(
    series: ItemHistory,
    by: By = ...,
    *,
    form: Form | Literal["auto"] = ...,
    seasons: float | Sequence[float] | None = ...,
    robust: bool = ...,
) -> Decomposition: ...


@overload
def decompose(
    series: History,
    by: By = ...,
    *,
    form: Form | Literal["auto"] = ...,
    seasons: float | Sequence[float] | None = ...,
    robust: bool = ...,
) -> Decomposition | Decompositions: ...


def decompose(
    series: History | ItemHistory,
    by: By = "loess",
    *,
    form: Form | Literal["auto"] = "additive",
    seasons: float | Sequence[float] | None = None,
    robust: bool = True,
) -> Decomposition | Decompositions:
    """Split a series, or each item of a history, into trend, season and rest.

    Parameters
    ----------
    series : ItemHistory or History
    by : {"loess", "classical"}
        Loess: trend and season change slowly, outliers bend neither. Classical: a centred moving average over the
        season and the mean of each phase; the trend has no ends.
    form : {"additive", "multiplicative", "auto"}
        Multiplicative loess works on logarithms; demand must then be above zero. ``"auto"``: multiplicative where
        `differencing` advises a transform.
    seasons : float or sequence of float, optional
        By default the season of the history, and by loess those above it that it shows; several by loess only. Those in
        whole periods, as many as the history has twice, are taken out in turn; the others are sines and cosines.
    robust : bool
        Whether loess goes through its outer loops of robust weights.

    Returns
    -------
    Decomposition, or Decompositions of a history of several items
        With a reason instead of parts where the history is shorter than two seasons or the form does not fit it.
        Unknown periods are skipped: they have a trend and a season, but no rest.

    Raises
    ------
    ParameterError
        If an argument is out of range.

    References
    ----------
    .. [1] Cleveland, Cleveland, McRae and Terpenning (1990), Journal of Official Statistics 6, 3-73.
    .. [2] Macaulay (1931), The Smoothing of Time Series, for the classical ratio to a moving average.
    """
    for name, value, words in (("by", by, get_args(By)), ("form", form, (*get_args(Form), "auto"))):
        if value not in words:
            raise ParameterError(name, repr(value), f"it is one of {', '.join(map(repr, words))}")
    if isinstance(series, History) and len(series) > 1:
        return Decompositions(tuple(_split(one, by, form, seasons, robust) for one in series))
    return _split(only_item(series), by, form, seasons, robust)


def _split(
    one: ItemHistory, by: By, form: Form | Literal["auto"], seasons: float | Sequence[float] | None, robust: bool
) -> Decomposition:
    """The parts of one item."""
    if form == "auto":
        form = "additive" if differencing(one).transform == "none" else "multiplicative"
    wanted = _lengths(one, seasons, by)
    if by == "classical" and len(wanted) > 1:
        raise ParameterError("seasons", repr(seasons), "the classical way takes out one season; use by='loess'")
    y = np.array(one.values)
    reason = _reason(y, wanted, form)
    if reason:
        nothing = np.full(y.size, np.nan)
        lost = np.full((len(wanted), y.size), np.nan)
        return Decomposition(series=one, by=by, form=form, seasons=wanted, trend=nothing, by_season=lost, reason=reason)
    if by == "classical":
        trend, by_season = classical(y, int(wanted[0]), form)
    else:
        trend, by_season = by_loess(np.log(y) if form == "multiplicative" else y, wanted, robust)
        if form == "multiplicative":
            trend, by_season = np.exp(trend), np.exp(by_season)
    return Decomposition(series=one, by=by, form=form, seasons=wanted, trend=trend, by_season=by_season)


def _lengths(series: ItemHistory, seasons: float | Sequence[float] | None, by: By) -> tuple[float, ...]:
    if seasons is None:
        first = series.season_length
        above = [one for one in series.seasons if by == "loess" and not Turns.stand_for(first, (one,))]
        return (float(first), *above)
    given = (seasons,) if isinstance(seasons, (int, float)) else tuple(seasons)
    if any(season_length < 2 for season_length in given) or not given:
        raise ParameterError("seasons", repr(seasons), "a season repeats after two periods or more")
    return tuple(sorted({float(length) for length in given}))


def _reason(y: FloatArray, seasons: tuple[float, ...], form: Form) -> str:
    """Why there are no parts."""
    known = y[~np.isnan(y)]
    if seasons[0] < 2:
        return "the history has no season; state one with seasons="
    if not seasons[0].is_integer():
        return "the first season is no whole number of periods; state one that is"
    if known.size == 0:
        return "no known value"
    needed = math.ceil(max((2.0 if one.is_integer() else STATED_TURNS) * one for one in seasons))
    if min(y.size, known.size) < needed:
        return f"too little history: {known.size} known periods, {needed} needed"
    with np.errstate(over="ignore"):
        squared = float(np.square(known).sum())
    if not np.isfinite(squared):
        return "demand is too large to be squared"
    if form == "multiplicative" and known.min() <= 0:
        return "demand is not above zero everywhere, so its parts cannot multiply"
    return ""
