"""Any method on adjusted demand: without seasons above the first and effects of drivers it cannot take."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.laws.components import moved, rescaled, widened
from veridex.core.methods.fold.account import Account
from veridex.core.methods.fold.criteria import CRITERIA
from veridex.core.methods.fold.family import Family
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.adjusted_account import adjusted_equation, adjusted_words, with_effects
from veridex.core.methods.made_of.asides import Aside, Block, estimated
from veridex.core.numerics.seasons.longer import MOST_HARMONICS
from veridex.core.periods.seasons import Turns

__all__ = ["Adjusted", "AdjustedPlan"]


@dataclass(frozen=True, slots=True)
class AdjustedPlan(Plan):
    """The plan of the method, and what is taken out of demand before: blocks of columns, each with its effects."""

    inner: Any = None
    blocks: tuple[Block, ...] = ()
    additive: bool = False

    @property
    def head(self) -> int:
        """Entries of the row before the method's own."""
        return sum(block.entries for block in self.blocks)

    def asides(self, row: FloatArray) -> list[Aside]:
        """What a row says was taken out."""
        found, at = [], 0
        for block in self.blocks:
            found.append(Aside.unpacked(block, row[at : at + block.entries]))
            at += block.entries
        return found


class Adjusted(Family[AdjustedPlan]):
    """A method that sees demand without what it cannot see for itself, and has it put back into its forecasts.

    Seasons above the first (`veridex.core.numerics.seasons.longer`) are taken out where the span shows them, or where
    they are stated; effects of drivers and events (`veridex.core.numerics.regression.effects`) where the method takes
    none itself. Both are estimated from the span alone, add to demand or multiply it, and their uncertainty widens the
    law of the forecasts. Where a driver that it cannot take is unknown, so is adjusted demand. Where there is nothing
    to take out, the method is left alone.
    """

    def __init__(self, family: Family[Any]) -> None:
        self._family = family
        self.name = family.name  # type: ignore[misc]
        self.takes_drivers = True  # type: ignore[misc]
        self.borrows = family.borrows  # type: ignore[misc]
        self.bears_gaps = not family.takes_drivers  # type: ignore[misc]

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> Any:
        """Row: for each block whether it was found, whether it multiplies, its effects; then the method's own row."""
        own = self._family.takes_drivers
        lengths = self._taken_out(settings, sizes)
        blocks = [Block(2 * MOST_HARMONICS, length, sizes.turns.stated) for length in lengths]
        if sizes.columns and not own:
            blocks.append(Block(len(sizes.columns)))
        if not blocks:
            return self._family.plan(settings, sizes)
        inner = self._family.plan(
            settings,
            sizes._replace(
                season_length=1 if Turns.stand_for(sizes.season_length, lengths) else sizes.season_length,
                columns=sizes.columns if own else (),
                floor=-math.inf,
            ),
        )
        head = sum(block.entries for block in blocks)
        return AdjustedPlan(
            sizes,
            row_size=head + inner.row_size,
            warm_size=inner.warm_size,
            needs=inner.needs,
            searched=inner.searched,
            components=inner.components,
            inner=inner,
            blocks=tuple(blocks),
            additive=settings["transform"] != "none",
        )

    def _taken_out(self, settings: Mapping[str, Any], sizes: Sizes) -> tuple[float, ...]:
        """The seasons that are taken out for the method: none where it names its own, or wants none.

        One that stands for the first season is left to a method whose season is stated: it has a value for each period.
        """
        season = settings.get("season", self._family.fixed_season)
        if self._family.seasons != "taken out" or season == "none" or settings.get("seasons"):
            return ()
        first = sizes.season_length
        return tuple(one for one in sizes.turns.lengths if season == "auto" or not Turns.stand_for(first, (one,)))

    def _past(self, plan: AdjustedPlan, x: FloatArray | None) -> FloatArray | None:
        """Driver rows for a method that takes them itself."""
        return x if self._family.takes_drivers else None

    def domain(self, plan: Any, y: FloatArray, row: FloatArray | None) -> Status:
        """What the method asks of adjusted demand; before a run that is not known yet."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.domain(plan, y, row)
        if row is None:
            return Status.DONE
        return Status.DONE if row.size == plan.row_size else Status.NOT_ITS_OWN

    def run(self, plan: Any, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate what is taken out, fit the method to the rest, and put it back."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.run(plan, y, x, warm, out)
        y, x, unknown = _without_gaps(y, x)
        asides = estimated(plan.blocks, plan.inner.season_length, y, x, additive=plan.additive)
        at = 0
        for block, aside in zip(plan.blocks, asides, strict=True):
            aside.pack(out.row[at : at + block.entries])
            at += block.entries
        z = _without(asides, y, x)
        inner, own = out.beyond(plan.head), self._past(plan, x)
        status = self._family.domain(plan.inner, z, None)
        if status <= Status.DONE:
            status = Status(self._family.run(plan.inner, z, own, warm, inner))
        if status > Status.DONE:
            return status
        if not np.isnan(out.stats[0]):
            out.stats[0] -= _jacobian(asides, y, x, int(out.stats[1]))
        out.stats[2] += sum(np.count_nonzero(aside.effects) for aside in asides)
        _put_back(asides, y.size, x, out)
        out.fitted[unknown] = np.nan
        return status

    def roll(self, plan: Any, folds: Folds, xs: Sequence[FloatArray | None] | None, warm: FloatArray) -> None:
        """As the method does it where there is nothing to take out; else one by one."""
        if isinstance(plan, AdjustedPlan):
            super().roll(plan, folds, xs, warm)
        else:
            self._family.roll(plan, folds, xs, warm)

    def rolls(self, plan: Any) -> bool:
        """Where there is nothing to take out, as the method does."""
        return not isinstance(plan, AdjustedPlan) and self._family.rolls(plan)

    def replay(self, plan: Any, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Forecast with the row's parameters, and put back what it says was taken out."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.replay(plan, y, x, out)
        y, x, unknown = _without_gaps(y, x)
        asides = plan.asides(out.row)
        z = _without(asides, y, x)
        inner = out.beyond(plan.head)
        status = self._family.domain(plan.inner, z, inner.row)
        if status > Status.DONE:
            return status
        status = Status(self._family.replay(plan.inner, z, self._past(plan, x), inner))
        _put_back(asides, y.size, x, out)
        out.fitted[unknown] = np.nan
        return status

    def paths(self, plan: Any, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray) -> FloatArray:
        """Those of the method, with what was taken out put back."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.paths(plan, y, x, row, shocks)
        y, x, _ = _without_gaps(y, x)
        asides = plan.asides(row)
        z = _without(asides, y, x)
        paths = self._family.paths(plan.inner, z, self._past(plan, x), row[plan.head :], shocks)
        ahead = np.arange(y.size, y.size + plan.horizon)
        for aside in reversed(asides):
            own = aside.amount(ahead, x)
            paths = paths * np.exp(own) if aside.relative else paths + own
        return paths

    def told_futures(self, plan: Any, x: FloatArray, futures: FloatArray, out: Rows) -> FloatArray | None:
        """The effects of each future instead of those expected: the method's own, or those that were taken out."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.told_futures(plan, x, futures, out)
        n = x.shape[0] - plan.horizon
        points, factor = np.tile(out.points, (futures.shape[0], 1)), np.ones(plan.horizon)
        for aside in plan.asides(out.row):
            if aside.season:
                factor *= np.exp(aside.amount(np.arange(n, n + plan.horizon), x)) if aside.relative else 1.0
                continue
            moved_by = (futures - x[n:]) @ aside.effects
            points = points * np.exp(moved_by) if aside.relative else points + moved_by
        if not self._family.takes_drivers:
            return points
        told = self._family.told_futures(plan.inner, x, futures, out.beyond(plan.head))
        return None if told is None else out.points + factor * (told - out.points)

    def account(self, plan: Any, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory) -> Account:
        """What the method says of adjusted demand, and what was taken out before."""
        if not isinstance(plan, AdjustedPlan):
            found: Account = self._family.account(plan, y, x, row, series)
            return found
        y, x, _ = _without_gaps(y, x)
        asides = plan.asides(row)
        z = _without(asides, y, x)
        own: Account = self._family.account(plan.inner, z, self._past(plan, x), row[plan.head :], series)
        said = adjusted_words(plan.columns, asides, any(block.stated for block in plan.blocks), series)
        if not any(aside.found for aside in asides):
            return replace(own, words=f"{said} {own.words}".strip())
        every = np.arange(y.size + plan.horizon)
        names = [name for aside in asides for name in aside.names(plan.columns)]
        return replace(
            own,
            coefficients=with_effects(own.coefficients, asides, names),
            words=f"{said} {own.words}",
            equation=adjusted_equation(plan.columns, asides, own.equation),
            parts=dict(own.parts) | {aside.label: aside.amount(every[: y.size], x) for aside in asides if aside.season},
            contributions=dict(own.contributions) | self._contributions(plan, asides, y, x, row)
            if own.contributions
            else {},
        )

    def _contributions(
        self, plan: AdjustedPlan, asides: list[Aside], y: FloatArray, x: FloatArray | None, row: FloatArray
    ) -> dict[str, FloatArray]:
        """What putting each part back adds to what the method makes of adjusted demand."""
        rows = Rows.allocate(plan.inner, y.size, row[plan.head :])
        self._family.replay(plan.inner, _without(asides, y, x), self._past(plan, x), rows)
        so_far = np.concatenate((rows.fitted, rows.points))
        found = {}
        every = np.arange(y.size + plan.horizon)
        for aside in reversed(asides):
            if aside.found:
                amount = aside.amount(every, x)
                found[aside.label] = so_far * np.expm1(amount) if aside.relative else amount
                so_far = so_far + found[aside.label]
        return found

    def form(self, plan: Any, row: FloatArray) -> str:
        """What the method searched."""
        return self._family.form(*self._inside(plan, row))

    def _inside(self, plan: Any, row: FloatArray) -> tuple[Any, FloatArray]:
        return (plan.inner, row[plan.head :]) if isinstance(plan, AdjustedPlan) else (plan, row)

    def candidates(self, plan: Any, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """What a search tried on adjusted demand, its criteria brought back to demand as it is."""
        if not isinstance(plan, AdjustedPlan):
            return self._family.candidates(plan, y, x)
        y, x, _ = _without_gaps(y, x)
        asides = estimated(plan.blocks, plan.inner.season_length, y, x, additive=plan.additive)
        table = self._family.candidates(plan.inner, _without(asides, y, x), self._past(plan, x))
        lost = _jacobian(asides, y, x, int((~np.isnan(y)).sum()))
        if not len(table) or not lost:
            return table
        criteria = {name: table[name] + 2.0 * lost for name in CRITERIA if name in table}
        return table.assign(log_likelihood=table["log_likelihood"] - lost, **criteria)

    def settled(self, given: dict[str, Any], found: Mapping[str, Any]) -> dict[str, Any] | None:
        """As the method has it."""
        return self._family.settled(given, found)

    def dependent(self, plan: Any, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Those that the method finds among the columns that it takes itself."""
        inner = plan.inner if isinstance(plan, AdjustedPlan) else plan
        return self._family.dependent(inner, y, x)


def _without_gaps(y: FloatArray, x: FloatArray | None) -> tuple[FloatArray, FloatArray | None, BoolArray]:
    """Demand and driver rows in which both are unknown where a driver is, and where that is."""
    if x is None:
        return y, x, np.zeros(y.size, dtype=bool)
    unknown = np.isnan(x[: y.size]).any(axis=1)
    return np.where(unknown, np.nan, y), np.where(np.isnan(x), 0.0, x), np.asarray(unknown)


def _without(asides: list[Aside], y: FloatArray, x: FloatArray | None) -> FloatArray:
    """Demand without all that is taken out."""
    z = y
    for aside in asides:
        own = aside.amount(np.arange(y.size), x)
        z = z * np.exp(-own) if aside.relative else z - own
    return np.array(z)


def _jacobian(asides: list[Aside], y: FloatArray, x: FloatArray | None, used: int) -> float:
    """The sum of the logarithms that the last values were multiplied by."""
    logs = np.zeros(y.size)
    for aside in asides:
        if aside.relative:
            logs += aside.amount(np.arange(y.size), x)
    known = logs[~np.isnan(y)]
    return float(known[known.size - used :].sum())


def _put_back(asides: list[Aside], n: int, x: FloatArray | None, out: Rows) -> None:
    """Bring forecasts, laws and fitted values back to demand; what is not known of the effects widens the law."""
    ahead = np.arange(n, n + out.points.size)
    for aside in reversed(asides):
        if not aside.found:
            continue
        own, doubt = aside.amount(ahead, x), aside.doubt(ahead, x)
        if aside.relative:
            factor = np.exp(own)
            rescaled(out.law, factor)
            out.points *= factor
            out.std_error *= factor
            out.fitted *= np.exp(aside.amount(np.arange(n), x))
            doubt = doubt * np.square(out.points)
        else:
            out.points += own
            moved(out.law, own)
            out.fitted += aside.amount(np.arange(n), x)
        wider = np.sqrt(np.square(out.std_error) + doubt)
        stretch = np.divide(wider, out.std_error, out=np.ones_like(wider), where=out.std_error > 0.0)
        widened(out.law, out.points, stretch)
        out.std_error[:] = wider
