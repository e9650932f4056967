"""`Aside`: what is taken out of demand before a method looks at it, as it is estimated and as a row keeps it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from veridex.core.arrays import FloatArray
from veridex.core.numerics.regression.effects import effects_under_level
from veridex.core.numerics.seasons.longer import Longer, harmonics, longer_seasons
from veridex.core.periods.seasons import season_name
from veridex.core.preparation.regressors import Column

__all__ = ["Aside", "Block", "estimated"]


class Block(NamedTuple):
    """Columns whose effects are taken out together.

    Attributes
    ----------
    size : int
        How many.
    season : float
        The season whose sines and cosines they are; zero for drivers and events.
    stated : bool
        Whether the season is known to be there.
    """

    size: int
    season: float = 0.0
    stated: bool = False

    @property
    def entries(self) -> int:
        """What they take up in a row: found, relative, effects, centre, covariance."""
        return 2 + 2 * self.size + self.size**2


@dataclass(frozen=True, slots=True, eq=False)
class Aside:
    """The effects of a block; all zero where nothing was found."""

    season: float
    relative: bool
    effects: FloatArray
    centre: FloatArray
    covariance: FloatArray

    @classmethod
    def of(cls, block: Block, found: Any) -> "Aside":
        """What was found of a block, with zeros for the harmonics that it does not need."""
        effects, centre, covariance = np.zeros(block.size), np.zeros(block.size), np.zeros((block.size, block.size))
        if found is None:
            return cls(block.season, False, effects, centre, covariance)
        k = found.effects.size
        effects[:k], centre[:k], covariance[:k, :k] = found.effects, found.centre, found.covariance
        return cls(block.season, found.relative, effects, centre, covariance)

    @classmethod
    def unpacked(cls, block: Block, row: FloatArray) -> "Aside":
        """The inverse of `pack`."""
        k = block.size
        return cls(block.season, bool(row[1]), row[2 : 2 + k], row[2 + k : 2 + 2 * k], row[2 + 2 * k :].reshape(k, k))

    def pack(self, row: FloatArray) -> None:
        """Write it into its part of a row."""
        row[:] = np.concatenate(([self.found, self.relative], self.effects, self.centre, self.covariance.reshape(-1)))

    @property
    def found(self) -> bool:
        """Whether there is anything to take out."""
        return bool(self.effects.any())

    @property
    def label(self) -> str:
        """What it is called as a part."""
        return season_name(self.season) if self.season else "drivers"

    def _basis(self, places: Any, x: FloatArray | None) -> FloatArray:
        if self.season:
            return harmonics(np.asarray(places, dtype=np.float64), self.season, self.effects.size // 2)
        return np.zeros((len(places), self.effects.size)) if x is None else x[places]

    def amount(self, places: Any, x: FloatArray | None) -> FloatArray:
        """What it adds to demand, or to its logarithm, at places counted from the first period of the span."""
        if not self.found:
            return np.zeros(len(places))
        return np.asarray(self._basis(places, x) @ self.effects)

    def doubt(self, places: Any, x: FloatArray | None) -> FloatArray:
        """Variance of that, against the level at the end of the span."""
        apart = np.where(self.effects != 0.0, self._basis(places, x) - self.centre, 0.0)
        return np.asarray(np.einsum("ti,ij,tj->t", apart, self.covariance, apart))

    @property
    def names_of(self) -> range:
        """The columns that have a name: harmonics in use, or all drivers."""
        used = np.flatnonzero(self.effects)
        return range((int(used[-1]) // 2 * 2 + 2 if used.size else 0) if self.season else self.effects.size)

    def names(self, columns: Sequence[Column]) -> list[str]:
        """The names of its effects."""
        if not self.season:
            return [column.name for column in columns]
        return [f"{('sin', 'cos')[j % 2]} {self.season / (j // 2 + 1):g}" for j in self.names_of]


def estimated(
    blocks: Sequence[Block], first: int, y: FloatArray, x: FloatArray | None, *, additive: bool
) -> list[Aside]:
    """What a span shows of each block: seasons in what drivers leave, drivers beside the seasons."""
    n = y.size
    past = None if x is None else x[:n]
    lengths = [block.season for block in blocks if block.season]
    stated = any(block.stated for block in blocks)
    shown: dict[float, Longer] = {
        one.length: one for one in longer_seasons(y, first, lengths, stated=stated, additive=additive, beside=past)
    }
    asides, rest = [], y
    for block in blocks:
        if block.season:
            found: Any = shown.get(block.season)
            rest = rest if found is None else found.taken_out(rest)
        else:
            assert past is not None
            places = np.arange(n, dtype=np.float64)
            beside = [harmonics(places, one.length, one.effects.size // 2) for one in shown.values()]
            columns = np.hstack(beside) if beside else np.empty((n, 0))
            found = effects_under_level(rest, past, first, columns, additive=additive)
        asides.append(Aside.of(block, found))
    return asides
