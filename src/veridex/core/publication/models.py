"""The table of what was fitted for each item: method, orders and constants, criteria, words."""

from collections.abc import Iterable
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.publication.dossier import FitRecord, ItemPublication
from veridex.core.readable import number

__all__ = ["models_of"]

COLUMNS = (
    "item",
    "method",
    "decided",
    "found",
    "constants",
    "members",
    "n_estimates",
    "variance",
    "log_likelihood",
    "aicc",
    "route",
    "measure",
    "error",
    "words",
    "reason",
)


def models_of(items: Iterable[ItemPublication]) -> pd.DataFrame:
    """A row per item; see `Publication.models`, the public face."""
    return pd.DataFrame([_row(one) for one in items], columns=list(COLUMNS))


def _row(one: ItemPublication) -> dict[str, Any]:
    fit, scores = one.fit, one.scores
    return {
        "item": one.item,
        "method": None if one.method is None else one.method.text,
        "decided": None if one.decided is None else one.decided.text,
        "found": "" if fit is None else fit.form,
        "constants": "" if fit is None or fit.members else _constants(fit),
        "members": "" if fit is None else _members(fit),
        "n_estimates": 0 if fit is None else len(fit.estimates),
        "variance": np.nan if fit is None else fit.variance,
        "log_likelihood": np.nan if fit is None else fit.log_likelihood,
        "aicc": np.nan if fit is None else fit.aicc,
        "route": one.route,
        "measure": None if scores is None else scores.measure,
        "error": np.nan if scores is None else scores.error,
        "words": "" if fit is None else fit.words,
        "reason": one.reason,
    }


def _constants(fit: FitRecord) -> str:
    """What was estimated, each with its name."""
    return "; ".join(f"{one.name} {number(one.value, 4)}" for one in fit.estimates)


def _members(fit: FitRecord) -> str:
    """What a blend is made of: share, method, and what was found and estimated for it."""
    said = []
    for one in fit.members:
        share = "" if np.isnan(one.share) else f"{number(100.0 * one.share, 3)} % "
        inner = ", ".join(part for part in (one.record.form, _constants(one.record)) if part)
        said.append(f"{share}{one.method}" + (f" ({inner})" if inner else ""))
    return " | ".join(said)
