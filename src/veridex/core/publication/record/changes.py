"""What changing methods cost: each item's new method against its old one, from the same origin on."""

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.fitted.fitted import fit
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.core.preparation.regressors import Explanation
from veridex.core.publication.came import came
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.moved import made_of, moved
from veridex.core.publication.publication import Publication
from veridex.core.reading.neighbours import lent_now

__all__ = ["CHANGES", "changes_of"]

CHANGES = ["item", "origin", "before", "now", "cells", "mae_if_kept", "mae", "value_added", "moved"]


def changes_of(publications: Sequence[Publication], history: History, explaining: Explanation) -> pd.DataFrame:
    """A row per item and publication with another method than the one before; see `TrackRecord.changes`."""
    rows: list[list[Any]] = []
    last: dict[str, ItemPublication] = {}
    for publication in publications:
        changed = [item for item, one in publication.published.items() if _changed(last.get(item), one)]
        rows += _rows([item for item in changed if item in history.names], last, publication, history, explaining)
        last |= publication.published
    frame = pd.DataFrame(rows, columns=CHANGES)
    cost = (frame["cells"] * (frame["mae_if_kept"] - frame["mae"])).astype(float)
    frame = frame.iloc[cost.argsort(kind="stable")].reset_index(drop=True)
    return frame.assign(origin=history.cadence.starts(frame["origin"].to_numpy(dtype=np.int64)))


def _changed(before: ItemPublication | None, now: ItemPublication) -> bool:
    """Whether the verdict chose another method than last time, from a later origin; weights do not count."""
    if before is None or before.override is not None or now.override is not None or now.origin <= before.origin:
        return False
    return None not in (before.decided, now.decided) and made_of(before.decided) != made_of(now.decided)


def _rows(
    items: Sequence[str],
    last: dict[str, ItemPublication],
    publication: Publication,
    history: History,
    explaining: Explanation,
) -> Iterator[list[Any]]:
    """The old method's forecasts beside those that were published."""
    columns = dict.fromkeys(one for item in items for one in _decided(last[item]).borrows)
    lent: dict[str, Any] = {}
    if columns:
        ends = {item: one.origin for item, one in publication.published.items() if item in history.names}
        cut = [_until(history[item], origin) for item, origin in ends.items()]
        lent = lent_now(History.of([one for one in cut if one is not None]), tuple(columns))
    for item in items:
        before, now = last[item], publication[item]
        found = came(now, history[item])
        kept = _kept(before, history[item], now, explaining, lent.get(item))
        old, new = (np.abs(found.actuals - one) for one in (kept[found.steps - 1], found.forecasts))
        both = ~np.isnan(old)
        errors = [float(one[both].mean()) if both.any() else np.nan for one in (old, new)]
        added = 100.0 * (1.0 - errors[1] / errors[0]) if both.any() and errors[0] > 0.0 else np.nan
        names = [short_name(_decided(one)) for one in (before, now)]
        yield [item, now.origin, *names, int(both.sum()), *errors, added, moved(before, now)]


def _decided(one: ItemPublication) -> Method:
    assert one.decided is not None
    return one.decided


def _until(series: ItemHistory, origin: int) -> ItemHistory | None:
    """An item as it was known at an origin; None where it was not."""
    return None if origin < series.start else series.until(series.cadence.starts(origin))


def _kept(
    before: ItemPublication, series: ItemHistory, now: ItemPublication, explaining: Explanation, lent: Any
) -> FloatArray:
    """What the old method would have said from the new origin on; NaN where the item was not known there."""
    known, method = _until(series, now.origin), _decided(before)
    if known is None:
        return np.full(now.horizon, np.nan)
    told = (None, None) if method.alone else (explaining.drivers, explaining.events)
    fitted = fit(known, method, drivers=told[0], events=told[1], borrowed=lent)
    return fitted.forecast(now.horizon).points
