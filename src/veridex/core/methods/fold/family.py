"""The fold contract: what every family of methods implements, on plain arrays.

A backtest is a hundred thousand small fits, so the inner face of a family holds no frames and no dates: `plan` once per
item, `run` for one fold, `roll` for all folds of an item, `replay` with given parameters, `domain` asked before all of
them, `paths` for what may come, `account` for what it says of itself. The pleasant faces (`Method`, `Fitted`) are built
on these. Nobody calls `run`, `roll` and `replay` but `running`, and the wrappers that hand them on.
"""

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Generic, Literal, TypeVar

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Account, Coefficients
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.paths import linear_paths
from veridex.core.methods.fold.plan import Plan, Rows, Sizes
from veridex.core.methods.fold.settings import Setting, Value
from veridex.core.methods.fold.status import Status

__all__ = ["Family", "PlainFamily", "RolledFamily"]

P = TypeVar("P", bound=Plan)


class Family(ABC, Generic[P]):
    """A family of methods under one name. Stateless: all it knows of a fold is handed to it.

    Attributes
    ----------
    name : str
    settings : tuple of Setting
        Beside those that every method takes.
    takes_drivers, bears_gaps, borrows : bool
        Whether it sees driver rows itself; whether it can do with periods of the span in which a driver is unknown;
        whether it asks for the seasons of neighbours.
    seasons : {"none", "taken out", "own"}
        What becomes of seasons above the first: it sees none, they are taken out before, it sees them itself.
    fixed_season : str
        The season of a family without a setting for it: ``"auto"`` where it can do without one.
    drivers : {"all", "none"}
        What a family that takes none itself makes of drivers unless it is told: benchmarks forecast from demand alone.
    """

    name: ClassVar[str]
    settings: ClassVar[tuple[Setting, ...]] = ()
    takes_drivers: ClassVar[bool] = False
    bears_gaps: ClassVar[bool] = False
    borrows: ClassVar[bool] = False
    seasons: ClassVar[Literal["none", "taken out", "own"]] = "none"
    fixed_season: ClassVar[str] = "auto"
    drivers: ClassVar[Literal["all", "none"]] = "all"

    @abstractmethod
    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> P:
        """Work out once per item what every fold needs."""

    @abstractmethod
    def run(self, plan: P, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate on `y`, which ends at the origin, and forecast from there.

        Parameters
        ----------
        plan
            From `plan`.
        y : ndarray, shape (n,)
            Known demand, oldest first, from `training_values`; NaN inside is unknown.
        x : ndarray, shape (n + horizon, columns), or None
            Driver rows, those of the lead times included; a column that is zero in all n is left out.
        warm : ndarray, shape (warm_size,)
            What the last fold found, zeros before the first; overwritten.
        out : Rows
            Filled; left NaN where the status is above zero.

        Returns
        -------
        int
            A `Status`.
        """

    def roll(self, plan: P, folds: Folds, xs: Sequence[FloatArray | None] | None, warm: FloatArray) -> None:
        """Run all folds that nothing stands in the way of, in order of time, `warm` handed from each to the next.

        A family whose folds are one call of a kernel overrides this, and runs a single fold by it: see `RolledFamily`.

        Parameters
        ----------
        plan
        folds : Folds
            Filled.
        xs : sequence of ndarray, optional
            The driver rows of each fold.
        warm : ndarray, shape (warm_size,)
        """
        for o in folds.possible():
            if folds.anew[o]:
                plan.forget(warm)
            y = folds.span(o)
            status = self.domain(plan, y, None)
            if status <= Status.DONE:
                status = Status(self.run(plan, y, None if xs is None else xs[o], warm, folds.at(o)))
            folds.status[o] = status

    def rolls(self, plan: P) -> bool:
        """Whether all folds of demand alone are one call, with all seasons that neighbours lend in the plan."""
        return False

    @abstractmethod
    def replay(self, plan: P, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Forecast from the end of `y` with the parameters in ``out.row``; fill everything but `row` and `stats`."""

    def domain(self, plan: P, y: FloatArray, row: FloatArray | None) -> Status:
        """Whether this span may be modelled at all: asked before `run`, and with a row before `replay`.

        A row that this plan cannot have written is `Status.NOT_ITS_OWN`.
        """
        return Status.DONE

    def paths(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray) -> FloatArray:
        """Turn standard normal shocks into paths of demand after the end of `y`, both of shape (paths, horizon).

        A family without a law of its own follows a linear one whose weights, all positive, grow as its standard errors
        do; the paths are then scaled to have just these.
        """
        rows = Rows.allocate(plan, y.size, row)
        self.replay(plan, y, x, rows)
        squares = np.maximum(np.diff(np.square(rows.std_error), prepend=0.0), 0.0)
        if not squares[0] > 0.0:
            return rows.points + 0.0 * shocks
        around = linear_paths(np.zeros(plan.horizon), np.sqrt(squares), shocks)
        scale: FloatArray = rows.std_error / np.sqrt(np.cumsum(squares))
        return rows.points + around * scale

    def told_futures(self, plan: P, x: FloatArray, futures: FloatArray, out: Rows) -> FloatArray | None:
        """Points under futures (paths, horizon, columns) of the driver rows, where a formula has them; else None.

        Parameters
        ----------
        plan
        x : ndarray, shape (n + horizon, columns)
            The rows that `out` was made with.
        futures : ndarray, shape (paths, horizon, columns)
        out : Rows
            Parameters and points.
        """
        effects = self.effects_ahead(plan, out.row)
        if effects is None:
            return None
        moved: FloatArray = out.points + (futures - x[x.shape[0] - plan.horizon :]) @ effects
        return moved

    def effects_ahead(self, plan: P, row: FloatArray) -> FloatArray | None:
        """What one more of each column adds to the point of its own lead time; None where that is not so simple."""
        return None

    @abstractmethod
    def account(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory) -> Account:
        """What the method says of itself, given the parameters in a row; the series tells names and units."""

    def form(self, plan: P, row: FloatArray) -> str:
        """What a search chose, written as settings; empty where nothing is searched. A backtest keeps it per fold."""
        return ""

    def candidates(self, plan: P, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Everything a search tries, which it does anew; no rows where nothing is searched."""
        return pd.DataFrame()

    def dependent(self, plan: P, y: FloatArray, x: FloatArray) -> tuple[str, ...]:
        """Names of columns that others explain exactly, where the status says that there are such."""
        return ()

    def for_settings(self, settings: Mapping[str, Value]) -> "Family[Any]":
        """The family that does what these settings ask for; nearly always this one."""
        return self

    def canonical(self, given: dict[str, Any]) -> dict[str, Any]:
        """The stated settings in the one form that all spellings of the same model share."""
        return given

    def settled(self, given: dict[str, Any], found: Mapping[str, Any]) -> dict[str, Any] | None:
        """The stated settings with what a search found in place of what guided it; None where it cannot be said so."""
        return None

    def check(self, settings: Mapping[str, Value]) -> None:
        """Raise `SettingError` where settings contradict each other."""


class PlainFamily(Family[P]):
    """A family that stands for itself: its account is put together from what it can say of its parts."""

    def account(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory) -> Account:
        """All that it can say."""
        relative, innovations = self._relative(plan, row), self._innovations(plan, y, x, row)
        return Account(
            coefficients=self._coefficients(plan, y, x, row, series),
            words=self._words(plan, y, row, series),
            equation=self._equation(plan, y, row, series),
            variance=self._variance(plan, row),
            innovations=innovations / (y - innovations) if relative else innovations,
            form=self.form(plan, row),
            parts=self._parts(plan, y, row),
            contributions=self._contributions(plan, y, x, row),
            roots=self._roots(plan, row),
            flags=self._flags(plan, y, x, row),
            figures=self._figures(plan, y, x, row),
            likelihood_of=self._likelihood_of(plan, row),
            relative=relative,
        )

    @abstractmethod
    def _coefficients(
        self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients: ...

    @abstractmethod
    def _words(self, plan: P, y: FloatArray, row: FloatArray, series: ItemHistory) -> str: ...

    @abstractmethod
    def _equation(self, plan: P, y: FloatArray, row: FloatArray, series: ItemHistory) -> str: ...

    @abstractmethod
    def _variance(self, plan: P, row: FloatArray) -> float: ...

    def _relative(self, plan: P, row: FloatArray) -> bool:
        """Whether errors are modelled as shares of the forecast."""
        return False

    def _innovations(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> FloatArray:
        rows = Rows.allocate(plan, y.size, row)
        self.replay(plan, y, x, rows)
        return y - rows.fitted

    def _parts(self, plan: P, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
        return {}

    def _contributions(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, FloatArray]:
        return {}

    def _roots(self, plan: P, row: FloatArray) -> dict[str, NDArray[np.complex128]]:
        return {}

    def _flags(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> tuple[str, ...]:
        return ()

    def _figures(self, plan: P, y: FloatArray, x: FloatArray | None, row: FloatArray) -> dict[str, float]:
        return {}

    def _likelihood_of(self, plan: P, row: FloatArray) -> str:
        return "values"


class RolledFamily(PlainFamily[P]):
    """A family whose folds are one call of a kernel: a single fit is the same call with one fold, so both are alike."""

    @abstractmethod
    def _roll(self, plan: P, folds: Folds, warm: FloatArray) -> None:
        """Run the folds that nothing stands in the way of."""

    def rolls(self, plan: P) -> bool:
        """Whether the kernel does all that is asked for."""
        return True

    def roll(self, plan: P, folds: Folds, xs: Sequence[FloatArray | None] | None, warm: FloatArray) -> None:
        """All folds in one call, unless there are drivers or more is asked for: then one by one."""
        if xs is None and self.rolls(plan):
            self._roll(plan, folds, warm)
        else:
            super().roll(plan, folds, xs, warm)

    def run(self, plan: P, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate on a single span, and forecast from its end."""
        folds = Folds.over(plan, np.array(y), np.array([0, y.size]), np.zeros(1, dtype=np.bool_))
        self._roll(plan, folds, warm)
        found = folds.at(0)
        out.points[:], out.std_error[:], out.law[:] = found.points, found.std_error, found.law
        out.row[:], out.fitted[:], out.stats[:] = found.row, found.fitted, found.stats
        return int(folds.status[0])
