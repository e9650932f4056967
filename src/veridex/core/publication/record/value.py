"""Value added, step by step: the benchmark, what the verdict chose, what planners made of it."""

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
import pandas as pd

from veridex.core.publication.dossier import BENCHMARK, VERDICT

__all__ = ["GAINS", "OVERRIDES", "Gain", "overrides_of", "value_added"]

GAINS = ["what", "planner", "items", "cells", "wape_before", "wape_after", "value_added", "closer", "items_better"]

OVERRIDES = ["item", "planner", "publications", "cells", "mae_before", "mae_after", "value_added", "closer"]

CHOICE, OWN, WHOLE = "choice over benchmark", "overrides over choice", "published over benchmark"


class Gain(NamedTuple):
    """Errors before and after a step; see `gain`.

    Attributes
    ----------
    cells, items : int
    before, after : float
        Mean absolute errors.
    volume : float
        Mean size of the actuals.
    value_added : float
        Percent less absolute error.
    closer : float
        Percent of the forecasts that lie closer to what came; of equal ones half.
    better : int
        Items whose error fell.
    """

    cells: int
    items: int
    before: float
    after: float
    volume: float
    value_added: float
    closer: float
    better: int


@np.errstate(all="ignore")
def gain(frame: pd.DataFrame, before: str, after: str) -> Gain | None:
    """What a step made of errors, on the cells that have both forecasts; None where there are none."""
    both = frame[frame[before].notna() & frame[after].notna()]
    if both.empty:
        return None
    old, new = ((both["actual"] - both[name]).abs().to_numpy() for name in (before, after))
    by_item = pd.DataFrame({"item": both["item"], "fell": old - new}).groupby("item")["fell"].sum()
    total = float(old.sum())
    return Gain(
        cells=len(both),
        items=len(by_item),
        before=float(old.mean()),
        after=float(new.mean()),
        volume=float(both["actual"].abs().mean()),
        value_added=100.0 * (1.0 - float(new.sum()) / total) if total > 0.0 else np.nan,
        closer=100.0 * float(((new < old) + 0.5 * (new == old)).mean()),
        better=int((by_item > 0.0).sum()),
    )


def value_added(frame: pd.DataFrame) -> pd.DataFrame:
    """A row per step, then per planner; see `TrackRecord.value_added`."""
    return pd.DataFrame(list(_gains(frame)), columns=GAINS)


def _gains(frame: pd.DataFrame) -> Iterator[list[Any]]:
    overridden = frame[frame["overridden"]]
    parts = [(CHOICE, "", frame, BENCHMARK, VERDICT), (OWN, "", overridden, VERDICT, "forecast")]
    named = overridden[overridden["planner"] != ""]
    parts += [(OWN, str(planner), own, VERDICT, "forecast") for planner, own in named.groupby("planner")]
    parts.append((WHOLE, "", frame, BENCHMARK, "forecast"))
    for what, planner, own, before, after in parts:
        found = gain(own, before, after)
        if found is None:
            yield [what, planner, 0, 0, *[np.nan] * 4, 0]
            continue
        scale = 100.0 / found.volume if found.volume > 0.0 else np.nan
        errors = scale * found.before, scale * found.after
        yield [what, planner, found.items, found.cells, *errors, found.value_added, found.closer, found.better]


def overrides_of(frame: pd.DataFrame) -> pd.DataFrame:
    """A row per item and planner, the dearest first; see `TrackRecord.overrides`."""
    rows: list[tuple[float, list[Any]]] = []
    for (item, planner), own in frame[frame["overridden"]].groupby(["item", "planner"]):
        found = gain(own, VERDICT, "forecast")
        if found is not None:
            errors = found.before, found.after, found.value_added, found.closer
            row = [item, planner, own["publication"].nunique(), found.cells, *errors]
            rows.append((found.cells * (found.before - found.after), row))  # what it brought in all
    rows.sort(key=lambda one: (one[0], one[1][0]))
    return pd.DataFrame([row for _, row in rows], columns=OVERRIDES)
