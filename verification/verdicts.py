"""Verdicts and published intervals on simulated portfolios, against the method that made each of them."""

import numpy as np

import veridex as vx
from verification.portfolios import FUTURES, HORIZON, ITEMS, PROCESSES, Portfolio, portfolio

DRAW = 0


def wide(table, column: str) -> np.ndarray:  # type: ignore[no-untyped-def]
    """A column of forecasts or totals as (items, steps)."""
    return table[column].to_numpy().reshape(-1, HORIZON)


def mase(made: Portfolio, publication: vx.Publication) -> float:
    """Mean scaled absolute error over items, futures and lead times."""
    scales = np.array([np.abs(one.values[12:] - one.values[:-12]).mean() for one in made.history])
    errors = np.abs(made.futures - wide(publication.forecasts, "value")[:, None])
    return float((errors / scales[:, None, None]).mean())


def covered(made: Portfolio, publication: vx.Publication) -> list[float]:
    """Percent of futures inside the 80 and 95 % intervals of lead times, then of the total over the horizon."""
    totals = publication.totals[publication.totals["group"] == "item"]
    found = []
    for table, futures in ((publication.forecasts, made.futures), (totals, made.futures.cumsum(axis=2))):
        for level in (80, 95):
            lower, upper = (wide(table, f"{side}_{level}")[:, None] for side in ("lower", "upper"))
            inside = (lower <= futures) & (futures <= upper)
            found.append(100.0 * float((inside if table is not totals else inside[:, :, -1]).mean()))
    return found


def width(made: Portfolio, publication: vx.Publication) -> float:
    """Mean width of the 95 % intervals of lead times, in standard deviations of what came."""
    table = publication.forecasts
    wide_95 = wide(table, "upper_95") - wide(table, "lower_95")
    return float((wide_95 / made.futures.std(axis=1)).mean())


def main() -> None:
    print(
        f"Six processes, {ITEMS} items each of 96 months (seed {DRAW}), {FUTURES} futures of {HORIZON} months for each"
    )
    print("each item; default lineup. MASE of the true method, re-estimated; of the others how much more.\n")
    print("| process | true method | benchmark | blend, 12 origins | blend, 24 | single, 12 | single, 24 |")
    print("| --- | --- | --- | --- | --- | --- | --- |")
    held = []
    for name in PROCESSES:
        made = portfolio(name, DRAW)

        def published(made: Portfolio = made, **words: object) -> vx.Publication:
            return vx.publish(made.history, horizon=HORIZON, engine="processes", **words)  # type: ignore[arg-type]

        true = mase(made, published(method=made.true))
        row = [f"{100 * (mase(made, published(method='seasonal-naive')) / true - 1):+.1f} %"]
        for rule in ("blend", "single"):
            for origins in (12, 24):
                trial = _trial(made, origins)
                publication = published(verdict=vx.decide(trial, rule))
                row.append(f"{100 * (mase(made, publication) / true - 1):+.1f} %")
                if rule == "blend":
                    held.append((name, origins, width(made, publication), covered(made, publication)))
        print(f"| {name} | {true:.3f} | {' | '.join(row)} |", flush=True)
    print("\nPercent of futures inside the published intervals of the blend: lead times pooled, and the total.\n")
    print("| process | origins | 95 % width | 80 % | 95 % | total, 80 % | total, 95 % |")
    print("| --- | --- | --- | --- | --- | --- | --- |")
    for name, origins, size, shares in held:
        print(f"| {name} | {origins} | {size:.3f} | {' | '.join(f'{share:.1f}' for share in shares)} |")


_TRIALS: dict[tuple[str, int], vx.Trial] = {}


def _trial(made: Portfolio, origins: int) -> vx.Trial:
    """The backtest of a portfolio, made once."""
    key = (made.name, origins)
    if key not in _TRIALS:
        scheme = vx.RollingOrigin(horizon=HORIZON, origins=origins)
        _TRIALS[key] = vx.backtest(made.history, None, scheme, engine="processes")
    return _TRIALS[key]
