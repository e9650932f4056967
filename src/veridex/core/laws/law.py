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

__all__ = ["Law", "standing"]


def standing(laws: Laws, warps: Sequence[Warp], demand: FloatArray) -> FloatArray:
    """Where demand (n,) stands in as many laws as warped, between 0 and 1; see `Law.stood`.

    Parameters
    ----------
    laws : Laws
        A batch of shape (n,).
    warps : sequence of Warp
        As many, or none where the laws are as they are.
    demand : ndarray, shape (n,)
    """
    edges = np.stack((laws.cdf(demand[:, None], strictly=True)[:, 0], laws.cdf(demand[:, None])[:, 0]), axis=1)
    edges[~laws.whole, 0] = edges[~laws.whole, 1]
    if warps:
        edges = np.array([warp.held(row) for warp, row in zip(warps, edges, strict=True)])
    return np.asarray(edges.mean(axis=1))


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

    def stood(self, demand: float) -> float:
        """Where demand stands in the law, between 0 and 1.

        Of a law on whole numbers half of what lies on the number itself counts to each side (the mid-p value), so that
        demand that follows the law stands as uniformly as it can: Lancaster (1961), Journal of the American Statistical
        Association 56, 223-234.
        """
        return float(standing(self.laws.at(None), (self.warp,), np.array([demand]))[0])

    def chance(self, demand: float) -> float:
        """Percent of demand that lies at least as far out as this, on either side, by where it stands."""
        inside = self.stood(demand)
        return 200.0 * min(inside, 1.0 - inside)

    def sample(self, size: int, seed: int = 0) -> FloatArray:
        """Draws of demand, shape (size,), the same for the same seed."""
        whole_number("size", size)
        return self.laws.quantile(self.warp.own(np.random.default_rng(seed).random(size)))
