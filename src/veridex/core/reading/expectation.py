"""What is expected of each period, and what stands out from it: outliers, level shifts, changes of spread."""

import math
from dataclasses import dataclass, field, replace

import numpy as np

from veridex.core.arrays import BoolArray, FloatArray
from veridex.core.numerics.robust.expectation import MOST_STEPS, local_scale, robust_parts
from veridex.core.numerics.robust.pieces import robust_scale
from veridex.core.numerics.robust.steps import find_spread_change
from veridex.core.numerics.seasons.longer import FEWEST_TURNS, Longer, longer_seasons
from veridex.core.periods.seasons import NO_TURNS, Turns
from veridex.core.reading.life import alive

__all__ = ["OUTLYING_AT", "Expectation", "Shift", "SpreadChange", "expect"]


OUTLYING_AT = 3.5
"""Robust standard deviations from its expectation that make a value outlying: Iglewicz and Hoaglin (1993), How to
Detect and Handle Outliers, section 3.5."""

FEWEST = 8
"""Known values below which nothing can be said to stand out."""

SEASONS = 3
"""Full seasons below which a season is not told from outliers that happen to recur."""

PART = 0.25
"""Share of a turn from which on what a longer season may have done is told from a shift."""

SCALE_ROUNDS = 20
SPREAD_WIDTH = 97
"""Periods, or five seasons, over which the spread may change."""

SPREAD_CRITICAL = 1.628
"""1 % point of the supremum of a Brownian bridge."""

MOST_DIGITS = 4
"""Decimals to which values may be rounded; with more they are as good as exact."""

SPARSE = 0.3
"""Share of zeros from which on sizes are judged apart from the zeros between them."""


@dataclass(frozen=True, slots=True)
class Shift:
    """A sudden change of level: first position of the new level, its size, and size over its standard error."""

    place: int
    size: float
    ratio: float


@dataclass(frozen=True, slots=True)
class SpreadChange:
    """A change of spread: first position of the new spread, and the standard deviation after over before."""

    place: int
    ratio: float


@dataclass(frozen=True, slots=True, eq=False)
class Expectation:
    """What a series leads one to expect.

    Attributes
    ----------
    values : ndarray, shape (n,)
        Expected demand per period, unknown periods included; NaN where the series is too short.
    trend, season : ndarray, shape (n,)
        Its parts: they add up to `values`, or multiply to it where the form is relative.
    scores : ndarray, shape (n,)
        Distance of the actual from the expected in robust standard deviations; NaN where unknown.
    outlying : ndarray of bool, shape (n,)
    shifts : tuple of Shift
    spread : SpreadChange or None
    relative : bool
        Whether season and spread grow with the level.
    seasonal : bool
        Whether it shows its first season.
    longer : tuple of Longer
        The seasons above that one that it shows; they are in `season`.
    spread_at_end : float
        Standard deviation around the expectation in the last period.
    """

    values: FloatArray = field(repr=False)
    trend: FloatArray = field(repr=False)
    season: FloatArray = field(repr=False)
    scores: FloatArray = field(repr=False)
    outlying: BoolArray = field(repr=False)
    shifts: tuple[Shift, ...] = ()
    spread: SpreadChange | None = None
    relative: bool = False
    seasonal: bool = False
    longer: tuple[Longer, ...] = ()
    spread_at_end: float = math.nan


@np.errstate(all="ignore")  # demand near the limits of floating point overflows in its squares
def expect(
    values: FloatArray, season_length: int, aside: BoolArray | None = None, turns: Turns = NO_TURNS
) -> Expectation:
    """Find what is expected of each period of a series, and what stands out.

    A robust decomposition (loess trend, repeating season, bisquare weights) gives the expectation; where season
    and spread grow with the level it works on logarithms, chosen by the likelihood of the two forms (Box and Cox,
    1964, Journal of the Royal Statistical Society B 26, 211-252). Residuals are measured by the spread
    around them, a loess of absolute residuals. A value is outlying from `OUTLYING_AT` on. Seasons above the first that
    it shows are taken out before, so that no autumn is a shift of the level.

    Parameters
    ----------
    values : ndarray, shape (n,)
        Demand, NaN where unknown.
    season_length : int
        Periods after which the season repeats.
    aside : ndarray of bool, optional
        Periods of events: not outlying whatever they hold. Those before the first sale, or after the last of a
        retired item, are neither judged nor learned from.
    turns : Turns
        Seasons above the first that it may have.
    """
    y = np.array(values, dtype=np.float64)
    used = np.zeros(y.size, dtype=bool)
    used[alive(y, season_length)[0]] = True
    used &= ~np.isnan(y)
    learned = np.where(used, y, np.nan)
    n, known = y.size, int(used.sum())
    if known < FEWEST or not np.isfinite(np.square(learned[used]).sum()):
        nothing = np.full(n, np.nan)
        return Expectation(nothing, nothing, nothing, nothing, np.zeros(n, dtype=bool))
    zeros = float((learned[used] == 0).mean())
    if zeros > SPARSE:
        return _sparse(learned, used)
    unit = _unit(learned[used])
    own = used if aside is None else used & ~aside
    longer = longer_seasons(np.where(own, learned, np.nan), season_length, turns.lengths, stated=turns.stated)
    for one in longer:
        learned = one.taken_out(learned)
    left = [one for one in turns.lengths if one not in {found.length for found in longer}]
    # What may be part of a season that was not seen often enough is no shift: it is described, and not claimed.
    perhaps = longer_seasons(np.where(own, learned, np.nan), season_length, left, stated=True, fewest=PART)
    perhaps = tuple(one for one in perhaps if n < FEWEST_TURNS * one.length)
    for one in perhaps:
        learned = one.taken_out(learned)
    judged = _judged(learned, season_length, unit, np.zeros(n, dtype=bool) if aside is None else aside)
    return _with_longer(judged, (*longer, *perhaps), longer) if longer or perhaps else judged


def _with_longer(judged: Expectation, taken: tuple[Longer, ...], shown: tuple[Longer, ...]) -> Expectation:
    """What is expected with the seasons that were taken out before put back; shifts and scores stay as judged."""
    expected = judged.values
    factor = 1.0
    for one in reversed(taken):
        own = one.at(np.arange(expected.size, dtype=np.float64))
        expected = expected * np.exp(own) if one.relative else expected + own
        factor *= math.exp(own[-1]) if one.relative else 1.0
    season = expected / judged.trend if judged.relative else expected - judged.trend
    return replace(judged, values=expected, season=season, longer=shown, spread_at_end=factor * judged.spread_at_end)


def _judged(learned: FloatArray, season_length: int, unit: float, aside: BoolArray) -> Expectation:
    """The likelier of two forms, and what stands out from it."""
    known = learned[~np.isnan(learned)]
    fits = [_Fit.of(learned, season_length, unit, relative=False)]
    if float(known.min()) > 0:
        fits.append(_Fit.of(learned, season_length, unit, relative=True))
    best = fits[-1] if len(fits) > 1 and fits[1].likelihood > fits[0].likelihood + 1.0 else fits[0]
    return best.judged(learned, season_length, unit, aside)


def _unit(known: FloatArray) -> float:
    """What values are rounded to: 1, 0.1 …, or 0 where that does not show."""
    for digits in range(MOST_DIGITS + 1):
        scaled = known * 10.0**digits
        if (np.abs(scaled - np.rint(scaled)) <= 1e-9 * np.abs(scaled)).all():
            return float(10.0**-digits)
    return 0.0


def _sparse(learned: FloatArray, used: BoolArray) -> Expectation:
    """Demand with many zeros: only the sizes are judged, on the log scale and upward."""
    n = learned.size
    sold = used & (learned > 0)
    scores = np.full(n, np.nan)
    expected = np.full(n, float(np.mean(learned[used])))
    if sold.sum() >= FEWEST:
        logs = np.log(learned[sold])
        centre = np.median(logs)
        scale = max(robust_scale(logs - centre, np.ones(logs.size), np.empty(logs.size)), 0.5)
        scores[sold] = (logs - centre) / scale
    outlying = np.nan_to_num(scores, nan=0.0) > OUTLYING_AT
    return Expectation(expected, expected, np.zeros(n), scores, outlying)


@dataclass(frozen=True, slots=True, eq=False)
class _Fit:
    """One form of decomposition, with or without logarithms, with or without a season."""

    trend: FloatArray
    season: FloatArray
    shifts: tuple[Shift, ...]
    likelihood: float
    relative: bool
    seasonal: bool

    @classmethod
    def of(cls, learned: FloatArray, season_length: int, unit: float, *, relative: bool) -> "_Fit":
        z = np.log(learned) if relative else learned
        known = ~np.isnan(z)
        least = float(np.square(unit / np.median(learned[known]) if relative else unit)) / 12.0
        jacobian = -float(z[known].sum()) if relative else 0.0
        width = _trend_width(season_length)
        proven = known.sum() >= SEASONS * season_length
        fits = [cls._fitted(z, 1, width, relative, jacobian, least, unproven=season_length > 1 and not proven)]
        if season_length > 1 and proven:
            fits.append(cls._fitted(z, season_length, width, relative, jacobian, least))
        # A season costs its phases: Schwarz's criterion decides whether it is worth them.
        cost = 0.5 * (season_length - 1) * math.log(max(int(known.sum()), 2))
        return fits[-1] if len(fits) > 1 and fits[1].likelihood - cost > fits[0].likelihood else fits[0]

    @classmethod
    def _fitted(
        cls,
        z: FloatArray,
        season_length: int,
        width: int,
        relative: bool,
        jacobian: float,
        least: float,
        *,
        unproven: bool = False,
    ) -> "_Fit":
        n = z.size
        trend, season = np.empty(n), np.empty(n)
        places, sizes, ratios = np.zeros(MOST_STEPS, dtype=np.int64), np.zeros(MOST_STEPS), np.zeros(MOST_STEPS)
        # Where a season cannot be told, half a season would pass for a shift: none is looked for.
        apart = max(5, width // 4) if season_length > 1 or not unproven else z.size
        found = robust_parts(z, season_length, width, apart, least, trend, season, places, sizes, ratios)
        rest = z - trend - season
        likelihood = jacobian + _likelihood(rest)
        shifts = tuple(Shift(int(p), float(s), float(r)) for p, s, r in zip(places, sizes, ratios, strict=True))[:found]
        return cls(trend, season, tuple(sorted(shifts, key=lambda s: s.place)), likelihood, relative, season_length > 1)

    def judged(self, learned: FloatArray, season_length: int, unit: float, aside: BoolArray) -> Expectation:
        """Residuals in robust standard deviations, what is outlying among them, and whether their spread changes."""
        n = learned.size
        expected = np.exp(self.trend + self.season) if self.relative else self.trend + self.season
        rest = learned / expected - 1.0 if self.relative else learned - expected
        known = int((~np.isnan(rest)).sum())
        freedom = max(2, round(2.0 * n / _trend_width(season_length)))
        used = min((season_length if self.seasonal else 1) + freedom, known // 2)
        overall = robust_scale(rest, np.ones(n), np.empty(n)) * math.sqrt(known / (known - used))
        scale = np.empty(n)
        local_scale(rest, max(SPREAD_WIDTH, 5 * season_length), overall, scale)
        # Rounding is no residual: a constant series has none.
        level = 1.0 if self.relative else float(np.nanmax(np.abs(expected)))
        nothing = max(1e-9 * level, np.finfo(float).tiny)
        # A value that is off by what it is rounded to does not stand out.
        rounding = 1.01 * unit / OUTLYING_AT / (expected if self.relative else 1.0)
        scores = rest / np.maximum(scale, np.maximum(rounding, nothing))
        outlying = (np.nan_to_num(np.abs(scores), nan=0.0) > OUTLYING_AT) & ~aside
        if not self.seasonal and season_length > 1 and known < SEASONS * season_length:
            outlying &= ~_recurring(scores, season_length)
        place, statistic, ratio = find_spread_change(np.where(outlying, np.nan, rest), max(12, season_length))
        change = SpreadChange(place, ratio) if statistic > SPREAD_CRITICAL else None
        shifts = tuple(Shift(s.place, self._size(s, expected), s.ratio) for s in self.shifts)
        trend, season = (np.exp(self.trend), np.exp(self.season)) if self.relative else (self.trend, self.season)
        return Expectation(
            values=expected,
            trend=trend,
            season=season,
            scores=scores,
            outlying=outlying,
            shifts=shifts,
            spread=change,
            relative=self.relative,
            seasonal=self.seasonal,
            spread_at_end=float(scale[-1] * (expected[-1] if self.relative else 1.0)),
        )

    def _size(self, shift: Shift, expected: FloatArray) -> float:
        """A shift in units of demand: of logarithms, at the level just before it."""
        if not self.relative:
            return shift.size
        return float(math.exp(self.trend[shift.place - 1]) * math.expm1(shift.size))


def _trend_width(season_length: int) -> int:
    """Periods that the trend looks over: two seasons, so that it is no season."""
    return max(2 * season_length + 1, 13)


def _likelihood(rest: FloatArray) -> float:
    """Log-likelihood of residuals under Student's t with four degrees of freedom, its scale estimated.

    Outliers cost a form something, but cannot decide (Lange, Little and Taylor, 1989, Journal of the American
    Statistical Association 84, 881-896, whose iteration this is). Constants are left out.
    """
    squares = rest[~np.isnan(rest)] ** 2
    scale = float(np.median(squares)) or float(squares.mean())
    if scale == 0:
        return math.inf
    for _ in range(SCALE_ROUNDS):
        scale = float(np.mean(5.0 * squares / (4.0 + squares / scale)))
    return float(-0.5 * squares.size * math.log(scale) - 2.5 * np.log1p(squares / (4.0 * scale)).sum())


def _recurring(scores: FloatArray, season_length: int) -> BoolArray:
    """Values that stand out alike a season before or after: perhaps a season that is not yet proven."""
    alike = np.zeros(scores.size, dtype=bool)
    if scores.size > season_length:
        earlier, later = scores[:-season_length], scores[season_length:]
        with np.errstate(invalid="ignore"):
            both = (earlier * later > 0) & (np.minimum(np.abs(earlier), np.abs(later)) > OUTLYING_AT / 2)
        alike[:-season_length] |= both
        alike[season_length:] |= both
    return alike
