"""Every word that tables show, gathered from the code at work on demo data: `test_words` holds it against the docs."""

import re
from collections import Counter
from importlib.resources import files

import numpy as np
import pandas as pd
from typer.testing import CliRunner

import veridex as vx
from conftest import METHODS
from veridex.cli import tables
from veridex.cli.main import app
from veridex.core.methods.catalogue import FAMILIES
from veridex.core.methods.made_of.transformed import TRANSFORM

__all__ = ["columns_and_cells", "estimate_labels", "setting_values"]

ITEMS = (
    "smoker-01",
    "suit-ventilated",
    "extractor-bearing",
    "feeder-rapid",
    "hive-nucleus",
    "veil-round",
    "lid-gold-63",
    "suit-basic",
)
WORDS = {"item": "sku", "period": "month", "demand": "units", "stock_out": "out_of_stock"}
DATA = files("veridex.demo") / "data"
SCHEME = vx.RollingOrigin(horizon=3, origins=12)
LINEUP = ["seasonal-naive", "theta", "arima p=0 d=1 q=1", "simple-smoothing", "trend-season", "croston"]


def demo():
    raw = vx.read_history(DATA / "demand.csv", **WORDS)
    return vx.History.of([raw[item] for item in ITEMS])


def tables_of_python(raw):
    """Every table that Python gives."""
    tidied = vx.tidy(raw, gaps="interpolate", outliers="repair", negative="zero")
    history = tidied.history
    one = history["smoker-01"]
    trial = vx.backtest(history, LINEUP, SCHEME)
    verdict = vx.decide(trial, allowed=LINEUP).override("veil-round", "theta", "the range is renewed")
    publication = vx.publish(history, verdict, horizon=3, quantiles=(97.5,), groups=["all"])
    searched, regression = vx.fit(one, "arima"), vx.fit(one, "trend-season")
    changed = one.actuals * (np.arange(len(one)) != 3)
    corrected = vx.History.from_numbers(changed, start="2016-10", cadence="monthly", item=one.item)
    earlier = vx.publish(one.until("2025-05"), method="theta", horizon=3)
    tested = vx.decide(vx.backtest(history.until("2025-05"), LINEUP, SCHEME), allowed=LINEUP)
    tested = tested.override("veil-round", "theta", "Ada: the range is renewed")
    held = vx.publish(history.until("2025-05"), tested, horizon=3, groups=["all"])
    watch = vx.watch(held, history)
    before = vx.publish(history.until("2025-04"), method="naive", horizon=3)
    record = vx.track_record([before, held], history)
    campaign = vx.campaign(vx.History.of([one, history["veil-round"]]), begins="2025-07", lineup=["seasonal-naive"])
    tuning = vx.tune(history, "moving-average", {"window": [2, 3]}, SCHEME)
    return {
        "vx.profile": vx.profile(raw),
        "tidied.ledger": tidied.ledger,
        "history.items": history.items,
        "history.to_frame": history.to_frame(),
        "stationarity.table": vx.stationarity(one).table,
        "seasons.table": vx.seasons(one).table,
        "decomposition.to_frame": vx.decompose(one).to_frame(),
        "decompositions.strengths": vx.decompose(history, form="auto").strengths,
        "fitted.coefficients": regression.coefficients,
        "fitted.candidates": searched.candidates,
        "fitted.roots": vx.fit(one, "arima p=1 d=0 q=1 D=1 Q=1").roots,
        "fitted.components": vx.fit(one, "holt-winters season=additive").components,
        "fitted.contributions": regression.contributions(3),
        "fitted.summary": pd.DataFrame([regression.summary]),
        "fitted.audit": regression.audit().table,
        "fitted.to_frame": regression.to_frame(),
        "forecast.frame": regression.forecast(3).frame,
        "comparison.models": vx.compare_fits(one, ["naive", "theta"], SCHEME).models,
        "trial.errors": trial.errors,
        "trial.scores": trial.scores(by=["item", "method"]),
        "trial.scores (both)": trial.scores(scope="both"),
        "trial.models": trial.models,
        "trial.audit": vx.backtest(one, ["theta"], vx.Holdout(last=12)).audit("smoker-01", "theta").table,
        "trial.standings": trial.standings(),
        "trial.timings": trial.timings,
        "tuning.frame": tuning.frame,
        "verdict.winners": verdict.winners,
        "publication.frame": publication.frame,
        "watch.frame": watch.frame,
        "watch.items": watch.items,
        "watch.total": watch.total,
        "watch.groups": watch.groups,
        "watch.corrections": vx.watch(earlier, corrected).corrections,
        "control.frame": vx.control(history, period="2025-08", lineup=["seasonal-naive", "theta"]).frame,
        "campaign.frame": campaign.frame,
        "campaign.before": campaign.before,
        "campaign.total": campaign.total,
        "campaign.placebo": campaign.placebo,
        "record.errors": record.errors,
        "record.scores": record.scores(["item", "step"]),
        "record.coverage": record.coverage,
        "record.value_added": record.value_added,
        "record.overrides": record.overrides,
        "record.changes": record.changes,
        "record.worse": record.worse,
        "reproduced.frame": vx.reproduce(before, history).frame,
        "publication.totals": publication.totals,
        "publication.models": publication.models,
    }


def tables_on_the_screen(directory, monkeypatch):
    """Every table that a command prints."""
    shown = {}
    monkeypatch.setattr(tables, "_show_rich", lambda table, title, *_: shown.setdefault((verb, title), table))
    source = directory / "demand.csv"
    frame = pd.read_csv(DATA / "demand.csv", dtype=str, keep_default_na=False)
    frame[frame["sku"].isin(ITEMS)].to_csv(source, index=False)
    file = [str(source), "--period", "month", "--demand", "units", "--stock-out", "out_of_stock"]
    one, tidy = ["--item", "sku=smoker-01"], ["--tidy", "gaps=interpolate"]
    rolling, lineup = ["--horizon", "3", "--origins", "12"], ["--methods", ", ".join(LINEUP)]
    kept = [*file, "--item", "sku", *tidy, "--until", "2025-05", "--method", "theta", "--horizon", "3"]
    calls = {
        "profile": ["profile", *file, "--item", "sku"],
        "tidy": ["tidy", *file, "--item", "sku", "--gaps", "interpolate"],
        "look": ["look", *file, "--item", "sku", *tidy],
        "look, one item": ["look", *file, *one, *tidy],
        "look --part years": ["look", *file, *one, *tidy, "--part", "years"],
        "stationarity": ["stationarity", *file, *one, *tidy],
        "fit": ["fit", *file, *one, *tidy, "--method", "trend-season"],
        "fit, several": ["fit", *file, *one, *tidy, "--method", "naive", "--method", "arima p=0 d=1 q=1", *rolling],
        "backtest": ["backtest", *file, "--item", "sku", *tidy, *rolling, *lineup],
        "backtest --by": ["backtest", *file, *one, *tidy, *rolling, "--methods", "naive", "--by", "method,phase"],
        "backtest --show-lineup": ["backtest", *file, "--item", "sku", "--show-lineup"],
        "tune": ["tune", *file, *one, *tidy, "--method", "moving-average", "--grid", "window=2,3", *rolling],
        "publish": ["publish", *file, "--item", "sku", *tidy, "--method", "theta", "--horizon", "3"],
        "publish, one item": ["publish", *file, *one, *tidy, "--horizon", "3"],
        "publish, kept": ["publish", *kept, "--to", str(directory / "kept")],
        "publish --again": ["publish", *file, "--item", "sku", "--again", str(directory / "kept")],
        "watch": ["watch", str(directory / "kept"), *file, "--item", "sku", *tidy, "--tolerance", "1000"],
        "record": ["record", str(directory / "kept"), *file, "--item", "sku", *tidy],
        "campaign": ["campaign", *file, *one, *tidy, "--begins", "2025-06", "--methods", "seasonal-naive"],
    }
    for verb, call in calls.items():  # noqa: B007, `verb` is read where tables are caught
        done = CliRunner().invoke(app, call)
        assert done.exit_code in (0, 3), (call, done.output)
    count = Counter()
    named = {}
    for (verb, _), table in shown.items():
        count[verb] += 1
        named[f"veridex {verb} ({count[verb]})"] = table
    return named


def columns_and_cells(directory, monkeypatch):
    """Columns of each table in order; and the texts that stand in each column of texts, numbers as N."""
    every = tables_of_python(demo()) | tables_on_the_screen(directory, monkeypatch)
    columns = {name: [str(column) for column in table.columns] for name, table in every.items()}
    cells = {}
    for table in every.values():
        for name in table.columns:
            values = table[name].dropna()
            if values.map(lambda value: isinstance(value, str)).any():
                cells.setdefault(str(name), set()).update(
                    re.sub(r"\d[\d.,]*", "N", text) for text in values.astype(str)
                )
    return columns, {name: found - {""} for name, found in cells.items()}


def estimate_labels():
    """Labels of the estimates of every method, numbers as N, periods of the season as PERIOD."""
    series = demo()["smoker-01"].until("2025-08")
    series = vx.tidy(series, gaps="interpolate").history["smoker-01"]
    phases = "|".join(series.phase_name(k) for k in range(12))
    labels = set()
    drivers = vx.read_drivers(DATA / "prices.csv", period="month", cadence="monthly", known_ahead="all")
    lineup = [
        *METHODS,
        "arima p=1 d=1 q=1 P=1 D=1 Q=1 constant=yes",
        "arima d=1 constant=yes",
        "arima D=1 constant=yes",
    ]
    fits = [vx.fit(series, method) for method in lineup]
    fits += [vx.fit(series, method, drivers=drivers) for method in ("driver-regression keep=all", "linear-trend")]
    for fitted in fits:
        for name in fitted.coefficients["name"]:
            if not name.startswith("weight of "):
                labels.add(re.sub(r"\d[\d.]*", "N", re.sub(phases, "PERIOD", name)))
    return labels


def setting_values():
    """Every setting, and what it allows in every method that has it."""
    found = {}
    for family in FAMILIES:
        for setting in (*family.settings, *TRANSFORM):
            found.setdefault(setting.key, set()).add(setting.allowed)
    return {key: sorted(allowed) for key, allowed in found.items()}
