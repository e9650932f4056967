"""How a figure may have come about that nobody expected: slips of the pen, and what else would have stood there."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from veridex.core.laws.law import Law
from veridex.core.readable import number

__all__ = ["NEAR", "Slip", "Slips", "borrowed", "likely_slips"]

LEAST = 1e-9
"""Chance that is left to a figure that the law holds for impossible: laws of a few years know no catastrophes."""

NEAR = 3
"""Periods before and after, among which another period's figure is looked for, besides the same one a season away."""

DIGITS = 9
"""Digits that may stand in place of one."""

RARE = 100.0
"""Figures that are right beside one that belongs to another period, where nothing else speaks against it."""

RIGHT = 10.0
"""Figures that are right beside one of each kind of slip: one that is barely outside is mostly chance."""


class Slip(NamedTuple):
    """A cause, what would have stood there without it (NaN where nobody knows), and its share of all causes."""

    cause: str
    instead: float
    share: float


class Candidate(NamedTuple):
    """A figure that may have been meant, and the chance that it became the one that stands there."""

    cause: str
    instead: float
    chance: float


@dataclass(frozen=True, slots=True)
class Slips:
    """The causes of one figure, the likeliest first."""

    found: tuple[Slip, ...]

    @property
    def first(self) -> Slip:
        """The likeliest."""
        return self.found[0]


def likely_slips(figure: float, law: Law, others: Sequence[tuple[str, float]], decimals: int) -> Slips:
    """What may explain a figure, by Bayes' rule: how likely each slip makes it, all kinds of slips being as likely.

    Parameters
    ----------
    figure : float
    law : Law
        Of what was to be expected.
    others : sequence of (str, float)
        Figures of other periods, the likeliest to be mixed up first, and what these periods are called.
    decimals : int
        Of the figures as they are written.

    Notes
    -----
    A kind of slip has several ways to happen (three neighbours that may be swapped); each gets its part. What the law
    holds for impossible keeps a chance of `LEAST`. A real change may be anything of the size of the figure or of what
    was expected: a Cauchy law around the expectation. Figures that are right are `RIGHT` times as many as each slip.
    """
    step = 10.0**-decimals

    def mass(value: float, width: float = step) -> float:
        low, high = np.asarray(law.cdf([value - 0.5 * width, value + 0.5 * width]))
        return max(float(high - low), LEAST * min(width / max(abs(value), step), 1.0))

    ways = [_arithmetic, _digits]
    candidates = [one for way in ways for one in way(figure, decimals, mass)]
    candidates += _elsewhere(figure, others, step)
    candidates.append(_change(figure, law, step, RIGHT * mass(figure)))
    total: dict[str, float] = {}
    best: dict[str, Candidate] = {}
    for one in candidates:
        kind = one.cause.partition(":")[0]
        total[kind] = total.get(kind, 0.0) + one.chance
        if kind not in best or one.chance > best[kind].chance:
            best[kind] = one
    whole = sum(total.values())
    ranked = sorted(total, key=lambda kind: -total[kind])
    return Slips(tuple(Slip(best[kind].cause, best[kind].instead, total[kind] / whole) for kind in ranked))


def borrowed(figure: float, law: Law, others: Sequence[tuple[str, float]], decimals: int) -> Slip | None:
    """The period whose very figure this is, where that is likelier than chance though the figure is not unusual.

    A figure of five digits that stands there twice is hardly chance; one of three digits is.
    """
    step = 10.0**-decimals
    low, high = np.asarray(law.cdf([figure - 0.5 * step, figure + 0.5 * step]))
    found = _elsewhere(figure, others, step)
    if not found:
        return None
    chance = sum(one.chance for one in found)
    share = chance / (chance + RARE * max(float(high - low), LEAST))
    return Slip(found[0].cause, np.nan, share) if share > 0.5 else None


Mass = Callable[..., float]


def _arithmetic(figure: float, decimals: int, mass: Mass) -> Iterator[Candidate]:
    """A sign, a factor, a half."""
    step = 10.0**-decimals
    if figure != 0.0:
        yield Candidate("the sign is wrong", -figure, mass(-figure))
    if _written(figure / 10.0, decimals):
        yield Candidate("ten times too large", figure / 10.0, 0.5 * mass(figure / 10.0))
    yield Candidate("ten times too small", 10.0 * figure, 0.5 * mass(10.0 * figure, 10.0 * step))
    if _written(figure / 2.0, decimals):
        yield Candidate("twice the amount", figure / 2.0, mass(figure / 2.0))
    yield Candidate("half of it is missing", 2.0 * figure, mass(2.0 * figure, 2.0 * step))


def _digits(figure: float, decimals: int, mass: Mass) -> Iterator[Candidate]:
    """Two neighbouring digits swapped, one digit mistyped, left out, or typed twice."""
    digits = str(round(abs(figure) * 10**decimals))
    sign, scale = (-1.0 if figure < 0 else 1.0), 10.0**decimals
    swaps = [k for k in range(len(digits) - 1) if digits[k] != digits[k + 1]]
    for k in swaps:
        meant = digits[:k] + digits[k + 1] + digits[k] + digits[k + 2 :]
        value = sign * int(meant) / scale
        yield Candidate(f"two digits are swapped: {number(value, 12)}", value, mass(value) / len(swaps))
    for k, digit in enumerate(digits):
        for other in "0123456789":
            if other != digit and not (k == 0 and other == "0" and len(digits) > 1):
                value = sign * int(digits[:k] + other + digits[k + 1 :]) / scale
                chance = mass(value) / (DIGITS * len(digits))
                yield Candidate(f"a digit is mistyped: {number(value, 12)}", value, chance)
    for k in range(len(digits) + 1):
        for missing in "0123456789":
            if k or missing != "0":
                value = sign * int(digits[:k] + missing + digits[k:]) / scale
                yield Candidate(
                    f"a digit is left out: {number(value, 12)}", value, mass(value) / (10 * (len(digits) + 1))
                )
    for k in range(1, len(digits)):
        if digits[k] == digits[k - 1]:
            value = sign * int(digits[:k] + digits[k + 1 :]) / scale
            yield Candidate(f"a digit is typed twice: {number(value, 12)}", value, mass(value) / len(digits))


def _elsewhere(figure: float, others: Sequence[tuple[str, float]], step: float) -> list[Candidate]:
    """The figure of another period: it says nothing of what belongs here."""
    known = [(name, value) for name, value in others if value == value]
    return [
        Candidate(f"another period's figure: {name}", np.nan, 1.0 / len(known))
        for name, value in known
        if abs(value - figure) < 0.5 * step
    ]


def _change(figure: float, law: Law, step: float, by_chance: float) -> Candidate:
    """Something that happened, something that nobody thinks of, or nothing at all."""
    scale = max(abs(law.mean), law.std, step)
    density = 1.0 / (np.pi * scale * (1.0 + ((figure - law.mean) / scale) ** 2))
    return Candidate("a real change, or chance", np.nan, float(density) * step + by_chance)


def _written(value: float, decimals: int) -> bool:
    """Whether a figure could have been written with so many decimals."""
    scaled = value * 10.0**decimals
    return abs(scaled - round(scaled)) < 1e-6
