"""What a trial says about one item: each method's error, coverage and price on the same cells."""

from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.backtest.folds import ItemTrial
from veridex.core.backtest.trial import Trial
from veridex.core.methods.fold.status import Status, short_reason
from veridex.core.methods.method import Method
from veridex.core.scoring.comparison import mean_error
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


@dataclass(frozen=True, slots=True, eq=False)
class Evidence:
    """The evidence about an item as arrays, over the origins that are used.

    Attributes
    ----------
    item : ItemEvidence
    route : Route
    known : ndarray of bool, shape (O, H)
        Cells with an actual that count.
    scale : ndarray, shape (O,)
        What errors are divided by.
    power : float
        1 where sizes are absolute errors, 2 where they are squares.
    sizes : ndarray, shape (M, O)
        Mean size of the scaled errors at each origin.
    tested : ndarray of bool, shape (M,)
        Methods with a forecast for every cell.
    """

    item: ItemEvidence
    route: Route
    known: BoolArray
    scale: FloatArray
    power: float
    sizes: FloatArray
    tested: BoolArray

    def errors(self, sizes: FloatArray) -> FloatArray:
        """Errors of sizes (..., O)."""
        return np.asarray(sizes.mean(axis=-1) ** (1.0 / self.power))

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
        tested: BoolArray = np.asarray((~np.isnan(errors) | ~known).all(axis=(1, 2)) & bool(at.size))
        counts = known.sum(axis=1)
        sizes = np.nansum((np.abs(errors) / scale[:, None]) ** power, axis=2) / counts
        sizes[~tested] = np.nan
        measure = ("rmsse" if squared else "mase") if scaled else ("rmse" if squared else "mae")
        item = ItemEvidence(
            item=one.item,
            measure=measure,
            origins=at.size,
            cells=int(counts.sum()),
            furthest=int(np.flatnonzero(~np.isnan(one.actuals).all(axis=0)).max(initial=-1)) + 1,
            entries=_entries(trial, one, at, known, errors, sizes, power, tested),
        )
        return cls(item, route, known, scale, power, sizes, tested)


def _entries(
    trial: Trial,
    one: ItemTrial,
    at: IntArray,
    known: BoolArray,
    errors: FloatArray,
    sizes: FloatArray,
    power: float,
    tested: BoolArray,
) -> tuple[Entry, ...]:
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
