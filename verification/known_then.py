"""What is claimed of a verdict, against futures that nobody had seen; and what is published, against simple rules."""

from typing import NamedTuple

import numpy as np
import pandas as pd

import veridex as vx
from veridex.core.backtest.schemes import default_scheme
from veridex.core.numerics.seasons.profile import shows_season
from verification import demand, grouped

DRAWS = (0, 1)
"""Portfolios of each kind of `verification.demand`; of the others one."""


class Made(NamedTuple):
    """A portfolio with the futures (items, futures, horizon) of the items that it is about."""

    name: str
    history: vx.History
    items: tuple[str, ...]
    futures: np.ndarray
    horizon: int


class Row(NamedTuple):
    """What one portfolio showed."""

    name: str
    published: float
    benchmark: float
    mean: float
    lost: int
    tempered: int
    reported: float
    true: float
    said: int
    claimed: float
    held: float


def portfolios() -> list[Made]:
    """Every portfolio, mixed ones first."""
    mixed = [demand.mixed(kind, draw) for draw in DRAWS for kind in demand.KINDS]
    found = [Made(one.kind, one.history, one.items, one.futures, demand.HORIZON) for one in mixed]
    return found + [
        Made(one.kind, one.history, one.items, one.futures[np.isin(one.history.names, one.items)], one.horizon)
        for one in map(grouped.grouped, grouped.KINDS)
    ]


def scales(made: Made, names: list[str]) -> np.ndarray:
    """What absolute errors are scaled by at publication; the mean of demand that is younger than its season."""
    season, values = made.history.season_length, [made.history[one].values for one in names]
    return np.array([np.nanmean(np.abs(v[season:] - v[:-season]) if v.size > season else v) for v in values])


def columns(made: Made, names: list[str], table: pd.DataFrame, *wanted: str) -> list[np.ndarray]:
    """Columns of forecasts as (items, 1, steps)."""
    own = table[table["item"].isin(names)].sort_values(["item", "step"], kind="stable")
    return [own[one].to_numpy(dtype=float).reshape(len(names), 1, made.horizon) for one in wanted]


def measured(made: Made) -> Row:
    """The default job, and simple rules beside it."""
    names = sorted(made.items)
    futures = made.futures[[made.items.index(one) for one in names]]
    scale = scales(made, names)

    def errors(publication: vx.Publication) -> np.ndarray:
        (ahead,) = columns(made, names, publication.forecasts, "value")
        return np.nanmean(np.abs(futures - ahead), axis=(1, 2)) / scale

    def simple(method: str) -> float:
        return float(np.nanmean(errors(vx.publish(made.history, method=method, horizon=made.horizon))))

    trial = vx.backtest(made.history, scheme=default_scheme(made.history, made.horizon), engine="processes")
    verdict = vx.decide(trial)
    said = verdict.winners.set_index("item").loc[names]
    publication = vx.publish(made.history, verdict, horizon=made.horizon, engine="processes")
    found = errors(publication)
    lower, upper = columns(made, names, publication.forecasts, "lower_80", "upper_80")
    claimed = (said["error"].notna() & (said["measure"] == "mase")).to_numpy()
    tempered = sum(verdict.choice(one).share < 1.0 for one in names)
    return Row(
        made.name,
        float(np.nanmean(found)),
        simple("seasonal-naive"),
        simple("mean"),
        int((said["lost"] != "").sum()),
        tempered,
        float(said["error"][claimed].mean()),
        float(found[claimed].mean()) if claimed.any() else np.nan,
        int(claimed.sum()),
        float(said["coverage_80"].mean()),
        100.0 * float(((lower <= futures) & (futures <= upper)).mean()),
    )


def season_test() -> None:
    """The one test for a season that methods and pages go by."""
    print("The test for a season (F, one percent): percent of 2,000 histories in which it sees one.\n")
    print("| months | noise | random walk | season of 40 %, noise 10 % | season of 10 %, noise 10 % |")
    print("| --- " * 5 + "|")
    rng = np.random.default_rng(7)
    for n in (24, 36, 48, 96):
        wave = np.sin(np.pi * np.arange(n) / 6)
        noise, walk = rng.normal(size=(2, 2000, n))
        drawn = (
            100 + 10 * noise,
            100 + walk.cumsum(axis=1),
            100 + 40 * wave + 10 * noise,
            100 + 10 * wave + 10 * noise,
        )
        shares = [100 * np.mean([shows_season(one, 12) for one in rows]) for rows in drawn]
        print(f"| {n} | {' | '.join(f'{share:.1f}' for share in shares)} |")
    print()


def sums_of_families() -> None:
    """What items that are wanted now and then add up to, against their sum forecast by itself."""
    print(
        "Error of the sum of a family of 15 spares, in shares of its demand: of what is published for each of them, of"
    )
    print("the sum forecast by itself, of the mean; and of the true mean, which no forecast beats.\n")
    print("| draw | items published | the sum itself | mean of each | true mean |")
    print("| --- " * 5 + "|")
    for draw in DRAWS:
        made = grouped.grouped("now and then, seasonal", draw)
        history, names = made.history, list(made.history.names)
        families = sorted({history.keys[name][1] for name in names})
        members = {one: [name for name in names if history.keys[name][1] == one] for one in families}
        start = str(history[names[0]].periods[0])[:7]
        past = [
            vx.History.from_numbers(
                sum(history[name].values for name in own), start=start, cadence="monthly", item=one
            )[one]
            for one, own in members.items()
        ]
        published, alone = (_published(one, made.horizon) for one in (history, vx.History.of(past)))
        flat = vx.publish(history, method="mean", horizon=made.horizon)
        rows = []
        for one, own in members.items():
            future = sum(made.futures[names.index(name)] for name in own)
            told = [sum(by[name].outlook.points for name in own) for by in (published, flat)]
            tried = (told[0], alone[one].outlook.points, told[1], future.mean(axis=0))
            rows.append([np.abs(future - ahead).mean() / future.mean() for ahead in tried])
        print(f"| {draw} | {' | '.join(f'{error:.3f}' for error in np.mean(rows, axis=0))} |", flush=True)
    print()


def _published(history: vx.History, horizon: int) -> vx.Publication:
    """The default job."""
    trial = vx.backtest(history, scheme=default_scheme(history, horizon), engine="processes")
    return vx.publish(history, vx.decide(trial), horizon=horizon, engine="processes")


def main() -> None:
    season_test()
    sums_of_families()
    print("The default lineup, origins and rule; MASE over futures that nobody had seen. Lost: items for which the")
    print("benchmark is published; mixed: for which the blend is mixed with it. Reported and true error of the items")
    print("that an error is reported for; 80 % bands as reported and as they held.\n")
    head = "demand | published | benchmark | mean | of the better | lost, mixed | reported | true | items"
    print(f"| {head} | reported 80 | held |")
    print("| --- " * 11 + "|")
    rows = []
    for made in portfolios():
        row = measured(made)
        rows.append(row)
        ratio = row.published / np.fmin(row.benchmark, row.mean)
        print(
            f"| {row.name} | {row.published:.3f} | {row.benchmark:.3f} | {row.mean:.3f} | {ratio:.3f} | {row.lost}, "
            f"{row.tempered} | {row.reported:.3f} | {row.true:.3f} | {row.said} | {row.claimed:.1f} | {row.held:.1f} |",
            flush=True,
        )
    table = pd.DataFrame(rows)
    known = table.dropna(subset=["reported", "true"])
    off = known["reported"] / known["true"] - 1.0
    quiet = off[known["name"] != "recent shift"]
    bands = table.dropna(subset=["claimed"])
    apart = bands["claimed"] - bands["held"]
    print(f"\nReported error against the true one: {100 * off.mean():+.1f} % in the mean of portfolios, ", end="")
    print(
        f"{100 * quiet.mean():+.1f} % (standard error {100 * quiet.std() / np.sqrt(len(quiet)):.1f}) without a shift."
    )
    print(
        f"Reported coverage less what was held: {apart.mean():+.1f} points in the mean, {apart.abs().mean():.1f} ",
        end="",
    )
    print(f"without sign; correlation over portfolios {np.corrcoef(bands['claimed'], bands['held'])[0, 1]:.2f}.")
