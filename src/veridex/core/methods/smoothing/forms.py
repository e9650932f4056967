"""One smoothing form on plain arrays: estimate it, forecast with it, say what can be fitted at all.

The families in `smoothing` (named forms) and `smoothing_chosen` (the form searched) are built on this.
"""

import math
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from types import MappingProxyType
from typing import Any

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.laws.components import PIECES, drawn
from veridex.core.methods.fold.plan import Plan, Rows
from veridex.core.methods.fold.settings import Setting, Value, choice, number
from veridex.core.methods.fold.status import Status
from veridex.core.methods.smoothing.rolled import Forms
from veridex.core.numerics.plain import told
from veridex.core.numerics.smoothing import recursion as kernels
from veridex.core.numerics.smoothing.forecasts import replay_smoothing, simulate_smoothing
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import ALL_ESTIMATED, LEVEL_ESTIMATED, NONE_ESTIMATED, SHARES, STABLE, Asked
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
    "form_paths",
    "replay",
    "row_size",
    "simulated",
    "smoothing_words",
]

CONSTANTS = ("alpha", "beta", "gamma", "phi")

ERRORS = {"additive": kernels.ADDITIVE, "multiplicative": kernels.MULTIPLICATIVE}
TRENDS = {"none": kernels.NONE, "additive": kernels.ADDITIVE, "damped": kernels.DAMPED}
SEASONS = {"none": kernels.NONE, "additive": kernels.ADDITIVE, "multiplicative": kernels.MULTIPLICATIVE}
REGIONS = {"shares": SHARES, "stable": STABLE}
STARTS = {"none": NONE_ESTIMATED, "level": LEVEL_ESTIMATED, "all": ALL_ESTIMATED}

PATHS = 5000


@dataclass(frozen=True, slots=True, kw_only=True)
class SmoothingPlan(Plan):
    """Forms to fit, in the order tried, and how.

    Attributes
    ----------
    forms : tuple of Form
    least, estimated : mapping of Form to int
        Known periods that each form needs, and quantities that it estimates.
    intervals : str
    wanted : Forms
        The same as the kernels take it.
    """

    forms: tuple[Form, ...]
    least: Mapping[Form, int] = field(repr=False)
    estimated: Mapping[Form, int] = field(repr=False)
    intervals: str
    wanted: Forms = field(repr=False)

    @property
    def region(self) -> int:
        """Where constants are sought, as the kernels count it."""
        return self.wanted.asked.region

    @property
    def fixed(self) -> FloatArray:
        """Constants that are stated, NaN where they are estimated, shape (4,)."""
        return self.wanted.asked.fixed


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
    intervals, stated = settings["intervals"], tuple(settings.get(key) for key in CONSTANTS)
    own = _wanted(tuple(forms), stated, REGIONS[settings["constants"]], STARTS[settings["estimate_starts"]])
    return {**own, "intervals": intervals, "components": 1 if intervals == "model" else PIECES}


@lru_cache(maxsize=256)
def _wanted(forms: tuple[Form, ...], stated: tuple[float | None, ...], region: int, starts: int) -> Mapping[str, Any]:
    """Forms, what each needs, and all of it as the kernels take it: the same for every item."""
    fixed = constants_of(dict(zip(CONSTANTS, stated, strict=True)))
    least, estimated = {form: _fewest(fixed, form) for form in forms}, {form: _estimated(fixed, form) for form in forms}
    wanted = Forms(
        codes=np.array(forms, dtype=np.int64),
        least=np.array(list(least.values()), dtype=np.int64),
        estimated=np.array(list(estimated.values()), dtype=np.int64),
        asked=Asked(region, starts, fixed),
    )
    return MappingProxyType({"forms": forms, "least": least, "estimated": estimated, "wanted": wanted})


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


def replay(plan: SmoothingPlan, form: Form, y: FloatArray, row: FloatArray, out: Rows) -> Status:
    """Run a form with given parameters, forecast, and put bounds around the points; say where those are others."""
    replay_smoothing(y, *form, row, out.fitted, out.points, out.std_error)
    out.say_estimated(told(y)[0], plan.estimated[form])
    return simulated(plan, form, Status.DONE, y, row, out)


def simulated(plan: SmoothingPlan, form: Form, status: int, y: FloatArray, row: FloatArray, out: Rows) -> Status:
    """Put bounds from simulated paths around the forecasts of a fold that ended so, where they are asked for."""
    if plan.intervals == "model" or status > Status.DONE:
        return Status(status)
    # The same span gives the same shocks, whoever computes it.
    rng = np.random.default_rng(np.random.SeedSequence([0, zlib.crc32(y.tobytes())]))
    estimated = plan.intervals == "with-estimation"
    rows = draw_rows(y, form, plan.region, plan.fixed, row, PATHS, rng) if estimated else row[None, :]
    paths = np.empty((PATHS, plan.horizon))
    simulate_smoothing(y, *form, rows, rng.standard_normal(paths.shape), paths)
    remark = Status.DONE if _fill_from_paths(paths, out) else Status.MODEL_INTERVALS
    return remark if status == Status.DONE else Status(status)


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
