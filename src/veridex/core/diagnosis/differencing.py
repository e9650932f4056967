"""`differencing`: transform, seasonal and plain differences, in this order, each step with the test that led to it."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import ClassVar

import numpy as np
from scipy.special import fdtrc

from veridex.core.arrays import FloatArray, near_one
from veridex.core.diagnosis.canova_hansen import canova_hansen
from veridex.core.diagnosis.dickey_fuller import dickey_fuller
from veridex.core.diagnosis.kpss import kpss
from veridex.core.diagnosis.portmanteau import autocorrelations
from veridex.core.diagnosis.significance import checked_significance
from veridex.core.diagnosis.transform import transform_advice
from veridex.core.history.history import History
from veridex.core.history.item import ItemHistory
from veridex.core.history.only import only_item
from veridex.core.notebook import Faced
from veridex.core.numerics.box_cox import box_cox
from veridex.core.numerics.seasons.longer import Longer, longer_seasons
from veridex.core.numerics.seasons.profile import CHANCE, season_test
from veridex.core.periods.seasons import Turns

__all__ = ["Advice", "Step", "advised_differences", "differencing", "warnings_of"]


MOST = 2
FEWEST = 12
MEANS = "F of period means"
KPSS_SIGNIFICANCE = 10.0
OVER = -0.5
"""First autocorrelation below which a difference was one too many: that of differenced white noise."""


@dataclass(frozen=True, slots=True)
class Step:
    """One step of the advice: what was tested, what came out, what to do."""

    test: str
    statistic: float
    p_value: float
    advice: str


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Advice(Faced):
    """What to do so that a series becomes stationary.

    Attributes
    ----------
    item : str
    transform : {"none", "log", "box-cox"}
    power : float
        Of the transform: 1, 0, or Box and Cox's.
    D, d : int
        Seasonal and plain differences.
    season_out : bool
        Whether a season that repeats itself was taken out of `values`.
    steps : tuple of Step
    warnings : tuple of str
    values : ndarray
        The series after transform and differences.
    reason : str
        Why there is no advice; empty where there is.
    """

    FACE: ClassVar[tuple[str, ...]] = ("reading",)

    item: str
    transform: str = "none"
    power: float = 1.0
    D: int = 0
    d: int = 0
    season_out: bool = False
    steps: tuple[Step, ...] = field(default=(), repr=False)
    warnings: tuple[str, ...] = ()
    values: FloatArray = field(default_factory=lambda: np.empty(0), repr=False)
    reason: str = ""

    @property
    def method(self) -> str:
        """The text of a method that follows the advice; empty where there is none.

        Its search takes differences by the same tests; a season that repeats itself gets fixed effects.
        """
        if self.reason:
            return ""
        season = "" if self.D else " season=dummies" if self.season_out else " season=none"
        return f"arima{season}" + (f" transform={self.transform}" if self.transform != "none" else "")

    @property
    def reading(self) -> str:
        """The advice in a sentence."""
        if self.reason:
            return f"{self.item}: no advice: {self.reason}."
        words = {"none": "no transform", "log": "logarithms", "box-cox": f"a Box-Cox power of {self.power:g}"}
        season = " (the season repeats itself and is taken out)" if self.season_out else ""
        text = f"{self.item}: {words[self.transform]}, D = {self.D}{season}, d = {self.d}."
        return " ".join([text, *self.warnings])


def differencing(series: History | ItemHistory, significance: float = 5) -> Advice:
    """Advise transform, seasonal and plain differences.

    First the transform (likelihood of the powers of Box and Cox); then seasons above the first, which repeat themselves
    and are taken out; then the season: Canova and Hansen's test tells
    whether it wanders (difference over the season) or repeats itself (seasonal dummies or a seasonal method take it
    out; they are taken out for the tests that follow); then plain differences, at most two in all, as long as Dickey
    and Fuller's test does not reject a unit root and KPSS rejects stationarity at 10 %.

    Parameters
    ----------
    series : ItemHistory or History of one item
    significance : float
        Of Dickey and Fuller's and Canova and Hansen's test, in percent.

    Returns
    -------
    Advice
        With a reason instead where the series is too short, constant or has unknown periods inside.

    Raises
    ------
    ParameterError
        If the significance is out of range, or several items were passed.
    """
    one = only_item(series)
    checked_significance(significance)
    known = np.flatnonzero(~np.isnan(one.values))
    y = one.values[known[0] : known[-1] + 1].copy() if known.size else np.empty(0)
    if y.size < FEWEST:
        return Advice(item=one.item, reason=f"too little history: {y.size} periods, {FEWEST} needed")
    if np.isnan(y).any():
        return Advice(item=one.item, reason="unknown periods inside the series; fill them with tidy first")
    if y.min() == y.max():
        return Advice(item=one.item, reason="all values are equal")
    found = transform_advice(y, one.season_length)
    steps = [Step("likelihood of powers", found.power, found.p_value, found.words)]
    power = {"none": 1.0, "log": 0.0}.get(found.transform, found.power)
    z = y if found.transform == "none" else box_cox(y, power)
    longer = longer_seasons(z, one.season_length, one.turns.lengths, stated=one.turns.stated, additive=True)
    for above in longer:
        z = above.taken_out(z)
        steps.append(_taken_out(above, one))
    stands = Turns.stand_for(one.season_length, [step.length for step in longer])
    first = 1 if stands else one.season_length
    z, seasonal, more = _season(z, first, significance, season_test, 100.0 * CHANCE)
    steps += more
    repeats = any(step.test == MEANS and step.p_value < CHANCE for step in more)
    z, plain, more = _plain(z, significance, MOST - seasonal)
    steps += more
    warnings = warnings_of(z, first, seasonal, plain)
    return Advice(
        item=one.item,
        transform=found.transform,
        power=power,
        D=seasonal,
        d=plain,
        season_out=bool(longer) or repeats,
        steps=tuple(steps),
        warnings=warnings,
        values=z,
    )


def advised_differences(y: FloatArray, season_length: int, significance: float) -> tuple[int, int]:
    """Seasonal and plain differences for a model that has no seasonal dummies: D and d.

    As `differencing`, but that a season which repeats itself is differenced too: without dummies nothing else takes
    it out.

    Parameters
    ----------
    y : ndarray, shape (n,)
        All known.
    season_length : int
        1 for no season.
    significance : float
        In percent.
    """
    if y.size < FEWEST or y.min() == y.max():
        return 0, 0
    z, seasonal, steps = _season(y, season_length, significance, _phase_means, significance)
    if any(step.test == MEANS and step.p_value < significance / 100.0 for step in steps):
        seasonal = 1
    _, plain, _ = _plain(z, significance, MOST - seasonal)
    return seasonal, plain


def _taken_out(above: Longer, series: ItemHistory) -> Step:
    """A season above the first: no difference takes it out."""
    length = f"{above.length:g} {series.cadence.plural}"
    words = f"a season of {length} that repeats itself: taken out for the tests that follow"
    return Step("gain at known frequencies", above.gain, above.p_value, words)


def _season(
    z: FloatArray,
    season_length: int,
    significance: float,
    means: Callable[[FloatArray, int], tuple[float, float]],
    at: float,
) -> tuple[FloatArray, int, list[Step]]:
    """Difference over the season if the season wanders; take it out if its means differ at `at` percent."""
    if season_length < 2:
        return z, 0, []
    outcome = canova_hansen(near_one(z), season_length)
    if outcome.reason:
        return z, 0, [Step(outcome.test, outcome.statistic, outcome.p_value, f"D = 0: {outcome.reason}")]
    if outcome.rejects(significance):
        words = "D = 1: the season wanders; difference over the season"
        return (
            z[season_length:] - z[:-season_length],
            1,
            [Step(outcome.test, outcome.statistic, outcome.p_value, words)],
        )
    steps = [Step(outcome.test, outcome.statistic, outcome.p_value, "D = 0: no sign that the season wanders")]
    statistic, p_value = means(z, season_length)
    if p_value < at / 100.0:
        words = "a season that repeats itself: seasonal dummies or a seasonal method take it out"
        steps.append(Step(MEANS, statistic, p_value, words))
        return _without_season(z, season_length), 0, steps
    steps.append(Step(MEANS, statistic, p_value, "no season"))
    return z, 0, steps


def _phase_means(z: FloatArray, season_length: int) -> tuple[float, float]:
    """F test of equal phase means of the changes, which a trend or a unit root does not disturb."""
    change = np.diff(z)
    rest = change - np.resize(_means(change, season_length), change.size)
    whole, left = float(np.square(change - change.mean()).sum()), float(np.square(rest).sum())
    degrees = change.size - season_length
    if degrees < 1 or left <= 0:
        return float("nan"), 0.0
    statistic = (whole - left) / (season_length - 1) / (left / degrees)
    return statistic, float(fdtrc(season_length - 1, degrees, statistic))


def _means(change: FloatArray, season_length: int) -> FloatArray:
    """Means by phase."""
    phases = np.arange(change.size) % season_length
    return np.asarray(np.bincount(phases, change, season_length) / np.bincount(phases, minlength=season_length))


def _without_season(z: FloatArray, season_length: int) -> FloatArray:
    """Less the season, cumulated from the phase means of the changes and centred."""
    means = _means(np.diff(z), season_length)
    means -= means.mean()
    path = np.concatenate(([0.0], np.cumsum(means)))[:season_length]
    return np.asarray(z - np.resize(path - path.mean(), z.size))


def _plain(z: FloatArray, significance: float, most: int) -> tuple[FloatArray, int, list[Step]]:
    """Difference until Dickey and Fuller reject a unit root or KPSS finds nothing against stationarity."""
    steps: list[Step] = []
    for d in range(most + 1):
        unit_root, stationary = dickey_fuller(near_one(z)), kpss(near_one(z))
        if unit_root.reason or stationary.reason:
            reason = unit_root.reason or stationary.reason
            return z, d, [*steps, Step(unit_root.test, float("nan"), float("nan"), f"d = {d}: {reason}")]
        rooted = not unit_root.rejects(significance)
        moving = stationary.rejects(KPSS_SIGNIFICANCE)
        more = rooted and moving and d < most
        words = (
            "a unit root is not rejected, stationarity is: difference"
            if more
            else f"d = {d}: " + _stop(rooted, moving, most)
        )
        steps.append(Step(f"{unit_root.test} and KPSS", unit_root.statistic, unit_root.p_value, words))
        if not more:
            return z, d, steps
        z = np.diff(z)
    raise AssertionError("the last turn returns")


def _stop(rooted: bool, moving: bool, most: int) -> str:
    if not rooted:
        return "a unit root is rejected"
    return "nothing against stationarity" if not moving else f"{most} differences in all are enough"


def warnings_of(z: FloatArray, season_length: int, seasonal: int, plain: int) -> tuple[str, ...]:
    """Where a difference was one too many, or stands in for a seasonal one."""
    found = []
    if z.size > 3 and z.min() < z.max():
        lags = min(max(season_length, 1), z.size - 1)
        r, _ = autocorrelations(z, lags)
        if seasonal + plain and r[1] < OVER:
            found.append(f"The first autocorrelation is {r[1]:.2f}: a difference may be one too many.")
        if plain == 2 and seasonal == 0 and 1 < season_length < z.size and r[season_length] > 0.4:
            left = f"Two plain differences leave {r[season_length]:.2f} at the season's lag"
            found.append(f"{left}: one over the season may have been meant.")
    return tuple(found)
