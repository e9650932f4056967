"""What a fitted smoothing form says: its coefficients, its parts, its words, its equation."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.smoothing.forms import CONSTANTS, SmoothingPlan, has
from veridex.core.methods.words import memory, signed
from veridex.core.numerics.climb.curvature import observed_errors
from veridex.core.numerics.smoothing import recursion as kernels
from veridex.core.numerics.smoothing.forecasts import smoothing_components
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import constants_at_edge
from veridex.core.periods.seasons import season_name
from veridex.core.readable import number, quantity

__all__ = ["form_coefficients", "form_components", "form_equation", "form_words"]


def form_coefficients(
    plan: SmoothingPlan, form: Form, y: FloatArray, row: FloatArray, series: ItemHistory
) -> Coefficients:
    """Constants, starting level and slope with standard errors; the seasonal starts are not searched and have none.

    The standard errors come from the observed information given the seasonal starts; a constant at the
    edge of its region or stated by the planner has none.
    """
    count = kernels.STARTS
    states, fitted = np.empty(2 + form.m), np.empty(y.size)

    def log_likelihood(head: FloatArray) -> float:
        trial = row.copy()
        trial[:count] = head
        total, logs, known = kernels.recursion(y, *form, trial, states, fitted)
        return -0.5 * known * math.log(total) - logs if 0 < total < math.inf else -math.inf

    searched = np.isnan(plan.fixed) & np.array(has(form))
    inside = searched & ~constants_at_edge(row, plan.region)
    free = np.concatenate((inside, [True, form.trend != kernels.NONE]))
    size = math.sqrt(row[-1]) * (abs(row[4]) if form.error == kernels.MULTIPLICATIVE else 1.0)
    scales = np.array([0.1, 0.1, 0.1, 0.02, size, size / max(y.size, 2)])
    errors = observed_errors(log_likelihood, row[:count], free, scales)

    shown = [j for j, one in enumerate((*has(form), True, form.trend != kernels.NONE)) if one]
    names = (*CONSTANTS, "starting level", "starting slope")
    first = series.start + len(series) - y.size
    seasons = [f"start {series.phase_name(first + j)}" for j in range(form.m)] if form.season != kernels.NONE else []
    return Coefficients(
        tuple(names[j] for j in shown) + tuple(seasons),
        np.concatenate((row[shown], row[count:-1] if seasons else [])),
        np.concatenate((errors[shown], np.full(len(seasons), np.nan))),
        memory=frozenset(CONSTANTS),
        at_edge=frozenset(names[j] for j in np.flatnonzero(searched & ~inside)),
    )


def form_components(form: Form, y: FloatArray, row: FloatArray) -> dict[str, FloatArray]:
    """Level, slope and season after each period, as far as the form has them."""
    parts = np.empty((3, y.size))
    smoothing_components(y, *form, row, parts)
    found = {"level": parts[0]}
    if form.trend != kernels.NONE:
        found["slope"] = parts[1]
    if form.season != kernels.NONE:
        found[season_name(form.m)] = parts[2]
    return found


def form_words(form: Form, y: FloatArray, row: FloatArray, series: ItemHistory) -> str:
    """Say how fast level, trend and season move."""
    states, fitted = np.empty(2 + form.m), np.empty(y.size)
    kernels.recursion(y, *form, row, states, fitted)
    parts = [f"A level is carried forward, now {quantity(states[0], series.unit)}; {memory(row[0], series.cadence)}."]
    if form.trend != kernels.NONE:
        parts.append(_trend_words(float(states[1]), row, series))
    if form.season != kernels.NONE:
        parts.append(_season_words(form, states[2:], row[2], series, series.start + len(series) - y.size))
    else:
        parts.append("No season is seen." if form.trend != kernels.NONE else "No trend and no season is seen.")
    if form.error == kernels.MULTIPLICATIVE:
        parts.append(f"Errors grow with the level: {number(100 * math.sqrt(row[-1]), 2)} % of it.")
    return " ".join(parts)


def _trend_words(slope: float, row: FloatArray, series: ItemHistory) -> str:
    noun = series.cadence.noun
    way = "rises" if slope >= 0 else "falls"
    fades = f" (fading by {number(100 * (1 - row[3]), 2)} % each {noun})" if row[3] < 1 else ""
    moves = "which hardly changes" if row[1] < 0.01 else f"which takes up {number(row[1], 2)} of each change of level"
    return f"It {way} by {quantity(abs(slope), series.unit)} a {noun}{fades}, {moves}."


def _season_words(form: Form, s: FloatArray, gamma: float, series: ItemHistory, first: int) -> str:
    top, bottom = int(s.argmax()), int(s.argmin())
    top_name, bottom_name = series.phase_name(first + top), series.phase_name(first + bottom)
    if form.season == kernels.ADDITIVE:
        high = f"{quantity(s[top], series.unit)} above the level in {top_name}"
        low = f"{quantity(-s[bottom], series.unit)} below it in {bottom_name}"
    else:
        high, low = f"{number(s[top], 3)} times the level in {top_name}", f"{number(s[bottom], 3)} in {bottom_name}"
    change = "hardly changes" if gamma < 0.01 else f"moves by {number(gamma, 2)} of what each new season shows"
    return f"The season reaches from {high} to {low}, and {change}."


def form_equation(form: Form, row: FloatArray) -> str:
    """The recursion with its numbers, a line per state."""
    alpha, gamma, phi = row[0], row[2], row[3]
    base, tail = "level[t-1]", ""
    if form.trend != kernels.NONE:
        tail = " + slope[t-1]" if phi == 1 else f" + {number(phi)} slope[t-1]"
    base += tail
    multiplicative = form.season == kernels.MULTIPLICATIVE
    season, per_level, per_season = f"season[t-{form.m}]", "", ""
    forecast = base
    if form.season == kernels.ADDITIVE:
        forecast = f"{base} + {season}"
    elif multiplicative:
        forecast = f"({base}) {season}" if tail else f"{base} {season}"
        per_level, per_season = f" / {season}", f" / ({base})" if tail else f" / {base}"
    lines = [f"forecast[t] = {forecast}", f"level[t] = {base}{signed(alpha)} error[t]{per_level}"]
    if form.trend != kernels.NONE:
        lines.append(f"slope[t] ={tail.removeprefix(' +')}{signed(alpha * row[1])} error[t]{per_level}")
    if form.season != kernels.NONE:
        lines.append(f"season[t] = {season}{signed(gamma)} error[t]{per_season}")
    spread = number(math.sqrt(row[-1]))
    if form.error == kernels.MULTIPLICATIVE:
        lines.append(f"error[t] = y[t] - forecast[t], its standard deviation {spread} forecast[t]")
    else:
        lines.append(f"error[t] = y[t] - forecast[t], its standard deviation {spread}")
    return "\n".join(lines)
