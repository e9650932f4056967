"""A quasi-Newton minimiser that asks for one function value at a time.

Because it asks instead of calling, every family of methods uses the same compiled optimiser on its own
compiled objective, and neither has to be compiled again for the other. A family's loop is

    while advance(u, value, work, marks, tolerance, max_iterations):
        value = objective(u, ...)

after `marks` was zeroed, `u` holds the start and `value` its objective. At the end `u` is the minimum found,
``work[0]`` its value, and ``marks[STATE]`` says how it ended.
"""

import math

import numpy as np

from veridex.core.numerics.compiled import FloatArray, IntArray, copy_into, kernel

__all__ = ["CONVERGED", "ITERATIONS", "MARKS", "STATE", "advance", "work_size"]

STATE, COORDINATE, ITERATIONS, BACKTRACKS, RESETS = 0, 1, 2, 3, 4
MARKS = 5

BEGIN, GRADIENT, LINE, CONVERGED, STUCK = 0, 1, 2, 3, 4

LARGEST_MOVE = 4.0
"""No single step is longer than this in any coordinate: beyond it the quadratic model is a guess."""


@kernel
def work_size(k: int) -> int:
    """Length of `work` for k unknowns: value, step length, slope; x, g, g_new, direction; the inverse Hessian."""
    return 3 + 4 * k + k * k


@kernel
def _difference_step(value: float) -> float:
    return 3e-7 * (1.0 + abs(value))


@kernel
def _identity(inverse: FloatArray, scale: float) -> None:
    inverse[:, :] = 0.0
    for i in range(inverse.shape[0]):
        inverse[i, i] = scale


@kernel
def _update_inverse(inverse: FloatArray, step: FloatArray, change: FloatArray, first: bool) -> None:
    """BFGS update of the inverse Hessian by a step in x and the change of gradient over it."""
    k = step.size
    curvature = 0.0
    change_sq = 0.0
    for i in range(k):
        curvature += step[i] * change[i]
        change_sq += change[i] * change[i]
    if curvature <= 1e-12 * change_sq or change_sq == 0.0:
        return
    if first:
        _identity(inverse, curvature / change_sq)
    product = np.zeros(k)
    for i in range(k):
        for j in range(k):
            product[i] += inverse[i, j] * change[j]
    quadratic = 0.0
    for i in range(k):
        quadratic += change[i] * product[i]
    factor = (1.0 + quadratic / curvature) / curvature
    for i in range(k):
        for j in range(k):
            inverse[i, j] += factor * step[i] * step[j] - (product[i] * step[j] + step[i] * product[j]) / curvature


@kernel
def advance(
    u: FloatArray, value: float, work: FloatArray, marks: IntArray, tolerance: float, max_iterations: int
) -> bool:
    """Take the objective's value at `u`; put the next point to evaluate into `u`, or the minimum.

    Parameters
    ----------
    u : ndarray, shape (k,)
        The point that was evaluated; overwritten by the next one.
    value : float
        The objective there; infinite or NaN where it is not defined.
    work : ndarray, shape (work_size(k),)
        Kept between calls.
    marks : ndarray of int, shape (MARKS,)
        Kept between calls; all zero before the first.
    tolerance : float
        Stop when the quadratic model promises less than this.
    max_iterations : int
        Accepted steps at most.

    Returns
    -------
    bool
        True while another value is wanted.

    References
    ----------
    .. [1] Nocedal and Wright (2006), Numerical Optimization, 2nd ed., sections 3.1, 6.1 and 8.1
       (backtracking with the sufficient-decrease condition, BFGS, forward differences).
    """
    k = u.size
    x = work[3 : 3 + k]
    g = work[3 + k : 3 + 2 * k]
    g_new = work[3 + 2 * k : 3 + 3 * k]
    direction = work[3 + 3 * k : 3 + 4 * k]
    inverse = work[3 + 4 * k :].reshape((k, k))

    if marks[STATE] == BEGIN:
        work[0] = value
        copy_into(x, u)
        if k == 0 or not math.isfinite(value):
            marks[STATE] = CONVERGED if k == 0 else STUCK
            return False
        _identity(inverse, 1.0)
        marks[STATE] = GRADIENT
        u[0] = x[0] + _difference_step(x[0])
        return True

    if marks[STATE] == LINE:
        step, slope = work[1], work[2]
        # The negated form also refuses NaN.
        if not (value <= work[0] + 1e-4 * step * slope):
            marks[BACKTRACKS] += 1
            if marks[BACKTRACKS] > 40:
                copy_into(u, x)
                # Once, try steepest descent from here: the inverse Hessian may have gone stale.
                if marks[RESETS] > 0:
                    marks[STATE] = STUCK
                    return False
                marks[RESETS] += 1
                _identity(inverse, 1.0)
                marks[STATE], marks[COORDINATE] = GRADIENT, 0
                u[0] = x[0] + _difference_step(x[0])
                return True
            shrink = 0.5
            if math.isfinite(value):
                shrink = min(0.5, max(0.1, -0.5 * step * slope / (value - work[0] - step * slope)))
            work[1] = step * shrink
            for i in range(k):
                u[i] = x[i] + work[1] * direction[i]
            return True
        work[0] = value
        for i in range(k):
            direction[i] = u[i] - x[i]  # from here on the step that was taken
        copy_into(x, u)
        marks[ITERATIONS] += 1
        marks[STATE], marks[COORDINATE] = GRADIENT, 0
        u[0] = x[0] + _difference_step(x[0])
        return True

    i = marks[COORDINATE]
    g_new[i] = (value - work[0]) / (u[i] - x[i]) if math.isfinite(value) else 0.0
    u[i] = x[i]
    if i + 1 < k:
        marks[COORDINATE] = i + 1
        u[i + 1] = x[i + 1] + _difference_step(x[i + 1])
        return True

    if marks[ITERATIONS] > 0 and marks[BACKTRACKS] <= 40:
        _update_inverse(inverse, direction, g_new - g, marks[ITERATIONS] == 1)
    copy_into(g, g_new)
    slope = 0.0
    for i in range(k):
        direction[i] = 0.0
        for j in range(k):
            direction[i] -= inverse[i, j] * g[j]
        slope += direction[i] * g[i]
    if not slope < 0.0:
        _identity(inverse, 1.0)
        slope = 0.0
        for i in range(k):
            direction[i] = -g[i]
            slope -= g[i] * g[i]
    # Before the first step the inverse Hessian is a mere identity, and its promise is worth little.
    promised = -0.5 * slope * (1.0 if marks[ITERATIONS] > 0 else 1e4)
    if promised < tolerance:
        marks[STATE] = CONVERGED
        return False
    if marks[ITERATIONS] >= max_iterations:
        marks[STATE] = STUCK
        return False
    longest = 0.0
    for i in range(k):
        longest = max(longest, abs(direction[i]))
    # The first direction is a bare gradient whose length means nothing yet.
    limit = 0.5 if marks[ITERATIONS] == 0 else LARGEST_MOVE
    work[1] = min(1.0, limit / longest)
    work[2] = slope
    marks[STATE], marks[BACKTRACKS] = LINE, 0
    for i in range(k):
        u[i] = x[i] + work[1] * direction[i]
    return True
