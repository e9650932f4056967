"""One smoothing form on plain arrays: estimate it, forecast with it, say what can be fitted at all.

The families in `smoothing` (named forms) and `smoothing_chosen` (the form searched) are built on this.
"""

import math
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import PIECES, drawn
from veridex.core.methods.fold.plan import Plan, Rows
from veridex.core.methods.fold.settings import Setting, Value, choice, number
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.plain import told
from veridex.core.numerics.smoothing import recursion as kernels
from veridex.core.numerics.smoothing.forecasts import replay_smoothing, simulate_smoothing
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import ALL_ESTIMATED, LEVEL_ESTIMATED, NONE_ESTIMATED, SHARES, STABLE, Asked
from veridex.core.numerics.smoothing.search import DONE, NO_FIT, estimate_smoothing
from veridex.core.numerics.smoothing.uncertainty import draw_rows
from veridex.errors import SettingError

__all__ = [
    "CONSTANTS",
    "ERRORS",
    "SEASONS",
    "TRENDS",
    "SmoothingPlan",
    "check_constants",
    "common_settings",
    "constants_of",
    "domain",
    "estimate",
    "form_paths",
    "obstacle",
    "replay",
    "row_size",
    "smoothing_words",
]

CONSTANTS = ("alpha", "beta", "gamma", "phi")

ERRORS = {"additive": kernels.ADDITIVE, "multiplicative": kernels.MULTIPLICATIVE}
TRENDS = {"none": kernels.NONE, "additive": kernels.ADDITIVE, "damped": kernels.DAMPED}
SEASONS = {"none": kernels.NONE, "additive": kernels.ADDITIVE, "multiplicative": kernels.MULTIPLICATIVE}
REGIONS = {"shares": SHARES, "stable": STABLE}
STARTS = {"none": NONE_ESTIMATED, "level": LEVEL_ESTIMATED, "all": ALL_ESTIMATED}

PATHS = 5000


@dataclass(frozen=True, slots=True)
class SmoothingPlan(Plan):
    """Forms to fit, in the order tried, and how.

    Attributes
    ----------
    forms : tuple of Form
    least, estimated : mapping of Form to int
        Known periods that each form needs, and quantities that it estimates.
    region, starts : int
        As the kernels count them.
    intervals : str
    fixed : ndarray, shape (4,)
        Constants that are stated, NaN where they are estimated.
    """

    forms: tuple[Form, ...] = ()
    least: Mapping[Form, int] = field(default_factory=dict, repr=False)
    estimated: Mapping[Form, int] = field(default_factory=dict, repr=False)
    region: int = SHARES
    starts: int = LEVEL_ESTIMATED
    intervals: str = "model"
    fixed: FloatArray = field(default_factory=lambda: np.full(4, np.nan), repr=False)


def common_settings(*constants: str) -> tuple[Setting, ...]:
    """Settings of every smoothing method, after the constants it has."""
    return (
        *(number(name, 0.0, 2.0 if name in ("alpha", "gamma") else 1.0) for name in constants),
        choice("constants", *REGIONS, default="shares"),
        choice("estimate_starts", *STARTS, default="level"),
        choice("intervals", "model", "simulated", "with-estimation", default="model"),
    )


def constants_of(settings: Mapping[str, Any]) -> FloatArray:
    """The constants stated, NaN where they are to be estimated."""
    return np.array([math.nan if settings.get(key) is None else settings[key] for key in CONSTANTS])


def smoothing_words(settings: Mapping[str, Any], forms: Sequence[Form]) -> dict[str, Any]:
    """What forms and the common settings mean to a plan."""
    fixed = constants_of(settings)
    return {
        "forms": tuple(forms),
        "least": {form: _fewest(fixed, form) for form in forms},
        "estimated": {form: _estimated(fixed, form) for form in forms},
        "region": REGIONS[settings["constants"]],
        "starts": STARTS[settings["estimate_starts"]],
        "intervals": settings["intervals"],
        "components": 1 if settings["intervals"] == "model" else PIECES,
        "fixed": fixed,
    }


def check_constants(name: str, settings: Mapping[str, Value]) -> None:
    """Refuse constants outside the region."""
    if settings.get("constants") == "stable":
        return
    alpha, gamma = settings.get("alpha"), settings.get("gamma")
    for key, value in (("alpha", alpha), ("gamma", gamma)):
        if isinstance(value, (int, float)) and value > 1:
            raise SettingError(name, f"{key} must be a number from 0 to 1, got {value}; or add constants=stable")
    if isinstance(alpha, (int, float)) and isinstance(gamma, (int, float)) and gamma > 1 - alpha:
        raise SettingError(name, f"gamma may be at most 1 - alpha = {1 - alpha:g}, got {gamma:g}")


def row_size(form: Form) -> int:
    """Length of a form's parameter row."""
    return kernels.STARTS + form.m + 1


def has(form: Form) -> tuple[bool, bool, bool, bool]:
    """Which of alpha, beta, gamma, phi a form has."""
    return True, form.trend != kernels.NONE, form.season != kernels.NONE, form.trend == kernels.DAMPED


def _fewest(fixed: FloatArray, form: Form) -> int:
    """Known values: one more than the quantities to be estimated, and two seasons where there is a season."""
    return max(_estimated(fixed, form) + 1, _span(form))


def _estimated(fixed: FloatArray, form: Form) -> int:
    """Constants and starting values that are estimated."""
    free = sum(one and math.isnan(value) for one, value in zip(has(form), fixed.tolist(), strict=True))
    return free + 1 + (form.trend != kernels.NONE) + (form.m - 1 if form.season != kernels.NONE else 0)


def _span(form: Form) -> int:
    return 2 * form.m if form.season != kernels.NONE else 3


def domain(form: Form, y: FloatArray) -> Status:
    """Whether demand is where the form lives: above zero, where errors or seasons multiply."""
    if form.error == kernels.MULTIPLICATIVE and not told(y)[1] > 0.0:
        return Status.NOT_POSITIVE
    return Status.DONE


def obstacle(plan: SmoothingPlan, form: Form, y: FloatArray) -> Status:
    """Why a form cannot be fitted to these values; DONE where it can."""
    known, lowest, highest = told(y)
    if form.season != kernels.NONE and form.m < 2:
        return Status.NO_SEASON
    if known < plan.least[form] or y.size < _span(form):
        return Status.TOO_SHORT
    if form.error == kernels.MULTIPLICATIVE and not lowest > 0.0:
        return Status.NOT_POSITIVE
    return Status.CONSTANT if lowest == highest else Status.DONE


def estimate(
    plan: SmoothingPlan, form: Form, y: FloatArray, warm: FloatArray, row: FloatArray, stats: FloatArray
) -> Status:
    """Estimate a form that nothing stands in the way of."""
    ended = estimate_smoothing(y, form, Asked(plan.region, plan.starts, plan.fixed), warm, row, stats)
    if ended == NO_FIT:
        return Status.NO_FIT
    return Status.DONE if ended == DONE else Status.NOT_CONVERGED


def replay(plan: SmoothingPlan, form: Form, y: FloatArray, row: FloatArray, out: Rows) -> Status:
    """Run a form with given parameters, forecast, and put bounds around the points; say where those are others."""
    replay_smoothing(y, *form, row, out.fitted, out.points, out.std_error)
    out.say_estimated(told(y)[0], plan.estimated[form])
    if plan.intervals == "model":
        return Status.DONE
    # The same span gives the same shocks, whoever computes it.
    rng = np.random.default_rng(np.random.SeedSequence([0, zlib.crc32(y.tobytes())]))
    estimated = plan.intervals == "with-estimation"
    rows = draw_rows(y, form, plan.region, plan.fixed, row, PATHS, rng) if estimated else row[None, :]
    paths = np.empty((PATHS, plan.horizon))
    simulate_smoothing(y, *form, rows, rng.standard_normal(paths.shape), paths)
    return Status.DONE if _fill_from_paths(paths, out) else Status.MODEL_INTERVALS


def form_paths(form: Form, y: FloatArray, row: FloatArray, shocks: FloatArray) -> FloatArray:
    """Simulated demand after the end of `y` from standard normal shocks, both of shape (paths, horizon)."""
    paths = np.empty(shocks.shape)
    simulate_smoothing(y, *form, row[None, :].copy(), np.ascontiguousarray(shocks), paths)
    return paths


def _fill_from_paths(paths: FloatArray, out: Rows) -> bool:
    """Standard errors and law from simulated paths; those that broke off are left out, unless most of them did."""
    whole = paths[np.isfinite(paths).all(axis=1)]
    if whole.shape[0] < PATHS // 2:
        return False
    out.std_error[:] = whole.std(axis=0)
    drawn(out.law, whole)
    return True
