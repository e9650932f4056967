"""Backtests of whole portfolios: engines, resuming, adding, files, paces, schemes, leaks."""

import dataclasses
import os
import signal
import subprocess
import sys
import textwrap
import time
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import METHODS, monthly, portfolio, seasonal_values
from deadly import Deadly
from veridex.engines.processes import ProcessEngine
from veridex.errors import WorkerFailed

SCHEME = vx.RollingOrigin(horizon=4, origins=4)
TESTS = Path(__file__).parents[2]


def arrays_of(trial, times=False):
    found = {f.name: getattr(trial.arrays, f.name).tobytes() for f in dataclasses.fields(trial.arrays)}
    return found if times else {name: bits for name, bits in found.items() if name != "seconds"}


@pytest.mark.parametrize(("workers", "chunk"), [(2, None), (3, 1), (1, 4)])
def test_processes_give_the_same_bits(workers, chunk):
    history = vx.tidy(portfolio(), gaps="interpolate").history
    one = vx.backtest(history, [*METHODS[:12], "arima", "bending-trend"], SCHEME)
    counted = []
    other = vx.backtest(
        history, [*METHODS[:12], "arima", "bending-trend"], SCHEME, engine=ProcessEngine(workers, chunk),
        progress=lambda done, total: counted.append((done, total)),
    )  # fmt: skip
    assert arrays_of(one) == arrays_of(other)
    assert counted == [(k, 6) for k in range(1, 7)]


def test_a_worker_that_dies_loses_only_its_chunk(tmp_path, monkeypatch):
    monkeypatch.setenv("PYTHONPATH", str(TESTS))
    tasks = ["a", "b", "always", "c", "once", "d"]
    engine = ProcessEngine(2, 2)
    found = list(engine.map(Deadly(str(tmp_path / "x")), tasks, lambda task: f"lost {task}"))
    assert found == ["done a", "done b", "lost always", "done c", "done once", "done d"]
    with pytest.raises(WorkerFailed, match="died twice"):
        list(engine.map(Deadly(str(tmp_path / "y")), ["always"]))
    with pytest.raises(WorkerFailed, match="seven"):
        list(engine.map(Deadly(str(tmp_path / "z")), ["wrong"]))
    with pytest.raises(vx.VeridexError, match="use at least one"):
        ProcessEngine(0)


@pytest.mark.parametrize("block", [1, 2, 5])
def test_tables_do_not_depend_on_blocks(monkeypatch, block):
    trial = vx.backtest(portfolio(), ["theta", "naive"], SCHEME)
    first = [trial.scores(["method", "step"]), trial.standings(), trial.errors, trial.scores(scope="both")]
    monkeypatch.setattr("veridex.core.backtest.store.BLOCK", block)
    again = vx.backtest(portfolio(), ["theta", "naive"], SCHEME)
    other = [again.scores(["method", "step"]), again.standings(), again.errors, again.scores(scope="both")]
    assert all(one.equals(two) for one, two in zip(first, other, strict=True)) and again.costly == trial.costly


def test_an_interrupted_backtest_leaves_no_process_and_resumes(tmp_path):
    here = [os.path.dirname(__file__), str(TESTS)]
    script = f"""
        import signal, sys, time; sys.path[:0] = {here!r}
        signal.signal(signal.SIGINT, signal.default_int_handler)  # what runs behind a shell is told to ignore it
        from test_portfolio import SCHEME, portfolio
        import veridex as vx
        vx.backtest(portfolio(20), ["smoothing", "arima"], SCHEME, engine="processes",
                    checkpoint={str(tmp_path / "kept")!r},
                    progress=lambda done, total: (print(done, flush=True), time.sleep(0.2)))
    """
    running = subprocess.Popen(
        [sys.executable, "-c", textwrap.dedent(script)], stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    assert running.stdout.readline().strip() == b"1"
    running.send_signal(signal.SIGINT)
    said = running.communicate(timeout=60)
    assert running.returncode != 0, said
    time.sleep(0.5)
    left = subprocess.run(
        ["pgrep", "-f", "veridex.engines.worker", "-P", str(running.pid)], capture_output=True, check=False
    )
    assert left.stdout == b""
    (part,) = (tmp_path / "kept").iterdir()
    assert part.stat().st_size > 1000
    history = portfolio(20)
    resumed = vx.backtest(history, ["smoothing", "arima"], SCHEME, checkpoint=tmp_path / "kept")
    assert arrays_of(resumed) == arrays_of(vx.backtest(history, ["smoothing", "arima"], SCHEME))
    again = vx.backtest(history, ["smoothing", "arima"], SCHEME, checkpoint=tmp_path / "kept")
    assert arrays_of(again, times=True) == arrays_of(resumed, times=True)  # nothing was computed again
    for spoilt in (tmp_path / "kept").iterdir():  # one is cut off in the middle, a digit changed in the other
        body = spoilt.read_bytes()
        half = len(body) // 2
        spoilt.write_bytes(body[:half] if spoilt == part else body[:half] + b"?" + body[half + 1 :])
    mended = vx.backtest(history, ["smoothing", "arima"], SCHEME, checkpoint=tmp_path / "kept")
    assert arrays_of(mended) == arrays_of(again)
    assert 0 < (mended.arrays.seconds == again.arrays.seconds).all(axis=(1, 2)).sum() < 20


def test_methods_and_items_are_added_without_redoing_the_rest():
    history = portfolio()
    few = vx.History.of([history[name] for name in history.names[:4]])
    first = vx.backtest(few, ["naive", "theta"], SCHEME)
    more = vx.backtest(history, ["theta", "smoothing"], SCHEME, onto=first)
    whole = vx.backtest(history, [one.text for one in more.lineup], SCHEME)
    assert [one.text for one in more.lineup] == ["naive", "theta", "seasonal-naive", "smoothing"]
    assert arrays_of(more) == arrays_of(whole)
    assert (more.arrays.seconds[:4, :3] == first.arrays.seconds).all()
    changed = [*few, monthly(seasonal_values(99, 72), item="item-0")["item-0"]]
    again = vx.backtest(vx.History.of(changed[1:]), ["naive", "theta"], SCHEME, onto=first)
    assert (again.arrays.seconds[-1] != first.arrays.seconds[0]).any()
    with pytest.raises(vx.VeridexError, match="another scheme"):
        vx.backtest(history, ["naive"], vx.RollingOrigin(horizon=3, origins=4), onto=first)


@pytest.mark.parametrize(
    "scheme", [SCHEME, vx.Holdout(share=0.2), vx.RollingOrigin(horizon=2, origins="all", stride=9)]
)
def test_a_trial_survives_its_file(tmp_path, scheme):
    history = vx.tidy(portfolio(), gaps="interpolate", outliers="repair").history
    trial = vx.backtest(history, ["theta", "arima"], scheme, levels=(80, 97.5), search_every=3)
    path = vx.write(trial, tmp_path / "t.parquet")
    again = vx.read_trial(path)
    assert arrays_of(again, times=True) == arrays_of(trial, times=True)
    for table in ("errors", "folds", "timings"):
        pd.testing.assert_frame_equal(getattr(again, table), getattr(trial, table), check_exact=True)
    pd.testing.assert_frame_equal(again.standings(), trial.standings(), check_exact=True)
    assert (again.scheme, again.levels, again.notes, again.pace) == (
        trial.scheme,
        trial.levels,
        trial.notes,
        trial.pace,
    )
    assert again.history.values.tobytes() == trial.history.values.tobytes()
    assert again.history.rules == trial.history.rules and again.history.marks == trial.history.marks
    assert vx.decide(again).why("item-1") == vx.decide(trial).why("item-1")
    with pytest.raises(vx.VeridexError, match="no place of this kind keeps a trial"):
        vx.write(trial, tmp_path / "t.csv")
    vx.write(history, tmp_path / "h.parquet")
    for wrong in ("h.parquet", "nothing.parquet"):
        with pytest.raises(vx.VeridexError, match="Name a place that"):
            vx.read_trial(tmp_path / wrong)


def test_scores_alone_take_half_the_memory(tmp_path):
    whole, lean = (vx.backtest(portfolio(), ["theta", "holt"], SCHEME, keep=keep) for keep in ("all", "scores"))
    held = [(t.arrays.std_error, t.arrays.laws) for t in (whole, lean)]
    sizes = [sum(a.strides[0] * a.shape[0] for a in arrays) for arrays in held]
    assert sizes[1] < 0.5 * sizes[0] and lean.arrays.std_error.strides == (0, 0, 0, 0)
    pd.testing.assert_frame_equal(lean.standings(), whole.standings(), rtol=1e-6)
    assert lean.errors["std_error"].isna().all() and vx.decide(lean).why("item-2") == vx.decide(whole).why("item-2")
    again = vx.read_trial(vx.write(lean, tmp_path / "t.parquet"))
    pd.testing.assert_frame_equal(again.standings(), lean.standings(), check_exact=True)
    with pytest.raises(vx.VeridexError, match="say 'all' or 'scores'"):
        vx.backtest(portfolio(), ["theta"], SCHEME, keep="some")


def test_searches_and_estimates_keep_their_pace():
    history, scheme = monthly(seasonal_values(3)), vx.RollingOrigin(horizon=3, origins=7)
    lineup = ["arima", "smoothing", "theta transform=box-cox", "holt-winters"]
    every = vx.backtest(history, lineup, scheme, search_every=1)
    seldom = vx.backtest(history, lineup, scheme, search_every=3)
    for o, origin in enumerate(every.arrays.origins[0]):
        past = history.until(str(history["smoker-01"].cadence.text(int(origin))))
        for m, text in enumerate(lineup):
            alone = vx.fit(past, text).forecast(3).points
            # A search at every origin from a warm start finds what a search from scratch does, or nearly.
            assert every.arrays.points[0, m, o] == pytest.approx(alone, rel=0.02)
            if o in (0, 3, 6):
                assert seldom.arrays.points[0, m, o] == pytest.approx(alone, rel=0.02)
    carried = vx.backtest(history, lineup, scheme, refit_every=4)
    fitted = vx.fit(
        history.until(str(history["smoker-01"].cadence.text(int(carried.arrays.origins[0, 0])))), "holt-winters"
    )
    newer = fitted.apply(history.until(str(history["smoker-01"].cadence.text(int(carried.arrays.origins[0, 2])))))
    assert carried.arrays.points[0, 3, 2] == pytest.approx(newer.forecast(3).points, rel=1e-10)
    with pytest.raises(vx.VeridexError, match="sliding window"):
        vx.backtest(history, lineup, vx.RollingOrigin(horizon=3, window=36), refit_every=2)
    with pytest.raises(vx.VeridexError, match="search_every"):
        vx.backtest(history, lineup, scheme, search_every=0)


def test_schemes_begin_where_they_are_told_to():
    series = monthly(seasonal_values(0, 60))["smoker-01"]
    since = vx.RollingOrigin(horizon=3, origins="all", stride=6, first="2021-06", gap=2)
    folds = since.folds(series)
    assert [fold.stop for fold in folds] == [42, 48, 54] and all((f.horizon, f.gap) == (5, 2) for f in folds)
    assert "from 2021-06 on, 3 ahead after a gap of 2" in since.in_words()
    early = vx.RollingOrigin(horizon=3, origins=2, stride=6, first="2017-06")  # before the item begins
    assert [fold.stop for fold in early.folds(series)] == [6, 12]
    trial = vx.backtest(vx.History.of([series]), ["naive"], since)
    assert sorted(trial.errors["step"].unique()) == [3, 4, 5]
    assert trial.errors["forecast"].notna().all()
    origin, actuals = 41, series.values
    rows = trial.errors[(trial.errors["method"] == "naive")].head(3)
    assert rows["actual"].tolist() == actuals[origin + 3 : origin + 6].tolist()
    assert rows["forecast"].tolist() == [actuals[origin]] * 3
    share = vx.Holdout(share=0.3, boundary="year")
    assert share.folds(series)[0].stop == 36  # 42 periods in: the beginning of 2021 is nearer than that of 2022
    assert "beginning of a year" in share.in_words()
    with pytest.raises(vx.VeridexError, match="with share="):
        vx.Holdout(last=4, boundary="year")


def test_nothing_leaks_with_drivers_events_and_rules():
    y = seasonal_values(4)
    y[[20, 50]] = np.nan
    y[70] *= 4
    rng = np.random.default_rng(0)
    weather, price = rng.normal(size=(2, 108)).cumsum(axis=1)
    months = pd.date_range("2018-01-01", periods=108, freq="MS")
    events = vx.Events.from_frame(pd.DataFrame({"name": "fair", "first": ["2019-05-02", "2021-06-03", "2025-07-01"]}))
    scheme = vx.RollingOrigin(horizon=4, origins="all", stride=5)
    late = slice(84, None)

    def run(values, seen):
        raw = monthly(values)
        history = vx.tidy(raw, gaps="interpolate", outliers="repair", events=events).history
        frame = pd.DataFrame({"month": months, "weather": seen, "price": price})
        drivers = vx.Drivers.from_frame(frame, period="month", cadence="monthly", known_ahead=["price"])
        return vx.backtest(history, [*METHODS, "driver-regression"], scheme, drivers=drivers, events=events)

    other, seen = y.copy(), weather.copy()
    other[late], seen[late] = 1e5 * rng.random(12), 50 + rng.normal(size=24)
    one, two = run(y, weather), run(other, seen)
    stops = one.arrays.origins[0] - one.history["smoker-01"].start + 1
    before = stops <= 84
    for name in ("points", "std_error", "laws", "status", "training", "parameters"):
        left, right = (getattr(trial.arrays, name)[0][:, before] for trial in (one, two))
        assert left.tobytes() == right.tobytes(), name
    assert one.arrays.points[0][:, ~before].tobytes() != two.arrays.points[0][:, ~before].tobytes()
