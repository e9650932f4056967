"""What published quantiles, totals and group totals hold on demand that nothing was tuned to, and what they cost."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import pandas as pd

import veridex as vx
from verification.demand import HORIZON, KINDS, Mixed, mixed

SHARES = (90.0, 95.0, 97.5, 99.0)
LABELS = ("90", "95", "97_5", "99")
TOGETHER = 3
"""Periods of the short total: a lead time plus a review period."""

RECORDED = {
    "steady": (8.0, 4.7, 15.0, 7.6),
    "seasonal counts": (45.0, 24.8, 74.5, 39.5),
    "lumpy": (300.0, 173.7, 492.2, 277.4),
    "erratic": (76.8, 41.5, 133.4, 69.5),
    "growing": (10.1, 4.9, 19.2, 8.2),
    "recent shift": (48.0, 24.4, 54.5, 29.2),
    "24 to 48 months": (22.9, 12.2, 52.4, 29.6),
    "18 months": (36.0, 17.1, 63.3, 30.3),
    "ramps": (14.5, 7.1, 26.9, 12.2),
    "common shocks": (8.3, 5.1, 14.9, 7.7),
}
"""Pinball loss x 1000 at 97.5 and 99 %, single periods and three together, of bands around points (2026-11-27)."""


@dataclass
class Found:
    """What one portfolio showed."""

    held: dict[str, np.ndarray] = field(default_factory=dict)
    pinball: dict[str, np.ndarray] = field(default_factory=dict)
    bands: list[float] = field(default_factory=list)
    below: int = 0
    missing: int = 0


def cube(table: pd.DataFrame, items: tuple[str, ...], key: str, columns: list[str]) -> np.ndarray:
    """Columns of a table as (columns, items, steps)."""
    own = table[table[key].isin(items)].sort_values([key, "step"], kind="stable")
    return own[columns].to_numpy(dtype=float).reshape(len(items), HORIZON, len(columns)).transpose(2, 0, 1)


def pinball(y: np.ndarray, q: np.ndarray, share: float) -> np.ndarray:
    """Mean loss of each item."""
    off = y - q
    return np.maximum(share * off, (share - 1.0) * off).mean(axis=tuple(range(1, y.ndim)))


def measured(made: Mixed, publication: vx.Publication) -> Found:
    """Hold a publication against what came."""
    found = Found()
    names = [f"quantile_{label}" for label in LABELS]
    ahead = publication.frame[publication.frame["kind"] == "forecast"]
    totals = publication.totals[publication.totals["group"] == "item"]
    scale = made.futures.mean(axis=(1, 2))
    for what, table, key, futures in (
        ("step", ahead, "item", made.futures),
        ("three", totals, "name", made.futures.cumsum(axis=2)),
    ):
        quantiles = cube(table, made.items, key, names)
        span = slice(None) if what == "step" else slice(TOGETHER - 1, TOGETHER)
        y, q = futures[:, :, span], quantiles[:, :, None, span]
        found.held[what] = np.array([100.0 * (y <= one).mean() for one in q])
        found.pinball[what] = np.array(
            [
                (pinball(y, np.broadcast_to(one, y.shape), share / 100.0) / scale).mean()
                for one, share in zip(q, SHARES, strict=True)
            ]
        )
    bounds = cube(ahead, made.items, "item", ["lower_80", "upper_80", "lower_95", "upper_95"])[:, :, None]
    inside = ((bounds[0] <= made.futures) & (made.futures <= bounds[1])).mean(axis=(1, 2))
    found.bands = [100.0 * float(inside.mean()), 100.0 * float((inside >= 0.68).mean())]
    lower, upper = cube(totals, made.items, "name", ["lower_95", "upper_95"])[:, :, None, -1]
    year = made.futures.sum(axis=2)
    found.bands.append(100.0 * float(((lower <= year) & (year <= upper)).mean()))
    numbers = ahead[[*names, "lower_80", "lower_95"]].to_numpy(dtype=float)
    found.below, found.missing = int((numbers < 0.0).sum()), int(np.isnan(numbers).sum())
    numbers = totals[[*names, "lower_80", "lower_95"]].to_numpy(dtype=float)
    found.below, found.missing = found.below + int((numbers < 0.0).sum()), found.missing + int(np.isnan(numbers).sum())
    return found


def published(made: Mixed, origins: int = 24) -> vx.Publication:
    """The default job: backtest, blend, publish."""
    scheme = vx.RollingOrigin(horizon=HORIZON, origins=origins)
    trial = vx.backtest(made.history, scheme=scheme, engine="processes")
    return vx.publish(
        made.history, vx.decide(trial), horizon=HORIZON, quantiles=SHARES, groups=("family", "all"), engine="processes"
    )


def groups_held(made: Mixed, publication: vx.Publication) -> float:
    """Percent of futures inside the 95 % band of the year's total of each group of fifteen."""
    totals = publication.totals
    held = []
    for g in range(len(made.items) // 15):
        own = totals[(totals["group"] == "family") & (totals["name"] == f"{made.kind} {g}")]
        last = own[own["step"] == HORIZON].iloc[0]
        year = made.futures[15 * g : 15 * (g + 1)].sum(axis=(0, 2))
        held.append(((last["lower_95"] <= year) & (year <= last["upper_95"])).mean())
    return 100.0 * float(np.mean(held))


def all_held(made: Mixed, publication: vx.Publication) -> float:
    """Percent of futures inside the 95 % band of the year's total of everything."""
    totals = publication.totals
    last = totals[(totals["group"] == "all") & (totals["step"] == HORIZON)].iloc[0]
    year = made.together.sum(axis=1)
    return 100.0 * float(((last["lower_95"] <= year) & (year <= last["upper_95"])).mean())


def main(kinds: tuple[str, ...] = tuple(KINDS), make: Callable[[Mixed], vx.Publication] = published) -> None:
    found = {}
    for kind in kinds:
        made = mixed(kind)
        publication = make(made)
        one = measured(made, publication)
        one.bands += [groups_held(made, publication), all_held(made, publication)]
        found[kind] = one
    for what, said in (("step", "Single periods"), ("three", "Three periods together")):
        print(f"{said}: percent at or below one-sided quantiles; pinball loss x 1000 of mean demand.\n")
        print("| demand | 90 | 95 | 97.5 | 99 | loss at 90 | 95 | 97.5 | 99 |\n" + "| --- " * 9 + "|")
        for kind, one in found.items():
            cells = [f"{x:.1f}" for x in one.held[what]] + [f"{1000 * x:.1f}" for x in one.pinball[what]]
            print(f"| {kind} | {' | '.join(cells)} |")
        print()
    print("| demand | 80 % band | items at 68 or more | year, 95 % | group's year | all's | below zero | missing |")
    print("| --- " * 8 + "|")
    for kind, one in found.items():
        print(f"| {kind} | {' | '.join(f'{x:.1f}' for x in one.bands)} | {one.below} | {one.missing} |", flush=True)
    losses = np.array([[*one.pinball["step"][2:], *one.pinball["three"][2:]] for one in found.values()])
    ratios = 1000.0 * losses / np.array([RECORDED[kind] for kind in found])
    print("\nPinball loss against the recorded one, mean over kinds of demand: single periods at 97.5 %")
    print("{:.3f}, at 99 % {:.3f}; three together {:.3f} and {:.3f}.".format(*ratios.mean(axis=0)))
