"""What a trial says about one item: each method's error, coverage and price on the same cells."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.backtest.trial import Trial
from veridex.core.methods.status import Status, short_reason

__all__ = ["Entry", "ItemEvidence", "gather"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One method on one item.

    Attributes
    ----------
    method : str
    error : float
        Mean over the origins of the mean scaled (or plain) absolute error.
    parameters : float
        Quantities estimated, mean over the origins.
    coverage : tuple of float
        Percent of actuals inside the intervals of each level.
    missing : str
        Why it has no forecast at an origin and so cannot be chosen; empty where it can.
    """

    method: str
    error: float
    parameters: float
    coverage: tuple[float, ...]
    missing: str


@dataclass(frozen=True, slots=True)
class ItemEvidence:
    """All entries of an item.

    Attributes
    ----------
    measure : str
        ``"mase"``, or ``"mae"`` where the training spans give no scale.
    origins, cells : int
        Origins and (origin, step) cells with a known actual.
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


@np.errstate(all="ignore")
def gather(trial: Trial, index: int) -> ItemEvidence:
    """Collect an item's evidence.

    A method counts only if it forecast every cell: an average over the easier origins proves nothing.
    """
    a = trial.arrays
    actual = a.actuals[index]
    known = ~np.isnan(actual)
    scale = a.scales[index, :, 0][:, None]
    scaled = known.any() and not np.isnan(np.broadcast_to(scale, actual.shape)[known]).any()
    entries = []
    for m, entered in enumerate(trial.lineup):
        points = a.points[index, m]
        missed = np.flatnonzero((known & np.isnan(points)).any(axis=1))
        missing = ""
        if not known.any():
            missing = "no actual is known after any origin"
        elif missed.size:
            missing = short_reason(int(a.status[index, m, missed[0]]))
        size = np.abs(actual - points) / (scale if scaled else 1.0)
        entries.append(
            Entry(
                method=entered.text,
                error=np.nan if missing else _mean_of_means(size),
                parameters=_mean(a.parameters[index, m][a.status[index, m] <= Status.DONE]),
                coverage=tuple(
                    _coverage(actual, a.lower[index, m, :, j], a.upper[index, m, :, j])
                    for j in range(len(trial.levels))
                ),
                missing=missing,
            )
        )
    return ItemEvidence(
        item=trial.history.names[index],
        measure="mase" if scaled else "mae",
        origins=int(known.any(axis=1).sum()),
        cells=int(known.sum()),
        furthest=int(np.flatnonzero(known.any(axis=0)).max(initial=-1)) + 1,
        entries=tuple(entries),
    )


def _mean(values: NDArray[np.float64]) -> float:
    known = values[~np.isnan(values)]
    return float(known.mean()) if known.size else np.nan


def _mean_of_means(values: NDArray[np.float64]) -> float:
    return _mean(np.array([_mean(row) for row in values]))


def _coverage(actual: NDArray[np.float64], lower: NDArray[Any], upper: NDArray[Any]) -> float:
    known = ~np.isnan(actual) & ~np.isnan(lower)
    inside = (lower <= actual) & (actual <= upper)
    return float(100.0 * inside[known].mean()) if known.any() else np.nan
