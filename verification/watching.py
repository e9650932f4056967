"""Alerts on portfolios in which nothing happens: as many as were stated, at each lead time and of totals."""

import sys

import numpy as np

import veridex as vx

ITEMS, PORTFOLIOS, MONTHS, AHEAD = 300, 3, 84, 12
STATED = 6.0
"""False alerts a period, of so many items: two in a hundred."""


def quiet(rng: np.random.Generator) -> np.ndarray:
    """A level that wanders, a season, noise; nothing happens to it in its last year either."""
    t = np.arange(MONTHS + AHEAD)
    level = np.exp(np.cumsum(rng.uniform(0.0, 0.03) * rng.normal(size=t.size)))
    season = 1 + rng.uniform(0, 0.3) * np.sin(2 * np.pi * (t + rng.integers(12)) / 12)
    noise = np.exp(rng.uniform(0.05, 0.2) * rng.normal(size=t.size))
    return np.round(10 ** rng.uniform(1.5, 3.5) * level * season * noise)


def main() -> None:
    rng = np.random.default_rng(42)
    steps, totals = np.zeros(AHEAD), []
    for _ in range(PORTFOLIOS):
        many = []
        for k in range(ITEMS):
            many += vx.History.from_numbers(quiet(rng), start="2017-01", cadence="monthly", item=f"item-{k}")
        whole = vx.History.of(many)
        known = vx.History.of([one.first(MONTHS) for one in whole])
        trial = vx.backtest(known, scheme=vx.RollingOrigin(horizon=AHEAD, origins=24), engine="processes")
        made = vx.publish(known, vx.decide(trial), horizon=AHEAD, past=0, engine="processes")
        found = vx.watch(made, whole, false_alerts=STATED)
        steps += found.frame.groupby("step")["alert"].sum().to_numpy()
        totals.append((found.total["chance"] < 100 * STATED / ITEMS).sum())
    stated = PORTFOLIOS * STATED
    rows = {
        "lead time 1": steps[0] / stated,
        "lead time 12": steps[-1] / stated,
        "all lead times": steps.mean() / stated,
    }
    rows["totals of 12"] = sum(totals) / stated
    print("| alerts over those stated | ratio | bar |\n| --- | --- | --- |")
    for name, ratio in rows.items():
        print(f"| {name} | {ratio:.2f} | 0.5 to 1.5 |")
    if any(not 0.5 <= ratio <= 1.5 for ratio in rows.values()):
        sys.exit("a bar is missed")


if __name__ == "__main__":
    main()
