"""Every view on what is easy and what is hard, against what it was seen to draw.

The scenes in `scenes.txt` were looked at as pictures. A line that differs is a thing on the picture that has moved:
look at it again before it is kept, with VERIDEX_REDRAW=1 in the environment.
"""

import os
import warnings
from pathlib import Path

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from figures.drawn import alike, told
from veridex import figures

KEPT = Path(__file__).with_name("scenes.txt")
LONG = "a name of sixty letters that no axis and no legend can hold "
THIRTEEN = [
    *("naive", "seasonal-naive", "mean", "drift", "theta", "sba", "simple-smoothing", "holt damped=yes"),
    *(
        "holt-winters season=additive",
        "trend-season",
        "moving-average window=3",
        "linear-trend",
        "arima transform=log p=1",
    ),
]


def _days():
    rng, t = np.random.default_rng(1), np.arange(4 * 365)
    level = 80 * (1 + 0.3 * np.sin(2 * np.pi * t / 365.25)) * np.array([1.2, 1.1, 1, 1, 1.1, 0.6, 0.3])[(t + 1) % 7]
    return vx.History.from_numbers(rng.poisson(level), start="2021-01-05", cadence="daily", item="fondant-12kg")


def _hours():
    rng, t = np.random.default_rng(2), np.arange(24 * 42)
    level = 20 * (1 + 0.8 * np.sin(2 * np.pi * (t % 24 - 8) / 24)) * np.where((t // 24) % 7 < 5, 1, 0.4)
    return vx.History.from_numbers(rng.poisson(level), start="2024-03-04T00:00", cadence="hourly", item="web orders")


def _counts():
    rng = np.random.default_rng(3)
    return monthly(rng.poisson(1.2, 60) * (rng.random(60) < 0.4), item="extractor-bearing")


def _spiked():
    values = seasonal_values(4, 72)
    values[50] *= 20
    return monthly(values)


def _below_zero():
    return monthly(np.random.default_rng(5).normal(size=48).cumsum() - 4.0, item="returns")


CASES = {
    "days": _days,
    "hours": _hours,
    "counts": _counts,
    "spiked": _spiked,
    "below zero": _below_zero,
    "unknown": lambda: monthly(np.full(30, np.nan)),
    "one value": lambda: monthly([7.0]),
    "sixty letters": lambda: monthly(seasonal_values(6, 48), item=LONG),
    "counted": lambda: vx.History.from_numbers(seasonal_values(7, 40), cadence="counted", item="jars"),
}


def _tested(history, scheme, lineup=("theta", "seasonal-naive")):
    return vx.backtest(history, list(lineup), scheme)


def _came(orders):
    """Views of what came: quiet, and with slips and a shift in it."""
    known = vx.History.of([orders[item].until("2025-02") for item in ("smoker-01", "hive-tool-j", "jar-honey-500")])
    lineup, scheme = ["seasonal-naive", "theta"], vx.RollingOrigin(horizon=6, origins=12)
    verdict = vx.decide(vx.backtest(known, lineup, scheme)).override("smoker-01", "naive", "Ada: it stays as it is")
    made = [vx.publish(known.first(98), method="theta", horizon=6), vx.publish(known, verdict, horizon=6)]
    later = vx.History.of([orders[item] for item in known.names])
    shifted = []
    for one in later:
        values = np.array(one.actuals)
        values[-4:] *= 1.5 if one.item == "hive-tool-j" else 1.0
        shifted += vx.History.from_numbers(values, start="2016-10", cadence="monthly", item=one.item, unit="units")
    typed = np.array(orders["hive-tool-j"].actuals)
    typed[-1] *= 10
    slip = vx.History.of([*monthly(typed, item="hive-tool-j", start="2016-10"), orders["smoker-01"].under(None)])
    own = orders["jar-honey-500"]
    return {
        "watch": lambda: figures.watch(vx.watch(made[1], later)),
        "watch of a shift": lambda: figures.watch(vx.watch(made[1], vx.History.of(shifted), false_alerts=0.1)),
        "control": lambda: figures.control(vx.control(slip, period="2025-08", lineup=lineup)),
        "record": lambda: figures.record(vx.track_record(made, later)),
        "record of one publication": lambda: figures.record(vx.track_record(made[0], later)),
        "campaign": lambda: figures.campaign(vx.campaign(own, begins="2025-05", ends="2025-08", lineup=lineup)),
        "campaign of a period": lambda: figures.campaign(
            vx.campaign(_counts(), begins="2022-12", ends="2022-12", lineup=["mean"])
        ),
    }


def _scenes(given):
    """Views by name: of easy things, and of hard ones."""
    trial, verdict, publication, orders = (given[name] for name in ("trial", "verdict", "publication", "orders"))
    smoker = orders["smoker-01"]
    rolling, once = vx.RollingOrigin(horizon=3, origins=8), vx.RollingOrigin(horizon=1, origins=1)
    fitted = vx.fit(smoker, "trend-season")
    yield "history", lambda: figures.history(given["demand"]["gloves-leather"], events=given["events"], since="2021")
    yield "history, tidied", lambda: figures.history(orders["suit-ventilated"], overlay=[6, "theta"], scale=(0, 200))
    yield "history, out of stock", lambda: figures.history(given["demand"]["lid-gold-63"], until="2022-06")
    yield "over years", lambda: figures.over_years(smoker)
    yield "seasons", lambda: figures.seasons(smoker, since="2019")
    yield "parts", lambda: figures.parts(smoker)
    yield "parts that multiply", lambda: figures.parts(vx.decompose(smoker, form="multiplicative"), until="2023")
    yield "look", lambda: figures.look(smoker, overlay=12)
    yield "stationarity", lambda: figures.stationarity(smoker)
    yield "stationarity as stated", lambda: figures.stationarity(smoker, transform="log", d=1, D=1, lags=18)
    yield "fit", lambda: figures.fit(fitted, 6, levels=(50, 90), overlay=12, since="2022")
    yield "residuals", lambda: figures.residuals(vx.fit(smoker, "holt-winters season=multiplicative"))
    yield "residuals of a trial", lambda: figures.residuals(trial, "smoker-01", "theta", step=2)
    yield "residuals of one origin", lambda: figures.residuals(_tested(smoker, vx.Holdout(last=12)), method="theta")
    yield "contributions", lambda: figures.contributions(fitted, 6)
    yield "no contributions", lambda: figures.contributions(vx.fit(smoker, "naive"))
    yield "holdout of a verdict", lambda: figures.holdout(verdict, "smoker-01")
    yield "holdout of methods", lambda: figures.holdout(trial, "smoker-01", ["theta", "arima", "naive"], scale=(0, 400))
    yield "holdout, all origins", lambda: figures.holdout(trial, "smoker-01", "theta", origin="all", overlay=6)
    yield "rolling", lambda: figures.rolling(verdict, "smoker-01", step=3, overlay=12)
    yield (
        "rolling, apart",
        lambda: figures.rolling(
            _tested(smoker, vx.RollingOrigin(horizon=3, origins=6, stride=3)), method="theta", step=2
        ),
    )
    yield "folds", lambda: figures.folds(trial)
    yield (
        "folds of a window",
        lambda: figures.folds(_tested(smoker, vx.RollingOrigin(horizon=2, origins=4, window=36, gap=2))),
    )
    yield "contenders", lambda: figures.contenders(verdict, "smoker-01")
    yield "contenders of a trial", lambda: figures.contenders(trial, "smoker-01", ["theta", "naive"], measure="rmse")
    yield "contenders ahead", lambda: figures.contenders(verdict, "smoker-01", ["theta", "naive"], origin="end")
    yield "standings", lambda: figures.standings(trial)
    yield "lead times", lambda: figures.lead_times(trial, "rmse", ["theta", "arima"])
    yield "volume", lambda: figures.volume(verdict)
    yield "volume of a trial", lambda: figures.volume(trial, "mape")
    yield "coverage", lambda: figures.coverage(verdict)
    yield "coverage of methods", lambda: figures.coverage(trial, "smoker-01")
    yield (
        "tuning",
        lambda: figures.tuning(vx.tune(smoker, "moving-average", {"window": [12, 2, 4]}, rolling, measure="mape")),
    )
    yield (
        "forecast",
        lambda: figures.forecast(publication, "smoker-01", overlay=[12, "naive"], ax=None, since=None, title=None),
    )
    yield "forecast of a retired item", lambda: figures.forecast(publication, "feeder-rapid", last_year=False)
    yield "total", lambda: figures.total(vx.publish(orders, verdict, horizon=6, groups=["all"]))
    yield "total of a history", lambda: figures.total(orders, ["smoker-01", "hive-tool-j"])
    yield "driver", lambda: figures.driver(smoker, given["weather"], lags=[-1, 0, 1, 2])
    yield "driver, as it is", lambda: figures.driver(smoker, given["weather"], raw=True)
    yield "side by side", lambda: figures.side_by_side(orders, overlay=12)
    yield (
        "measures side by side",
        lambda: figures.side_by_side([smoker, monthly(np.arange(40.0))["smoker-01"]], percent=True),
    )
    for name, draw in _came(orders).items():
        yield name, draw
    for name, make in CASES.items():
        yield f"history of {name}", lambda make=make: figures.history(make())
        yield f"seasons of {name}", lambda make=make: figures.seasons(make())
        yield f"parts of {name}", lambda make=make: figures.parts(make())
        yield f"stationarity of {name}", lambda make=make: figures.stationarity(make())
        yield f"fit of {name}", lambda make=make: figures.fit(vx.fit(make(), "simple-smoothing"))
        yield f"residuals of {name}", lambda make=make: figures.residuals(vx.fit(make(), "simple-smoothing"))
        if name not in ("unknown", "one value"):
            yield f"holdout of {name}", lambda make=make: figures.holdout(_tested(make(), rolling), methods="theta")
            yield (
                f"forecast of {name}",
                lambda make=make: figures.forecast(vx.publish(make(), method="theta", horizon=5)),
            )
    single = _tested(smoker, once)
    for draw in (figures.holdout, figures.rolling, figures.folds, figures.contenders, figures.standings):
        yield f"{draw.__name__} of one lead time at one origin", lambda draw=draw: draw(single)
    for draw in (figures.lead_times, figures.coverage, figures.volume, figures.residuals):
        yield f"{draw.__name__} of one lead time at one origin", lambda draw=draw: draw(single)
    short = vx.History.of([smoker.under(None), monthly([3.0, 4.0], item="young")["young"]])
    lone = _tested(short, vx.RollingOrigin(horizon=4, origins=3))
    yield "holdout without an origin", lambda: figures.holdout(lone, "young")
    yield "coverage without an interval", lambda: figures.coverage(vx.decide(lone), "young")
    yield "contenders without an origin", lambda: figures.contenders(lone, "young")
    yield "history without shifts or season", lambda: figures.history(monthly([4.0, 5, 6, 5, 4]), overlay=3)
    many = _tested(_spiked(), rolling, THIRTEEN)
    for draw in (figures.contenders, figures.standings, figures.lead_times):
        yield f"{draw.__name__} of thirteen methods", lambda draw=draw: draw(many)


def _kept():
    """Lines of each scene."""
    scenes, name = {}, ""
    for line in KEPT.read_text(encoding="utf-8").splitlines() if KEPT.exists() else ():
        if line.startswith("== "):
            name = line[3:]
            scenes[name] = []
        else:
            scenes[name].append(line)
    return scenes


@pytest.fixture(scope="module")
def given(trial, verdict, publication, orders, demand, data):
    weather = vx.read_drivers(data / "weather.csv", period="month", cadence="monthly")
    events = vx.read_events(data / "events.csv")
    return {"trial": trial, "verdict": verdict, "publication": publication, "orders": orders} | {
        "demand": demand, "weather": weather, "events": events,
    }  # fmt: skip


def test_every_view_draws_what_it_was_seen_to_draw(given):
    kept, seen = _kept(), {}
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for name, draw in _scenes(given):
            figure = draw()
            seen[name] = list(told(figure))
            for axes in figure.axes:
                assert all(np.isfinite(axes.get_ylim())) and np.ptp(axes.get_ylim()) > 0, name
    if os.environ.get("VERIDEX_REDRAW"):
        KEPT.write_text("".join(f"== {name}\n" + "\n".join(lines) + "\n" for name, lines in seen.items()), "utf-8")
        pytest.skip("kept what is drawn now")
    assert list(seen) == list(kept)
    for name, lines in seen.items():
        moved = [(line, old) for line, old in zip(lines, kept[name], strict=False) if not alike(line, old)]
        assert not moved and len(lines) == len(kept[name]), f"{name}: {moved[:3] or lines[len(kept[name]) :]}"
