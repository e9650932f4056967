"""`Laws`: many laws at once, read off arrays of their numbers."""

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from scipy.special import betainc, gammainc, gammaincc, gammaincinv, ndtr, ndtri, stdtr, stdtrit

from veridex.core.arrays import BoolArray, FloatArray, IntArray
from veridex.core.laws.components import FEWEST_DEGREES, FIRST, KIND, WEIGHT, Components, Kind
from veridex.core.laws.support import supported
from veridex.core.numerics.box_cox import back_moments

__all__ = ["Laws"]

ROUNDS = 60
"""Steps of the search for a quantile at most."""

TINY = 1e-12

CLOSE = 1e-11
"""How near a quantile, or the normal score of its probability, is found."""

FAR = 12.0
"""Normal scores beyond this stand for probabilities of nothing and of everything."""


@dataclass(frozen=True, eq=False)
class Laws:
    """Laws of demand, a batch of any shape.

    Attributes
    ----------
    components : ndarray, shape (..., components, NUMBERS)
        As `supported` gives them.
    floor, whole : ndarray, shape (...)
        What demand never is below, and whether it is counted in whole numbers.
    """

    components: FloatArray
    floor: FloatArray
    whole: Any

    @classmethod
    def of(cls, law: Components, floor: Any, whole: Any) -> "Laws":
        """Read what folds wrote, as laws of demand with a support; that broadcasts over the batch."""
        batch = law.shape[:-2]
        floors = np.broadcast_to(np.asarray(floor, dtype=np.float64), batch)
        wholes = np.broadcast_to(np.asarray(whole, dtype=bool), batch)
        return cls(supported(law, floors, wholes), floors, wholes)

    def at(self, where: Any) -> "Laws":
        """Those at an index of the batch."""
        return Laws(self.components[where], np.asarray(self.floor[where]), np.asarray(self.whole[where]))

    @np.errstate(all="ignore")
    def moments(self) -> tuple[FloatArray, FloatArray]:
        """Means and standard deviations, shape (...), before what is cut off or rounded."""
        kind, numbers = self.components[..., KIND], [self.components[..., FIRST + j] for j in range(4)]
        a, b, c, _ = numbers
        mean, variance = np.full(kind.shape, np.nan), np.full(kind.shape, np.nan)
        for one in Kind:
            at = kind == one
            if not at.any():
                continue
            if one in (Kind.NORMAL, Kind.STUDENT):
                degrees = np.where(one == Kind.STUDENT, np.maximum(c[at], FEWEST_DEGREES), np.inf)
                share = np.where(np.isinf(degrees), 1.0, degrees / (degrees - 2.0))
                mean[at], variance[at] = a[at], b[at] ** 2 * share
            elif one == Kind.TRANSFORMED:
                for power in np.unique(c[at]):
                    own = at & (c == power)
                    mean[own], spread = back_moments(a[own], b[own], float(power))
                    variance[own] = spread**2
            elif one == Kind.NEGATIVE_BINOMIAL:
                mean[at], variance[at] = a[at], np.maximum(b[at], a[at])
            else:
                mean[at] = a[at] * b[at]
                variance[at] = a[at] * (c[at] + b[at] ** 2) - mean[at] ** 2
        weight = self.components[..., WEIGHT]
        weight = np.where(weight > 0.0, weight, 0.0)
        mean, variance = np.where(weight > 0.0, mean, 0.0), np.where(weight > 0.0, variance, 0.0)
        centre = (weight * mean).sum(axis=-1)
        square = (weight * (variance + mean**2)).sum(axis=-1) - centre**2
        lost = ~(weight.sum(axis=-1) > 0.0)
        return np.where(lost, np.nan, centre), np.where(lost, np.nan, np.sqrt(np.maximum(square, 0.0)))

    def lumps(self, y: FloatArray) -> BoolArray:
        """Where single values (...) may have a probability of their own."""
        fixed = (self.components[..., KIND] == Kind.COMPOUND) & ~(self.components[..., FIRST + 2] > 0.0)
        found: BoolArray = self.whole | (y <= np.maximum(self.floor, 0.0)) | fixed.any(axis=-1)
        return found

    @np.errstate(all="ignore")
    def cdf(self, y: FloatArray, *, strictly: bool = False) -> FloatArray:
        """Probability of demand at or below values (..., K); strictly below them if asked."""
        batch = self.components.shape[:-2]
        count = int(np.prod(batch))
        values = np.broadcast_to(y, (*batch, y.shape[-1])).reshape(count, -1)
        rows = self.components.reshape(count, -1, self.components.shape[-1])
        whole, floor = self.whole.reshape(count, 1), self.floor.reshape(count, 1)
        at = np.where(whole, np.ceil(values) - 1.0 if strictly else np.floor(values), values)
        found = _Mixtures.of(rows).cdf(at, whole, strictly=strictly)
        found = np.where(at < floor, 0.0, found)
        if strictly:  # what would lie below the floor lies on it
            found = np.where(~whole & (values <= floor), 0.0, found)
        return np.asarray(found.reshape(*batch, -1))

    @np.errstate(all="ignore")
    def quantile(self, shares: FloatArray) -> FloatArray:
        """Smallest values whose probability is at least `shares` (..., K), which lie between 0 and 1."""
        batch = self.components.shape[:-2]
        count = int(np.prod(batch))
        if not count:
            return np.empty((*batch, shares.shape[-1]))
        p = np.broadcast_to(shares, (*batch, shares.shape[-1])).reshape(count, -1)
        rows = self.components.reshape(count, -1, self.components.shape[-1])
        whole, floor = self.whole.reshape(count), self.floor.reshape(count, 1)
        guesses = _component_quantiles(rows, p)
        low, high = np.fmin.reduce(guesses, axis=1), np.fmax.reduce(guesses, axis=1)
        present = (rows[..., WEIGHT] > 0.0).sum(axis=1)
        found = low.copy()
        at = ~whole & (present > 1)
        if at.any():
            found[at] = _searched(rows[at], p[at], low[at], high[at])
        at = whole & (present > 0) & np.isfinite(low).all(axis=1)
        if at.any():
            found[at] = _counted(rows[at], p[at], low[at], high[at])
        return np.asarray(np.maximum(_ordered(found, p), floor).reshape(*batch, -1))


class _Mixtures(NamedTuple):
    """Components of many mixtures (N, C) by their kinds, for distribution functions that are asked over and over.

    Attributes
    ----------
    parts : list of (Kind, ndarray, ndarray, ndarray)
        Of each kind the mixtures, the places in them, and the numbers.
    weight : ndarray, shape (N, C)
    """

    parts: list[tuple[Kind, IntArray, IntArray, FloatArray]]
    weight: FloatArray

    @classmethod
    def of(cls, rows: FloatArray) -> "_Mixtures":
        """Sort the components of laws (N, C, NUMBERS)."""
        weight = np.where(rows[..., WEIGHT] > 0.0, rows[..., WEIGHT], 0.0)
        found = []
        for one in Kind:
            i, j = np.nonzero((rows[..., KIND] == one) & (weight > 0.0))
            if i.size:
                found.append((one, i, j, rows[i, j, FIRST:].T[..., None]))
        return cls(found, weight)

    def cdf(self, at: FloatArray, whole: Any, *, strictly: bool = False) -> FloatArray:
        """Distribution functions (N, K) at values (N, K)."""
        found = np.zeros((*self.weight.shape, at.shape[-1]))
        for kind, i, j, numbers in self.parts:
            found[i, j] = _distribution(kind, numbers, at[i], whole[i], strictly)
        whole_weight = self.weight.sum(axis=1)
        total = (self.weight[..., None] * found).sum(axis=1)
        return np.asarray(np.minimum(total / np.where(whole_weight > 0, whole_weight, np.nan)[:, None], 1.0))


def _distribution(kind: Kind, numbers: FloatArray, y: FloatArray, whole: Any, strictly: bool) -> FloatArray:
    """Distribution function of components of a kind; a continuous law of whole numbers counts up to the half."""
    a, b, c, d = numbers
    if kind == Kind.NEGATIVE_BINOMIAL:
        return _counts(a, b, np.floor(y))
    if kind == Kind.ZERO_INFLATED:
        return np.asarray(np.where(y < 0.0, 0.0, 1.0 - a + a * _counts(b - 1.0, c, np.floor(y) - 1.0)))
    x = np.where(whole, y + 0.5, y)
    if kind == Kind.COMPOUND:
        return _compound(a, b, c, x, whole, strictly)
    if kind == Kind.TRANSFORMED:
        inside = np.maximum(x, 0.0)
        z = np.where(
            c == 0.0, np.log(inside), (inside ** np.where(c == 0.0, 1.0, c) - 1.0) / np.where(c == 0.0, 1.0, c)
        )
        score = (z - a) / np.maximum(b, TINY)
        share = np.where(np.isinf(d), ndtr(score), stdtr(np.where(np.isinf(d), 1.0, d), score))
        return np.asarray(np.where((x < 0.0) | (strictly & (x == 0.0)), 0.0, share))
    score = (x - a) / np.maximum(b, TINY * (1.0 + np.abs(a)))
    return np.asarray(ndtr(score) if kind == Kind.NORMAL else stdtr(c, score))


def _counts(mean: FloatArray, variance: FloatArray, k: FloatArray) -> FloatArray:
    """Distribution function of the negative binomial law, of Poisson's where the variance is the mean."""
    excess = variance - mean
    poisson = excess <= 1e-9 * mean
    size = mean * mean / np.where(poisson, 1.0, excess)
    up = np.maximum(k, 0.0) + 1.0
    share = np.where(
        poisson, gammaincc(up, mean), betainc(np.where(poisson, 1.0, size), up, mean / np.maximum(variance, mean))
    )
    return np.asarray(np.where(k < 0.0, 0.0, np.where(mean > 0.0, share, 1.0)))


def _compound(
    chance: FloatArray, size: FloatArray, spread: FloatArray, x: FloatArray, whole: Any, strictly: bool
) -> FloatArray:
    """Nothing, or with a chance a gamma-distributed size; a whole one is at least one where it comes now and then."""
    fixed = spread <= TINY * size * size
    shape = size * size / np.where(fixed, 1.0, spread)

    def gamma(at: Any) -> FloatArray:
        inside = gammainc(np.where(fixed, 1.0, shape), np.maximum(at, 0.0) * np.where(fixed, 1.0, shape) / size)
        return np.asarray(np.where(fixed, at >= size, inside))

    within = gamma(x)
    if np.any(whole):
        least = gamma(0.5)
        rests = whole & (chance < 1.0) & (least < 1.0)
        within = np.where(rests, np.maximum(within - least, 0.0) / np.where(rests, 1.0 - least, 1.0), within)
    within = np.where(size > 0.0, within, 1.0)
    lies = x <= 0.0 if strictly else x < 0.0
    return np.asarray(np.where(lies, 0.0, 1.0 - chance + chance * within))


def _ordered(found: FloatArray, p: FloatArray) -> FloatArray:
    """Quantiles (n, K), none below that of a smaller share: near nothing they are found to few digits."""
    if found.shape[1] < 2:
        return found
    order = np.argsort(p, axis=1, kind="stable")
    rising = np.fmax.accumulate(np.take_along_axis(found, order, axis=1), axis=1)
    sorted_ = np.empty_like(found)
    np.put_along_axis(sorted_, order, rising, axis=1)
    return np.where(np.isnan(found), np.nan, sorted_)


def _component_quantiles(rows: FloatArray, p: FloatArray) -> FloatArray:
    """Quantiles (N, C, K) of each component as if demand were not counted; NaN where there is none."""
    found = np.full((*rows.shape[:2], p.shape[-1]), np.nan)
    for one in Kind:
        i, j = np.nonzero((rows[..., KIND] == one) & (rows[..., WEIGHT] > 0.0))
        if not i.size:
            continue
        a, b, c, d = rows[i, j, FIRST:].T[..., None]
        share = p[i]
        if one == Kind.NORMAL:
            found[i, j] = a + b * ndtri(share)
        elif one == Kind.STUDENT:
            found[i, j] = a + b * stdtrit(c, share)
        elif one == Kind.TRANSFORMED:
            z = np.where(np.isinf(d), ndtri(share), stdtrit(np.where(np.isinf(d), 1.0, d), share)) * b + a
            power = np.where(c == 0.0, 1.0, c)
            found[i, j] = np.where(c == 0.0, np.exp(z), np.maximum(power * z + 1.0, 0.0) ** (1.0 / power))
        elif one == Kind.NEGATIVE_BINOMIAL:
            found[i, j] = _sized(np.ones(a.shape), a, b, share)
        else:
            found[i, j] = _sized(a, b, c, share)
    return found


def _sized(chance: FloatArray, size: FloatArray, spread: FloatArray, share: FloatArray) -> FloatArray:
    """Quantiles of nothing, or with a chance a gamma-distributed size."""
    inside = np.clip((share - (1.0 - chance)) / np.where(chance > 0.0, chance, 1.0), 0.0, 1.0)
    inside = np.where(chance > 0.0, inside, 0.0)
    fixed = spread <= TINY * size * size
    value = gammaincinv(size * size / np.where(fixed, 1.0, spread), inside) * spread / np.where(size > 0.0, size, 1.0)
    value = np.where(fixed, np.where(inside > 0.0, size, 0.0), value)
    return np.asarray(np.where(size > 0.0, value, 0.0))


def _searched(rows: FloatArray, p: FloatArray, low: FloatArray, high: FloatArray) -> FloatArray:
    """Quantiles of mixtures inside brackets, where normal scores of probabilities are nearly a straight line.

    A false position whose idle end counts half (Dowell and Jarratt, 1971, BIT 11, 168-174), halved where that is slow.
    """
    whole, wanted, mixtures = np.zeros((rows.shape[0], 1), dtype=bool), ndtri(p), _Mixtures.of(rows)
    low, high = low.copy(), high.copy()

    def score(at: FloatArray) -> FloatArray:
        return np.clip(ndtri(mixtures.cdf(at, whole)), -FAR, FAR) - wanted

    below, above = score(low), score(high)
    high = np.where(below >= 0.0, low, high)
    side = np.zeros(low.shape, dtype=np.int64)
    for step in range(ROUNDS):
        width = high - low
        if not (width > CLOSE * (np.abs(high) + TINY)).any():
            break
        cut = np.where(above > below, -below / np.where(above > below, above - below, 1.0), 0.5)
        middle = low + width * (0.5 if step % 8 == 7 else np.clip(cut, 0.0, 1.0))
        middle = np.where((middle <= low) | (middle >= high), low + 0.5 * width, middle)
        off = score(middle)
        enough = off >= 0.0
        below = np.where(enough, np.where(side == 1, 0.5 * below, below), off)
        above = np.where(enough, off, np.where(side == -1, 0.5 * above, above))
        high, low = np.where(enough, middle, high), np.where(enough, low, middle)
        side = np.where(enough, 1, -1)
        settled = np.abs(off) < CLOSE  # the probability is there: nothing is gained by a narrower bracket
        low, high = np.where(settled, middle, low), np.where(settled, middle, high)
    return high


def _counted(rows: FloatArray, p: FloatArray, low: FloatArray, high: FloatArray) -> FloatArray:
    """Smallest whole numbers whose probability is enough, from brackets that may be too tight.

    An end is asked only once its bracket has closed; where it does not hold, the bracket moves beyond it and widens.
    """
    whole, mixtures = np.ones((rows.shape[0], 1), dtype=bool), _Mixtures.of(rows)
    low, high, reach = np.floor(low) - 1.0, np.ceil(high), np.ones(low.shape)
    sure_low, sure_high = np.zeros(low.shape, dtype=bool), np.zeros(low.shape, dtype=bool)
    for _ in range(2 * ROUNDS):
        closed = high - low <= 1.0
        if (closed & sure_low & sure_high).all():
            break
        at = np.where(closed, np.where(sure_high, low, high), np.floor(0.5 * (low + high)))
        enough = mixtures.cdf(at, whole) >= p
        beyond = closed & (enough == (at == low))
        reach = np.where(beyond, 2.0 * reach, reach)
        outer_low, outer_high = np.where(beyond, at - reach, low), np.where(beyond, at + reach, high)
        low, high = np.where(enough, outer_low, at), np.where(enough, at, outer_high)
        sure_low, sure_high = ~enough | (sure_low & ~beyond), enough | (sure_high & ~beyond)
    return high
