"""How good methods are on an item, drawn towards how good they are on the portfolio's other items.

The logarithm of a method's error relative to its rivals' is a noisy figure with a dozen origins. It is shrunk by
N / (N + 24), N origins, towards the mean of the other items that have the same rivals.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.methods.method import Method
from veridex.core.scoring.exact import exact, rounded

__all__ = ["Prior", "centred_logs", "shrunk", "weights"]


PRIOR_ORIGINS = 24.0
"""The portfolio's other items count as so many origins."""

POWER = 8.0
"""Weights are the relative error to minus this power."""

SMALLEST = 0.005
"""Shares below this are left out."""


def centred_logs(errors: FloatArray) -> FloatArray:
    """Logarithms of errors (..., methods) over their geometric mean; NaN where a method was not tested."""
    logs = np.log(np.maximum(errors, 1e-12))
    known = ~np.isnan(logs)
    total = np.where(known, logs, 0.0).sum(axis=-1, keepdims=True)
    return np.asarray(logs - total / np.maximum(known.sum(axis=-1, keepdims=True), 1))


Rivals = tuple[Method, ...]


@dataclass(frozen=True, slots=True)
class Prior:
    """How good methods are on the items of a portfolio: sums of logs of relative errors, by the rivals that met.

    It is added up from what each item says, in any order to the same bits, and an item can be taken out again.

    Attributes
    ----------
    sums : dict
        Of the methods that met, for each the sum of its logs, without rounding, and of how many items.
    """

    sums: Mapping[Rivals, tuple[tuple[int, int], ...]] = field(default_factory=dict)

    @classmethod
    def of(cls, rivals: Rivals, logs: FloatArray) -> "Prior":
        """What one item says; NaN where a method was not tested."""
        known = (not np.isnan(log) for log in logs)
        return cls({rivals: tuple((exact(log), 1) if has else (0, 0) for has, log in zip(known, logs, strict=True))})

    def __add__(self, other: "Prior") -> "Prior":
        return self._joined(other, 1)

    def without(self, other: "Prior") -> "Prior":
        """The same without what was added before."""
        return self._joined(other, -1)

    def _joined(self, other: "Prior", sign: int) -> "Prior":
        sums = dict(self.sums)
        for rivals, own in other.sums.items():
            before = sums.get(rivals, ((0, 0),) * len(rivals))
            sums[rivals] = tuple((a + sign * b, n + sign * k) for (a, n), (b, k) in zip(before, own, strict=True))
        return Prior(sums)

    def means(self, rivals: Rivals) -> FloatArray:
        """Mean log of each of these rivals; zero where nothing is known."""
        own = self.sums.get(rivals, ((0, 0),) * len(rivals))
        return np.array([rounded(total, count) if count else 0.0 for total, count in own])


def shrunk(errors: FloatArray, prior: FloatArray, origins: int) -> FloatArray:
    """Logs of relative errors (..., methods) drawn towards the prior; infinite for a method that was not tested."""
    share = origins / (origins + PRIOR_ORIGINS)
    logs = share * centred_logs(errors) + (1.0 - share) * prior
    return np.where(np.isnan(logs), np.inf, logs)


def weights(logs: FloatArray) -> FloatArray:
    """Shares (..., methods) of shrunk logs; they add up to one."""
    raw = np.exp(-POWER * (logs - logs.min(axis=-1, keepdims=True)))
    found = raw / raw.sum(axis=-1, keepdims=True)
    found = np.where(found < SMALLEST, 0.0, found)
    return np.asarray(found / found.sum(axis=-1, keepdims=True))
