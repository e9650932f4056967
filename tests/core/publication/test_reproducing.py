"""What is kept beside a forecast, and a publication made again: the same bits, or what differs first, and why."""

from dataclasses import replace

import numpy as np
import pytest

import veridex as vx
from conftest import inside, monthly, portfolio
from veridex.errors import ParameterError

LINEUP = ["seasonal-naive", "theta", "holt-winters season=additive damped=yes", "arima"]
SCHEME = vx.RollingOrigin(horizon=4, origins=6)


@pytest.fixture(scope="module")
def history():
    return portfolio(5)


@pytest.fixture(scope="module")
def verdict(history):
    made = vx.decide(vx.backtest(history, LINEUP, SCHEME), lead_times=[1, 2], coverage_floor=(80, 20))
    return made.override("item-0", "holt-winters season=multiplicative", "Ada: a fair in May").override(
        "item-1", "arima", "habit"
    )


@pytest.fixture(scope="module")
def published(history, verdict):
    return vx.publish(history, verdict, horizon=4, groups=["all"], quantiles=[97.5])


def test_the_benchmark_and_the_verdict_are_kept_beside(history, verdict, published, tmp_path):
    vx.write(published, tmp_path / "kept")
    for made in (published, vx.read_publication(tmp_path / "kept")):
        for item in history.names:
            rows = made.forecasts[made.forecasts["item"] == item]
            naive = vx.fit(history[item], "seasonal-naive").forecast(4).points
            assert np.array_equal(rows["benchmark"], naive)
            instead = verdict.choice(item).override
            assert rows["verdict"].isna().all() == (instead is None)
        plain = vx.publish(history, vx.decide(verdict.trial, lead_times=[1, 2], coverage_floor=(80, 20)), horizon=4)
        overridden = made.forecasts[made.forecasts["item"] == "item-0"]
        assert np.array_equal(overridden["verdict"], plain["item-0"].outlook.points)
        assert made.groups[0].members == history.names
    own = vx.publish(history.last(8), method="naive", horizon=4)
    assert np.array_equal(own.forecasts["benchmark"], own.forecasts["value"])  # too short for a season


@pytest.mark.parametrize(
    "way", ["verdict", "own method", "too short", "single rule", "longer, other order, two processes"]
)
def test_a_publication_is_made_again_to_the_bit(history, verdict, published, way, tmp_path):
    given = {"engine": "processes"} if way.startswith("longer") else {}
    if way == "own method":
        published = vx.publish(history, method="arima", horizon="2024-06", past=3)
    elif way == "too short":
        history = vx.History.of([*history, monthly([3.0, 4.0], item="new")["new"]])
        published = vx.publish(history, method="theta", horizon=3)
    elif way == "single rule":
        trial = vx.backtest(history, LINEUP, vx.Holdout(last=6), search_every=3, keep="scores")
        published = vx.publish(history, vx.decide(trial, "single", simplest=True), horizon=3, totals_from=2)
    elif way.startswith("longer"):
        newer = [monthly([*one.actuals, 5.0], item=one.item, start="2018-01")[one.item] for one in history]
        history = vx.History.of(newer[::-1])
    vx.write(published, tmp_path / "kept")
    found = vx.reproduce(vx.read_publication(tmp_path / "kept"), history, **given)
    assert found.same and found.because == () and "every number the same to the last bit" in found.in_words()
    assert np.array_equal(found.again.forecasts["value"], published.forecasts["value"], equal_nan=True)


def test_what_came_since_is_left_out_of_a_tidied_history_too():
    values = np.array([*np.round(100 + 9 * np.random.default_rng(2).normal(size=60)), 3.0])
    values[20] = np.nan
    raw = vx.History.of([monthly(values + k, item=f"jar-{k}")[f"jar-{k}"] for k in range(3)])
    rules = {"gaps": "interpolate", "outliers": "repair", "unfinished": "drop"}
    early = vx.tidy(raw.first(55), **rules).history
    made = vx.publish(early, vx.decide(vx.backtest(early, LINEUP[:2], SCHEME)), horizon=4)
    again = vx.reproduce(made, vx.tidy(raw, **rules).history)
    assert again.same and again.because == ()


def test_what_differs_is_said_with_the_reason(history, published):
    values = np.array(history["item-2"].actuals)
    values[10] += 1.0
    others = [monthly(values, item="item-2")["item-2"], *(history[item] for item in history.names if item != "item-2")]
    found = vx.reproduce(published, vx.History.of(others))
    assert not found.same and found.because == ("other data: the history of item-2 is not what it was",)
    assert "item-2" in found.frame["item"].tolist() and "all" in found.frame["item"].tolist()
    assert found.in_words().endswith("the history of item-2 is not what it was.")
    older = replace(published.head.made, versions=published.head.made.versions | {"numpy": "1.0", "processor": "x Y"})
    again = vx.reproduce(replace(published, head=replace(published.head, made=older)), history)
    assert again.same and again.because[0].startswith("numpy 1.0 then, ") and "Y x only then" in again.because[1]
    fewer = vx.reproduce(published, vx.History.of([one for one in history if one.item != "item-4"]))
    assert fewer.frame.set_index("item").loc["item-4", "again"] == "not in this history"


def test_what_cannot_be_made_again_is_refused(history, verdict, published):
    mine = vx.publish(history, vx.decide(verdict.trial, lambda table: "theta"), horizon=4)
    with pytest.raises(ParameterError, match="a rule of your own"):
        vx.reproduce(mine, history)
    with pytest.raises(ParameterError, match="none of them here"):
        vx.reproduce(published, monthly([1.0, 2.0, 3.0], item="other"))


def test_the_command_makes_it_again(ten_csv, tmp_path):
    words = [str(ten_csv), "--item", "sku", "--period", "month", "--demand", "units", "--quiet"]
    method = ["--method", "theta", "--horizon", "3", "--to", str(tmp_path / "kept")]
    assert inside("publish", *words, *method).returncode == 0
    again = ["publish", *words, "--again", str(tmp_path / "kept")]
    same, other, wrong = inside(*again), inside(*again, "--since", "2021-03"), inside(*again, "--horizon", "3")
    assert same.returncode == 0 and "every number the same to the last bit" in " ".join(same.stdout.split())
    assert other.returncode == 3 and "What differs first" in other.stdout and "other data" in other.stdout
    assert wrong.returncode == 2 and "--horizon" in wrong.stderr and "its manifest says" in wrong.stderr
