"""One item's part of a publication: what a worker makes."""

import zlib
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.calibration.bands import Bands, Peers, Wanted, calibrated
from veridex.core.calibration.crossfit import Crossfit
from veridex.core.calibration.totals import calibrated_totals, simulated_bounds, stretch
from veridex.core.fitted.fitted import Fitted, fit
from veridex.core.fitted.forecast import Forecast
from veridex.core.history.drivers import Drivers
from veridex.core.history.item import ItemHistory
from veridex.core.methods.catalogue import Method
from veridex.core.preparation.regressors import Explaining
from veridex.core.publication.manifest import fit_entry, interval_entry

__all__ = ["ItemTask", "ItemWork", "Published"]


PATHS = 1000
"""Simulated futures behind the totals."""


@dataclass(frozen=True, slots=True, eq=False)
class ItemTask:
    """What is published for an item: by which method, how far ahead, calibrated by which errors."""

    series: ItemHistory
    method: Method | None
    horizon: int
    crossfit: Crossfit | None
    peers: Peers = field(default_factory=Peers)
    tested: FloatArray | None = None
    """The peers' quantiles at the levels of the backtest, for what intervals held."""

    shared: tuple[float, ...] = ()
    """For each grouping, the part of a shock that the group's items have in common."""


@dataclass(slots=True, eq=False)
class Published:
    """What comes back.

    Attributes
    ----------
    forecast : Forecast or None
    bands : Bands or None
    others : list of tuple
        Name, forecast and bands of each scenario.
    totals : ndarray, shape (H,), or None
        Demand from the first lead time up to each.
    paths : list of ndarray, shape (paths, H)
        For each grouping, paths that share their shocks with the other items.
    total_bands : Bands or None
        Calibrated when all items are there.
    entry : dict
        For the manifest.
    """

    forecast: Forecast | None = None
    bands: Bands | None = None
    others: list[tuple[str, Forecast, Bands]] = field(default_factory=list)
    totals: FloatArray | None = None
    paths: list[FloatArray] = field(default_factory=list)
    total_bands: Bands | None = None
    entry: dict[str, Any] = field(default_factory=dict)

    @property
    def available(self) -> bool:
        """Whether there is a forecast."""
        return self.forecast is not None and bool(np.isfinite(self.forecast.points).all())


@dataclass(frozen=True, slots=True, eq=False)
class ItemWork:
    """Refit, forecast, calibrate; called with a task."""

    wanted: Wanted
    explaining: Explaining
    scenarios: tuple[Drivers, ...] = ()

    @np.errstate(all="ignore")
    def __call__(self, task: ItemTask) -> Published:
        """Publish one item."""
        if task.method is None or task.horizon < 1:
            return Published()
        driven = task.method.family.takes_drivers
        given = (self.explaining.drivers, self.explaining.events) if driven else (None, None)
        fitted = fit(task.series, task.method, *given)
        levels = self.wanted.all_levels
        found = Published(forecast=fitted.forecast(task.horizon, levels))
        assert found.forecast is not None
        found.bands = calibrated(found.forecast, task.crossfit, self.wanted.kind, task.peers)
        for one in self.scenarios if fitted.regressors is not None and fitted.regressors.drivers is not None else ():
            other = fitted.forecast(task.horizon, levels, drivers=one)
            found.others.append((one.name, other, calibrated(other, task.crossfit, self.wanted.kind, task.peers)))
        found.entry = fit_entry(fitted) | interval_entry(found.bands, levels, task.crossfit, task.tested)
        if found.available:
            self._add_totals(task, fitted, found)
        return found

    def _add_totals(self, task: ItemTask, fitted: Fitted, found: Published) -> None:
        forecast = found.forecast
        assert forecast is not None
        found.totals = np.cumsum(forecast.points)
        own = fitted.simulate(task.horizon, PATHS)
        levels, simulated = self.wanted.all_levels, simulated_bounds(found.totals, own, self.wanted.all_levels)
        factor = stretch(simulated, forecast.std_error, task.peers.totals)
        given = (found.totals, forecast.std_error, simulated, task.crossfit, levels, self.wanted.kind)
        found.total_bands = calibrated_totals(*given, task.peers.totals, factor)
        if not task.shared:
            return
        who = zlib.crc32(task.series.item.encode())
        last = (task.series.start + len(task.series)) % 2**32
        shape = (PATHS, task.horizon)
        common = np.random.default_rng([1, last]).standard_normal(shape)
        alone = np.random.default_rng([2, who, last]).standard_normal(shape)
        for share in task.shared:
            shocks = np.sqrt(share) * common + np.sqrt(1 - share) * alone
            found.paths.append(fitted.simulate(task.horizon, PATHS, shocks=shocks))
