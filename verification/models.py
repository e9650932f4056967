"""Simulated demand from known models, for the parts that need a truth."""

import itertools

import numpy as np

from veridex.core.numerics.smoothing.forecasts import simulate_smoothing
from veridex.core.numerics.smoothing.recursion import Form

__all__ = ["FORMS", "form_words", "random_row", "simulated"]

M = 12
FORMS = tuple(
    Form(error, trend, season, M if season else 1)
    for season, error, trend in itertools.product((0, 1, 2), (1, 2), (0, 1, 2))
    if not (season == 2 and error == 1)
)


def form_words(form: Form) -> str:
    """A form as settings of `smoothing`."""
    error = ("", "additive", "multiplicative")[form.error]
    trend = ("none", "additive", "damped")[form.trend]
    return f"smoothing error={error} trend={trend} season={('none', 'additive', 'multiplicative')[form.season]}"


def random_row(rng: np.random.Generator, form: Form) -> np.ndarray:
    """Parameters as demand may have them: a level of 100 that keeps above zero for some years."""
    alpha = rng.uniform(0.05, 0.8)
    harmonic = np.sin(2 * np.pi * (np.arange(form.m) + rng.integers(M)) / M)
    season = ([0.0], 15 * harmonic, 1 + 0.15 * harmonic)[form.season]
    row = [
        alpha,
        rng.uniform(0.01, 0.15) if form.trend else 0.0,
        rng.uniform(0.0, 0.3) * (1 - alpha) if form.season else 0.0,
        rng.uniform(0.85, 0.97) if form.trend == 2 else 1.0,
        100.0,
        rng.uniform(-0.1, 0.4) if form.trend else 0.0,
        *season,
        9.0 if form.error == 1 else 0.0009,
    ]
    return np.array(row)


def simulated(rng: np.random.Generator, form: Form, row: np.ndarray, n: int) -> np.ndarray:
    """One series of so many periods, above zero throughout."""
    path = np.empty((1, n))
    while True:
        simulate_smoothing(np.empty(0), *form, row[None, :], rng.standard_normal((1, n)), path)
        if np.isfinite(path).all() and path.min() > 1.0:
            return path[0].copy()
