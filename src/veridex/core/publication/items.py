"""The table of items: what is published for each, why, and how good it was when it was tested."""

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.methods.short_names import brief_name
from veridex.core.periods.cadence import Cadence
from veridex.core.publication.dossier import ItemPublication, Scores
from veridex.core.scoring.levels import level_label

__all__ = ["items_of"]

TEXTS = ("in_short", "method", "decided", "why", "reason", "route", "override", "known_until")
ERRORS = ("error", "benchmark_error", "value_added", "bias", "mae", "wape")


def items_of(items: Iterable[ItemPublication], cadence: Cadence, levels: Sequence[float]) -> pd.DataFrame:
    """A row per item.

    Columns: item, what is published in short, the measure with the errors of it and of the benchmark, the percent that
    it adds, bias in percent, mae, wape in percent, coverage of each level in percent, caution, reason, why, override;
    then the method to the last setting, the benchmark, and how it came about.
    """
    rows = [_row(one, cadence, levels) for one in items]
    found = pd.DataFrame(rows, columns=list(rows[0]) if rows else None)
    texts = [name for name in found.columns if name in (*TEXTS, "item", "measure", "benchmark", "caution")]
    return found.astype(dict.fromkeys(texts, object))


def _row(one: ItemPublication, cadence: Cadence, levels: Sequence[float]) -> dict[str, Any]:
    scores = one.scores
    coverage = {} if scores is None else scores.coverage
    return {
        "item": one.item,
        "in_short": "" if one.method is None else brief_name(one.method),
        "measure": None if scores is None else scores.measure,
        **{name: _known(scores, name) for name in ERRORS},
        **{f"coverage_{level_label(level)}": float(coverage.get(f"{level:g}", np.nan)) for level in levels},
        "caution": "; ".join(caution.why for caution in one.cautions),
        "reason": one.reason,
        "why": one.why,
        "override": "" if one.override is None else one.override.reason,
        "method": None if one.method is None else one.method.text,
        "benchmark": None if scores is None else scores.benchmark,
        "known_until": cadence.iso_of(one.origin),
        "horizon": max(one.horizon, 0),
        "decided": None if one.decided is None else one.decided.text,
        "route": one.route,
    }


def _known(scores: Scores | None, name: str) -> float:
    """A figure of the test; a percentage of no demand is none."""
    value = np.nan if scores is None else float(getattr(scores, name))
    return value if np.isfinite(value) else np.nan
