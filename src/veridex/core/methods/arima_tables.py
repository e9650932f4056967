"""What a fitted ARIMA model says: its coefficients, its words, its equation."""

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.arima_fit import held, orders_of, size_of
from veridex.core.methods.contract import Coefficients, FloatArray
from veridex.core.methods.words import number, quantity, signed
from veridex.core.numerics.arima_search import arima_log_likelihood
from veridex.core.numerics.curvature import observed_errors

__all__ = ["arima_coefficients", "arima_equation", "arima_words"]

EDGE = 0.999
"""A lone moving-average coefficient beyond this has piled up at the edge, and has no standard error."""


def _blocks(row: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    o, values = orders_of(row), held(row)
    ends = np.cumsum([o.p, o.q, o.P, o.Q])
    phi, theta, seasonal_phi, seasonal_theta = np.split(values[: ends[-1]], ends[:-1])
    return phi, theta, seasonal_phi, seasonal_theta


def arima_coefficients(y: FloatArray, row: FloatArray) -> Coefficients:
    """Estimates with standard errors from the observed information."""
    o = orders_of(row)
    k = size_of(o)
    point = held(row)[: k + 1].copy()

    def log_likelihood(at: FloatArray) -> float:
        return float(arima_log_likelihood(y, o, at))

    scales = np.ones(k + 1)
    scales[k] = np.sqrt(held(row)[-1])
    free = np.ones(k + 1, dtype=bool)
    free[k] = bool(o.constant)
    at = 0
    for size in (o.p, o.q, o.P, o.Q):
        if size == 1 and abs(point[at]) > EDGE:
            free[at] = False
        at += size
    errors = observed_errors(log_likelihood, point, free, scales)
    names = [
        f"{kind}{i + 1}"
        for kind, size in zip(("ar", "ma", "sar", "sma"), (o.p, o.q, o.P, o.Q), strict=True)
        for i in range(size)
    ]
    if o.constant:
        names.append(("mean", "drift", "curvature")[min(o.d + o.D, 2)])
    return Coefficients(tuple(names), point[: len(names)], errors[: len(names)])


def arima_words(row: FloatArray, series: ItemHistory) -> str:
    """Say what is differenced, what is remembered, and where forecasts tend."""
    o, noun, unit = orders_of(row), series.cadence.noun, series.unit
    phi, theta, seasonal_phi, seasonal_theta = _blocks(row)
    constant = float(held(row)[-2])
    parts = [f"The model describes {_described(o.d, o.D, noun, series.cadence.length(o.m))}."]
    if o.p:
        values = " and ".join(number(float(value), 3) for value in phi)
        parts.append(f"It carries over {values} of what the last {series.cadence.length(o.p)} showed.")
    if o.q:
        values = " and ".join(number(float(value), 3) for value in theta)
        parts.append(f"It corrects by {values} of its last {'error' if o.q == 1 else 'errors'}.")
    if o.P:
        values = " and ".join(number(float(value), 3) for value in seasonal_phi)
        parts.append(f"Of the same season a cycle before it carries over {values}.")
    if o.Q:
        values = " and ".join(number(float(value), 3) for value in seasonal_theta)
        parts.append(f"It corrects by {values} of the errors of the same season.")
    if o.constant and o.d + o.D == 0:
        parts.append(f"Forecasts return to the mean of {quantity(constant, unit)}.")
    elif o.constant:
        parts.append(f"Forecasts tend to a change of {quantity(constant, unit)} {_per(o.d, o.D, noun)}.")
    elif o.d + o.D == 1:
        parts.append(
            "Forecasts settle at a level and stay there." if o.d else "Forecasts repeat the season they end in."
        )
    elif o.d + o.D:
        parts.append("Forecasts go on along the slope they end in.")
    parts.append("A season is seen." if o.P or o.D or o.Q else "No season is seen.")
    return " ".join(parts)


def _described(d: int, seasonal_d: int, noun: str, cycle: str) -> str:
    plain = ("demand itself", f"the change from {noun} to {noun}", "the change of the change")[d]
    if not seasonal_d:
        return plain
    over = f"the change over {cycle}"
    return over if d == 0 else f"{plain} of {over}"


def _per(d: int, seasonal_d: int, noun: str) -> str:
    return f"a {noun}" if d and not seasonal_d else "a cycle" if seasonal_d and not d else f"a {noun} and cycle"


def arima_equation(row: FloatArray) -> str:
    """The difference equation with its numbers, in powers of the backward shift B."""
    o = orders_of(row)
    phi, theta, seasonal_phi, seasonal_theta = _blocks(row)
    constant, variance = held(row)[-2:]
    differences = ("(1 - B)" if o.d == 1 else "(1 - B)^2" if o.d else "") + (f"(1 - B^{o.m})" if o.D else "")
    z = f"{differences} y[t]".strip()
    if o.constant:
        z = f"({z}{signed(-float(constant))})"
    left = _polynomial(-phi, 1) + _polynomial(-seasonal_phi, o.m)
    right = _polynomial(theta, 1) + _polynomial(seasonal_theta, o.m)
    spread = number(float(np.sqrt(variance)))
    return f"{f'{left} {z}'.strip()} = {f'{right} error[t]'.strip()}\nthe standard deviation of an error {spread}"


def _polynomial(coefficients: FloatArray, step: int) -> str:
    if coefficients.size == 0:
        return ""
    powers = [f"B^{step * (j + 1)}" if step * (j + 1) > 1 else "B" for j in range(coefficients.size)]
    terms = [f"{signed(float(value))} {power}" for value, power in zip(coefficients, powers, strict=True)]
    return f"(1{''.join(terms)})"
