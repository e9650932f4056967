"""Demand that often is nothing: sizes and intervals smoothed apart (Croston) or sizes and chances (Teunter)."""

import math

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = ["CHANCES", "INTERVALS", "estimate_intermittent", "run_intermittent"]

INTERVALS, CHANCES = 0, 1
"""What is smoothed besides sizes: periods between demands, updated at demands, or the chance, updated always."""

LEAST, MOST = 0.05, 0.3
"""Estimated constants lie between these: Syntetos and Boylan (2005) use 0.05 to 0.2, Croston (1972) 0.1 to 0.3."""

GRID = (0.05, 0.1, 0.15, 0.2, 0.3)
ROUNDS = 3


@kernel
def run_intermittent(
    y: FloatArray,
    kind: int,
    correction: float,
    alpha: float,
    beta: float,
    size: float,
    often: float,
    fitted: FloatArray,
    ends: FloatArray,
) -> float:
    """Run the recursion; return the sum of squared one-step errors.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Zero or more; NaN is passed over (it lengthens no interval).
    kind : int
        INTERVALS or CHANCES.
    correction : float
        The forecast is multiplied by ``1 - correction * beta``: 0.5 after Syntetos and Boylan.
    alpha, beta : float
        Constants of sizes, and of intervals or chances.
    size, often : float
        Starting size, and starting interval or chance.
    fitted : ndarray, shape (n,)
    ends : ndarray, shape (3,)
        Filled with the last size, the last interval or chance, the sum of squared errors of sizes.
    """
    since, total, of_sizes = 1.0, 0.0, 0.0
    factor = 1.0 - correction * beta
    for t in range(y.size):
        fitted[t] = factor * (size / often if kind == INTERVALS else size * often)
        if math.isnan(y[t]):
            continue
        total += (y[t] - fitted[t]) ** 2
        if kind == CHANCES:
            often += beta * ((1.0 if y[t] > 0.0 else 0.0) - often)
        if y[t] > 0.0:
            of_sizes += (y[t] - size) ** 2
            size += alpha * (y[t] - size)
            if kind == INTERVALS:
                often += beta * (since - often)
                since = 1.0
        else:
            since += 1.0
    ends[0], ends[1], ends[2] = size, often, of_sizes
    return total


@kernel
def estimate_intermittent(
    y: FloatArray, kind: int, correction: float, stated: FloatArray, size: float, often: float, found: FloatArray
) -> None:
    """Constants with the least squared one-step error, from a grid refined in rounds, inside [LEAST, MOST].

    Parameters
    ----------
    y, kind, correction, size, often
        As in `run_intermittent`.
    stated : ndarray, shape (2,)
        alpha and beta where stated, NaN where to be estimated.
    found : ndarray, shape (2,)
        Filled.
    """
    fitted, ends = np.empty(y.size), np.empty(3)
    best_value = np.inf
    for a in GRID:
        for b in GRID:
            alpha = a if math.isnan(stated[0]) else stated[0]
            beta = b if math.isnan(stated[1]) else stated[1]
            value = run_intermittent(y, kind, correction, alpha, beta, size, often, fitted, ends)
            if value < best_value:
                best_value = value
                found[0], found[1] = alpha, beta
    reach = 0.04
    for _ in range(ROUNDS):
        centre_alpha, centre_beta = found[0], found[1]
        for i in range(-2, 3):
            for j in range(-2, 3):
                alpha, beta = centre_alpha, centre_beta
                if math.isnan(stated[0]):
                    alpha = min(max(centre_alpha + 0.5 * i * reach, LEAST), MOST)
                if math.isnan(stated[1]):
                    beta = min(max(centre_beta + 0.5 * j * reach, LEAST), MOST)
                value = run_intermittent(y, kind, correction, alpha, beta, size, often, fitted, ends)
                if value < best_value:
                    best_value = value
                    found[0], found[1] = alpha, beta
        reach *= 0.3
