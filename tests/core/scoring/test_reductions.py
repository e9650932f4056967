"""Sums of items are made without rounding: any order gives the same bits, and an item comes out again."""

import itertools
from functools import reduce
from operator import add

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.methods.catalogue import method
from veridex.core.scoring.exact import exact, exact_array, rounded, rounded_array
from veridex.core.verdict.skill import Prior

FLOATS = st.floats(-1e30, 1e30)


@given(st.lists(FLOATS, min_size=1, max_size=6), FLOATS)
def test_exact_sums_know_no_order_and_give_back_what_is_taken_out(numbers, more):
    sums = {rounded(sum(map(exact, order))) for order in itertools.permutations(numbers)}
    assert len(sums) == 1 and sums.pop() == pytest.approx(np.sum(numbers, dtype=np.longdouble), rel=1e-12, abs=1e-3)
    total = sum(map(exact, numbers))
    assert total + exact(more) - exact(more) == total


@given(st.lists(st.tuples(FLOATS, FLOATS), min_size=2, max_size=5))
def test_a_prior_without_an_item_is_the_mean_of_the_others(logs):
    rivals = (method("naive"), method("theta"))
    parts = [Prior.of(rivals, np.array(own)) for own in logs]
    whole = reduce(add, parts)
    assert whole.sums == reduce(add, reversed(parts)).sums
    others = np.mean(np.array(logs[1:], dtype=np.longdouble), axis=0)
    assert whole.without(parts[0]).means(rivals) == pytest.approx(others.astype(float), rel=1e-12, abs=1e-3)
    assert whole.without(parts[0]).means((method("drift"),)).tolist() == [0.0]


def test_an_unknown_error_says_nothing():
    rivals = (method("naive"), method("theta"))
    known, lacking = Prior.of(rivals, np.array([0.5, 0.25])), Prior.of(rivals, np.array([np.nan, 0.75]))
    assert (known + lacking).means(rivals).tolist() == [0.5, 0.5]


def test_sums_that_no_float_reaches_are_infinite():
    huge = exact_array(np.array([1.7e308, -1.7e308, np.inf, np.nan]))
    assert rounded_array(huge + huge).tolist() == [np.inf, -np.inf, 0.0, 0.0]


def test_verdicts_and_totals_do_not_depend_on_the_order_of_items():
    series = {f"i{k}": monthly(seasonal_values(k, 60), item=f"i{k}")[f"i{k}"] for k in range(5)}
    found = []
    for names in (sorted(series), sorted(series, reverse=True)):
        history = vx.History.of([series[name] for name in names])
        trial = vx.backtest(history, ["theta", "simple-smoothing", "drift"], vx.RollingOrigin(horizon=3, origins=12))
        made = vx.publish(history, vx.decide(trial), horizon=3, groups=["all"])
        rows = made.totals.sort_values(["group", "name", "step"]).select_dtypes("number").to_numpy(dtype=float)
        found.append((rows.tobytes(), {name: made[name].outlook.points.tobytes() for name in sorted(series)}))
    assert found[0] == found[1]
