"""The smoothing forms that a search may choose from, each as it was fitted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.methods.fold.criteria import criteria
from veridex.core.methods.fold.status import Status, short_reason
from veridex.core.methods.smoothing.forms import ERRORS, SEASONS, TRENDS, SmoothingPlan, row_size
from veridex.core.methods.smoothing.rolled import Fits, fit_forms
from veridex.core.numerics.smoothing.recursion import ADDITIVE, MULTIPLICATIVE, NONE, Form

__all__ = ["Try", "allowed_forms", "form_in_words", "parts_in_words", "tries"]


@dataclass(frozen=True, slots=True)
class Try:
    """A form as it was fitted, or why not."""

    form: Form
    status: Status
    row: FloatArray
    stats: FloatArray

    @property
    def criteria(self) -> dict[str, float]:
        """What a search may choose by."""
        return criteria(self.stats)

    def entry(self) -> dict[str, Any]:
        """Its row among the candidates."""
        names = dict(zip(("error", "trend", "season"), parts_in_words(self.form), strict=True))
        found = {**self.criteria, "log_likelihood": self.stats[0], "parameters": self.stats[2]}
        return {**names, **found, "variance": self.row[-1], "remark": short_reason(self.status)}


def tries(plan: SmoothingPlan, y: FloatArray) -> list[Try]:
    """Fit every form that nothing stands in the way of."""
    fits = Fits.of(plan.wanted)
    sizes = [row_size(form) for form in plan.forms]
    fit_forms(y, plan.wanted, -1, np.zeros(sum(sizes)), fits)
    ended = (Status(status) for status in fits.status.tolist())
    each = zip(plan.forms, ended, fits.rows, sizes, fits.stats, strict=True)
    return [Try(form, status, row[:size], stats) for form, status, row, size, stats in each]


def allowed_forms(settings: Mapping[str, Any], season_length: int) -> Sequence[Form]:
    """All sensible forms within the settings."""
    errors = [code for word, code in ERRORS.items() if settings["error"] in ("auto", word)]
    trends = [code for word, code in TRENDS.items() if settings["trend"] in ("auto", word)]
    seasons = [code for word, code in SEASONS.items() if settings["season"] in ("auto", word)]
    if season_length < 2 and settings["season"] == "auto":
        seasons = [NONE]
    return [
        Form(error, trend, season, season_length if season != NONE else 1)
        for season in seasons
        for error in errors
        for trend in trends
        if not (season == MULTIPLICATIVE and error == ADDITIVE)
    ]


def parts_in_words(form: Form) -> tuple[str, str, str]:
    """Its error, trend and season as the settings spell them."""
    tables = (ERRORS, TRENDS, SEASONS)
    codes = (form.error, form.trend, form.season)
    return tuple(next(w for w, c in t.items() if c == code) for t, code in zip(tables, codes, strict=True))  # type: ignore[return-value]


def form_in_words(form: Form) -> str:
    """As it stands in a sentence."""
    error, trend, season = parts_in_words(form)
    parts = [f"{error} errors", "no trend" if trend == "none" else f"{trend} trend"]
    parts.append("no season" if season == "none" else f"{season} season")
    return ", ".join(parts[:-1]) + " and " + parts[-1]
