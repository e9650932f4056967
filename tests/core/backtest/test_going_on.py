"""A backtest that goes on when a period has come gives the bits of one from nothing; origins that stay."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.backtest.folds import ARRAYS
from veridex.core.backtest.item_run import ItemWork
from veridex.core.backtest.scheme_words import as_scheme, scheme
from veridex.errors import ParameterError

SCHEME = vx.RollingOrigin(horizon=3, origins=6, anchor=6)
LINEUP = ["seasonal-naive", "theta", "holt-winters season=additive", "arima p=1 d=0 q=0", "smoothing", "croston"]
LINEUP += [
    "tuned of=[moving-average window=2, naive] horizon=2 origins=4",
    "combination of=[naive, theta] weights=median",
]


def shop(n=72, **changed):
    """Three items with gaps and an outlier; some values changed by item."""
    series = []
    for i in range(3):
        values = np.round(seasonal_values(i, n))
        values[10 + i], values[20 + i] = np.nan, 900.0
        for place, value in changed.get(f"jar_{i}", {}).items():
            values[place] = value
        series.append(monthly(values, item=f"jar-{i}")[f"jar-{i}"])
    return vx.History.of(series)


def tidied(history, **rules):
    return vx.tidy(history, unfinished="keep", **rules).history


def same(one, other):
    """To the bit, times aside."""
    for name in set(ARRAYS) - {"seconds"}:
        np.testing.assert_array_equal(getattr(one.arrays, name), getattr(other.arrays, name), name)
    return [trial.keys for trial in one] == [trial.keys for trial in other]


@pytest.fixture
def counted_folds(monkeypatch):
    """How many folds were run."""
    count = []
    whole = ItemWork._run_method

    def watched(self, m, task, seen, *rest):
        count.append(seen.ends.size - 1)
        return whole(self, m, task, seen, *rest)

    monkeypatch.setattr(ItemWork, "_run_method", watched)
    return count


@pytest.mark.parametrize("rules", [{}, {"gaps": "seasonal", "outliers": "repair"}], ids=["raw", "repaired"])
def test_a_new_month_runs_one_origin_and_changes_no_bit(rules, tmp_path, counted_folds):
    whole = tidied(shop(), **rules)
    vx.backtest(tidied(shop().until("2023-10"), **rules), LINEUP, SCHEME, checkpoint=tmp_path)
    counted_folds.clear()
    later = vx.backtest(whole, LINEUP, SCHEME, checkpoint=tmp_path)
    assert set(counted_folds) == {2} and len(counted_folds) == 3 * len(later.lineup)  # two months have come
    fresh = vx.backtest(whole, LINEUP, SCHEME)
    assert same(later, fresh)
    counted_folds.clear()
    assert same(vx.backtest(whole, LINEUP, SCHEME, checkpoint=tmp_path), fresh) and not counted_folds


def test_what_was_corrected_is_tested_anew_and_only_that(tmp_path, counted_folds):
    vx.backtest(shop().until("2023-10"), LINEUP, SCHEME, checkpoint=tmp_path)
    counted_folds.clear()
    corrected = shop(jar_1={30: 77.0})
    later = vx.backtest(corrected, LINEUP, SCHEME, checkpoint=tmp_path)
    assert counted_folds.count(2) == 2 * len(later.lineup) and counted_folds.count(9) == len(later.lineup)
    assert same(later, vx.backtest(corrected, LINEUP, SCHEME))


def test_drivers_and_events_of_a_fold_are_part_of_what_it_saw(tmp_path, counted_folds):
    rng, months = np.random.default_rng(4), pd.period_range("2018-01", periods=84, freq="M").strftime("%Y-%m")
    table = pd.DataFrame({"period": months, "price": rng.normal(size=84), "temp": rng.normal(size=84)})
    fairs = pd.DataFrame({"name": "fair", "first": ["2019-05-01", "2021-05-02"], "last": ["2019-05-20", "2021-05-25"]})
    events = vx.Events.from_frame(fairs)

    def told(temp):
        frame = table.assign(temp=np.where(np.arange(84) < temp, table["temp"], np.nan))
        return vx.Drivers.from_frame(frame, cadence="monthly", known_ahead=["price"])

    lineup = ["harmonic", "theta", "arima p=1 d=0 q=0"]
    known = {"drivers": told(70), "events": events}
    vx.backtest(shop().until("2023-10"), lineup, SCHEME, checkpoint=tmp_path, **known)
    counted_folds.clear()
    newer = {"drivers": told(72), "events": events}  # the weather of two more months
    later = vx.backtest(shop(), lineup, SCHEME, checkpoint=tmp_path, **newer)
    assert set(counted_folds) == {2} and same(later, vx.backtest(shop(), lineup, SCHEME, **newer))
    table.loc[40, "price"] += 1.0
    counted_folds.clear()
    vx.backtest(shop(), lineup, SCHEME, checkpoint=tmp_path, drivers=told(72), events=events)
    assert min(counted_folds[: len(lineup)]) > 2


def test_coefficients_that_are_carried_over_are_tested_anew(tmp_path, counted_folds):
    vx.backtest(shop().until("2023-10"), ["theta"], SCHEME, checkpoint=tmp_path, refit_every=3)
    counted_folds.clear()
    later = vx.backtest(shop(), ["theta"], SCHEME, checkpoint=tmp_path, refit_every=3)
    assert min(counted_folds) > 2 and same(later, vx.backtest(shop(), ["theta"], SCHEME, refit_every=3))


@given(
    n=st.integers(3, 90), horizon=st.integers(1, 6), origins=st.integers(1, 12), block=st.integers(1, 12),
    stride=st.integers(1, 3),
)  # fmt: skip
def test_an_anchored_origin_stays_while_the_history_grows(n, horizon, origins, block, stride):
    anchored = vx.RollingOrigin(horizon=horizon, origins=origins, stride=stride, anchor=block * stride)
    whole = vx.History.from_numbers(np.arange(n) % 7, start="2015-03", cadence="monthly", item="a")["a"]
    folds = anchored.folds(whole)
    stops = [fold.stop for fold in folds]
    assert stops == sorted(stops) and all(fold.stop + horizon <= n and fold.stop >= 2 for fold in folds)
    assert len(set(np.diff(stops))) <= 1
    if n - horizon - 2 > (origins + block) * stride:  # long enough for all
        assert origins <= len(folds) <= origins + block - 1 + (block == 1) or block == 1
        assert block == 1 or (whole.start + stops[0] - 1) % (block * stride) == 0
        before = [fold.stop for fold in anchored.folds(whole.until(whole.cadence.text(whole.start + n - 2)))]
        assert stops[: len(before)] == before or stops[0] == before[0] + block * stride or block == 1


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("rolling horizon=6", vx.RollingOrigin(horizon=6)),
        ("rolling horizon=6 origins=all window=24", vx.RollingOrigin(horizon=6, origins="all", window=24)),
        ("rolling horizon=6 first=2024 gap=1", vx.RollingOrigin(horizon=6, first="2024", gap=1)),
        ("rolling horizon=12 origins=24 anchor=12", vx.RollingOrigin(horizon=12, origins=24, anchor=12)),
        ("holdout since=2025", vx.Holdout(since="2025")),
        ("holdout share=0.2 boundary=year", vx.Holdout(share=0.2, boundary="year")),
    ],
)
def test_a_scheme_is_read_from_its_text(text, value):
    assert scheme(text) == value == as_scheme(text) == as_scheme(value)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "the schemes are 'rolling' and 'holdout'"),
        ("holdouts last=3", "Did you mean 'holdout'"),
        ("holdout share=much%", "write it as in 15% or 0.15"),
        ("holdout last=3 since=2025", "state exactly one"),
        ("rolling horizon=3 origins=all anchor=6", "goes with a number of origins"),
        ("rolling horizon=3 stride=4 anchor=6", "it is a multiple of the stride"),
    ],
)
def test_a_scheme_that_cannot_be_is_refused(text, said):
    with pytest.raises(ParameterError, match=said):
        scheme(text)
