"""Which cadence a column of dates has, with the evidence; irregular and mixed ones are refused."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import IntArray
from veridex.core.periods.cadence import WEEKDAYS, Cadence
from veridex.errors import CadenceUnclear, ParameterError

__all__ = ["infer_cadence", "refuse_misfit"]

DAY = 86_400
FEWEST_DATES = 3
BY_MONTHS = {1: "monthly", 3: "quarterly", 12: "yearly"}
SPOKEN = {"year": "yearly", "quarter": "quarterly", "month": "monthly", "week": "weekly"}


def infer_cadence(
    stamps: NDArray[Any], codes: IntArray, items: tuple[str, ...], precision: set[str]
) -> tuple[Cadence, str]:
    """Infer the cadence of a table with a row per item and period.

    Parameters
    ----------
    stamps : ndarray of datetime64[s], shape (n,)
    codes : ndarray of int, shape (n,)
        Item of each row, an index into `items`.
    items : tuple of str
    precision : set of str
        What the spellings speak of; dates written as months, quarters, weeks or years say it themselves.

    Returns
    -------
    Cadence
    str
        The evidence, a sentence for the notes.

    Raises
    ------
    CadenceUnclear
        If there are too few dates, they are irregular, or items differ in their cadence.
    """
    if len(precision) == 1 and (spoken := SPOKEN.get(next(iter(precision)))):
        return Cadence.named(spoken), f"Cadence {spoken}: the dates are written as {next(iter(precision))}s."
    if np.unique(stamps).size < FEWEST_DATES:
        raise CadenceUnclear("there are fewer than three different dates")
    found: dict[str, str] = {}
    evidence = ""
    for code in np.unique(codes):
        own = np.unique(stamps[codes == code])
        if own.size < FEWEST_DATES:
            continue  # two dates have any cadence
        name, evidence = _of_one(own)
        found.setdefault(name, items[code])
    if not found:
        name, evidence = _of_one(np.unique(stamps))
        found = {name: items[0]}
    if len(found) > 1:
        examples = ", ".join(f"{item!r} {name}" for name, item in list(found.items())[:3])
        raise CadenceUnclear(f"the items differ ({examples}); a history has one cadence")
    (name,) = found
    return Cadence.named(name), f"Cadence {name}: {evidence}."


FEWEST_TO_REFUSE = 4
"""Different dates that contradict a stated cadence."""

FEWEST_WEEKS = 8
"""Dates on one day of the week from which on they are weeks: so many orders do not fall on it by chance."""


def refuse_misfit(
    stated: Cadence, different: NDArray[Any], dates: IntArray, codes: IntArray, precision: set[str]
) -> None:
    """Refuse a stated cadence that the dates of all items together contradict.

    Months, quarters or years that are stated to be something finer: most of its periods would be empty. Weeks, a row
    for each, that are stated to be months or more: they lie in two of them.

    Parameters
    ----------
    stated : Cadence
    different : ndarray of datetime64[s]
        The different dates.
    dates, codes : ndarray of int, shape (n,)
        Which of them each row has, and the item of each row.
    precision : set of str
        As in `infer_cadence`.

    Raises
    ------
    ParameterError
        With the evidence.
    """
    if stated.counted or different.size < FEWEST_TO_REFUSE:
        return
    try:
        # Of one item, so that millions of rows need not be looked through.
        found, said = infer_cadence(different, np.zeros(different.size, dtype=np.int64), ("",), precision)
    except CadenceUnclear:
        return
    evidence = said.partition(": ")[2].rstrip(".")
    ranks = list(BY_MONTHS.values())
    own = ranks.index(stated.name) if stated.name in ranks else -1 if stated.unit not in ("M", "Y") else len(ranks)
    if found.name in ranks and ranks.index(found.name) > own:
        raise ParameterError("cadence", repr(stated.name), f"{evidence}; say {found.name!r}, or leave it out")
    weeks = found.name.startswith("weekly") and stated.unit in ("M", "Y")
    if weeks and different.size >= FEWEST_WEEKS and _one_row_each(dates, codes):
        problem = f"{evidence}, and weeks lie in two {stated.plural}; say {found.name!r}, or split them into days first"
        raise ParameterError("cadence", repr(stated.name), problem)


def _one_row_each(dates: IntArray, codes: IntArray) -> bool:
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
