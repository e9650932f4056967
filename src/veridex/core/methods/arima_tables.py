"""What a fitted ARIMA model says: its coefficients, its words, its equation."""

import numpy as np

from veridex.core.history.item import ItemHistory
from veridex.core.methods.arima_fit import PILED_UP, blocks, held, largest_partial, orders_of, size_of
from veridex.core.methods.contract import Coefficients, FloatArray
from veridex.core.methods.words import number, quantity, signed
from veridex.core.numerics.arima_search import arima_log_likelihood
from veridex.core.numerics.curvature import observed_covariance

__all__ = ["arima_coefficients", "arima_covariance", "arima_equation", "arima_words"]


def arima_covariance(y: FloatArray, row: FloatArray) -> FloatArray:
    """Covariance of coefficients and constant from the observed information; NaN where held or at an edge."""
    o = orders_of(row)
    k = size_of(o)
    point = held(row)[: k + 1].copy()

    def log_likelihood(at: FloatArray) -> float:
        return float(arima_log_likelihood(y, o, at))

    # Near a unit root the likelihood bends within a hundredth.
    scales = np.full(k + 1, 0.1)
    scales[k] = np.sqrt(held(row)[-1])
    free = point != 0.0
    free[k] = bool(o.constant)
    at = 0
    for block, sign in zip(blocks(o, point), (1.0, -1.0, 1.0, -1.0), strict=True):
        if largest_partial(sign * block) > PILED_UP:
            free[at : at + block.size] = False
        at += block.size
    return observed_covariance(log_likelihood, point, free, scales)


def arima_coefficients(y: FloatArray, row: FloatArray) -> Coefficients:
    """Estimates with standard errors from the observed information; a polynomial at its edge has none."""
    o = orders_of(row)
    k = size_of(o)
    point, errors = held(row)[: k + 1].copy(), np.sqrt(np.diag(arima_covariance(y, row)))
    names = [
        f"{kind}{i + 1}"
        for kind, size in zip(("ar", "ma", "sar", "sma"), (o.p, o.q, o.P, o.Q), strict=True)
        for i in range(size)
    ]
    names.append(("mean", "drift", "curvature")[min(o.d + o.D, 2)])
    shown = [j for j in range(k) if point[j] != 0.0] + ([k] if o.constant else [])
    return Coefficients(tuple(names[j] for j in shown), point[shown], errors[shown])


def arima_words(row: FloatArray, series: ItemHistory) -> str:
    """Say what is differenced, what is remembered, and where forecasts tend."""
    o, noun, unit = orders_of(row), series.cadence.noun, series.unit
    phi, theta, seasonal_phi, seasonal_theta = blocks(o, held(row))
    constant = float(held(row)[-2])
    parts = [f"The model describes {_described(o.d, o.D, noun, series.cadence.length(o.m))}."]
    if o.p and (phi == 0.0).any():
        parts.append(f"It carries over {_with_lags(phi)} {series.cadence.plural} before.")
    elif o.p:
        values = " and ".join(number(float(value), 3) for value in phi)
        parts.append(f"It carries over {values} of what the last {series.cadence.length(o.p)} showed.")
    if o.q and (theta == 0.0).any():
        parts.append(f"It corrects by {_with_lags(theta)} {series.cadence.plural} before.")
    elif o.q:
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


def _with_lags(coefficients: FloatArray) -> str:
    kept = [(number(float(value), 3), j + 1) for j, value in enumerate(coefficients) if value != 0.0]
    return " and ".join(f"{value} of {lag}" for value, lag in kept) or "nothing of the"


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
    phi, theta, seasonal_phi, seasonal_theta = blocks(o, held(row))
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
    terms = [f"{signed(float(c))} {power}" for c, power in zip(coefficients, powers, strict=True) if c != 0.0]
    return f"(1{''.join(terms)})" if terms else ""
