"""Watch, record, campaign, reproduction on demand that nobody tuned to: counts, growth, days, new and retired items."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly
from veridex.core.publication.watch.happened import CHANCE, SHIFT, what_happened
from veridex.core.publication.watch.signals import chance_of_either

SCHEME = vx.RollingOrigin(horizon=3, origins=8)


def counts(rng, n=72):
    return rng.poisson(0.8, n) * (rng.random(n) < 0.5)


def growing(rng, n=72):
    return np.round(20 * 1.03 ** np.arange(n) * np.exp(0.1 * rng.normal(size=n)))


def below_zero(rng, n=72):
    return rng.normal(size=n).cumsum()


def retired(rng, n=72):
    return np.where(np.arange(n) < n - 26, np.round(50 + 5 * rng.normal(size=n)), 0.0)


def gaps(rng, n=72):
    return np.where(rng.random(n) < 0.15, np.nan, np.round(100 + 9 * rng.normal(size=n)))


MONTHS = {"counts": counts, "growing": growing, "below zero": below_zero, "retired": retired, "gaps": gaps}


def hard_months():
    """An item of each kind, and one that is new."""
    rng = np.random.default_rng(12)
    many = []
    for name, draw in MONTHS.items():
        many += monthly(draw(rng), item=name)
    return vx.History.of([*many, *monthly(np.round(40 + rng.normal(size=14)), item="new", start="2022-11")])


def days():
    """Four hundred days with a week in them."""
    rng, t = np.random.default_rng(3), np.arange(400)
    level = 60 * np.array([1.2, 1.1, 1, 1, 1.1, 0.6, 0.3])[t % 7]
    return vx.History.from_numbers(rng.poisson(level), start="2024-01-01", cadence="daily", item="fondant")


@pytest.fixture(scope="module", params=["months", "days"])
def job(request):
    """A history, and two publications of it three and one periods before its end."""
    history = hard_months() if request.param == "months" else days()
    lineup = ["seasonal-naive", "simple-smoothing", "theta"]
    found = []
    for back in (3, 1):
        known = vx.History.of([one.first(len(one) - back) for one in history])
        found.append(vx.publish(known, vx.decide(vx.backtest(known, lineup, SCHEME)), horizon=3, groups=["all"]))
    return history, found


@pytest.mark.filterwarnings("error")
def test_a_watch_says_only_what_can_be_said(job):
    history, (older, newer) = job
    for level in (80, 95):
        found = vx.watch(older, history, level=level, false_alerts=0.5)
        known = found.frame["chance"].dropna()
        assert ((known >= 0) & (known <= 100)).all() and not np.isinf(found.frame.select_dtypes(float)).any().any()
        assert found.items["share"].sum() == pytest.approx(100) and found.items["cost"].is_monotonic_decreasing
        assert set(found.frame.groupby("item").size()) <= {1, 2, 3} and found.in_words()
        for item in found.items["item"]:
            assert item in found.why(item)
    for row in found.total.to_dict("records"):
        own = found.frame[(found.frame["item"] == row["item"]) & (found.frame["step"] <= row["periods"])]
        assert row["actual"] == pytest.approx(own["actual"].sum()) and 0 <= row["chance"] <= 100
    assert vx.watch(newer, history).frame["step"].max() == 1


@pytest.mark.filterwarnings("error")
def test_a_record_counts_every_forecast_that_has_come(job):
    history, made = job
    record = vx.track_record(made, history)
    known = 0
    for publication, back in zip(made, (3, 1), strict=True):
        for item, one in publication.published.items():
            if one.outlook is not None:
                came = history[item].values[-back:]
                known += int((np.isfinite(one.outlook.points[:back]) & ~np.isnan(came)).sum())
    assert len(record.errors) == known
    for by in ("step", "item", "method", "route", "publication", "period"):
        table = record.scores(by)
        assert table["n"].sum() == known and not np.isinf(table.select_dtypes(float)).any().any(), by
    assert record.worsening.since is None and "not available" in record.in_words()
    assert set(record.coverage["promised"]) == {80.0, 95.0}


@pytest.mark.filterwarnings("error")
def test_hard_demand_is_published_again_to_the_bit(job, tmp_path):
    history, (older, _) = job
    vx.write(older, tmp_path / "kept")
    assert vx.reproduce(vx.read_publication(tmp_path / "kept"), history).same


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("item", [*MONTHS, "new"])
def test_a_campaign_on_hard_demand_has_an_interval_or_a_reason(item):
    history = hard_months()
    begins = "2023-12" if item == "new" else "2023-11"
    found = vx.campaign(history[item], begins=begins, lineup=["simple-smoothing", "mean"])
    row = found.total.iloc[0]
    if np.isnan(row["added"]):
        assert row["reason"] and "not available" in found.in_words()
    else:
        assert row["lower"] <= row["added"] <= row["upper"] and found.in_words()
        assert row["added"] == pytest.approx(found.frame["added"].sum())


@given(st.lists(st.floats(-4, 4), min_size=1, max_size=8), st.floats(0, 0.8), st.floats(0.1, 1000))
def test_what_happened_does_not_depend_on_sign_or_unit(scores, together, unit):
    z = np.array(scores)
    r = np.full((z.size, z.size), together) + (1 - together) * np.eye(z.size)
    spread = np.linspace(1, 2, z.size)
    one = what_happened(z, r, z * spread, spread)
    for sign, scale in ((-1.0, 1.0), (1.0, unit)):
        other = what_happened(sign * z, r, sign * scale * z * spread, scale * spread)
        assert (other.what, other.at) == (one.what, one.at) and other.sure == pytest.approx(one.sure)
        if one.what != CHANCE:
            assert other.size == pytest.approx(sign * scale * one.size, abs=1e-9)
    assert 0 <= one.sure <= 100 and (one.what != SHIFT or one.at < z.size - 1)


@given(st.floats(1e-6, 100), st.floats(-5, 5), st.floats(0, 1))
def test_two_looks_are_rarer_than_both_and_no_rarer_than_the_further(chance, signal, alike):
    found = chance_of_either(np.array([chance]), np.array([signal]), np.array([alike]))[0]
    alone = chance_of_either(np.array([chance]), np.array([np.nan]), np.array([np.nan]))[0]
    further = min(chance, chance_of_either(np.array([100.0]), np.array([signal]), np.array([1.0]))[0])
    assert alone == chance and further - 1e-3 <= found <= 2 * further + 1e-3
