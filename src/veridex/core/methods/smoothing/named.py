"""Exponential smoothing under its usual names: simple, Holt's, and Holt-Winters."""

from abc import abstractmethod
from collections.abc import Mapping
from typing import Any

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.family import RolledFamily
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.methods.fold.settings import Value, choice, yes_no
from veridex.core.methods.fold.status import Status
from veridex.core.methods.smoothing.forms import (
    ERRORS,
    SEASONS,
    SmoothingPlan,
    check_constants,
    common_settings,
    domain,
    form_paths,
    replay,
    row_size,
    simulated,
    smoothing_words,
)
from veridex.core.methods.smoothing.rolled import Fits, roll_forms
from veridex.core.methods.smoothing.tables import form_coefficients, form_components, form_equation, form_words
from veridex.core.numerics.smoothing.recursion import ADDITIVE, DAMPED, MULTIPLICATIVE, NONE, Form
from veridex.errors import SettingError

__all__ = ["Holt", "HoltWinters", "SimpleSmoothing"]


class _NamedForm(RolledFamily[SmoothingPlan]):
    """A smoothing form with a name of its own."""

    @abstractmethod
    def _form(self, settings: Mapping[str, Any], season_length: int) -> Form:
        """The form that the settings ask for."""

    def plan(self, settings: Mapping[str, Any], sizes: Sizes) -> SmoothingPlan:
        """Row: the constants, the starting states, the variance."""
        form = self._form(settings, sizes.season_length)
        size = row_size(form)
        words = smoothing_words(settings, (form,))
        needs = f"{words['least'][form]} known periods"
        return SmoothingPlan(sizes, row_size=size, warm_size=size, needs=needs, **words)

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse constants outside the region, and phi without damping."""
        if settings.get("phi") is not None and not settings["damped"]:
            raise SettingError(self.name, "phi damps the trend; add damped=yes")
        check_constants(self.name, settings)

    def rolls(self, plan: SmoothingPlan) -> bool:
        """Simulated intervals are drawn fold by fold."""
        return plan.intervals == "model"

    def _roll(self, plan: SmoothingPlan, folds: Folds, warm: FloatArray) -> None:
        """Estimate constants and starting values by maximum likelihood, and forecast."""
        roll_forms(folds, plan.wanted, Fits.of(plan.wanted), -1, folds.anew, 0, warm)

    def run(self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, warm: FloatArray, out: Rows) -> int:
        """The same from a single origin, with intervals by simulation where they are asked for."""
        return simulated(plan, plan.forms[0], super().run(plan, y, x, warm, out), y, out.row, out)

    def domain(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray | None) -> Status:
        """Above zero, where errors multiply; before a run this is one of several obstacles, told in their order."""
        return Status.DONE if row is None else domain(plan.forms[0], y)

    def replay(self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, out: Rows) -> int:
        """Run the recursion with given constants and starts, and forecast."""
        return replay(plan, plan.forms[0], y, out.row, out)

    def _variance(self, plan: SmoothingPlan, row: FloatArray) -> float:
        """Variance of the one-step errors (relative ones where they are multiplicative)."""
        return float(row[-1])

    def _relative(self, plan: SmoothingPlan, row: FloatArray) -> bool:
        """Where errors multiply."""
        return plan.forms[0].error == MULTIPLICATIVE

    def _coefficients(
        self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, series: ItemHistory
    ) -> Coefficients:
        """Constants, starting level and slope with standard errors, starting season."""
        return form_coefficients(plan, plan.forms[0], y, row, series)

    def _words(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """Say how fast level, trend and season move."""
        return form_words(plan.forms[0], y, row, series)

    def _equation(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
        """The recursion with its numbers."""
        return form_equation(plan.forms[0], row)

    def paths(
        self, plan: SmoothingPlan, y: FloatArray, x: FloatArray | None, row: FloatArray, shocks: FloatArray
    ) -> FloatArray:
        """Paths of the recursion."""
        return form_paths(plan.forms[0], y, row, shocks)

    def _parts(self, plan: SmoothingPlan, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
        """Level, trend and season after each period."""
        return form_components(plan.forms[0], y, row)


class SimpleSmoothing(_NamedForm):
    """A level that follows demand by a constant share of each one-step error; no trend, no season.

    The innovations state-space model with additive errors, or with ``error=multiplicative`` errors that grow with
    the level (Hyndman, Koehler, Ord and Snyder, 2008, section 2.3 and 6.2), estimated by maximum likelihood with its
    starting level. Standard error at lead h: ``sigma sqrt(1 + (h - 1) alpha^2)``; sigma^2 is the squared errors'
    sum over n less the estimated quantities. Normal bounds, given the parameters.
    """

    name = "simple-smoothing"
    settings = (choice("error", *ERRORS, default="additive"), *common_settings("alpha"))

    def _form(self, settings: Mapping[str, Any], season_length: int) -> Form:
        return Form(ERRORS[settings["error"]], NONE, NONE, 1)


class Holt(_NamedForm):
    """Level and trend, each following demand at its own speed; no season.

    beta is Holt's constant, the share of the newest change of level that enters the slope; ``damped=yes`` lets the
    trend fade by phi each period. Errors are additive or multiplicative (Hyndman, Koehler, Ord and Snyder, 2008,
    section 2.3). Standard errors are closed forms (section 6.2), given the parameters; normal bounds.
    """

    name = "holt"
    settings = (
        yes_no("damped"),
        choice("error", *ERRORS, default="additive"),
        *common_settings("alpha", "beta", "phi"),
    )

    def _form(self, settings: Mapping[str, Any], season_length: int) -> Form:
        return Form(ERRORS[settings["error"]], DAMPED if settings["damped"] else ADDITIVE, NONE, 1)


class HoltWinters(_NamedForm):
    """Level, trend and season, each following demand at its own speed.

    ``season=additive``: additive errors unless stated otherwise. ``season=multiplicative``: multiplicative errors
    always; additive errors with a multiplicative season are unstable and have no closed variance (models of
    Hyndman, Koehler, Ord and Snyder, 2008, sections 2.3 and 6.3). Constants: alpha for the level; beta, Holt's share
    of the newest change of level that enters the slope; gamma for the season, at most 1 - alpha; phi damps the trend
    with ``damped=yes``. The season is corrected against the level before the new value (the error-correction form).
    Standard errors are closed forms (additive season) and the exact second moments (multiplicative season), given
    the parameters; normal bounds.
    """

    name = "holt-winters"
    seasons = "taken out"
    settings = (
        choice("season", "additive", "multiplicative", default="additive", spelled=True),
        yes_no("damped"),
        choice("error", *ERRORS),
        *common_settings("alpha", "beta", "gamma", "phi"),
    )

    def check(self, settings: Mapping[str, Value]) -> None:
        """Refuse a multiplicative season with additive errors, and what no form takes."""
        if settings["season"] == "multiplicative" and settings.get("error") == "additive":
            raise SettingError(self.name, "a multiplicative season needs multiplicative errors; leave error out")
        super().check(settings)

    def _form(self, settings: Mapping[str, Any], season_length: int) -> Form:
        error = settings.get("error") or settings["season"]
        trend = DAMPED if settings["damped"] else ADDITIVE
        return Form(ERRORS[error], trend, SEASONS[settings["season"]], season_length)
