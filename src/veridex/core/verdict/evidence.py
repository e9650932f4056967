"""What a trial says about one item: each method's error, coverage and price on the same cells."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.methods.fold.status import Status, short_reason
from veridex.core.methods.method import Method
from veridex.core.scoring.comparison import mean_error
from veridex.core.verdict.completed import Completed
from veridex.core.verdict.routing import Route

__all__ = ["Entry", "Evidence", "ItemEvidence"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One method on one item.

    Attributes
    ----------
    method : Method
    error : float
        Mean over the origins of the absolute error, scaled where there is a scale; of intermittent demand the root
        mean square.
    parameters : float
        Quantities estimated, mean over the origins.
    coverage : tuple of float
        Percent of actuals inside the intervals of each level.
    missing : str
        Why it has no forecast at an origin and so cannot be chosen; empty where it can.
    std_error : float
        Of the error, over origins whose lead times overlap; NaN with too few origins.
    bias : float
        Sum of errors in percent of the sum of actuals.
    form, criterion : str and float
        What a search chose at the last origin, and its AICc.
    """

    method: Method
    error: float
    parameters: float
    coverage: tuple[float, ...]
    missing: str
    std_error: float = np.nan
    bias: float = np.nan
    form: str = ""
    criterion: float = np.nan


@dataclass(frozen=True, slots=True)
class ItemEvidence:
    """All entries of an item.

    Attributes
    ----------
    measure : str
        ``"mase"``, or ``"mae"`` where the training spans give no scale; ``"rmsse"`` or ``"rmse"`` of intermittent
        demand, where absolute errors would favour forecasting nothing.
    origins, cells : int
        Origins used and (origin, step) cells with a known actual.
    furthest : int
        The longest lead time with a known actual; 0 where nothing was tested.
    entries : tuple of Entry
        In the order of the lineup.
    """

    item: str
    measure: str
    origins: int
    cells: int
    furthest: int
    entries: tuple[Entry, ...]

    def entry(self, method: Method) -> Entry | None:
        """A method's entry; None where it was not entered."""
        return next((entry for entry in self.entries if entry.method == method), None)


@dataclass(frozen=True, eq=False)
class Evidence:
    """An item's evidence with its errors cell by cell, for the origins that its route uses.

    Attributes
    ----------
    item : ItemEvidence
    route : Route
    origins : ndarray of int, shape (O,)
        Ordinals.
    known : ndarray of bool, shape (O, H)
        Cells with an actual that count.
    actuals : ndarray, shape (O, H)
    scale : ndarray, shape (O,)
        What errors are divided by.
    power : float
        1 where losses are absolute errors, 2 where they are squares.
    losses : ndarray, shape (M, O, H)
        Scaled errors to the power; NaN where a method has no forecast.
    """

    item: ItemEvidence
    route: Route
    origins: IntArray
    known: BoolArray
    actuals: FloatArray
    scale: FloatArray
    power: float
    losses: FloatArray

    @cached_property
    def done(self) -> Completed:
        """The losses by the time at which they were known."""
        return Completed.of(self.losses, self.known, self.origins)

    @property
    def window(self) -> float:
        """Cells of an origin, in the mean."""
        return float(self.known.sum() / max(self.origins.size, 1))

    @property
    def claimed(self) -> BoolArray:
        """Origins (O,) that come half a window after the first, or half of the tested span if that is less.

        What is decided from errors can be judged only where there were some. Waiting for a whole window judges by half
        as many origins: what is kept and what is dropped then depends on chance.
        """
        if not self.origins.size:
            return np.zeros(0, dtype=bool)
        first, last = int(self.origins[0]), int(self.origins[-1])
        wait = max(min((self.item.furthest + 1) // 2, (last - first) // 2), 1)
        found: BoolArray = self.origins >= first + wait
        return found

    def losses_of(self, errors: FloatArray) -> FloatArray:
        """The losses (O, H) of other errors on the same cells; zero where a cell does not count."""
        sizes = (np.abs(errors) / self.scale[:, None]) ** self.power
        return np.where(self.known, sizes, 0.0)

    def error(self, losses: FloatArray, where: BoolArray) -> FloatArray:
        """The error of losses (..., O, H) over some of the origins, a mean of origins; NaN of none."""
        if not where.any():
            return np.full(losses.shape[:-2], np.nan)
        known = self.known[where]
        sizes = np.where(known, losses[..., where, :], 0.0).sum(axis=-1) / known.sum(axis=-1)
        return np.asarray(sizes.mean(axis=-1) ** (1.0 / self.power))

    def windows(self, where: BoolArray) -> int:
        """How many of the windows of these origins do not overlap."""
        if not where.any():
            return 0
        origins, found, free = self.origins[where], 0, -1
        reach = int(np.flatnonzero(self.known[where].any(axis=0)).max()) + 1
        for origin in origins.tolist():
            if found == 0 or origin >= free:
                found, free = found + 1, origin + reach
        return found

    @classmethod
    @np.errstate(all="ignore")
    def gather(cls, trial: Trial, one: ItemTrial, route: Route, known: BoolArray) -> "Evidence":
        """Collect an item's evidence.

        A method counts only if it forecast every cell: an average over the easier origins proves nothing.

        Parameters
        ----------
        trial : Trial
        one : ItemTrial
        route : Route
        known : ndarray of bool, shape (all O, H)
            Cells that count.
        """
        at = np.flatnonzero(route.origins)
        known = known[at]
        actual = np.where(known, one.actuals[at], np.nan)
        squared = route.name == "intermittent"
        scales = np.sqrt(one.scales[at, 1]) if squared else one.scales[at, 0]
        scaled = bool(at.size) and not np.isnan(scales).any()
        scale = scales if scaled else np.ones(at.size)
        power = 2.0 if squared else 1.0
        errors = actual - one.points[:, at]
        losses = (np.abs(errors) / scale[:, None]) ** power
        measure = ("rmsse" if squared else "mase") if scaled else ("rmse" if squared else "mae")
        item = ItemEvidence(
            item=one.item,
            measure=measure,
            origins=at.size,
            cells=int(known.sum()),
            furthest=int(np.flatnonzero(~np.isnan(one.actuals).all(axis=0)).max(initial=-1)) + 1,
            entries=_entries(trial, one, at, known, errors, losses, power),
        )
        return cls(item, route, one.origins[at], known, one.actuals[at], scale, power, losses)


def _entries(
    trial: Trial,
    one: ItemTrial,
    at: IntArray,
    known: BoolArray,
    errors: FloatArray,
    losses: FloatArray,
    power: float,
) -> tuple[Entry, ...]:
    tested: BoolArray = np.asarray((~np.isnan(errors) | ~known).all(axis=(1, 2)) & bool(at.size))
    sizes = np.nansum(losses, axis=2) / known.sum(axis=1)
    sizes[~tested] = np.nan
    status = one.status[:, at]
    parameters = np.where(status <= Status.DONE, one.parameters[:, at], np.nan)
    done = np.maximum((~np.isnan(parameters)).sum(axis=1), 1)
    parameters = np.where((~np.isnan(parameters)).any(axis=1), np.nansum(parameters, axis=1) / done, np.nan)
    mean = sizes.mean(axis=1) if at.size else np.full(len(trial.lineup), np.nan)
    actual = np.where(known, one.actuals[at], 0.0)
    off = np.where(known, np.abs(one.transforms[:, at] - 0.5), np.nan)
    cells = (~np.isnan(off)).sum(axis=(1, 2))
    coverage = np.array([100.0 * (off <= level / 200.0).sum(axis=(1, 2)) / cells for level in trial.levels])
    bias = 100.0 * np.nansum(np.where(known, errors, np.nan), axis=(1, 2)) / np.abs(actual).sum()
    means = mean ** (1.0 / power)
    # The delta method turns the standard error of a mean square into that of its root.
    spreads = mean_error(sizes, trial.overlap) / (power * means ** (power - 1.0))
    found = []
    for m, entered in enumerate(trial.lineup):
        missing = ""
        if not at.size:
            missing = "no actual is known after any origin"
        elif not tested[m]:
            lost = np.flatnonzero((np.isnan(errors[m]) & known).any(axis=1))[0]
            missing = short_reason(int(status[m, lost]))
        found.append(
            Entry(
                method=entered,
                error=float(means[m]),
                parameters=float(parameters[m]),
                coverage=tuple(coverage[:, m].tolist()),
                missing=missing,
                std_error=float(spreads[m]),
                bias=float(bias[m]) if tested[m] else np.nan,
                form=one.forms[m, at[-1]].decode() if at.size else "",
                criterion=float(one.criteria[m, at[-1]]) if at.size else np.nan,
            )
        )
    return tuple(found)
