"""What a search holds against an ARIMA model: a near unit root, a moving average at its edge, factors that cancel."""

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.arima.models import Orders, largest_partials
from veridex.core.numerics.compiled import kernel

__all__ = ["PILED_UP", "flags_of", "is_refused"]

NEAR_UNIT = 0.99
"""Largest partial autocorrelation of an autoregressive polynomial that a search accepts."""

PILED_UP = 0.999

NEARLY = 0.05
"""Zeros of two polynomials as near as this nearly cancel."""


def flags_of(orders: Orders, values: FloatArray) -> tuple[str, ...]:
    """Flags of the coefficients that `values` begins with."""
    found = []
    autoregressive, moving = largest_partials(values, orders)
    if autoregressive > NEAR_UNIT:
        found.append("near a unit root")
    if moving > PILED_UP:
        found.append("moving average at its edge")
    if _some_cancel(orders, values):
        found.append("factors nearly cancel")
    return tuple(found)


@kernel
def is_refused(orders: Orders, values: FloatArray) -> bool:
    """Whether a search may not choose these coefficients; at the edge a moving average may be."""
    return largest_partials(values, orders)[0] > NEAR_UNIT or _some_cancel(orders, values)


@kernel
def _some_cancel(orders: Orders, values: FloatArray) -> bool:
    """Whether factors nearly cancel, plain ones or seasonal ones."""
    a, b, c = orders.p, orders.p + orders.q, orders.p + orders.q + orders.P
    return bool(_cancel(values[:a], values[a:b]) or _cancel(values[b:c], values[c : c + orders.Q]))


@kernel
def _cancel(phi: FloatArray, theta: FloatArray) -> bool:
    """Whether a zero of x^p - phi_1 x^(p - 1) - ... nearly equals one of x^q + theta_1 x^(q - 1) + ..."""
    if phi.size == 0 or theta.size == 0:
        return False
    if phi.size == 1 and theta.size == 1:
        return bool(abs(phi[0] + theta[0]) < NEARLY)
    ar, ma = _zeros(-phi), _zeros(theta)
    for i in range(ar.size):
        for j in range(ma.size):
            if abs(ar[i] - ma[j]) < NEARLY:
                return True
    return False


ROUNDS, SETTLED = 100, 1e-12
LOPSIDED = 0.4 + 0.9j
"""Powers of it are where the search for zeros starts: neither real nor a root of unity."""


@kernel
def _zeros(tail: FloatArray) -> "np.ndarray[tuple[int], np.dtype[np.complex128]]":
    """Zeros of x^k + tail[0] x^(k - 1) + ..., all at once (Durand, 1960, and Kerner, 1966, Numerische Mathematik 8)."""
    k = tail.size
    zeros = np.ones(k, dtype=np.complex128)
    for i in range(1, k):
        zeros[i] = LOPSIDED * zeros[i - 1]
    for _ in range(ROUNDS):
        furthest = 0.0
        for i in range(k):
            value, apart = 1.0 + 0.0j, 1.0 + 0.0j
            for j in range(k):
                value = value * zeros[i] + tail[j]
                if j != i:
                    apart *= zeros[i] - zeros[j]
            step = value / apart
            zeros[i] -= step
            furthest = max(furthest, abs(step))
        if not furthest > SETTLED:
            break
    return zeros
