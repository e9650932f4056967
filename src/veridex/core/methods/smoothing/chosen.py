"""`smoothing`: the form of exponential smoothing chosen by a criterion, or all forms averaged by their weights."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from typing import Any

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.criteria import CRITERIA
from veridex.core.methods.fold.family import Family, RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.paths import shared_paths
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.methods.fold.settings import Value, choice, settled, yes_no
from veridex.core.methods.fold.status import Status
from veridex.core.methods.made_of.mixture import criterion_weights, mix
from veridex.core.methods.regression.harmonic import HARMONICS, check_harmonics
from veridex.core.methods.regression.harmonic import SEASONS as SEASON_LENGTHS
from veridex.core.methods.smoothing.candidates import allowed_forms, form_in_words, parts_in_words, tries
from veridex.core.methods.smoothing.forms import (
    ERRORS,
    SEASONS,
    TRENDS,
    SmoothingPlan,
    common_settings,
    domain,
    form_paths,
    replay,
    row_size,
    simulated,
    smoothing_words,
)
from veridex.core.methods.smoothing.rolled import CODES, Fits, fit_forms, hindrance, roll_forms, worth
from veridex.core.methods.smoothing.tables import form_coefficients, form_components, form_equation, form_words
from veridex.core.methods.smoothing.turning import TurningSmoothing
from veridex.core.numerics.seasons.profile import CHANCE, season_tests, shows_season
from veridex.core.numerics.smoothing.recursion import MULTIPLICATIVE, NONE, Form
from veridex.core.readable import number
from veridex.errors import SettingError

__all__ = ["Smoothing"]


@dataclass(frozen=True, slots=True, kw_only=True)
class ChosenPlan(SmoothingPlan):
    """Forms to choose from, and the criterion."""

    criterion: str
    average: bool
    block: int
    """Length of a form's part of the row: codes, and a row as long as the longest."""

    @property
    def blocks(self) -> int:
        """Forms that the row has room for."""
        return len(self.forms) if self.average else 1


class Smoothing(RolledFamily[ChosenPlan]):
    """The smoothing form that a criterion prefers, among all that the data allow.

    Errors additive or multiplicative; trend none, additive or damped; season none, additive or multiplicative; a
    multiplicative season goes with multiplicative errors only, which makes fifteen forms (Hyndman, Koehler, Ord and
    Snyder, 2008, section 2.3 and chapter 7). Where the history shows a season (an F test, see
    `veridex.core.numerics.seasons.profile`), only forms with one are chosen among: criteria pass it over in short
    ones. Multiplicative parts need demand above zero. ``average=yes`` weights the forms by exp(-criterion / 2)
    (Burnham and Anderson, 2002, section 4.2); its standard error then also holds the forms' disagreement, its law
    is the mixture of theirs. Standard errors of the form chosen are given its parameters and the choice. ``seasons=[24,
    168]`` asks for turning pairs of states instead: see `TurningSmoothing`.
    """

    name = "smoothing"
    seasons = "taken out"
    settings = (
        choice("error", "auto", *ERRORS, default="auto"),
        choice("trend", "auto", *TRENDS, default="auto"),
        choice("season", "auto", *SEASONS, default="auto"),
        choice("criterion", *CRITERIA, default="aicc"),
        yes_no("average"),
        SEASON_LENGTHS,
        HARMONICS,
        *common_settings(),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse combinations that leave no form."""
        if settings["season"] == "multiplicative" and settings["error"] == "additive":
            raise SettingError(self.name, "a multiplicative season needs multiplicative errors; leave error out")
        check_harmonics(self.name, settings)
        own = ("error", "season", "average", "constants", "estimate_starts", "intervals")
        if settings.get("seasons") and any(settings[key] != PLAIN[key] for key in own):
            raise SettingError(self.name, f"seasons= has states of its own; leave out {', '.join(own)}")
        if settings.get("harmonics") and not settings.get("seasons"):
            raise SettingError(self.name, "harmonics= goes with seasons=")
        if settings["average"] and settings["intervals"] != "model":
            raise SettingError(self.name, "intervals of an average are those of the model; leave intervals out")

    def for_settings(self, settings: Mapping[str, Value]) -> Family[Any]:
        """The one with turning states, where seasons are listed."""
        return TurningSmoothing() if settings.get("seasons") else self

    def settled(self, given: dict[str, Any], found: Mapping[str, Any]) -> dict[str, Any] | None:
        """The form instead of how to choose it; an average has several."""
        if given.get("average"):
            return None
        return {key: value for key, value in given.items() if key != "criterion"} | dict(found)

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> ChosenPlan:
        """Row: per form its weight, its codes and its own row."""
        forms = tuple(allowed_forms(settings, sizes.season_length))
        plan = ChosenPlan(
            sizes,
            row_size=0,
            # The form that the last search preferred, its number from one on, stands before the optima of all forms.
            warm_size=2 + sum(row_size(form) for form in forms),
            searched=(0,) if len(forms) > 1 else (),
            criterion=settings["criterion"],
            average=settings["average"],
            block=CODES + max(row_size(form) for form in forms),
            **smoothing_words(settings, forms),
        )
        needs = f"{min(plan.least.values()) + 1} known periods"
        components = max(plan.components, plan.blocks)
        return replace(plan, row_size=plan.blocks * plan.block, needs=needs, components=components)

    def rolls(self, plan: ChosenPlan) -> bool:
        """An average is mixed, and simulated intervals are drawn, fold by fold."""
        return not plan.average and plan.intervals == "model"

    def _roll(self, plan: ChosenPlan, folds: Folds, warm: FloatArray) -> None:
        """Choose the best form that the data allow, and forecast."""
        seasonal = season_tests(folds.values, folds.ends, plan.season_length)[1] < CHANCE
        roll_forms(folds, plan.wanted, Fits.of(plan.wanted), CRITERIA.index(plan.criterion), seasonal, CODES, warm)

    def run(self, plan: ChosenPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """Estimate every form that the data allow, and forecast with the best or with all."""
        if plan.average:
            return self._run_average(plan, y, warm, out)
        status = super().run(plan, y, x, warm, out)
        if status > Status.DONE or plan.intervals == "model":
            return status
        _, form, row = _stored_forms(plan, out.row)[0]
        return simulated(plan, form, status, y, row, out)

    def _run_average(self, plan: ChosenPlan, y: FloatArray, warm: FloatArray, out: Rows) -> int:
        """Weigh all forms, and forecast with all of them."""
        fits, values = Fits.of(plan.wanted), np.empty(len(plan.forms))
        fit_forms(y, plan.wanted, -1, warm[2:], fits)
        seasonal = shows_season(y, plan.season_length)
        if not worth(plan.wanted, fits, CRITERIA.index(plan.criterion), seasonal, values):
            return int(min((one for one in fits.status if one > Status.DONE), default=Status.TOO_SHORT))
        order = [j for j in np.argsort(values, kind="stable").tolist() if np.isfinite(values[j])]
        weights = criterion_weights(values[order])
        out.row[:] = 0.0
        for block, weight, j in zip(out.row.reshape(plan.blocks, plan.block), weights, order, strict=False):
            block[:CODES] = (weight, *plan.forms[j][:3])
            size = row_size(plan.forms[j])
            block[CODES : CODES + size] = fits.rows[j, :size]
        warm[:2] = (1.0, 1.0 + order[0])
        out.stats[:] = fits.stats[order[0]]
        remark = self.replay(plan, y, None, out)
        return remark if fits.status[order[0]] == Status.DONE else int(fits.status[order[0]])

    def form(self, plan: ChosenPlan, row: FloatArray) -> str:
        """The form that is preferred, of an average the one with the most weight."""
        return _spelled(*row[1:CODES].tolist()) if plan.searched else ""

    def domain(self, plan: ChosenPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Where all forms in the row live; before a run nothing is ruled out, since other forms may."""
        if row is None:
            return Status.DONE
        return max((domain(form, y) for _, form, _ in _stored_forms(plan, row)), default=Status.DONE)

    def replay(self, plan: ChosenPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the forms in the row, and forecast."""
        members = _stored_forms(plan, out.row)
        status = Status.DONE
        if len(members) == 1:
            status = replay(plan, members[0][1], y, members[0][2], out)
        else:
            fills = [(weight, partial(replay, plan, form, y, row)) for weight, form, row in members]
            mix(plan, y.size, fills, out)
        return status

    def candidates(self, plan: ChosenPlan, y: FloatArray, x: FloatArray | None) -> pd.DataFrame:
        """Every form tried, the best first: its criteria, log-likelihood, variance, whether it was chosen, remarks."""
        tried = tries(plan, y)
        table = pd.DataFrame([one.entry() for one in tried])
        return table.sort_values(plan.criterion, kind="stable", ignore_index=True)

    def _variance(self, plan: ChosenPlan, row: FloatArray) -> float:
        """Variance of the best form's one-step errors (relative ones where they are multiplicative)."""
        return float(_stored_forms(plan, row)[0][2][-1])

    def _relative(self, plan: ChosenPlan, row: FloatArray) -> bool:
        """Where the errors of the form with the most weight multiply."""
        return _stored_forms(plan, row)[0][1].error == MULTIPLICATIVE

    def _coefficients(
        self, plan: ChosenPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Those of the form chosen; of an average, of the form with the most weight."""
        _, form, own = _stored_forms(plan, row)[0]
        return form_coefficients(plan, form, y, own, series)

    def _words(self, plan: ChosenPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say which form was chosen, and what it does."""
        members = _stored_forms(plan, row)
        weight, form, own = members[0]
        name = form_in_words(form)
        if len(plan.forms) == 1:
            said = f"The form is stated: {name}."
        elif len(members) > 1:
            said = f"{len(members)} smoothing forms are averaged; most weight, {number(100 * weight, 2)} %, has {name}."
        else:
            possible = sum(hindrance(y, one, plan.least[one]) == Status.DONE for one in plan.forms)
            criterion = {"aicc": "AICc"}.get(plan.criterion, plan.criterion.upper())
            said = f"Of the {possible} smoothing forms that the data allow {criterion} prefers {name}."
        return f"{said} {form_words(form, y, own, series)}"

    def _equation(self, plan: ChosenPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The recursion of the form chosen with its numbers."""
        members = _stored_forms(plan, row)
        text = form_equation(members[0][1], members[0][2])
        if len(members) > 1:
            text = f"of {len(members)} averaged forms that with most weight ({number(members[0][0], 2)}):\n{text}"
        return text

    def paths(
        self, plan: ChosenPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Paths of the form chosen; of an average each form has its share of them."""
        members = [(weight, partial(form_paths, form, y, own)) for weight, form, own in _stored_forms(plan, row)]
        return shared_paths(members, shocks)

    def _parts(self, plan: ChosenPlan, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
        """Level, slope and season of the form chosen."""
        _, form, own = _stored_forms(plan, row)[0]
        return form_components(form, y, own)


PLAIN = settled(Smoothing.settings)
"""The settings as they are where nothing is said."""


@lru_cache
def _spelled(error_code: float, trend_code: float, season_code: float) -> str:
    """Error, trend and season as settings."""
    error, trend, season = parts_in_words(Form(int(error_code), int(trend_code), int(season_code), 1))
    return f"error={error} trend={trend} season={season}"


def _stored_forms(plan: ChosenPlan, row: FloatArray) -> list[tuple[float, Form, FloatArray]]:
    """Weight, form and row of each form that the row holds."""
    found = []
    for i in range(plan.blocks):
        block = row[i * plan.block : (i + 1) * plan.block]
        if block[0] > 0.0:
            error, trend, season = (int(code) for code in block[1:CODES])
            form = Form(error, trend, season, plan.season_length if season != NONE else 1)
            found.append((float(block[0]), form, block[CODES : CODES + row_size(form)].copy()))
    return found
