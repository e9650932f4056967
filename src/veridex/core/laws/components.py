"""The numbers that a law is made of: a row per component, its weight, its kind and up to four numbers.

A fold writes them into preallocated arrays ``(horizon, components, NUMBERS)``; most laws have one component, a mixture
has several. `Laws` reads them.
"""

from collections.abc import Sequence
from enum import IntEnum
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from veridex.core.arrays import FloatArray
from veridex.core.numerics.compiled import kernel

__all__ = [
    "FIRST",
    "KIND",
    "NUMBERS",
    "PIECES",
    "Components",
    "Kind",
    "drawn",
    "moved",
    "put",
    "put_compound",
    "put_direct",
    "put_mixture",
    "rescaled",
    "transformed",
    "widened",
]

Components = NDArray[Any]

NUMBERS = 6
WEIGHT, KIND, FIRST = 0, 1, 2

FEWEST_DEGREES = 2.5
"""Student's law with two degrees of freedom or fewer has no variance: it is given that of this many."""

EDGES = np.array([0.0, 0.005, 0.01, 0.025, 0.05, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9, 0.95, 0.975, 0.99, 0.995, 1.0])
"""Shares between which a sample is cut into pieces: finer in the tails, where quantiles are asked for."""

PIECES = EDGES.size - 1
"""Components of a law that was drawn."""


class Kind(IntEnum):
    """What a component is, and its numbers.

    NORMAL (mean, standard deviation); STUDENT (centre, scale, degrees of freedom); TRANSFORMED (mean and standard
    deviation of the transformed demand, power of Box and Cox, degrees or infinity); COMPOUND (chance of demand, mean
    and variance of its gamma-distributed size); NEGATIVE_BINOMIAL (mean, variance; Poisson where they are equal);
    ZERO_INFLATED (chance of demand, mean and variance of its size, of which what exceeds one is negative binomial).
    """

    NORMAL = 1
    STUDENT = 2
    TRANSFORMED = 3
    COMPOUND = 4
    NEGATIVE_BINOMIAL = 5
    ZERO_INFLATED = 6


def put(law: Components, kind: Kind, *numbers: FloatArray | float) -> None:
    """Fill the rows (horizon, components, NUMBERS) of a law with its one component."""
    first = law[:, 0]
    first[:, WEIGHT] = 1.0
    first[:, KIND] = kind
    for j, number in enumerate(numbers):
        first[:, FIRST + j] = number


NORMAL, STUDENT, COMPOUND = float(Kind.NORMAL), float(Kind.STUDENT), float(Kind.COMPOUND)


@kernel
def put_direct(law: Components, centre: FloatArray, scale: FloatArray, factor: float, degrees: float) -> None:
    """Fill the rows of a law with its one component: Student's, or normal where the degrees of freedom are NaN.

    Scales are multiplied by a factor.
    """
    kind = STUDENT if degrees == degrees else NORMAL
    for h in range(centre.size):
        law[h, 0, WEIGHT], law[h, 0, KIND] = 1.0, kind
        law[h, 0, FIRST], law[h, 0, FIRST + 1], law[h, 0, FIRST + 2] = centre[h], factor * scale[h], degrees


@kernel
def put_compound(law: Components, chance: float, size: float, variance: float) -> None:
    """Fill the rows of a law with its one component, the same at every lead time: demand that comes with a chance."""
    for h in range(law.shape[0]):
        law[h, 0, WEIGHT], law[h, 0, KIND] = 1.0, COMPOUND
        law[h, 0, FIRST], law[h, 0, FIRST + 1], law[h, 0, FIRST + 2] = chance, size, variance


def put_mixture(law: Components, parts: Sequence[tuple[float, Components]]) -> None:
    """Fill the rows of a law with those of several, each at its share of the weight."""
    law[..., WEIGHT] = 0.0
    at = 0
    for share, part in parts:
        own = law[:, at : at + part.shape[1]]
        own[:] = part
        own[..., WEIGHT] *= share
        at += part.shape[1]


def drawn(law: Components, paths: FloatArray) -> None:
    """Fill the rows of a law with pieces of a sample (paths, horizon): a normal law for each share of its values.

    The mean is that of the sample, and so is the variance; quantiles are those of the sample up to the smoothing inside
    a piece (Silverman, 1986, Density Estimation, section 5.3, with a width of its own for each piece).
    """
    ordered = np.sort(paths, axis=0)
    ends = np.rint(EDGES * ordered.shape[0]).astype(int)
    for j, (begin, end) in enumerate(pairwise(ends.tolist())):
        piece = ordered[begin : max(end, begin + 1)]
        law[:, j, WEIGHT] = (end - begin) / ordered.shape[0]
        law[:, j, KIND] = Kind.NORMAL
        law[:, j, FIRST] = piece.mean(axis=0)
        law[:, j, FIRST + 1] = piece.std(axis=0)


def moved(law: Components, by: FloatArray) -> None:
    """Move normal and Student laws (..., horizon, components, NUMBERS) by as much per lead time; leave others."""
    direct = np.isin(law[..., KIND], (Kind.NORMAL, Kind.STUDENT))
    law[..., FIRST] += np.where(direct, by[..., None], 0.0)


@np.errstate(all="ignore")
def rescaled(law: Components, by: FloatArray) -> None:
    """Read laws (horizon, components, NUMBERS) as those of demand multiplied by a factor per lead time.

    A power of Box and Cox of c y is c^p times that of y, plus that of c. Counts keep what they have beyond Poisson's
    law, relative to their mean.
    """
    c = by[:, None]
    kind = law[..., KIND]
    a, b, power = (law[..., FIRST + j].copy() for j in range(3))
    linear = np.isin(kind, (Kind.NORMAL, Kind.STUDENT))
    powers, counts, sizes = (
        kind == Kind.TRANSFORMED,
        kind == Kind.NEGATIVE_BINOMIAL,
        np.isin(kind, (Kind.COMPOUND, Kind.ZERO_INFLATED)),
    )
    raised = np.where(powers, c ** np.where(powers, power, 0.0), 1.0)
    lifted = np.where(power == 0.0, np.log(c), (raised - 1.0) / np.where(power == 0.0, 1.0, power))
    law[..., FIRST] = np.select([linear | counts, powers], [c * a, raised * a + lifted], a)
    law[..., FIRST + 1] = np.select([linear | sizes, powers, counts], [c * b, raised * b, c * c * (b - a) + c * a], b)
    law[..., FIRST + 2] = np.where(sizes, c * c * power, power)


def widened(law: Components, centre: FloatArray, factor: FloatArray) -> None:
    """Stretch a law around the point forecasts by a factor per lead time; a transformed one on its own scale."""
    centre, factor = centre[:, None], factor[:, None]
    kinds = law[..., KIND]
    direct = np.isin(kinds, (Kind.NORMAL, Kind.STUDENT))
    law[..., FIRST] = np.where(direct, centre + factor * (law[..., FIRST] - centre), law[..., FIRST])
    spread = law[..., FIRST + 1]
    law[..., FIRST + 1] = np.where(direct | (kinds == Kind.TRANSFORMED), factor * spread, spread)


def transformed(law: Components, power: float) -> None:
    """Read normal and Student laws as those of transformed demand."""
    degrees = np.where(law[..., KIND] == Kind.STUDENT, law[..., FIRST + 2], np.inf)
    law[..., KIND] = np.where(law[..., WEIGHT] > 0.0, Kind.TRANSFORMED, law[..., KIND])
    law[..., FIRST + 2], law[..., FIRST + 3] = power, degrees
