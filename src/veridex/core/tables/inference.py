"""Which cadence a column of dates has, with the evidence; irregular and mixed ones are refused."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import IntArray
from veridex.core.periods.cadence import WEEKDAYS, Cadence
from veridex.errors import CadenceUnclear

__all__ = ["CadenceEvidence", "Misfit", "misfit", "one_row_each"]

DAY = 86_400
FEWEST_DATES = 3
BY_MONTHS = {1: "monthly", 3: "quarterly", 12: "yearly"}
SPOKEN = {"year": "yearly", "quarter": "quarterly", "month": "monthly", "week": "weekly"}


class CadenceEvidence:
    """What the dates of each item tell of the cadence of a table with a row per item and period.

    Parameters
    ----------
    precision : set of str
        What the spellings speak of; dates written as months, quarters, weeks or years say it themselves.
    """

    def __init__(self, precision: set[str]) -> None:
        self._precision = precision
        self._found: dict[str, str] = {}
        self._last = ("", "")
        self._few: NDArray[Any] = np.empty(0, dtype="datetime64[s]")
        self._example = ""

    def hear(self, stamps: NDArray[Any], dates: IntArray, codes: IntArray, items: Sequence[str]) -> None:
        """Take in some items, all rows of each.

        Parameters
        ----------
        stamps : ndarray of datetime64[s]
            The different ones.
        dates, codes : ndarray of int, shape (n,)
            Stamp and item of each row.
        items : sequence of str

        Raises
        ------
        CadenceUnclear
            If the dates of an item are irregular.
        """
        if self._spoken is not None:
            return
        order = np.argsort(stamps, kind="stable")
        rank = np.empty(order.size, dtype=np.int64)
        rank[order] = np.arange(order.size)
        pairs = np.unique(codes.astype(np.int64) * order.size + rank[dates])
        own_codes, own_stamps = pairs // order.size, stamps[order[pairs % order.size]]
        heads = np.flatnonzero(np.diff(own_codes, prepend=-1))
        few = [self._few]
        for code, own in zip(own_codes[heads].tolist(), np.split(own_stamps, heads[1:]), strict=True):
            item = items[code]
            self._example = min(self._example or item, item)
            if own.size < FEWEST_DATES:  # two dates have any cadence
                few.append(own)
                continue
            name, evidence = _of_one(own)
            self._found[name] = min(self._found.get(name, item), item)
            self._last = max(self._last, (item, evidence))
        self._few = np.unique(np.concatenate(few)) if not self._found else self._few[:0]

    @property
    def _spoken(self) -> str | None:
        return SPOKEN.get(next(iter(self._precision))) if len(self._precision) == 1 else None

    def cadence(self) -> tuple[Cadence, str]:
        """The cadence, and the evidence: a sentence for the notes.

        Raises
        ------
        CadenceUnclear
            If there are too few dates, they are irregular, or items differ in their cadence.
        """
        if (spoken := self._spoken) is not None:
            return Cadence.named(spoken), f"Cadence {spoken}: the dates are written as {next(iter(self._precision))}s."
        found, evidence = dict(self._found), self._last[1]
        if not found:
            if self._few.size < FEWEST_DATES:
                raise CadenceUnclear("there are fewer than three different dates")
            name, evidence = _of_one(self._few)
            found = {name: self._example}
        if len(found) > 1:
            examples = ", ".join(f"{item!r} {name}" for item, name in sorted((i, n) for n, i in found.items())[:3])
            raise CadenceUnclear(f"the items differ ({examples}); a history has one cadence")
        (name,) = found
        return Cadence.named(name), f"Cadence {name}: {evidence}."


FEWEST_TO_REFUSE = 4
"""Different dates that contradict a stated cadence."""

FEWEST_WEEKS = 8
"""Dates on one day of the week from which on they are weeks: so many orders do not fall on it by chance."""


@dataclass(frozen=True, slots=True)
class Misfit:
    """What the dates of all items together contradict in a stated cadence."""

    problem: str
    """What is wrong, and what to say instead."""

    lines_excuse: bool
    """Whether it is none if some item has several rows of a date, as orders have."""


def misfit(stated: Cadence, different: NDArray[Any], precision: set[str]) -> Misfit | None:
    """What contradicts a stated cadence.

    Months, quarters or years that are stated to be something finer: most of its periods would be empty. Weeks, a row
    for each, that are stated to be months or more: they lie in two of them.

    Parameters
    ----------
    stated : Cadence
    different : ndarray of datetime64
        The different dates of all items.
    precision : set of str
        As in `CadenceEvidence`.
    """
    if stated.counted or different.size < FEWEST_TO_REFUSE:
        return None
    heard = CadenceEvidence(precision)
    try:
        # Of one item, so that millions of rows need not be looked through.
        heard.hear(different, np.arange(different.size), np.zeros(different.size, dtype=np.int64), ("",))
        found, said = heard.cadence()
    except CadenceUnclear:
        return None
    evidence = said.partition(": ")[2].rstrip(".")
    ranks = list(BY_MONTHS.values())
    own = ranks.index(stated.name) if stated.name in ranks else -1 if stated.unit not in ("M", "Y") else len(ranks)
    if found.name in ranks and ranks.index(found.name) > own:
        return Misfit(f"{evidence}; say {found.name!r}, or leave it out", lines_excuse=False)
    if found.name.startswith("weekly") and stated.unit in ("M", "Y") and different.size >= FEWEST_WEEKS:
        problem = f"{evidence}, and weeks lie in two {stated.plural}; say {found.name!r}, or split them into days first"
        return Misfit(problem, lines_excuse=True)
    return None


def one_row_each(dates: IntArray, codes: IntArray) -> bool:
    """Whether no item has several rows of a date, as it has in orders."""
    order = np.lexsort((dates, codes))
    return bool(((np.diff(codes[order]) != 0) | (np.diff(dates[order]) != 0)).all())


def _of_one(stamps: NDArray[Any]) -> tuple[str, str]:
    """Cadence and evidence of sorted, different stamps."""
    seconds = stamps.astype("datetime64[s]").astype(np.int64)
    if (seconds % DAY).any():
        return _within_days(seconds)
    days = seconds // DAY
    months = stamps.astype("datetime64[M]")
    of_month = (stamps.astype("datetime64[D]") - months.astype("datetime64[D]")).astype(np.int64)
    last_days = ((months + 1).astype("datetime64[D]") - stamps.astype("datetime64[D]")).astype(np.int64)
    if (of_month == of_month[0]).all() or (last_days == 1).all():
        step = int(np.gcd.reduce(np.diff(months.astype(np.int64))))
        for size in (12, 3, 1):
            if step and step % size == 0:
                where = "the last day" if (last_days == 1).all() else f"day {of_month[0] + 1}"
                return BY_MONTHS[size], f"every date is {where} of a month, {size} month{'s' if size > 1 else ''} apart"
    gaps = np.diff(days)
    if (gaps % 7 == 0).all():
        first = int((days[0] + 3) % 7)
        name = "weekly" if first == 0 else f"weekly-{WEEKDAYS[first]}"
        return name, f"every date is a {WEEKDAYS[first].title()}"
    if (gaps == 1).mean() >= 0.5:
        weekend = ((days + 3) % 7 >= 5).any()
        if weekend or days.size < 10:
            return "daily", "most dates follow each other day by day"
        return "workday", "most dates follow each other day by day, and none is a Saturday or Sunday"
    raise CadenceUnclear("the dates are irregular, as those of order lines are")


def _within_days(seconds: IntArray) -> tuple[str, str]:
    step = int(np.gcd.reduce(np.diff(seconds)))
    if (np.diff(seconds) == step).mean() < 0.5 or step % 60 or DAY % step or seconds[0] % step:
        raise CadenceUnclear("the times of day are irregular")
    name = "hourly" if step == 3600 else f"{step // 60} minutes"
    return name, f"most stamps are {step // 60} minutes apart"
