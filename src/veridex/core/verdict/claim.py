"""What may be said of a choice's error: what it would have been, each origin decided by what was known at it."""

from dataclasses import dataclass, field

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.verdict.evidence import Evidence

__all__ = ["NO_CLAIM", "Claim", "claim_of"]


@dataclass(frozen=True, slots=True, eq=False)
class Claim:
    """Errors over origins that were decided by what was known at each of them (Dawid, 1984, JRSS A 147, 278-292).

    Attributes
    ----------
    where : ndarray of bool, shape (O,)
        Those of the origins used.
    windows : int
        How many of their windows do not overlap.
    cells : int
    error, benchmark_error, single_error : float
        Of the choice, the benchmark and the best single method on the same cells; NaN where there are none.
    errors : ndarray, shape (M,)
        Of every method of the lineup on these cells; NaN of one without a forecast for each of them.
    bias : float
        Sum of errors in percent of the sum of actuals.
    mae, wape : float
        Mean absolute error of the cells in units of demand, and the sum of absolute errors in percent of that of
        actuals.
    """

    where: BoolArray
    windows: int = 0
    cells: int = 0
    error: float = np.nan
    benchmark_error: float = np.nan
    single_error: float = np.nan
    bias: float = np.nan
    mae: float = np.nan
    wape: float = np.nan
    errors: FloatArray = field(default_factory=lambda: np.empty(0))

    @property
    def origins(self) -> int:
        """How many."""
        return int(self.where.sum())

    @property
    def value_added(self) -> float:
        """Percent by which the error is below the benchmark's."""
        return _less(self.error, self.benchmark_error)

    @property
    def less_than_single(self) -> float:
        """Percent by which the error is below that of the best single method."""
        return _less(self.error, self.single_error)


NO_CLAIM = Claim(np.zeros(0, dtype=bool))


def _less(error: float, other: float) -> float:
    return 0.0 if other == 0.0 else 100.0 * (1.0 - error / other)


@np.errstate(all="ignore")
def claim_of(
    evidence: Evidence, errors: FloatArray, where: BoolArray, benchmark: int | None, single: int | None
) -> Claim:
    """The claim of forecasts with these errors (O, H) at some of the origins; rivals by their place in the lineup."""
    if not where.any():
        return NO_CLAIM
    known = evidence.known & where[:, None]
    actual, missed = np.abs(evidence.actuals[known]).sum(), np.abs(errors[known])

    lacking = (np.isnan(evidence.losses) & known).any(axis=(1, 2))
    rivals = np.where(lacking, np.nan, evidence.error(evidence.losses, where))
    return Claim(
        where=where,
        windows=evidence.windows(where),
        cells=int(known.sum()),
        error=float(evidence.error(evidence.losses_of(errors), where)),
        benchmark_error=np.nan if benchmark is None else float(rivals[benchmark]),
        single_error=np.nan if single is None else float(rivals[single]),
        bias=100.0 * float(errors[known].sum() / actual),
        mae=float(missed.mean()),
        wape=100.0 * float(missed.sum() / actual),
        errors=rivals,
    )
