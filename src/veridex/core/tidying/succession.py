"""Items that replace others: the history of the old one is continued by the new one."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory, locked, uncensored
from veridex.core.history.marks import Mark
from veridex.core.readable import number
from veridex.errors import ColumnMissing, ParameterError

__all__ = ["CONTINUED", "Succession", "continued", "successions"]

CONTINUED = "history continued"

EXAMPLE = "a table with the columns item, replaces and perhaps factor, or {'new': 'old'}"


@dataclass(frozen=True, slots=True)
class Succession:
    """One item that replaces another, and how much of its demand is expected to come over (1 for all)."""

    item: str
    replaces: str
    factor: float = 1.0


def successions(given: "pd.DataFrame | Mapping[str, Any]") -> tuple[Succession, ...]:
    """Read who replaces whom.

    Raises
    ------
    ColumnMissing, ParameterError
        If a column is missing, a factor is no number above zero, or items replace each other in a circle.
    """
    if isinstance(given, Mapping):
        pairs = {item: (old if isinstance(old, tuple) else (old, 1.0)) for item, old in given.items()}
        found = [Succession(str(item), str(old), float(factor)) for item, (old, factor) in pairs.items()]
    elif isinstance(given, pd.DataFrame):
        for column in ("item", "replaces"):
            if column not in given.columns:
                raise ColumnMissing("the table of successors", column, column, tuple(map(str, given.columns)))
        factors = given["factor"] if "factor" in given.columns else pd.Series(1.0, index=given.index)
        numbers = pd.to_numeric(factors, errors="coerce").fillna(-1.0).where(factors.notna(), 1.0)
        rows = zip(given["item"].astype(str), given["replaces"].astype(str), numbers.tolist(), strict=True)
        found = [Succession(*row) for row in rows]
    else:
        raise ParameterError("successor", repr(type(given).__name__), f"pass {EXAMPLE}")
    wrong = next((one for one in found if not 0.0 < one.factor < np.inf), None)
    if wrong is not None:
        raise ParameterError("successor", repr(wrong.item), "its factor is no number above zero")
    new = [one.item for one in found]
    if twice := next((item for item in new if new.count(item) > 1), None):
        raise ParameterError("successor", repr(twice), "it replaces two items; name one of them")
    return tuple(_in_order(found))


def _in_order(found: list[Succession]) -> list[Succession]:
    """Those first whose old item replaces nothing that is still to come."""
    left, done = list(found), []
    while left:
        ready = [one for one in left if one.replaces not in {other.item for other in left}]
        if not ready:
            raise ParameterError("successor", repr(left[0].item), "these items replace each other in a circle")
        done += ready
        left = [one for one in left if one not in ready]
    return done


def continued(history: History, given: "pd.DataFrame | Mapping[str, Any]") -> History:
    """Give each new item the history of the one it replaces, times its factor, and leave the old ones out.

    Where both were sold, both count. What was done stands in the ledger.

    Raises
    ------
    ItemUnknown, ColumnMissing, ParameterError
    """
    wanted = successions(given)
    series = {one.item: one for one in history.under(None)}
    marks = list(history.marks)
    for one in wanted:
        history[one.item], history[one.replaces]  # an unknown name is refused with its neighbours
        old, new = series[one.replaces], series[one.item]
        series[one.item] = _joined(old, new, one.factor)
        what = f"before it is {one.replaces}'s" + (f", times {number(one.factor)}" if one.factor != 1.0 else "")
        marks.append(Mark(one.item, new.start, CONTINUED, float("nan"), float(new.values[0]), f"{what} (successor)"))
    gone = {one.replaces for one in wanted}
    kept = [one for name, one in series.items() if name not in gone]
    said = f"{len(wanted)} items continue the history of those they replace: " + ", ".join(
        f"{one.item} that of {one.replaces}" for one in wanted[:5]
    )
    more = f" and {len(wanted) - 5} more" if len(wanted) > 5 else ""
    made = history._with(kept, (*history.notes, f"{said}{more}."))
    return replace(made, marks=tuple(mark for mark in marks if mark.item not in gone))


def _joined(old: ItemHistory, new: ItemHistory, factor: float) -> ItemHistory:
    """The old item's demand times a factor up to its end, and the new one's, added where both have some."""
    start = min(old.start, new.start)
    stop = max(old.start + len(old), new.start + len(new))

    def placed(values: FloatArray, one: ItemHistory) -> FloatArray:
        room = np.full((*values.shape[:-1], stop - start), np.nan)
        room[..., one.start - start : one.start - start + len(one)] = values
        return room

    def added(ours: FloatArray, theirs: FloatArray) -> FloatArray:
        both = np.where(np.isnan(ours), 0.0, ours) + np.where(np.isnan(theirs), 0.0, theirs)
        return np.where(np.isnan(ours) & np.isnan(theirs), np.nan, both)

    ratio = new.parts is not None and old.parts is not None
    before, after = placed(old.values, old), placed(new.values, new)
    values = added(factor * before, after)
    # Where stock of either ran out, what the two sold is the least that was wanted.
    out = placed(np.where(old.stock_outs, 1.0, np.nan), old) > 0
    out |= placed(np.where(new.stock_outs, 1.0, np.nan), new) > 0
    censored = None
    if out.any():
        own = [placed(uncensored(len(one)) if one.censored is None else one.censored, one) for one in (old, new)]
        least = np.nan_to_num(factor * own[0][0]) + np.nan_to_num(own[1][0]) + np.nan_to_num(values)
        censored = np.where(out, np.stack((least, np.fmin(own[0][1], own[1][1]))), np.nan)
        values = np.where(out, np.nan, values)
    parts = None
    if ratio and old.parts is not None and new.parts is not None:
        parts = added(placed(old.parts, old) * np.array([[factor], [1.0]]), placed(new.parts, new))
        values = np.where(parts[1] != 0, parts[0] / np.where(parts[1] != 0, parts[1], 1.0), np.nan)
    return replace(new, start=start, values=locked(values), raw=None, rules=None, censored=censored, parts=parts)
