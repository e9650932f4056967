"""`Reproduced`: a publication beside the one that was made again: the same bits, or what differs first, and why."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import zip_longest
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Wanted
from veridex.core.calibration.totals import Totals
from veridex.core.history.history import History
from veridex.core.laws.laws import Laws
from veridex.core.laws.warp import Warp
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.methods.words import counted
from veridex.core.notebook import Faced
from veridex.core.publication.dossier import GroupTotals, ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.readable import number

__all__ = ["Reproduced", "compared"]

COLUMNS = ["item", "what", "step", "before", "again"]

ROUNDED = 1e-13
"""Relative differences below this are in the last digits that a float has, or that a workbook keeps."""

FEW = 5
"""Items that are named."""


def compared(before: Publication, again: Publication, history: History) -> "Reproduced":
    """Hold a publication against the one that was made again.

    Parameters
    ----------
    before, again : Publication
    history : History
        What it was made again from.
    """
    rows = [row for item, one in before.published.items() if (row := _first(item, one, again, before)) is not None]
    groups = {(one.group, one.name): one for one in again.groups}
    for one in before.groups:
        differs = _first_of_group(one, groups.get((one.group, one.name)), before.head.wanted)
        if differs is not None:
            rows.append([one.called, *differs])
    frame = pd.DataFrame(rows, columns=COLUMNS).astype({"step": "Int64"})
    return Reproduced(before=before, again=again, frame=frame, because=tuple(_because(before, again, history)))


def _first(item: str, one: ItemPublication, again: Publication, before: Publication) -> list[Any] | None:
    """The first thing of an item that differs; None where nothing does."""
    now = again.published.get(item)
    if now is None:
        return [item, "item", pd.NA, item, "not in this history"]
    texts = {
        "known until": [before.cadence.text(each.origin) for each in (one, now)],
        "method": _other_part(one.method, now.method),
        "reason": [each.reason for each in (one, now)],
    }
    for what, (old, new) in texts.items():
        if old != new:
            return [item, what, pd.NA, old, new]
    wanted = before.head.wanted
    numbers = zip_longest(_numbers_of(one, wanted), _numbers_of(now, wanted), fillvalue=("nothing", np.empty(0)))
    found = next(_differing(numbers), None)
    return None if found is None else [item, *found]


def _other_part(before: Method | None, now: Method | None) -> list[str]:
    """What two methods are made of, where they differ first; shares of a blend are numbers and not looked at."""
    if before is None or now is None:
        return ["nothing" if one is None else short_name(one) for one in (before, now)]
    if [one.name for one in before.members] != [one.name for one in now.members]:
        return [short_name(one) for one in (before, now)]
    pairs = zip(before.members or (before,), now.members or (now,), strict=True)
    return next(([old.text, new.text] for old, new in pairs if old != new), ["", ""])


def _differing(numbers: Any) -> Iterator[list[Any]]:
    """What, at which step, before and now: of each array that is not the same bits its first number."""
    for (what, old), (now, new) in numbers:
        if what != now:
            yield ["numbers", pd.NA, what, now]
        elif old.shape != new.shape:
            yield [what, pd.NA, f"{old.size} numbers", f"{new.size} numbers"]
        elif (where := np.argwhere(~((old == new) | (np.isnan(old) & np.isnan(new))))).size:
            at = tuple(where[0])
            step = pd.NA if what in ESTIMATES else int(at[0]) + 1
            yield [what, step, float(old[at]), float(new[at])]


ESTIMATES = ("weights", "coefficients", "standard errors", "criteria")
"""Numbers that belong to no lead time."""


def _numbers_of(one: ItemPublication, wanted: Wanted) -> Iterator[tuple[str, FloatArray]]:
    """Everything of an item that is a number, in the order in which it came about."""
    yield "weights", np.array(() if one.method is None else one.method.weights or (), dtype=np.float64)
    estimates = () if one.fit is None else one.fit.estimates
    yield "coefficients", np.array([each.value for each in estimates], dtype=np.float64)
    yield "standard errors", np.array([each.std_error for each in estimates], dtype=np.float64)
    fit = one.fit
    criteria = () if fit is None else (fit.variance, fit.log_likelihood, fit.aicc)
    yield "criteria", np.array(criteria, dtype=np.float64)
    if one.dependence is not None:
        yield "errors together", one.dependence
    for outlook in () if one.outlook is None else (one.outlook, *one.scenarios):
        of = f" in {outlook.scenario}" if outlook.scenario else ""
        yield f"forecast{of}", outlook.points
        yield f"std_error{of}", outlook.std_error
        for name, bound in wanted.columns(outlook.bands).items():
            yield f"{name}{of}", bound
        yield from _of_law(outlook.laws, outlook.warps, f"law{of}")
    if one.totals is not None:
        yield from _of_total(one.totals, wanted)
    for rival in one.beside:
        yield rival.role, rival.points


def _of_total(totals: Totals, wanted: Wanted) -> Iterator[tuple[str, FloatArray]]:
    yield "total", totals.points
    for name, bound in wanted.columns(totals.bands).items():
        yield f"total, {name}", bound
    yield from _of_law(totals.laws, totals.warps, "law of the total")


def _of_law(laws: Laws | None, warps: Sequence[Warp], name: str) -> Iterator[tuple[str, FloatArray]]:
    """The numbers of laws, and what evidence made of their probabilities."""
    if laws is not None:
        yield name, laws.components
        yield f"{name}, as held", np.array([warp.scores for warp in warps], dtype=np.float64)


def _first_of_group(one: GroupTotals, now: GroupTotals | None, wanted: Wanted) -> list[Any] | None:
    """The first thing of a group's total that differs; None where nothing does."""
    if now is None or one.members != now.members:
        return ["items", pd.NA, f"{len(one.members)} items", f"{0 if now is None else len(now.members)} items"]
    return next(_differing(zip(_of_total(one.totals, wanted), _of_total(now.totals, wanted), strict=True)), None)


def _because(before: Publication, again: Publication, history: History) -> Iterator[str]:
    """What is known to be another than it was."""
    others = [
        item
        for item, one in before.published.items()
        if item in history.names and one.fingerprint != again.published[item].fingerprint
    ]
    if others:
        more = f" and {len(others) - FEW} more" if len(others) > FEW else ""
        yield f"other data: the history of {', '.join(others[:FEW])}{more} is not what it was"
    rules = [one.head.demand.tidying or "as it was read" for one in (before, again)]
    if rules[0] != rules[1]:
        yield f"other rules of tidying: {rules[0]} then, {rules[1]} now"
    for name, now in again.head.made.versions.items():
        then = before.head.made.versions.get(name, "not said")
        if then != now:
            feature = name == "processor"
            yield f"another machine: {_features(then, now)}" if feature else f"{name} {then} then, {now} now"


def _features(then: str, now: str) -> str:
    """What one processor can do that the other cannot."""
    old, new = set(then.split()), set(now.split())
    parts = [f"{' '.join(sorted(one))} only {when}" for one, when in ((old - new, "then"), (new - old, "now")) if one]
    return ", ".join(parts)


@dataclass(frozen=True, eq=False, kw_only=True)
class Reproduced(Faced):
    """A publication, and the same made again.

    Attributes
    ----------
    before, again : Publication
    frame : DataFrame
        A row per item or group of which something differs, with the first thing that does: item, what, step, before,
        again.
    because : tuple of str
        What is known to be another than it was: data, rules of tidying, versions, machine.
    """

    FACE: ClassVar[tuple[str, ...]] = ("frame",)

    before: Publication = field(repr=False)
    again: Publication = field(repr=False)
    frame: pd.DataFrame = field(repr=False)
    because: tuple[str, ...]

    def __repr__(self) -> str:
        return f"Reproduced({'the same bits' if self.same else f'{len(self.frame)} differ'})"

    @property
    def same(self) -> bool:
        """Whether every number is the same to the last bit."""
        return self.frame.empty

    def in_words(self) -> str:
        """Whether it is the same, else what differs first and why."""
        made = f"The publication of {self.before.head.made.at} was made again"
        said = f" Now there is {'; '.join(self.because)}." if self.because else ""
        if self.same:
            return f"{made}: {counted(len(self.before.items), 'item')}, every number the same to the last bit.{said}"
        row = self.frame.iloc[0]
        at = "" if pd.isna(row["step"]) else f" at step {row['step']}"
        values = [one if isinstance(one, str) else repr(one) for one in (row["before"], row["again"])]
        differ = f"{counted(len(self.frame), 'item')} of {len(self.before.items)} differ"
        first = f"{made}: {differ}. First {row['item']}, {row['what']}{at}: {values[0]} then, {values[1]} now."
        far = self._furthest()
        if far < ROUNDED:
            first += f" None differs by more than {number(far, 2)} of itself, in the last digits."
        why = said or " Data, rules, versions and machine are the same: this should not be; please report it."
        return f"{first}{why}" if far >= ROUNDED or said else first

    def _furthest(self) -> float:
        """The largest relative difference of the first numbers; infinite where something else differs."""
        found = 0.0
        for old, new in zip(self.frame["before"], self.frame["again"], strict=True):
            if isinstance(old, str) or isinstance(new, str) or np.isnan(old) or np.isnan(new):
                return float("inf")
            found = max(found, abs(old - new) / max(abs(old), abs(new)))
        return found
