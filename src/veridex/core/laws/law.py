"""`Law`: what may be wanted at one lead time."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.counts import whole_number
from veridex.core.laws.laws import Laws
from veridex.core.laws.support import Support
from veridex.core.laws.warp import STRAIGHT, Warp
from veridex.errors import ParameterError

__all__ = ["Law"]


@dataclass(frozen=True, eq=False)
class Law:
    """The law of demand at one lead time: a distribution, read off as quantiles, probabilities or draws.

    Attributes
    ----------
    laws : Laws
        A batch of one, shape ().
    mean : float
        The point forecast.
    warp : Warp
        What a backtest showed its probabilities to be.
    """

    laws: Laws = field(repr=False)
    mean: float
    warp: Warp = field(default=STRAIGHT, repr=False)

    @property
    def std(self) -> float:
        """Standard deviation of the law as the method gives it."""
        return float(self.laws.moments()[1])

    @property
    def support(self) -> Support:
        """What demand can be."""
        return Support(float(self.laws.floor), bool(self.laws.whole))

    def quantile(self, percent: Sequence[float] | float) -> FloatArray | float:
        """Smallest demand that is not exceeded with a probability in percent.

        Raises
        ------
        ParameterError
            If one is not between 0 and 100.
        """
        asked = np.atleast_1d(np.asarray(percent, dtype=np.float64))
        if not ((asked > 0.0) & (asked < 100.0)).all():
            raise ParameterError("percent", repr(percent), "a quantile lies between 0 and 100 percent")
        found = self.laws.quantile(self.warp.own(asked / 100.0))
        return float(found[0]) if np.isscalar(percent) else found

    def cdf(self, demand: Sequence[float] | float) -> FloatArray | float:
        """Probability, between 0 and 1, of demand no larger than this."""
        found = self.warp.held(self.laws.cdf(np.atleast_1d(np.asarray(demand, dtype=np.float64))))
        return float(found[0]) if np.isscalar(demand) else found

    def chance(self, demand: float) -> float:
        """Percent of demand that lies at least as far out as this, on either side.

        Of a law on whole numbers half of what lies on the number itself counts to each side (the mid-p value), so that
        the chance of demand that follows the law is as uniform as it can be: Lancaster (1961), Journal of the American
        Statistical Association 56, 223-234.
        """
        above = float(self.cdf(demand))
        below = float(self.cdf(float(np.nextafter(demand, -np.inf)))) if self.support.whole else above
        inside = 0.5 * (above + below)
        return 200.0 * min(inside, 1.0 - inside)

    def sample(self, size: int, seed: int = 0) -> FloatArray:
        """Draws of demand, shape (size,), the same for the same seed."""
        whole_number("size", size)
        return self.laws.quantile(self.warp.own(np.random.default_rng(seed).random(size)))
