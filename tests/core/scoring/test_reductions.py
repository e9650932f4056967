"""Sums of items are made without rounding: any order gives the same bits, and an item comes out again."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.periods.moments import NOW as NOW_KNOWN
from veridex.core.scoring.exact import exact, exact_array, rounded, rounded_array
from veridex.core.verdict.skill import Kin, Prior, Said

FLOATS = st.floats(-1e30, 1e30)


@given(st.lists(FLOATS, min_size=1, max_size=6), FLOATS)
def test_exact_sums_know_no_order_and_give_back_what_is_taken_out(numbers, more):
    sums = {rounded(sum(map(exact, order))) for order in itertools.permutations(numbers)}
    assert len(sums) == 1 and sums.pop() == math.fsum(numbers)
    total = sum(map(exact, numbers))
    assert total + exact(more) - exact(more) == total


LOGS = st.floats(-20, 20)
KIN, NOW = Kin(1.0, 0), np.array([NOW_KNOWN])


def said(*rows):
    """What an item said, a row per period."""
    return Said(np.arange(len(rows)), np.array(rows, dtype=float), np.ones(len(rows)))


def prior_of(parts):
    whole = Prior()
    for one in parts:
        whole.add({KIN: one})
    return whole


@given(st.lists(st.tuples(LOGS, LOGS), min_size=2, max_size=5))
def test_a_prior_is_the_mean_of_the_others_in_any_order(logs):
    parts = [said(own) for own in logs]
    found, items = prior_of(parts).means(KIN, parts[0], [0, 1], NOW)
    others = np.mean(logs[1:], axis=0) * (len(logs) - 1) / (len(logs) - 1 + 8)
    assert found[0] == pytest.approx(others - others.mean(), abs=1e-9) and items.tolist() == [[len(logs) - 1] * 2]
    assert prior_of(parts[::-1]).means(KIN, parts[0], [0, 1], NOW)[0] == pytest.approx(found, abs=1e-9)
    assert prior_of(parts[1:]).means(KIN, None, [0, 1], NOW)[0] == pytest.approx(found, abs=1e-9)
    assert np.isnan(prior_of(parts).means(Kin(2.0, 0), parts[0], [0, 1], NOW)[0]).all()


def test_a_prior_knows_what_was_said_then_and_nothing_of_what_nobody_tested():
    two = prior_of([said([1.0, 1.0, 4.0]), said([0.0, 1.0, np.nan], [0.0, 3.0, np.nan])])
    means, items = two.means(KIN, None, [0, 1, 2], np.array([-1, 0, 1]))
    assert items.tolist() == [[0, 0, 0], [2, 2, 1], [2, 2, 1]] and np.isnan(means[0]).all()
    # Pairs: the second less the first is 1 and 0 on the two items, then 3 and 0; the third is 3 above both on one.
    assert means[1] == pytest.approx((np.array([-3.5, -2.5, 6.0]) / 3 - np.mean([-3.5, -2.5, 6.0]) / 3) * 2 / 10)
    assert means[2, 1] - means[2, 0] == pytest.approx(3 / 2 * 2 / 3 * 2 / 10)


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
