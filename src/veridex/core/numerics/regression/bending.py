"""A line that bends slowly under a regression, with a loss that outliers cannot bend.

    y_t = mu_t + z_t' b + e_t,    (1 - B)^2 mu_t = u_t,    var u = q var e

Given weights w (0 where y is unknown) and q, mu solves A mu = W (y - Z b) with A = W + D'D / q, D taking second
differences: five bands, solved in time proportional to the length. The line goes on along its last slope; the corner
of A^-1 is its uncertainty.

References: Harvey (1989), Forecasting, Structural Time Series Models and the Kalman Filter, section 2.3 (the smooth
trend); Patterson and Thompson (1971), Biometrika 58, 545-554 (the restricted likelihood); Huber (1964), Annals of
Mathematical Statistics 35, 73-101, and Beaton and Tukey (1974), Technometrics 16, 147-185 (the loss).
"""

import math
from dataclasses import dataclass

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel
from veridex.core.numerics.robust.pieces import robust_scale

__all__ = ["LOWEST", "Bent", "bend", "bend_given"]


CUT = 1.345
"""Huber's constant: nineteen twentieths of the efficiency of least squares under the normal law."""

FAR = 4.685
"""Tukey's constant, of the same efficiency: beyond so many deviations a value does not count at all."""

CONSISTENT = 0.7577759
"""Mean of w r^2 under the normal law with Tukey's weights."""

LOWEST, HIGHEST = -8.0, 1.0
"""Range of log10 q: from a line that does not bend in practice to one that follows every value."""

ROUNDS = 4
SETTLING = 8
"""Rounds with Huber's weights, which settle from anywhere; as many with Tukey's follow."""
SEARCHES = {1: (9.0, 11), 2: (0.7, 4), ROUNDS + 1: (1.2, 5), ROUNDS + 2: (0.5, 4)}
"""Rounds in which q is searched: how far from its last value (powers of ten), and in how many sections."""

LEAST = 1e-6
"""A known value keeps this weight, so that the number of known values does not change."""

GOLDEN = 0.6180339887498949


@dataclass(frozen=True, slots=True, eq=False)
class Bent:
    """The line and the regression under it.

    Attributes
    ----------
    line : ndarray, shape (n + horizon,)
        mu.
    effects : ndarray, shape (k,)
    q : float
    variance : float
        Of e, consistent under the normal law.
    degrees : float
    weights : ndarray, shape (n,)
    line_variance : ndarray, shape (1 + horizon,)
        Of mu + z'b at the last period and the lead times, over the variance of e.
    covariance : ndarray, shape (k, k)
        Of the effects, over the variance of e.
    log_likelihood : float
        Gaussian, restricted, at the weights.
    slope_variance : float
        Of the last slope, over the variance of e.
    """

    line: FloatArray
    effects: FloatArray
    q: float
    variance: float
    degrees: float
    weights: FloatArray
    line_variance: FloatArray
    covariance: FloatArray
    log_likelihood: float
    slope_variance: float


@kernel
def _smooth(weights: FloatArray, stiffness: float, columns: FloatArray, pulls: FloatArray, out: FloatArray) -> float:
    """Solve A out = pulls * columns for each row of `columns`, shape (c, n); return log det A, NaN where singular."""
    n = weights.size
    d, l1, l2 = np.empty(n), np.zeros(n), np.zeros(n)
    log_det = 0.0
    for t in range(n):
        # Row t of D'D has 1, 5 or 6 on its diagonal, as one, two or three second differences touch it.
        touched = min(t, 2, n - 1 - t)
        diagonal = 1.0 if touched == 0 else (5.0 if touched == 1 else 6.0)
        if n == 3 and t == 1:
            diagonal = 4.0
        value = weights[t] + stiffness * diagonal
        if t >= 1:
            # Between t - 1 and t: -2 at either end, -4 inside.
            beside = -2.0 if (t == 1 or t == n - 1) else -4.0
            off = stiffness * beside
            if t >= 2:
                off -= l2[t] * d[t - 2] * l1[t - 1]
            l1[t] = off / d[t - 1]
            value -= l1[t] * l1[t] * d[t - 1]
        if t >= 2:
            value -= l2[t] * l2[t] * d[t - 2]
        if not value > 0.0:
            return np.nan
        d[t] = value
        log_det += math.log(value)
        if t + 2 < n:
            l2[t + 2] = stiffness / d[t]
    for c in range(columns.shape[0]):
        for t in range(n):
            value = pulls[t] * columns[c, t]
            if t >= 1:
                value -= l1[t] * out[c, t - 1]
            if t >= 2:
                value -= l2[t] * out[c, t - 2]
            out[c, t] = value
        for t in range(n - 1, -1, -1):
            value = out[c, t] / d[t]
            if t + 1 < n:
                value -= l1[t + 1] * out[c, t + 1]
            if t + 2 < n:
                value -= l2[t + 2] * out[c, t + 2]
            out[c, t] = value
    return log_det


class _Problem:
    """Demand and regressors over span and lead times, rows of one array; unknown demand has weight zero."""

    def __init__(self, y: FloatArray, z: FloatArray) -> None:
        known = ~np.isnan(y)
        self.known = known
        self.columns = np.ascontiguousarray(np.vstack((np.where(known, y, 0.0), z.T)))
        self.n = int(known.sum())
        self.k = z.shape[1]
        self.smoothed = np.empty_like(self.columns)
        self.weights = known.astype(np.float64)

    def solve(self, log_q: float) -> tuple[float, FloatArray, FloatArray, float]:
        """Restricted -2 log-likelihood, effects, their inverse information and the weighted sum of squares."""
        stiffness = 10.0**-log_q
        log_det = _smooth(self.weights, stiffness, self.columns, self.weights, self.smoothed)
        moments = (self.columns * self.weights) @ (self.columns - self.smoothed).T
        cross, gram = moments[1:, 0], moments[1:, 1:]
        try:
            inverse = np.linalg.inv(gram) if self.k else gram
        except np.linalg.LinAlgError:
            return math.inf, np.full(self.k, np.nan), gram, math.nan
        effects = inverse @ cross
        total = float(moments[0, 0] - cross @ effects)
        degrees = self.n - 2 - self.k
        sign, log_gram = np.linalg.slogdet(gram) if self.k else (1.0, 0.0)
        if not (total > 0.0 and sign > 0.0 and math.isfinite(log_det)):
            return math.inf, effects, inverse, total
        pseudo = self.columns.shape[1] - 2
        value = degrees * math.log(total) + log_det - pseudo * math.log(stiffness) + log_gram
        value -= float(np.log(self.weights[self.weights > 0.0]).sum())
        return value, effects, inverse, total

    def best(self, low: float, high: float, evaluations: int) -> float:
        """The log10 q of greatest restricted likelihood, by golden sections."""
        a, b = low, high
        c, d = b - GOLDEN * (b - a), a + GOLDEN * (b - a)
        at_c, at_d = self.solve(c)[0], self.solve(d)[0]
        for _ in range(evaluations):
            if at_c <= at_d:
                b, d, at_d = d, c, at_c
                c = b - GOLDEN * (b - a)
                at_c = self.solve(c)[0]
            else:
                a, c, at_c = c, d, at_d
                d = a + GOLDEN * (b - a)
                at_d = self.solve(d)[0]
        return c if at_c <= at_d else d

    def reweigh(self, effects: FloatArray, far: bool, scale: float | None = None) -> float:
        """New weights from what line and effects leave, Tukey's if `far`; return the scale they were made with."""
        rest = self.columns[0] - self.smoothed[0] - effects @ (self.columns[1:] - self.smoothed[1:])
        if scale is None:
            shown = np.where(self.known, rest, np.nan)
            scale = float(robust_scale(shown, self.known.astype(np.float64), np.empty(rest.size)))
        if not scale > 0.0:
            return 0.0
        size = np.abs(rest) / scale
        loose = np.where(size <= CUT, 1.0, CUT / np.maximum(size, CUT))
        if far:
            loose = np.maximum(np.square(1.0 - np.square(np.minimum(size / FAR, 1.0))), LEAST)
        self.weights = np.where(self.known, loose, 0.0)
        return scale


def bend(y: FloatArray, z: FloatArray, stated: float | None = None) -> Bent | None:
    """Estimate effects, the bend q and the variance, all robustly.

    Parameters
    ----------
    y : ndarray, shape (n,)
        NaN where unknown.
    z : ndarray, shape (n + horizon, k)
        Regressors, without an intercept.
    stated : float, optional
        log10 of q, if it is not to be estimated.

    Returns
    -------
    Bent or None
        None where columns are dependent or values are too few.
    """
    problem = _Problem(y, z[: y.size])
    if problem.n <= problem.k + 3:
        return None
    log_q = -4.0 if stated is None else stated
    for round_ in range(2 * ROUNDS):
        if stated is None and round_ in SEARCHES:
            reach, evaluations = SEARCHES[round_]
            log_q = problem.best(max(LOWEST, log_q - reach), min(HIGHEST, log_q + reach), evaluations)
        value, effects, _, _ = problem.solve(log_q)
        if not math.isfinite(value):
            return None
        if problem.reweigh(effects, round_ >= ROUNDS) == 0.0:
            break
    return _told(problem, z, log_q)


def bend_given(y: FloatArray, z: FloatArray, effects: FloatArray, q: float, variance: float) -> Bent | None:
    """Bend the line under stated effects, q and variance; only the weights are found."""
    problem = _Problem(y - z[: y.size] @ effects, np.empty((y.size, 0)))
    if problem.n < 3:
        return None
    for round_ in range(2 * SETTLING):
        problem.solve(math.log10(q))
        problem.reweigh(np.empty(0), round_ >= SETTLING, math.sqrt(variance))
    whole = _Problem(y, z[: y.size])
    whole.weights = problem.weights
    return _told(whole, z, math.log10(q), effects, variance)


def _told(
    problem: _Problem, z: FloatArray, log_q: float, effects: FloatArray | None = None, variance: float | None = None
) -> Bent | None:
    """Everything at the end of the search; line and regressors' own lines are continued over the lead times."""
    value, found, inverse, total = problem.solve(log_q)
    if not math.isfinite(value) or problem.n < 3 + problem.k:
        return None
    n, q = problem.columns.shape[1], 10.0**log_q
    effects = found if effects is None else effects
    degrees = problem.n - 2 - problem.k
    variance = total / degrees / CONSISTENT if variance is None else variance
    steps = np.arange(z.shape[0] - n + 1.0)
    smoothed = np.hstack((problem.smoothed, _continued(problem.smoothed, steps[1:])))
    units = np.zeros((2, n))
    units[0, -1] = units[1, -2] = 1.0
    ends = np.empty_like(units)
    _smooth(problem.weights, 10.0**-log_q, units, np.ones(n), ends)
    last, before, between = ends[0, -1], ends[1, -2], ends[0, -2]
    # The line h ahead is (1 + h) mu[n] - h mu[n-1] and the bends to come, whose weights are 1, 2, ... h.
    line_variance = (1.0 + steps) ** 2 * last + steps**2 * before - 2.0 * steps * (1.0 + steps) * between
    line_variance += q * steps * (steps + 1.0) * (2.0 * steps + 1.0) / 6.0
    slope = last + before - 2.0 * between
    if problem.k:
        leverage = z[n - 1 :] - smoothed[1:, n - 1 :].T
        line_variance += np.einsum("ij,jk,ik->i", leverage, inverse, leverage)
        gap = smoothed[1:, n - 1] - smoothed[1:, n - 2]
        slope += float(gap @ inverse @ gap)
    likelihood = -0.5 * (value + degrees * (math.log(2.0 * math.pi / degrees) + 1.0))
    line = smoothed[0] - effects @ smoothed[1:]
    return Bent(line, effects, q, variance, float(degrees), problem.weights, line_variance, inverse, likelihood, slope)


def _continued(rows: FloatArray, steps: FloatArray) -> FloatArray:
    """Lines through the last two values of each row, so many steps on."""
    return rows[:, -1:] + steps * (rows[:, -1:] - rows[:, -2:-1])
