"""`fit` and what it returns: a method fitted to one series, and forecasts made with it."""

import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.counts import checked_horizon, whole_number
from veridex.core.fitted.evidence import Evidence
from veridex.core.fitted.forecast import Forecast
from veridex.core.fitted.one_step import OneStep, one_step
from veridex.core.history.drivers import Drivers
from veridex.core.history.events import Events
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.laws.laws import Laws
from veridex.core.methods.catalogue import Method
from veridex.core.methods.catalogue import method as as_method
from veridex.core.methods.drivers_ahead import fill_with_futures
from veridex.core.methods.fold.plan import STATS, Rows
from veridex.core.methods.fold.running import replay_fold, run_fold
from veridex.core.methods.fold.status import Status, reason_for
from veridex.core.preparation.regressors import Explanation, Regressors
from veridex.core.scoring.levels import DEFAULT_LEVELS, checked_levels, on_number_line
from veridex.core.threads import one_thread
from veridex.errors import ParameterError

__all__ = ["Fitted", "fit"]


@one_thread()
def fit(
    series: History | ItemHistory,
    method: str | Method,
    *,
    drivers: Drivers | None = None,
    events: Events | None = None,
    foresight: str = "none",
    clock: Callable[[], float] | None = None,
    borrowed: Mapping[str, FloatArray] | None = None,
) -> "Fitted":
    """Fit a method to one series; see `veridex.fit`, the public face. Without a clock the time taken is NaN."""
    chosen, one = as_method(method), only_item(series)
    bare = Fitted(
        method=chosen,
        series=one,
        status=Status.NO_FIT,
        row=np.empty(0),
        stats=np.full(STATS, np.nan),
        fitted_tail=np.empty(0),
        regressors=_regressors(chosen, one, drivers, events),
        foresight=Explanation(drivers, events, foresight).foresight,
        borrowed=borrowed,
    )
    y, x = bare._training
    plan = bare._prepare(1)
    rows = Rows.allocate(plan, y.size)
    begun = np.nan if clock is None else clock()
    status = run_fold(chosen.family, plan, y, x, np.zeros(plan.warm_size), rows)
    return Fitted(
        method=chosen,
        series=one,
        status=status,
        row=rows.row,
        stats=rows.stats,
        fitted_tail=rows.fitted,
        regressors=bare.regressors,
        foresight=foresight,
        milliseconds=np.nan if clock is None else 1e3 * (clock() - begun),
        borrowed=borrowed,
    )


def _regressors(
    method: Method, series: ItemHistory, drivers: Drivers | None, events: Events | None
) -> Regressors | None:
    """What the method uses of drivers and events; refuse a method that could use none."""
    method.refuse_in_vain(drivers, events)
    if method.alone:
        return None
    found = Regressors.chosen(series.cadence, drivers, events, method.settings)
    if found is not None:
        found.refuse_mirrors((series,))
    return found


@dataclass(frozen=True, eq=False, kw_only=True)
class Fitted(Evidence):
    """A method fitted to one series: its evidence, and what can be made with it.

    The fields are those of `Evidence`.
    """

    def contributions(self, horizon: int = 0) -> pd.DataFrame:
        """Split fitted values, and forecasts of `horizon` periods, into the parts that add up to them.

        Returns
        -------
        DataFrame
            period, step (0 inside the history), a column for each part, total. With a transform the parts add up on the
            transformed scale.
        """
        plan = self._prepare(max(horizon, 1))
        y, rows = self._rows(plan.horizon, self.foresight) if horizon else (self._training[0], None)
        x = self._training[1] if rows is None else rows.x
        parts = self._account(plan, y, x).contributions if self.available else {}
        first = self.series.start + len(self.series) - y.size
        table: dict[str, Any] = {
            "period": self.series.cadence.starts(np.arange(first, first + y.size + horizon)),
            "step": np.maximum(np.arange(y.size + horizon) - y.size + 1, 0),
        }
        table |= {name: part[: y.size + horizon] for name, part in parts.items()}
        return pd.DataFrame(table | {"total": sum(table[name] for name in parts) if parts else np.nan})

    @one_thread()
    def forecast(
        self,
        horizon: int,
        levels: Sequence[float] | float = DEFAULT_LEVELS,
        drivers: Drivers | None = None,
        events: Events | None = None,
    ) -> Forecast:
        """Forecast the periods after the last.

        Parameters
        ----------
        horizon : int
            Lead times, 1 to `horizon`.
        levels : sequence of float
            Interval levels in percent.
        drivers, events : optional
            Instead of those it was fitted with: the same columns with another future.

        Raises
        ------
        ParameterError
            If the horizon or a level is out of range, or a driver known ahead does not reach the horizon.
        """
        if drivers is not None or events is not None:
            return self._told(drivers, events).forecast(horizon, levels)
        checked_horizon(horizon)
        plan, checked = self._prepare(horizon), checked_levels(levels)
        if self.regressors is not None:
            self.regressors.check_ahead(self.series.item, self.series.start + len(self.series), horizon)
        y, found = self._rows(horizon, self.foresight)
        rows = Rows.allocate(plan, y.size)
        rows.row[:] = self.row
        remark = ""
        if self.available:
            family, x = self.method.family, None if found is None else found.x
            status = replay_fold(family, plan, y, x, rows)
            if found is not None:
                with np.errstate(all="ignore"):
                    status = fill_with_futures(family, plan, y, found, status, rows)
            remark = reason_for(status, plan.needs)
            if not remark and found is not None and self.foresight == "perfect":
                remark = "remark: drivers were seen before their time (perfect foresight)"
        return Forecast(
            method=self.method,
            series=self.series,
            levels=checked,
            points=rows.points,
            std_error=rows.std_error,
            laws=Laws.of(rows.law, *self.series.support),
            reason=self.reason or remark,
        )

    def to_frame(self, levels: Sequence[float] | float = DEFAULT_LEVELS) -> pd.DataFrame:
        """A row per period of the history, with what the fit expected of it one step ahead.

        Estimates are from the whole span, so that bounds are those of the fit, not of a forecast that was tested.

        Returns
        -------
        DataFrame
            item, period, actual, the fitted value as `forecast` between the bounds of each level, std_error, error
            (actual less fitted), percent_error.

        Raises
        ------
        ParameterError
            If a level is out of range.
        """
        checked = checked_levels(levels)
        found = self.one_step(checked)
        error = self.residuals
        with np.errstate(all="ignore"):
            percent = np.where(self.series.values != 0, 100.0 * error / self.series.values, np.nan)
        table: dict[str, Any] = {"item": self.series.item, "period": self.series.periods, "actual": self.series.values}
        table |= on_number_line(checked, found.lower, found.upper, forecast=self.fitted_values)
        return pd.DataFrame(table | {"std_error": found.std_error, "error": error, "percent_error": percent})

    def one_step(self, levels: Sequence[float] | float = DEFAULT_LEVELS) -> OneStep:
        """Standard errors (n,) and bounds (levels, n) of the fitted values, NaN where there is none."""
        checked = checked_levels(levels)
        n = len(self.series)
        whole = OneStep(np.full(n, np.nan), *np.full((2, len(checked), n), np.nan))
        if self.available:
            y, x = self._training
            given = (self.method.family, self._plan, y, x, self.row, self.fitted_values[n - y.size :])
            own = one_step(*given, self.series.support, checked)
            for mine, theirs in zip(whole, own, strict=True):
                mine[..., n - y.size :] = theirs
        return whole

    @one_thread()
    def simulate(self, horizon: int, paths: int = 1000, seed: int = 0, shocks: FloatArray | None = None) -> FloatArray:
        """Simulate demand after the end of the series, given the estimates and the drivers' expectations.

        Paths follow the method's own law where it has one (ARIMA by its psi weights, smoothing by its recursion), else
        a linear one with the standard errors of the forecast. The shocks depend on the seed, the item, the method and
        the last period alone, unless they are given.

        Parameters
        ----------
        horizon, paths, seed : int
        shocks : ndarray, shape (paths, horizon), optional
            Standard normal ones, such as several items share.

        Returns
        -------
        ndarray, shape (paths, horizon)
            NaN where there is no fit.

        Raises
        ------
        ParameterError
            If the horizon is no whole number from 1 to 100,000, or the number of paths none from 1 on.
        """
        checked_horizon(horizon)
        whole_number("paths", paths)
        if not self.available:
            return np.full((paths, horizon), np.nan)
        # Weights of a blend are estimates: their last digit must not draw another future.
        made_of = " ".join(one.text for one in self.method.members or (self.method,))
        who = zlib.crc32(f"{self.series.item} {made_of}".encode())
        last = (self.series.start + len(self.series)) % 2**32
        if shocks is None:
            shocks = np.random.default_rng([seed, who, last]).standard_normal((paths, horizon))
        y, found = self._rows(horizon, self.foresight)
        x = None if found is None else found.x
        with np.errstate(all="ignore"):
            return self.method.family.paths(self._prepare(horizon), y, x, self.row, shocks)

    def _told(self, drivers: Drivers | None, events: Events | None) -> "Fitted":
        """The same fit with drivers and events of another future."""
        known = self.regressors
        chosen = _regressors(self.method, self.series, drivers, events)
        if known is None or chosen is None:
            raise ParameterError("drivers", repr(drivers or events), "the method was fitted without drivers and events")
        told = Regressors(known.cadence, chosen.drivers or known.drivers, chosen.events or known.events)
        if told.columns != known.columns:
            names = ", ".join(column.name for column in known.columns)
            raise ParameterError("drivers", repr(drivers or events), f"the method was fitted with {names}")
        return replace(self, regressors=told)

    def apply(self, newer: History | ItemHistory) -> "Fitted":
        """Carry the same coefficients over to newer data of the same item.

        The newer series may continue the old one, overlap it (its values then count) or contain it; what it
        holds before the old one's start is left out.

        Raises
        ------
        ParameterError
            If the item or the cadence is another, or the newer series leaves a gap or ends too early.
        """
        one = only_item(newer)
        if one.item != self.series.item or one.cadence != self.series.cadence:
            raise ParameterError(
                "newer",
                repr(one),
                f"the method was fitted to {self.series.item!r}, {self.series.cadence.name}",
            )
        start, stop = self.series.start, self.series.start + len(self.series)
        if one.start > stop or one.start + len(one) <= start:
            raise ParameterError("newer", repr(one), f"it does not join up with {self.series!r}")
        return self._on(self.series.continued(one), applied=True)

    def _on(self, series: ItemHistory, *, applied: bool) -> "Fitted":
        moved = replace(self, series=series)
        y, x = moved._training
        rows = Rows.allocate(self._plan, y.size)
        rows.row[:] = self.row
        status = self.status
        if self.available:
            replayed = replay_fold(self.method.family, self._plan, y, x, rows)
            status = replayed if replayed > Status.DONE else self.status
        stats = np.full(STATS, np.nan) if applied else self.stats
        return replace(
            moved,
            status=status,
            row=rows.row,
            stats=stats,
            fitted_tail=rows.fitted,
            applied=applied,
            milliseconds=np.nan,
        )

    @property
    def fits(self) -> bool:
        """Whether the parameters are laid out as the method's kernels expect them."""
        if self.row.size != self._plan.row_size:
            return False
        return self.method.family.domain(self._plan, self._training[0], self.row) != Status.NOT_ITS_OWN

    def refreshed(self) -> "Fitted":
        """The fit whose fields were kept, with its fitted values computed again."""
        return self._on(self.series, applied=self.applied)
