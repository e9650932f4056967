"""`Campaign`: what came in a span against what would have come, and how often as much comes of nothing."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np
import pandas as pd

from veridex.core.arrays import FloatArray
from veridex.core.calibration.hindcast import scores_of
from veridex.core.history.history import History
from veridex.core.laws.law import standing
from veridex.core.methods.words import counted
from veridex.core.notebook import Faced
from veridex.core.publication.came import Came, came
from veridex.core.publication.dossier import ItemPublication
from veridex.core.publication.publication import Publication
from veridex.core.readable import number, quantity
from veridex.core.verdict.verdict import Verdict
from veridex.errors import ParameterError

__all__ = ["Campaign", "held_against"]

PERIODS = ["item", "period", "step", "actual", "expected", "added", "lower", "upper", "chance"]

TOTAL = ["item", "periods", "actual", "expected", "added", "lower", "upper", "percent", "chance", "spans", "as_much"]
TOTAL += ["placebo", "reason"]

BEFORE = ["item", "period", "step", "actual", "expected", "off"]

PLACEBO = ["item", "begins", "ends", "actual", "expected", "added", "percent", "score"]

ALL = "all"

LEAST = 0.01
"""A chance in percent below which no law of a few years is believed."""


def held_against(publication: Publication, verdict: Verdict, history: History, controls: Sequence[str]) -> "Campaign":
    """Hold a span against a publication that was made from what came before it.

    Parameters
    ----------
    publication : Publication
        Of the items that the campaign touched, with one level and the total of all where they are several.
    verdict : Verdict
        What it was made by: earlier spans are told by its backtest.
    history : History
        With the span in it.
    controls : sequence of str
        Items whose demand told what would have come anyway.
    """
    (level,) = publication.head.wanted.levels
    rows, totals, earlier = [], [], []
    adds_up, steps = publication.head.demand.measure.adds_up, publication.head.horizon
    spans = {item: _spans(verdict, item, steps, adds_up=adds_up) for item in verdict.choices}
    scores = np.concatenate([own["score"].to_numpy(dtype=np.float64) for own in spans.values()] or [np.empty(0)])
    for one in publication.published.values():
        series = history[one.item]
        rows += _period_rows(one, came(one, series))
        totals.append(_total_row(one, came(one, series).actuals, scores, adds_up=adds_up))
        earlier.append(spans[one.item])
    totals += [_group_row(publication, history)] if publication.groups else []
    cadence = history.cadence
    before = pd.DataFrame([row for item in publication.items for row in _before(verdict, item, steps)], columns=BEFORE)
    frame, placebo = pd.DataFrame(rows, columns=PERIODS), pd.concat(earlier, ignore_index=True)
    last = max(one.origin for one in publication.published.values())
    return Campaign(
        begins=cadence.text(last + 1),
        ends=cadence.text(last + steps),
        level=level,
        controls=tuple(controls),
        frame=frame.assign(period=cadence.starts(frame["period"].to_numpy(dtype=np.int64))),
        before=before.assign(period=cadence.starts(before["period"].to_numpy(dtype=np.int64))),
        total=pd.DataFrame(totals, columns=TOTAL).astype({"spans": "Int64", "as_much": "Int64"}),
        placebo=placebo.assign(
            **{name: cadence.starts(placebo[name].to_numpy(dtype=np.int64)) for name in ("begins", "ends")}
        ),
        publication=publication,
    )


def _period_rows(one: ItemPublication, found: Came) -> list[list[Any]]:
    """What each period added, with its interval: the actual less what would have come."""
    rows = []
    for step, actual, expected in zip(*(values.tolist() for values in found), strict=True):
        assert one.outlook is not None
        low, high = (float(bound[0, step - 1]) for bound in (one.outlook.bands.lower, one.outlook.bands.upper))
        chance = one.law(step).chance(actual)
        added = [actual - expected, actual - high, actual - low, chance]
        rows.append([one.item, one.origin + step, step, actual, expected, *added])
    return rows


def _total_row(one: ItemPublication, actuals: FloatArray, scores: FloatArray, *, adds_up: bool) -> list[Any]:
    """What an item's campaign added in total, and how often earlier spans show as much."""
    steps = one.horizon
    missing = "" if one.available else one.reason or "there is no forecast"
    if not missing and actuals.size < steps:
        missing = f"only {actuals.size} of {steps} periods are known"
    if not missing and (one.totals is None or one.totals.laws is None):
        missing = "it has no total" if one.totals is None else one.totals.reason
    if missing or one.totals is None or one.totals.laws is None:
        return [one.item, actuals.size, *[np.nan] * 7, pd.NA, pd.NA, np.nan, missing]
    actual = float(actuals.sum() if adds_up else actuals.mean())
    told = _against(one.total_law(steps), float(one.totals.points[-1]), actual, one.totals.bands)
    place = standing(one.totals.laws.at(np.array([steps - 1])), (), np.array([actual]))
    known = scores[~np.isnan(scores)]
    as_much = int((np.abs(known) >= abs(float(scores_of(place)[0]))).sum())
    placebo = 100.0 * (1.0 + as_much) / (1.0 + known.size) if known.size else np.nan
    reason = "" if known.size else "no earlier span of this length was tested"
    return [one.item, steps, *told, known.size, as_much, placebo, reason]


def _group_row(publication: Publication, history: History) -> list[Any]:
    """What the campaign added to all items together."""
    (group,) = publication.groups
    steps = group.totals.points.size
    each = [came(publication[item], history[item]).actuals for item in group.members]
    if any(one.size < steps for one in each):
        return [ALL, min(one.size for one in each), *[np.nan] * 7, pd.NA, pd.NA, np.nan, "some periods are not known"]
    actual, expected = float(sum(one.sum() for one in each)), float(group.totals.points[-1])
    told = _against(group.law(steps), expected, actual, group.totals.bands)
    return [ALL, steps, *told, pd.NA, pd.NA, np.nan, group.totals.reason]


def _against(law: Any, expected: float, actual: float, bands: Any) -> list[float]:
    """Actual, expected, added with its bounds, in percent of what was expected, and the chance of it."""
    low, high = float(bands.lower[0, -1]), float(bands.upper[0, -1])
    added = actual - expected
    percent = 100.0 * added / expected if expected > 0.0 else np.nan
    return [actual, expected, added, actual - high, actual - low, percent, law.chance(actual)]


def _before(verdict: Verdict, item: str, steps: int) -> list[list[Any]]:
    """The periods right before the campaign, as they would have been forecast from one span earlier."""
    fit = verdict.choice(item).hindcast
    if fit is None or fit.actuals.shape[1] < steps:
        return []
    whole = np.flatnonzero(fit.claimed & ~np.isnan(fit.actuals[:, :steps]).any(axis=1))
    if not whole.size:
        return []
    k = int(whole[-1])
    pairs = zip(fit.actuals[k, :steps].tolist(), fit.points[k, :steps].tolist(), strict=True)
    first = int(fit.origins[k])
    return [[item, first + h, h, y, expected, y - expected] for h, (y, expected) in enumerate(pairs, start=1)]


def _spans(verdict: Verdict, item: str, steps: int, *, adds_up: bool) -> pd.DataFrame:
    """Earlier spans of the same length that do not overlap, the last first: what each would have been said to add.

    Decided by what was known at each: where nothing was, there is none.
    """
    fit, dependence = verdict.choice(item).hindcast, verdict.pool.dependence(verdict.choice(item).route)
    if fit is None or dependence is None or fit.actuals.shape[1] < steps:
        return pd.DataFrame(columns=PLACEBO)
    whole, rows, taken = fit.totals(dependence), [], None
    told = whole.claimed & ~np.isnan(whole.transforms[:, steps - 1])
    for k in np.flatnonzero(told)[::-1].tolist():
        origin, actual, expected = int(whole.origins[k]), *(one[k, steps - 1] for one in (whole.actuals, whole.points))
        if taken is not None and origin + steps > taken:
            continue
        taken = origin
        actual, expected = (float(one if adds_up else one / steps) for one in (actual, expected))
        percent = 100.0 * (actual - expected) / expected if expected > 0.0 else np.nan
        numbers = [actual, expected, actual - expected, percent, float(whole.scores[k, steps - 1])]
        rows.append([item, origin + 1, origin + steps, *numbers])
    return pd.DataFrame(rows, columns=PLACEBO)


@dataclass(frozen=True, eq=False, kw_only=True)
class Campaign(Faced):
    """What came in a span against what would have come without what happened in it.

    Attributes
    ----------
    begins, ends : str
        The first and the last period of the span.
    level : float
        Of the intervals, in percent.
    controls : tuple of str
        Items whose demand told what would have come anyway.
    frame : DataFrame
        A row per item and period: item, period, step, actual, expected, added (actual less expected) with its lower and
        upper bound, chance (percent of actuals at least as far out without a campaign).
    before : DataFrame
        The periods right before it, as they would have been forecast from one span earlier: item, period, step, actual,
        expected, off (actual less expected).
    total : DataFrame
        A row per item, and ``all`` of them: periods, actual, expected, added with its bounds from the law of the total,
        percent of what was expected, chance; spans (earlier ones of this length that do not overlap, of all items that
        were tested), as_much (how many of them were as far out), placebo (how often so much is added by nothing, in
        percent: one more than those that were as far out, of one more than there are), reason where nothing is said.
    placebo : DataFrame
        Earlier spans of the items, the last first: begins, ends, what came, what would have been expected, added,
        percent, score (how far out that is, in standard deviations).
    publication : Publication
        What was expected.
    """

    FACE: ClassVar[tuple[str, ...]] = ("in_words", "total", "frame")

    begins: str
    ends: str
    level: float
    controls: tuple[str, ...] = ()
    frame: pd.DataFrame = field(repr=False)
    before: pd.DataFrame = field(repr=False)
    total: pd.DataFrame = field(repr=False)
    placebo: pd.DataFrame = field(repr=False)
    publication: Publication = field(repr=False)

    def __repr__(self) -> str:
        items = counted(len(self.publication.items), "item")
        return f"Campaign({items}, {self.span})"

    @property
    def span(self) -> str:
        """The span in words."""
        return f"in {self.begins}" if self.begins == self.ends else f"from {self.begins} to {self.ends}"

    def in_words(self, item: str | None = None) -> str:
        """What was added, with its interval and how often nothing adds as much.

        Parameters
        ----------
        item : str, optional
            By default all items together, or the one that there is.

        Raises
        ------
        ParameterError
            If there is no such item.
        """
        name = self.total["item"].iloc[-1] if item is None else item
        own = self.total[self.total["item"] == name]
        if own.empty:
            raise ParameterError("item", repr(item), f"the campaign touched {', '.join(self.publication.items)}")
        row = own.iloc[0].to_dict()
        if np.isnan(row["added"]):
            return f"{name}: not available, {row['reason']}."
        unit = self.publication.head.demand.measure.unit
        band = f"{number(row['lower'])} to {number(row['upper'])}"
        said = f"{name}: {self.span} {quantity(row['actual'], unit)} came, "
        said += f"{number(row['expected'])} would have been expected: {number(row['added'])} added "
        said += f"({self.level:g} %: {band}), {number(row['percent'], 3)} %."
        return said + self._how_often(row)

    def _how_often(self, row: dict[Any, Any]) -> str:
        """How often so much is added by nothing."""
        rare = f"{number(row['chance'], 2)} %" if row["chance"] >= LEAST else f"fewer than {LEAST:g} %"
        chance = f" Without a campaign {rare} of such spans lie as far out"
        if pd.isna(row["spans"]) or row["spans"] == 0:
            return f"{chance}."
        much = "none was" if row["as_much"] == 0 else f"{row['as_much']} were" if row["as_much"] > 1 else "one was"
        earlier = counted(int(row["spans"]), "earlier span")
        return f"{chance}; of {earlier} of this length {much} as far out (placebo {number(row['placebo'], 2)} %)."
