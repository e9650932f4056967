"""Calls that cannot be meant: one error of ours each, which says what to pass, and no library's own."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import inside, monthly, seasonal_values
from veridex.core.counts import FARTHEST

Y = seasonal_values(n=40)
FRAME = pd.DataFrame({"sku": "jar", "month": pd.period_range("2020-01", periods=40, freq="M").astype(str), "units": Y})
NAMED = {"item": "sku", "period": "month", "demand": "units"}
TOLD = [word for name, column in NAMED.items() for word in (f"--{name}", column)]
HOURS = vx.History.from_numbers(Y, start="2020-01-01T00:00", cadence="hourly")
FAIR = vx.Events.from_frame(pd.DataFrame({"name": ["fair"], "first": ["2020-06"], "last": ["2020-06"]}))
TWICE = pd.concat([FRAME, FRAME[["sku"]]], axis=1)


def counted(numbers, **words):
    return vx.History.from_numbers(numbers, **{"cadence": "counted"} | words)


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (lambda: counted(np.ones((3, 3))), "pass one number per period"),
        (lambda: counted(pd.date_range("2020", periods=3)), "pass one number per period"),
        (lambda: counted(k for k in range(5)), "pass one number per period"),
        (lambda: counted(5), "pass one number per period"),
        (lambda: counted(["1", "2", "x"]), "row 3, column 'demand': 'x' is no number"),
        (lambda: counted([1j, 2]), "'1j' is no number"),
        (lambda: counted(Y, item=4711), "item=4711: it is a text"),
        (lambda: counted(Y, cadence=12), "unknown cadence '12'"),
        (lambda: vx.History.from_frame(None, **NAMED), "frame=NoneType: pass a table"),
        (lambda: vx.History.from_frame(TWICE, **NAMED), "column 'sku' stands there twice"),
        (lambda: vx.History.from_frame(FRAME.assign(units=1j), **NAMED), "'1j' is no number"),
        (
            lambda: vx.History.from_frame(FRAME.set_axis([0, 1, 2], axis=1), item=0, period=1, demand=2),
            "column=0: columns are called by texts",
        ),
        (lambda: monthly(Y)[::2], "no item 'slice"),
        (lambda: vx.stationarity(Y), "history='ndarray': pass a history"),
        (lambda: vx.fit(monthly(Y), ""), "unknown method ''"),
        (lambda: vx.fit(monthly(Y), None), "method=None: write it as in"),
        (lambda: vx.fit(monthly(Y), "naive").forecast(FARTHEST + 1), "it is a whole number from 1 to 100000"),
        (lambda: vx.publish(monthly(Y), method="naive", horizon=2, levels="80"), "levels='80': a level is a number"),
        (lambda: vx.publish(HOURS, method="naive", horizon="2099-12-31T00:00"), "periods ahead; 100000 are the most"),
        (lambda: vx.backtest(monthly(Y), 5), "method=5: write it as in"),
        (lambda: vx.backtest(monthly(Y), ["naive"], 5), "scheme=5: say how to test"),
        (lambda: vx.backtest(monthly(Y), ["naive"], vx.Holdout(last=3), engine=5), "engine=5: the engines are"),
        (lambda: vx.write(monthly(Y), "\ud83c.csv"), "holds half a letter"),
        (lambda: vx.write(vx.fit(monthly(Y), "mean"), "\ud83c.json"), "holds half a letter"),
        (lambda: vx.fit(monthly(Y), "naive", events=FAIR), "events=Events(1 events, 1 times in all): naive forecasts"),
        (lambda: vx.Holdout(last="3"), "last='3': it is a whole number"),
    ],
)
def test_what_cannot_be_meant_is_one_error(make, said):
    with pytest.raises(vx.VeridexError) as caught:
        make()
    assert said in str(caught.value)


@pytest.mark.parametrize(
    "words",
    [{"engine": "steam"}, {"to": "trial.csv"}, {"scheme": vx.RollingOrigin(horizon=60)}, {"lineup": ["nothing"]}],
)
def test_what_is_refused_is_refused_before_anything_is_compiled(words, monkeypatch):
    """On a new machine compiling takes a minute."""
    monkeypatch.setattr("veridex.job.testing.prepare", lambda *_: pytest.fail("it was compiled first"))
    with pytest.raises(vx.VeridexError):
        vx.backtest(monthly(Y), **{"lineup": ["naive"], "scheme": vx.Holdout(last=3)} | words)


@pytest.mark.parametrize("numbers", [Y.tolist(), pd.Series(Y), Y.reshape(-1, 1), [str(one) for one in Y], tuple(Y)])
def test_what_can_be_meant_is_read(numbers):
    assert counted(numbers)["demand"].values.tolist() == Y.tolist()
    known = counted([1, None, pd.NA, 4] if isinstance(numbers, list) else (1, np.nan, None, 4.0))["demand"].values
    assert known[[0, 3]].tolist() == [1, 4] and np.isnan(known[1:3]).all()


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--method", ""), "unknown method ''"),
        (("--method", "naive", "--seasons", "1.5"), "different lengths from 2 periods on"),
        (("--method", "naive", "--encoding", "\ud83c"), "State another"),
        (("--method", "naive", "--delimiter", "nan"), "give one ASCII character"),
        (("--method", "naive", "--tz", ""), "it is a place such as"),
        (("--method", "naive", "--horizon", "999999999999"), "from 1 to 100000"),
    ],
)
def test_words_that_cannot_be_meant_are_one_message(tmp_path, words, said):
    FRAME.to_csv(tmp_path / "demand.csv", index=False)
    done = inside("publish", "demand.csv", *TOLD, *words, cwd=tmp_path)
    assert done.returncode == 2 and said in " ".join(done.stderr.split()), done.stderr


def test_what_fills_the_memory_is_the_machines_affair(tmp_path, monkeypatch):
    FRAME.to_csv(tmp_path / "demand.csv", index=False)
    monkeypatch.setattr("veridex.cli.profiling.read_whole", lambda *_: np.empty(1 << 50))
    done = inside("profile", "demand.csv", cwd=tmp_path)
    assert done.returncode == 2 and "memory is too small" in done.stderr


def test_a_record_by_period_says_nothing_else(tmp_path, recwarn):
    history = vx.History.from_frame(FRAME, **NAMED)
    vx.publish(history["jar"].first(36), method="naive", horizon=3, to=tmp_path / "issued" / "first")
    FRAME.to_csv(tmp_path / "demand.csv", index=False)
    done = inside("record", "issued", "demand.csv", *TOLD, "--by", "period", cwd=tmp_path)
    assert done.returncode == 0 and "2023-01" in done.stdout and not recwarn.list
