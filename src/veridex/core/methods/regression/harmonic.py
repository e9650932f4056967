"""Regression on sines and cosines of one season or several."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.settings import Setting, Value, yes_no
from veridex.core.methods.fold.status import Status
from veridex.core.methods.regression.least_squares import SLOPE, LeastSquares, RegressionPlan, regression_settings
from veridex.core.methods.regression.trends import line_of, line_words, time_words
from veridex.core.methods.words import signed
from veridex.core.periods.seasons import season_name
from veridex.core.readable import quantity
from veridex.errors import SettingError

__all__ = ["HARMONICS", "SEASONS", "Harmonic", "check_harmonics"]


def _are_lengths(value: Value) -> bool:
    numbers = isinstance(value, tuple) and all(isinstance(c, (int, float)) and not isinstance(c, bool) for c in value)
    return numbers and 0 < len(value) <= 6 and min(value) >= 2 and len(set(value)) == len(value)  # type: ignore[arg-type]


def _are_counts(value: Value) -> bool:
    whole_ones = isinstance(value, tuple) and all(isinstance(w, int) and not isinstance(w, bool) for w in value)
    return whole_ones and bool(value) and min(value) >= 1 and max(value) <= 200  # type: ignore[arg-type]


SEASONS = Setting("seasons", None, "up to six lengths from 2 on, as in [24, 168]", _are_lengths)
HARMONICS = Setting("harmonics", None, "how many harmonics of each season, as in [2, 4]", _are_counts)


def check_harmonics(name: str, settings: Mapping[str, Value]) -> None:
    """Refuse numbers of harmonics that do not go with the seasons."""
    seasons, harmonics = settings.get("seasons"), settings.get("harmonics")
    if not isinstance(harmonics, tuple):
        return
    if not isinstance(seasons, tuple):
        seasons = (float("inf"),)
    if len(harmonics) != len(seasons):
        raise SettingError(
            name, f"{len(seasons)} seasons need {len(seasons)} numbers of harmonics, got {len(harmonics)}"
        )
    for season_length, count in zip(seasons, harmonics, strict=True):
        if 2 * count > season_length:
            raise SettingError(
                name, f"a season of {season_length:g} has at most {int(season_length // 2)} harmonics, got {count}"
            )


MOST_HARMONICS = 3
"""Harmonics of a season where their number is not stated."""


class Harmonic(LeastSquares):
    """A straight trend plus sines and cosines of one season or several, by least squares, with drivers and events.

    ``seasons=[24, 168]`` names the lengths, which may be fractions (``seasons=[52.18]``), ``harmonics=[2, 4]`` how many
    of each: its length, a half of it, a third ... By default the season of the history with up to three.
    ``trend=no`` leaves the line out. Standard errors and bounds as for `linear-trend`; the harmonics are those of
    Fourier's theorem (Bloomfield, 2000, Fourier Analysis of Time Series, 2nd ed., chapter 4).
    """

    name = "harmonic"
    seasons = "taken out"
    fixed_season = "harmonics"
    settings = (
        SEASONS,
        HARMONICS,
        yes_no("trend", default=True),
        *regression_settings(),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse numbers of harmonics that do not go with the seasons."""
        check_harmonics(self.name, settings)

    def _harmonics(self, settings: Mapping[str, Any], season_length: int) -> list[tuple[float, int, str]]:
        """Season, number of the harmonic, and sine or cosine; a sine that is zero at every period is left out."""
        lengths = settings.get("seasons") or ([season_length] if season_length > 1 else [])
        counts = settings.get("harmonics") or [min(MOST_HARMONICS, int(length // 2)) for length in lengths]
        found = []
        for length, count in zip(lengths, counts, strict=True):
            for k in range(1, min(count, int(length // 2)) + 1):
                found += [(float(length), k, kind) for kind in ("sin", "cos") if kind == "cos" or 2 * k != length]
        return found

    def _names(self, settings: Mapping[str, Any], season_length: int) -> tuple[str, ...]:
        head = ["intercept"] if settings["intercept"] == "estimated" else []
        head += [SLOPE] if settings["trend"] else []
        return (*head, *(f"{kind} {length / k:g}" for length, k, kind in self._harmonics(settings, season_length)))

    def _obstacle(self, plan: RegressionPlan) -> Status:
        return Status.DONE if self._harmonics(plan.details, plan.season_length) else Status.NO_SEASON

    def _basis(self, plan: RegressionPlan, n: int, span: int) -> FloatArray:
        line = line_of(plan, n)
        if not plan.details["trend"]:
            line = line[:, :-1]
        time = np.arange(1.0, n + plan.horizon + 1.0)
        harmonics = [
            (np.sin if kind == "sin" else np.cos)(2.0 * np.pi * k * time / length)
            for length, k, kind in self._harmonics(plan.details, plan.season_length)
        ]
        return np.column_stack((line, *harmonics))

    def _groups(self, plan: RegressionPlan) -> dict[str, Any]:
        at = int(plan.estimated)
        groups: dict[str, Any] = {"trend": [at]} if plan.details["trend"] else {}
        at += bool(plan.details["trend"])
        for j, (length, _, _) in enumerate(self._harmonics(plan.details, plan.season_length)):
            groups.setdefault(season_name(length), []).append(at + j)
        return groups

    def _words(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how the line runs and how far each season swings."""
        said = []
        if plan.details["trend"]:
            said.append(line_words(float(row[int(plan.estimated)]), series))
        basis = self._basis(plan, y.size, y.size)
        for name, where in self._groups(plan).items():
            if name != "trend":
                swing = float(np.ptp(basis[:, where] @ row[where]))
                said.append(
                    f"A {name.replace('_', ' of ')} {series.cadence.plural} swings by {quantity(swing, series.unit)}."
                )
        return " ".join(said) + self._effects_said(plan, row, series.unit)

    def _equation(self, plan: RegressionPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Line and harmonics with their numbers."""
        at = int(plan.estimated)
        text = f"forecast[t] = {self._head(plan, row)}"
        if plan.details["trend"]:
            text += f"{signed(float(row[at]))} t"
            at += 1
        for j, (length, k, kind) in enumerate(self._harmonics(plan.details, plan.season_length)):
            text += f"{signed(float(row[at + j]))} {kind}(2 pi t / {length / k:g})"
        return f"{text}{self._effect_terms(plan, row)}\n{time_words(plan, row)}"
