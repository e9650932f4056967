"""Smoothing forms over all folds of an item: fit one form from each origin, or choose among several, in one call."""

import math
from typing import NamedTuple

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.methods.fold.criteria import criterion_of
from veridex.core.methods.fold.folds import Folds
from veridex.core.methods.fold.plan import STATS, put_estimated
from veridex.core.methods.fold.status import Status
from veridex.core.numerics.compiled import copy_into, inlined, kernel
from veridex.core.numerics.plain import told
from veridex.core.numerics.smoothing.forecasts import replay_smoothing
from veridex.core.numerics.smoothing.recursion import MULTIPLICATIVE, NONE, STARTS, Form
from veridex.core.numerics.smoothing.region import Asked
from veridex.core.numerics.smoothing.search import NO_FIT as NOTHING_FOUND
from veridex.core.numerics.smoothing.search import NOT_CONVERGED as STOPPED
from veridex.core.numerics.smoothing.search import estimate_smoothing

__all__ = ["CODES", "Fits", "Forms", "fit_forms", "hindrance", "roll_forms", "worth"]

CODES = 4
"""The part of a row that a chosen form has begins with its weight, error, trend and season."""

DONE, NOT_CONVERGED = int(Status.DONE), int(Status.NOT_CONVERGED)
NO_FIT, NO_SEASON, TOO_SHORT = int(Status.NO_FIT), int(Status.NO_SEASON), int(Status.TOO_SHORT)
NOT_POSITIVE, CONSTANT = int(Status.NOT_POSITIVE), int(Status.CONSTANT)


class Forms(NamedTuple):
    """Forms that may be fitted, in the order tried.

    Attributes
    ----------
    codes : ndarray of int, shape (F, 4)
        Error, trend, season and its length; see `Form`.
    least, estimated : ndarray of int, shape (F,)
        Known periods that each needs, quantities that it estimates.
    asked : Asked
    """

    codes: IntArray
    least: IntArray
    estimated: IntArray
    asked: Asked


class Fits(NamedTuple):
    """What came of fitting them: parameters, as long as the longest row; stats; how each ended."""

    rows: FloatArray
    stats: FloatArray
    status: IntArray

    @classmethod
    def of(cls, forms: Forms) -> "Fits":
        """Room for the fits of these forms."""
        count, size = forms.least.size, STARTS + int(forms.codes[:, 3].max()) + 1
        return cls(np.empty((count, size)), np.empty((count, STATS)), np.empty(count, dtype=np.int64))


@kernel
def hindrance(y: FloatArray, form: Form, least: int) -> int:
    """Why a form cannot be fitted to these values; DONE where it can."""
    known, lowest, highest = told(y)
    if form.season != NONE and form.m < 2:
        return NO_SEASON
    if known < least or y.size < (2 * form.m if form.season != NONE else 3):
        return TOO_SHORT
    if form.error == MULTIPLICATIVE and not lowest > 0.0:
        return NOT_POSITIVE
    return CONSTANT if lowest == highest else DONE


@inlined
def _fit(
    y: FloatArray, form: Form, least: int, asked: Asked, warm: FloatArray, row: FloatArray, stats: FloatArray
) -> int:
    """Estimate a form by maximum likelihood, unless something stands in the way."""
    hindered = hindrance(y, form, least)
    if hindered != DONE:
        return hindered
    ended = estimate_smoothing(y, form, asked, warm, row, stats)
    if ended == NOTHING_FOUND:
        return NO_FIT
    return NOT_CONVERGED if ended == STOPPED else DONE


@inlined
def fit_forms(y: FloatArray, forms: Forms, only: int, warm: FloatArray, fits: Fits) -> None:
    """Fit every form that nothing stands in the way of, or `only` one, each from its part of what is remembered."""
    at = 0
    for i in range(forms.least.size):
        form = Form(forms.codes[i, 0], forms.codes[i, 1], forms.codes[i, 2], forms.codes[i, 3])
        size = STARTS + form.m + 1
        fits.rows[i] = np.nan
        fits.stats[i] = np.nan
        fits.status[i] = DONE
        if only < 0 or i == only:
            row, stats = fits.rows[i, :size], fits.stats[i]
            fits.status[i] = _fit(y, form, forms.least[i], forms.asked, warm[at : at + size], row, stats)
        at += size


@kernel
def worth(forms: Forms, fits: Fits, criterion: int, seasonal: bool, values: FloatArray) -> bool:
    """The criterion of each form, infinite where it cannot be chosen; whether there is one that can.

    Where the history shows a season, forms without one are chosen only if no other could be fitted. A criterion below
    zero asks for none: whatever could be fitted can be chosen.
    """
    some, with_season = False, False
    for i in range(values.size):
        values[i] = criterion_of(fits.stats[i], criterion) if criterion >= 0 else 0.0
        if math.isfinite(values[i]) and fits.status[i] <= 0 and not math.isnan(fits.rows[i, 0]):
            some = True
            with_season = with_season or forms.codes[i, 2] != NONE
        else:
            values[i] = np.inf
    for i in range(values.size):
        if seasonal and with_season and forms.codes[i, 2] == NONE:
            values[i] = np.inf
    return some


@inlined
def _ahead(y: FloatArray, form: Form, row: FloatArray, estimated: int, folds: Folds, o: int) -> None:
    """Forecast from the end of a fold, and set the law."""
    points, std_error = folds.points[o], folds.std_error[o]
    fitted = folds.fitted[folds.ends[o] : folds.ends[o + 1]]
    replay_smoothing(y, form.error, form.trend, form.season, form.m, row, fitted, points, std_error)
    put_estimated(folds.law[o], points, std_error, told(y)[0], estimated, True)


@kernel
def roll_forms(
    folds: Folds, forms: Forms, fits: Fits, criterion: int, seasonal: BoolArray, head: int, warm: FloatArray
) -> None:
    """Choose a form by its criterion from every origin, or keep the one that was chosen before, and forecast.

    `head` entries of a row come before the form's own: CODES, or none where there is one form, which is not searched.
    With codes `warm` begins with whether there was a search and the number, from one, of the form that it preferred;
    the optima of all forms follow.
    """
    values, memory = np.empty(forms.least.size), warm[2:] if head > 0 else warm
    for o in range(folds.status.size):
        if folds.status[o] > 0:
            continue
        y = folds.values[folds.ends[o] : folds.ends[o + 1]]
        if folds.anew[o] and values.size > 1:
            warm[0] = 0.0
        only = int(warm[1]) - 1 if head > 0 and warm[0] == 1.0 else -1
        some = False
        for _ in range(1 if only < 0 else 2):  # where the form that was kept cannot be fitted, all are
            fit_forms(y, forms, only, memory, fits)
            some = worth(forms, fits, criterion, only < 0 and seasonal[o], values)
            if some:
                break
            only = -1
        if not some:
            folds.status[o] = _reason(fits.status)
            continue
        best = 0
        for i in range(1, values.size):
            if values[i] < values[best]:
                best = i
        form = Form(forms.codes[best, 0], forms.codes[best, 1], forms.codes[best, 2], forms.codes[best, 3])
        row = folds.rows[o]
        row[:] = 0.0
        if head > 0:
            row[0], row[1], row[2], row[3] = 1.0, form.error, form.trend, form.season
            warm[0], warm[1] = 1.0, 1.0 + best
        own = row[head : head + STARTS + form.m + 1]
        copy_into(own, fits.rows[best])
        copy_into(folds.stats[o], fits.stats[best])
        folds.status[o] = fits.status[best]
        _ahead(y, form, own, forms.estimated[best], folds, o)


@kernel
def _reason(status: IntArray) -> int:
    """The first of the reasons why no form could be fitted."""
    least = 0
    for i in range(status.size):
        if status[i] > 0 and (least == 0 or status[i] < least):
            least = status[i]
    return least if least > 0 else TOO_SHORT
