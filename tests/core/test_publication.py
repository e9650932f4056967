"""What is decided, and what is published."""

import dataclasses
import json

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.publication.manifest import fingerprint
from veridex.core.verdict.evidence import Entry, ItemEvidence
from veridex.core.verdict.single import choose_single
from veridex.figures.forecast import draw_forecast

BENCHMARKS = ("seasonal-naive", "naive")


def evidence(**errors):
    """Entries as name=(error, parameters) or name="why it is missing"."""
    entries = tuple(
        Entry(name.replace("_", "-"), np.nan, 0, (), value) if isinstance(value, str)
        else Entry(name.replace("_", "-"), *value, (), "")
        for name, value in errors.items()
    )  # fmt: skip
    return ItemEvidence("x", "mase", 3, 9, 3, entries)


@pytest.mark.parametrize(
    ("entries", "winner", "benchmark", "gain"),
    [
        ({"drift": (0.8, 2), "seasonal_naive": (1.0, 1)}, "drift", "seasonal-naive", 20),
        ({"drift": (1.1, 2), "seasonal_naive": (1.0, 1)}, "seasonal-naive", "seasonal-naive", 0),
        ({"drift": (1.0, 2), "seasonal_naive": (1.0, 3)}, "seasonal-naive", "seasonal-naive", 0),
        ({"holt": (0.5, 9), "mean": (0.5, 2), "naive": (1.0, 1)}, "mean", "naive", 50),
        ({"naive": (0.7, 1), "seasonal_naive": (1.0, 1)}, "naive", "seasonal-naive", 30),
        ({"drift": (2.0, 2), "seasonal_naive": "short", "naive": (1.0, 1)}, "naive", "naive", 0),
        ({"drift": (2.0, 2), "seasonal_naive": "short", "naive": "short"}, "drift", None, np.nan),
        ({"drift": "short"}, None, None, np.nan),
    ],
)
def test_single_takes_the_lowest_error_that_beats_the_benchmark(entries, winner, benchmark, gain):
    choice = choose_single(evidence(**entries), BENCHMARKS)
    assert (choice.winner.method if choice.winner else None) == winner
    assert (choice.benchmark.method if choice.benchmark else None) == benchmark
    assert choice.gain == pytest.approx(gain, nan_ok=True)


def test_winners_carry_their_evidence(trial, verdict):
    winners = verdict.winners
    assert winners["item"].tolist() == list(trial.history.names)
    scores = trial.scores(by=["item", "method"]).set_index(["item", "method"])
    for row in winners[winners["measure"] == "mase"].itertuples():
        assert row.error == pytest.approx(scores.loc[(row.item, row.method), "mase"], rel=1e-9)
        assert row.coverage_80 == pytest.approx(scores.loc[(row.item, row.method), "coverage_80"])
        assert row.error <= row.benchmark_error
    new = winners.set_index("item").loc["jar-hex-280"]
    assert new["measure"] == "mae" and new["benchmark"] == "naive"


def test_why_reads_as_a_planner_would_say_it(verdict):
    text = verdict.why("smoker-01")
    row = verdict.winners.set_index("item").loc["smoker-01"]
    assert text.startswith(f"smoker-01: {row['method']} is published. Over 8 origins, up to 6 months ahead, ")
    assert (
        f"{row['error']:.3g}" in text and "for the benchmark seasonal-naive" in text and "80 % intervals held" in text
    )
    assert "Not considered, having no forecast at some origins: " in verdict.why("jar-hex-280")
    with pytest.raises(vx.VeridexError, match="no item 'jar'"):
        verdict.why("jar")


def test_unknown_rules_are_refused(trial):
    with pytest.raises(vx.VeridexError, match="the rules are 'single' and 'blend'"):
        vx.decide(trial, rule="crystal-ball")


def test_publication_holds_history_and_forecasts(orders, verdict, publication):
    frame = publication.frame
    assert frame.columns.tolist() == [
        "item", "period", "kind", "step", "value", "stderr", "lower_80", "upper_80", "lower_95", "upper_95",
        "method", "tested", "reason", "scenario",
    ]  # fmt: skip
    for series in orders:
        rows = frame[frame["item"] == series.item]
        assert rows["kind"].tolist() == ["actual"] * len(series) + ["forecast"] * 8
        assert np.array_equal(rows["value"][: len(series)], series.actuals, equal_nan=True)
        ahead = rows.iloc[len(series) :]
        assert ahead["step"].tolist() == list(range(1, 9))
        assert ahead["tested"].tolist() == [True] * 6 + [False] * 2  # the trial looked six ahead
        refit = vx.fit(series, ahead["method"].iloc[0]).forecast(8)
        assert np.array_equal(ahead["value"], refit.points) and np.array_equal(ahead["upper_95"], refit.upper[1])
        assert ahead["period"].iloc[0] == np.datetime64("2025-09-01")
    past = frame[frame["kind"] == "actual"]
    assert past[["step", "stderr", "lower_80", "tested"]].isna().all(axis=None)
    assert (publication.forecasts["kind"] == "forecast").all() and repr(publication).startswith("Publication(10 items")


def test_points_do_not_move_with_the_level_and_bands_nest(orders, verdict):
    wide = vx.publish(orders, verdict, horizon=4, levels=(50, 80, 99)).forecasts
    narrow = vx.publish(orders, verdict, horizon=4, levels=(80,)).forecasts
    for column in ("value", "lower_80", "upper_80"):
        assert np.array_equal(wide[column], narrow[column])
    bounds = wide[["lower_99", "lower_80", "lower_50", "value", "upper_50", "upper_80", "upper_99"]].to_numpy()
    assert (np.diff(bounds, axis=1) >= 0).all()


def test_only_tested_levels_lead_times_and_cadences_are_called_tested(orders, verdict):
    published = vx.publish(orders, verdict, horizon=2, levels=(50, 95))
    held = published.manifest["items"]["smoker-01"]["scores"]["coverage"]
    assert held == {"80": held["80"], "95": verdict.winners.set_index("item").loc["smoker-01", "coverage_95"]}
    labels = [text.get_text() for text in draw_forecast(published, "smoker-01").legends[0].get_texts()]
    assert (
        labels[2] == "50 % interval (coverage not tested)"
        and labels[3] == f"95 % interval (held {held['95']:.0f} % when tested)"
    )
    unknown = monthly([np.nan] * 40)
    nothing = vx.publish(unknown, vx.decide(vx.backtest(unknown, scheme=vx.Holdout(last=3))), horizon=2)
    assert nothing.forecasts["tested"].tolist() == [False, False]
    with pytest.raises(vx.VeridexError, match="made on monthly demand with a cycle of 12"):
        vx.publish(orders.at_cadence("quarterly"), verdict)


def test_manifest_says_from_what_and_how(orders, publication):
    manifest = json.loads(json.dumps(publication.manifest, allow_nan=False))
    assert manifest["data"]["fingerprint"] == fingerprint(orders)
    assert manifest["data"]["notes"] == list(orders.notes)
    assert set(manifest["versions"]) == {"veridex", "python", "numpy", "scipy", "numba", "pandas"}
    settings = {"horizon": 6, "origins": 8, "stride": 1, "window": "expanding", "first": None, "gap": 0}
    assert manifest["backtest"]["settings"] == settings
    entry = manifest["items"]["smoker-01"]
    fitted = vx.fit(orders["smoker-01"], entry["method"])
    assert [c["value"] for c in entry["coefficients"]] == fitted.coefficients["value"].tolist()
    assert entry["in_words"] == fitted.in_words() and entry["scores"]["origins"] == 8
    assert fingerprint(orders.since("2019-01")) != fingerprint(orders)


def test_the_planners_own_choice_is_published_and_said():
    published = vx.publish(monthly(seasonal_values()), method="holt-winters", horizon=3)
    assert published.manifest["backtest"] is None
    assert published.manifest["items"]["smoker-01"]["why"] == "The planner's own choice; not backtested."
    assert published.forecasts["tested"].tolist() == [False] * 3


@pytest.mark.parametrize("call", [{}, {"method": "naive", "verdict": 1}, {"method": "naive", "horizon": 0}])
def test_wrong_calls_are_refused(call):
    with pytest.raises(vx.VeridexError):
        vx.publish(monthly([1, 2, 3]), **call)


def test_what_is_returned_is_frozen(trial, verdict, publication):
    for value, name in ((trial, "levels"), (verdict, "rule"), (publication, "frame")):
        with pytest.raises(dataclasses.FrozenInstanceError):
            setattr(value, name, None)
    with pytest.raises(ValueError, match="read-only"):
        trial.arrays.points[0] = 0.0
    assert isinstance(verdict.winners, pd.DataFrame)
