"""What a fitted ARIMA model says: its coefficients, its words, its equation."""

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.history.item import ItemHistory
from veridex.core.methods.arima.conditional import conditional_log_likelihood
from veridex.core.methods.arima.fitting import blocks, effects_of, held, orders_of, size_of
from veridex.core.methods.arima.judging import PILED_UP
from veridex.core.methods.arima.plan import ArimaPlan
from veridex.core.methods.arima.rolled import CODES
from veridex.core.methods.fold.account import Coefficients
from veridex.core.methods.fold.labels import POLYNOMIALS, constant_label, lag_label
from veridex.core.methods.words import effect_words, signed
from veridex.core.numerics.arima.arma import largest_partial
from veridex.core.numerics.arima.likelihood import arima_log_likelihood
from veridex.core.numerics.climb.curvature import observed_covariance
from veridex.core.periods.cadence import Cadence
from veridex.core.preparation.regressors import Column
from veridex.core.readable import number, quantity

__all__ = ["arima_coefficients", "arima_covariance", "arima_equation", "arima_words", "season_words"]


def arima_covariance(
    y: FloatArray, row: FloatArray, x: FloatArray | None = None, conditional: bool = False
) -> FloatArray:
    """Covariance of coefficients, effects and constant from the observed information; NaN where held or at an edge.

    Parameters
    ----------
    y : ndarray, shape (n,)
        First and last value known.
    row : ndarray
    x : ndarray, shape (n, r), optional
    conditional : bool
        Whether the estimates minimise the conditional sum of squares.
    """
    o = orders_of(row)
    k, r = size_of(o), int(row[CODES - 1])
    point = held(row)[: k + r + 1].copy()
    likelihood = conditional_log_likelihood if conditional else arima_log_likelihood

    def log_likelihood(at: FloatArray) -> float:
        rest = y if x is None or r == 0 else y - x @ at[k : k + r]
        return float(likelihood(rest, o, np.append(at[:k], at[-1])))

    # Near a unit root the likelihood bends within a hundredth.
    scales = np.full(k + r + 1, 0.1)
    scales[-1] = np.sqrt(held(row)[-1])
    if x is not None and r:
        scales[k:-1] = scales[-1] / np.maximum(np.ptp(x, axis=0), 1e-300)
    free = (point != 0.0) & ~_at_edge(row)
    free[-1] = bool(o.constant)
    return observed_covariance(log_likelihood, point, free, scales)


def _at_edge(row: FloatArray) -> BoolArray:
    """Which of coefficients, effects and constant belong to a polynomial at the edge of its region."""
    o = orders_of(row)
    edge = np.zeros(size_of(o) + int(row[CODES - 1]) + 1, dtype=bool)
    at = 0
    for block, sign in zip(blocks(o, held(row)), (1.0, -1.0, 1.0, -1.0), strict=True):
        edge[at : at + block.size] = largest_partial(sign * block) > PILED_UP
        at += block.size
    return edge


def arima_coefficients(
    y: FloatArray,
    row: FloatArray,
    cadence: Cadence,
    x: FloatArray | None = None,
    columns: tuple[Column, ...] = (),
    conditional: bool = False,
) -> Coefficients:
    """Estimates with standard errors from the observed information; a polynomial at its edge has none."""
    o = orders_of(row)
    k, r = size_of(o), int(row[CODES - 1])
    point, errors = held(row)[: k + r + 1].copy(), np.sqrt(np.diag(arima_covariance(y, row, x, conditional)))
    sizes = zip(POLYNOMIALS, (o.p, o.q, o.P, o.Q), (1, 1, o.m, o.m), strict=True)
    memory = [lag_label(kind, step * (i + 1)) for kind, size, step in sizes for i in range(size)]
    names = [*memory, *(column.name for column in columns), constant_label(o.d, o.D, o.m, cadence)]
    shown = [j for j in range(k + r) if point[j] != 0.0] + [k + r] * o.constant
    return Coefficients(
        tuple(names[j] for j in shown),
        point[shown],
        errors[shown],
        memory=frozenset(memory),
        at_edge=frozenset(names[j] for j in np.flatnonzero(_at_edge(row))),
    )


def arima_words(
    row: FloatArray,
    series: ItemHistory,
    columns: tuple[Column, ...] = (),
    season: str = "",
    *,
    choosing: bool = False,
) -> str:
    """Say what is differenced, what is remembered, what drivers and events do, and where forecasts tend.

    `season` says what its fixed effects are, where it has such.
    """
    o, noun, unit = orders_of(row), series.cadence.noun, series.unit
    phi, theta, seasonal_phi, seasonal_theta = blocks(o, held(row))
    constant = float(held(row)[-2])
    parts = [f"The model describes {_described(o.d, o.D, noun, series.cadence.length(o.m))}."]
    if columns:
        told = effect_words(columns, effects_of(row)[: len(columns)], unit, choosing=choosing)
        parts.append(f"{told} It describes what these leave of demand.")
    if o.p and (phi == 0.0).any():
        parts.append(f"It carries over {_with_lags(phi)} {series.cadence.plural} before.")
    elif o.p:
        values = " and ".join(number(float(value), 3) for value in phi)
        parts.append(f"It carries over {values} of what {series.cadence.last(o.p)} showed.")
    if o.q and (theta == 0.0).any():
        parts.append(f"It corrects by {_with_lags(theta)} {series.cadence.plural} before.")
    elif o.q:
        values = " and ".join(number(float(value), 3) for value in theta)
        parts.append(f"It corrects by {values} of its last {'error' if o.q == 1 else 'errors'}.")
    if o.P:
        values = " and ".join(number(float(value), 3) for value in seasonal_phi)
        parts.append(f"Of the value one season before it carries over {values}.")
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
    parts.append(season or ("A season is seen." if o.P or o.D or o.Q else "No season is seen."))
    return " ".join(parts)


def season_words(plan: ArimaPlan, row: FloatArray, series: ItemHistory, n: int) -> str:
    """Say how far a season of fixed effects swings; empty where it has none."""
    if plan.dummies < 2:
        return ""
    own = effects_of(row)[len(plan.columns) :]
    effects = np.concatenate(([-own.sum()], own))
    first = series.start + len(series) - n
    high, low = (series.phase_name(first + int(at)) for at in (effects.argmax(), effects.argmin()))
    swing = quantity(float(np.ptp(effects)), series.unit)
    return f"A season repeats itself, highest in {high} and lowest in {low}, {swing} apart."


def _with_lags(coefficients: FloatArray) -> str:
    kept = [(number(float(value), 3), j + 1) for j, value in enumerate(coefficients) if value != 0.0]
    return " and ".join(f"{value} of {lag}" for value, lag in kept) or "nothing of the"


def _described(d: int, D: int, noun: str, season_length: str) -> str:
    plain = ("demand itself", f"the change from {noun} to {noun}", "the change of the change")[d]
    if not D:
        return plain
    over = f"the change over {season_length}"
    return over if d == 0 else f"{plain} of {over}"


def _per(d: int, D: int, noun: str) -> str:
    return f"a {noun}" if d and not D else "a season" if D and not d else f"a {noun} and season"


def arima_equation(row: FloatArray, columns: tuple[Column, ...] = (), *, seasonal: bool = False) -> str:
    """The difference equation with its numbers, in powers of the backward shift B."""
    o = orders_of(row)
    phi, theta, seasonal_phi, seasonal_theta = blocks(o, held(row))
    constant, variance = held(row)[-2:]
    differences = ("(1 - B)" if o.d == 1 else "(1 - B)^2" if o.d else "") + (f"(1 - B^{o.m})" if o.D else "")
    effects = "".join(f"{signed(-float(b))} {c.name}[t]" for b, c in zip(effects_of(row), columns, strict=False) if b)
    effects += " - season[t]" if seasonal else ""
    z = f"{differences} (y[t]{effects})".strip() if effects else f"{differences} y[t]".strip()
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
