"""Long items cut to the length of short ones: what nobody could test at that length, they can.

An item of eighteen months has no origin at which a season was known, but is forecast from one and a half. How good
methods are from eighteen months, items of six years tell that are shown no more than their last eighteen.
"""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from veridex.core.backtest.schemes import RollingOrigin, Scheme
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.lengths import cycles_at, length_class, length_class_now

__all__ = ["FEWEST_KIN", "Cut", "cuts"]

FEWEST_KIN = 5
"""Items from which on their evidence speaks for a length of history."""

MOST_DONORS = 60
"""Long items that are cut, evenly spaced in the order of their names."""

ORIGINS = 3


class Cut(NamedTuple):
    """Long items, and the scheme that shows them no more than a short one has."""

    history: History
    scheme: RollingOrigin


def cuts(history: History, scheme: Scheme, horizon: int) -> Iterator[Cut]:
    """The cuts for lengths that items are forecast from and that too few items were tested at."""
    if scheme.training_window is not None:
        return
    series = sorted(history, key=lambda one: one.item)
    ends = [length_class_now(one) for one in series]
    tested = [_tested(one, scheme) for one in series]
    stride = max(horizon // ORIGINS, 1)
    for length in sorted(set(ends)):
        wanting = [
            one for one, end, own in zip(series, ends, tested, strict=True) if end == length > max(own, default=-1)
        ]
        kin = sum(length in own for own in tested)
        if not wanting or kin >= FEWEST_KIN:
            continue
        window = int(np.median([len(one) for one in wanting]))
        reach = window + horizon + (ORIGINS - 1) * stride
        donors = [one.last(reach) for one in series if len(one) >= reach and length_class_now(one) > length]
        if len(donors) >= FEWEST_KIN:
            places = np.unique(np.linspace(0, len(donors) - 1, min(len(donors), MOST_DONORS)).round().astype(np.int64))
            rolling = RollingOrigin(horizon=horizon, origins=ORIGINS, stride=stride, window=max(window, 2))
            yield Cut(History.of([donors[i] for i in places.tolist()]), rolling)


def _tested(one: ItemHistory, scheme: Scheme) -> set[int]:
    """The classes of length that an item has origins at."""
    origins = np.array([one.start + fold.stop - 1 for fold in scheme.folds(one)], dtype=np.int64)
    return set(length_class(cycles_at(one, origins)).tolist())
