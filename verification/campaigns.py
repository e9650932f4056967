"""What campaigns added, simulated: intervals of the total, with and without a control series; placebo chances."""

import sys
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np
from scipy.stats import chisquare

import veridex as vx

RUNS, MONTHS, LASTING = 180, 84, 12
SIZES = (0.05, 0.2, 0.5)
"""What campaigns add, as shares of demand."""


def one(run: int, controlled: bool) -> tuple[float, bool, int, int]:
    """One campaign on an item of its own: its size, whether the interval holds it, the placebo's place and its spans.

    The item and the control share a level that wanders; each has a season and noise of its own.
    """
    rng = np.random.default_rng([run, 7])
    t = np.arange(MONTHS + LASTING)
    level = np.exp(np.cumsum(rng.uniform(0.0, 0.03) * rng.normal(size=t.size)))
    drawn = []
    for _ in range(2):
        season = 1 + rng.uniform(0, 0.3) * np.sin(2 * np.pi * (t + rng.integers(12)) / 12)
        noise = np.exp(rng.uniform(0.05, 0.15) * rng.normal(size=t.size))
        drawn.append(np.round(10 ** rng.uniform(2, 3.5) * level * season * noise))
    size = SIZES[run % len(SIZES)]
    added = np.where(t < MONTHS, 0.0, np.round(size * drawn[0]))
    many = [
        *vx.History.from_numbers(drawn[0] + added, start="2017-01", cadence="monthly", item="jar"),
        *vx.History.from_numbers(drawn[1], start="2017-01", cadence="monthly", item="lid"),
    ]
    history = vx.History.of(many if controlled else many[:1])
    found = vx.campaign(history, begins="2024-01", controls=("lid",) if controlled else ())
    row = found.total.iloc[0]
    # Chances of the placebo must be uniform where nothing was added.
    (still,) = vx.History.from_numbers(drawn[0], start="2017-01", cadence="monthly", item="jar")
    quiet = vx.History.of([still, *(each for each in history if each.item == "lid")])
    place = vx.campaign(quiet, begins="2024-01", controls=("lid",) if controlled else ()).total.iloc[0]
    return size, bool(row["lower"] <= added.sum() <= row["upper"]), int(place["as_much"]), int(place["spans"])


def main() -> None:
    missed = False
    print("| campaign | runs | 95 % interval holds | bar |\n| --- | --- | --- | --- |")
    places: dict[bool, list[tuple[int, int]]] = {}
    with ProcessPoolExecutor(2) as pool:
        for controlled in (False, True):
            found = list(pool.map(partial(one, controlled=controlled), range(RUNS), chunksize=5))
            places[controlled] = [(as_much, spans) for _, _, as_much, spans in found]
            for size in (*SIZES, None):
                own = [held for s, held, _, _ in found if size in (None, s)]
                held = 100.0 * float(np.mean(own))
                judged = size is None
                bad = judged and not 92.0 <= held <= 97.0
                missed |= bad
                what = "all" if size is None else f"{100 * size:.0f} % of demand"
                bar = ("92 to 97" + (", missed" if bad else "")) if judged else ""
                print(f"| {what}, {'with' if controlled else 'without'} a control | {len(own)} | {held:.1f} | {bar} |")
    print("\n| placebo | runs | spans | place of the span among them, share of runs | p of uniformity | bar |")
    print("| --- | --- | --- | --- | --- | --- |")
    for controlled, pairs in places.items():
        spans = max({n for _, n in pairs}, key=[n for _, n in pairs].count)
        counts = np.bincount([k for k, n in pairs if n == spans], minlength=spans + 1)
        chance = float(chisquare(counts).pvalue)
        missed |= chance < 0.01
        shares = " ".join(f"{share:.2f}" for share in counts / counts.sum())
        bar = "at least 0.01" + (", missed" if chance < 0.01 else "")
        kind = f"{'with' if controlled else 'without'} a control"
        print(f"| {kind} | {counts.sum()} | {spans} | {shares} | {chance:.2f} | {bar} |")
    if missed:
        sys.exit("a bar is missed")


if __name__ == "__main__":
    main()
