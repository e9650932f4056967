"""Where in a table things stand, and what is to be done with them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from veridex.core.tables.dates import Dates, DateWords
from veridex.core.tables.grouping import Combine
from veridex.errors import ParameterError

__all__ = ["Absent", "LayoutName", "TableLayout", "Unfinished", "columns_of"]

Absent = Literal["zero", "unknown"]
Unfinished = Literal["drop", "keep"]
LayoutName = Literal["long", "wide"]


@dataclass(frozen=True, slots=True, kw_only=True)
class TableLayout:
    """Where in a table things stand, and what to do with them; `History.from_frame` explains each."""

    item: tuple[str, ...] = ()
    period: tuple[str, ...] = ("period",)
    demand: str = "demand"
    layout: LayoutName = "long"
    items: tuple[str, ...] | None = None
    name: str = "demand"
    dates: Dates | None = None
    tz: str | None = None
    fiscal_start: str | int | None = None
    fiscal_named: Literal["end", "start"] = "end"
    decimal: str | None = None
    status: str | None = None
    invalid: tuple[str, ...] | None = None
    stock_out: str | None = None
    in_stock: str | None = None
    combine: Combine = "sum"
    absent: Absent | None = None
    unfinished: Unfinished = "drop"

    def __post_init__(self) -> None:
        named = (*self.item, *self.period, self.demand, self.status, self.stock_out, self.in_stock)
        other = next((column for column in named if not isinstance(column, str | None)), None)
        if other is not None:
            raise ParameterError(
                "column", repr(other), "columns are called by texts; rename them: frame.rename(columns=str)"
            )
        for key, allowed in (
            ("layout", ("long", "wide")),
            ("dates", (None, "day-first", "month-first")),
            ("fiscal_named", ("end", "start")),
            ("combine", ("sum", "mean", "last", "count", "max")),
            ("absent", (None, "zero", "unknown")),
            ("unfinished", ("drop", "keep")),
        ):
            if getattr(self, key) not in allowed:
                words = ", ".join(repr(word) for word in allowed if word is not None)
                raise ParameterError(key, repr(getattr(self, key)), f"it is one of {words}")
        if self.items is not None and self.layout != "wide":
            raise ParameterError("items", repr(self.items), "columns are chosen in the wide layout; add layout='wide'")
        if self.invalid is not None and self.status is None:
            raise ParameterError("invalid", repr(self.invalid), "name the column it stands in with status=")
        DateWords.of(self.dates, self.tz, self.fiscal_start, self.fiscal_named)

    @property
    def date_words(self) -> DateWords:
        """What was said about dates."""
        return DateWords.of(self.dates, self.tz, self.fiscal_start, self.fiscal_named)

    @property
    def measures(self) -> tuple[str, ...]:
        """The demand column, or numerator and denominator of a ratio such as ``"units / orders"``."""
        return tuple(part.strip() for part in self.demand.split(" / ")) if " / " in self.demand else (self.demand,)

    @property
    def columns(self) -> tuple[str, ...]:
        """All columns named."""
        named = (*self.item, *self.period, *self.measures, self.status, self.stock_out, self.in_stock)
        return tuple(column for column in named if column is not None)


def columns_of(given: str | Sequence[str] | None) -> tuple[str, ...]:
    """One column name, several, or none."""
    if given is None:
        return ()
    return tuple(given) if isinstance(given, Iterable) and not isinstance(given, str) else (given,)
