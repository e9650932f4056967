"""Laws against slow independent code: distributions of a library's, plain sums and bisections."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.core.laws.components import NUMBERS, PIECES, Kind, drawn, put, put_mixture, transformed, widened
from veridex.core.laws.law import Law
from veridex.core.laws.laws import Laws
from veridex.core.laws.support import Support, support_of
from veridex.core.laws.transforms import drawn_shares, transforms
from veridex.core.laws.warp import KNOTS, Warp

SHARES = np.array([0.01, 0.1, 0.37, 0.5, 0.8, 0.95, 0.99, 0.999])
ANY, FROM_ZERO, COUNTS = Support(), Support(0.0), Support(0.0, True)


def laws_of(kind, *numbers, support=ANY, power=None):
    law = np.full((1, 1, NUMBERS), np.nan)
    put(law, kind, *numbers)
    if power is not None:
        transformed(law, power)
    return Laws.of(law, *support)


def negative_binomial(mean, variance):
    return stats.nbinom(mean**2 / (variance - mean), mean / variance)


def gamma(mean, variance):
    return stats.gamma(mean**2 / variance, scale=variance / mean)


def now_and_then(chance, size, shift=0.0):
    """Distribution function of nothing, or with a chance a size."""
    return lambda y: np.where(np.asarray(y) < 0, 0.0, 1 - chance + chance * size.cdf(np.asarray(y) - shift))


def on_logs(y):
    with np.errstate(divide="ignore"):
        return np.log(np.maximum(y, 0.0))


CASES = {
    "normal": (laws_of(Kind.NORMAL, 5.0, 2.0), stats.norm(5, 2).cdf),
    "whole, any sign": (
        laws_of(Kind.NORMAL, 0.4, 2.0, support=Support(whole=True)),
        lambda y: stats.norm(0.4, 2).cdf(np.floor(y) + 0.5),
    ),
    "student": (laws_of(Kind.STUDENT, 5.0, 2.0, 4.0), stats.t(4, 5, 2).cdf),
    "normal, never below zero": (laws_of(Kind.NORMAL, 5.0, 4.0, support=FROM_ZERO), gamma(5, 16).cdf),
    "student, never below zero": (laws_of(Kind.STUDENT, 5.0, 2.0, 6.0, support=FROM_ZERO), gamma(5, 6.0).cdf),
    "normal, counted": (laws_of(Kind.NORMAL, 3.0, 2.5, support=COUNTS), negative_binomial(3, 6.25).cdf),
    "counted with little spread": (
        laws_of(Kind.NORMAL, 30.0, 2.0, support=COUNTS),
        lambda y: gamma(30, 4).cdf(np.floor(y) + 0.5),
    ),
    "below zero, that never was": (laws_of(Kind.NORMAL, -3.0, 2.0, support=FROM_ZERO), gamma(0.1, 4).cdf),
    "logarithm": (
        laws_of(Kind.NORMAL, 1.0, 0.5, support=FROM_ZERO, power=0.0),
        lambda y: stats.norm(1, 0.5).cdf(on_logs(y)),
    ),
    "logarithm, Student's": (
        laws_of(Kind.STUDENT, 1.0, 0.5, 5.0, power=0.0),
        lambda y: stats.t(5, 1, 0.5).cdf(on_logs(y)),
    ),
    "square root": (
        laws_of(Kind.NORMAL, 2.0, 1.5, power=0.5),
        lambda y: np.where(y < 0, 0, stats.norm(2, 1.5).cdf(2 * (np.sqrt(np.maximum(y, 0)) - 1))),
    ),
    "now and then": (laws_of(Kind.COMPOUND, 0.3, 6.0, 9.0, support=FROM_ZERO), now_and_then(0.3, gamma(6, 9))),
    "now and then, counted": (
        laws_of(Kind.COMPOUND, 0.3, 6.0, 9.0, support=COUNTS),
        now_and_then(0.3, negative_binomial(5, 9), 1.0),
    ),
    "always the same size": (
        laws_of(Kind.COMPOUND, 0.3, 6.0, 0.0, support=FROM_ZERO),
        lambda y: np.where(y < 0, 0.0, np.where(y < 6, 0.7, 1.0)),
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_laws_equal_slow_ones(name):
    laws, cdf = CASES[name]
    values = np.array([-2.0, -0.5, 0.0, 0.5, 1.0, 2.0, 3.7, 5.0, 6.0, 9.0, 31.0])
    expected = np.asarray(cdf(values))
    if laws.floor[0] == 0.0:
        expected = np.where(values < 0, 0.0, expected)
    assert laws.cdf(values)[0] == pytest.approx(expected, abs=1e-12)
    quantiles = laws.quantile(SHARES)[0]
    for share, found in zip(SHARES, quantiles, strict=True):  # the smallest value that is enough
        step = 1.0 if laws.whole[0] else 1e-7 * (1 + abs(found))
        assert cdf(found + (0 if laws.whole[0] else step)) >= share - 1e-9
        assert found == laws.floor[0] or cdf(found - step) <= share + 1e-9
    assert not laws.whole[0] or (quantiles == np.rint(quantiles)).all()


def test_mixtures_are_those_of_their_members():
    rng = np.random.default_rng(0)
    for support in (ANY, FROM_ZERO, COUNTS):
        parts = []
        for kind, *numbers in ((Kind.NORMAL, 4.0, 3.0), (Kind.STUDENT, 9.0, 2.0, 5.0), (Kind.COMPOUND, 0.4, 7.0, 30.0)):
            law = np.full((1, 1, NUMBERS), np.nan)
            put(law, kind, *numbers)
            parts.append(law)
        weights = rng.dirichlet(np.ones(3))
        whole = np.full((1, 4, NUMBERS), np.nan)
        put_mixture(whole, list(zip(weights, parts, strict=True)))
        mixed, members = Laws.of(whole, *support), [Laws.of(part, *support) for part in parts]
        values = np.arange(-3.0, 40.0, 0.5)
        expected = weights @ np.array([one.cdf(values)[0] for one in members])
        assert mixed.cdf(values)[0] == pytest.approx(expected, abs=1e-12)
        found = mixed.quantile(SHARES)[0]
        for share, value in zip(SHARES, found, strict=True):
            low, high = -100.0, 200.0
            for _ in range(200):  # plain bisection
                middle = 0.5 * (low + high)
                low, high = (low, middle) if mixed.cdf(np.array([middle]))[0, 0] >= share else (middle, high)
            assert value == pytest.approx(high, abs=1e-6)
        means, spreads = np.array([one.moments() for one in members])[..., 0].T
        mean = weights @ means
        assert mixed.moments()[0][0] == pytest.approx(mean)
        assert mixed.moments()[1][0] == pytest.approx(np.sqrt(weights @ (spreads**2 + means**2) - mean**2))


def test_a_drawn_law_is_that_of_its_sample():
    sample = np.random.default_rng(1).lognormal(1.0, 0.8, size=(5000, 2))
    law = np.full((2, PIECES, NUMBERS), np.nan)
    drawn(law, sample)
    laws = Laws(law, np.zeros(2), np.zeros(2, dtype=bool))
    assert laws.moments()[0] == pytest.approx(sample.mean(axis=0)) and laws.moments()[1] == pytest.approx(
        sample.std(axis=0)
    )
    asked = np.array([0.025, 0.1, 0.5, 0.9, 0.975, 0.99])
    expected = np.quantile(sample, asked, axis=0)
    assert pytest.approx(expected, rel=0.05) == laws.quantile(asked).T
    centre, before = sample.mean(axis=0), laws.quantile(asked)
    widened(law, centre, np.array([2.0, 1.0]))
    after = Laws(law, np.full(2, -np.inf), np.zeros(2, dtype=bool)).quantile(asked)
    assert after[0] == pytest.approx(centre[0] + 2 * (before[0] - centre[0]), rel=1e-6)


@given(st.integers(0, 2**32))
def test_transforms_are_uniform_where_the_law_is_right_and_mix_as_laws_do(seed):
    rng = np.random.default_rng(seed)
    mean, variance = rng.uniform(0.2, 8), rng.uniform(1.1, 4)
    actuals = negative_binomial(mean, mean * variance).rvs(size=2000, random_state=rng).astype(float)
    shares = rng.random(2000)
    laws = laws_of(Kind.NORMAL, mean, np.sqrt(mean * variance), support=COUNTS)
    many = Laws(np.repeat(laws.components, 2000, axis=0), np.zeros(2000), np.ones(2000, dtype=bool))
    found = transforms(many, actuals, shares)
    slow = negative_binomial(mean, mean * variance)
    assert found == pytest.approx(slow.cdf(actuals - 1) + shares * slow.pmf(actuals), abs=1e-10)
    assert stats.kstest(found, "uniform").pvalue > 1e-6


def test_shares_belong_to_the_item_and_the_origin_alone():
    origins = np.array([600, 601, 602])
    longer = drawn_shares("smoker-01", origins, 12)
    assert np.array_equal(drawn_shares("smoker-01", origins[1:], 4), longer[1:, :4])
    assert not np.array_equal(drawn_shares("smoker-02", origins, 12), longer)


def test_supports_are_shown_by_values_or_stated():
    assert support_of(np.array([0.0, 3, np.nan])) == COUNTS and support_of(np.array([0.5, 3])) == FROM_ZERO
    assert support_of(np.array([-1.0, 3.5])) == ANY and support_of(np.array([np.nan])) == ANY
    y = np.round(np.linspace(80, 2, 48))
    fading = vx.fit(monthly(y), "holt").forecast(12)
    assert fading.points.min() == 0.0 and fading.lower.min() >= 0.0 and (fading.upper == np.rint(fading.upper)).all()
    free = vx.fit(monthly(y, floor="none"), "holt").forecast(12)
    assert free.points.min() < 0.0 and monthly(y, floor=0).measure.floor == 0.0
    trials = [
        vx.backtest(monthly(y, floor=floor), ["holt"], vx.RollingOrigin(horizon=6, origins=3))
        for floor in (None, "none")
    ]
    assert (trials[0].errors["lower_95"] >= 0).all() and (trials[1].errors["lower_95"] < 0).any()
    assert trials[0]["smoker-01"].keys != trials[1]["smoker-01"].keys
    with pytest.raises(vx.VeridexError, match=r"as in 0, or none"):
        monthly(y, floor="soft")


def test_a_law_answers_what_a_planner_asks():
    law = vx.fit(monthly(seasonal_values()), "theta").forecast(6).law(3)
    assert law.quantile(law.cdf(150.0) * 100) == pytest.approx(150.0)
    assert np.diff(law.quantile([1, 10, 50, 90, 99, 99.9])).min() > 0
    sample = law.sample(20_000)
    assert sample.mean() == pytest.approx(law.mean, rel=0.02) and sample.std() == pytest.approx(law.std, rel=0.03)
    assert np.array_equal(law.sample(5), law.sample(5)) and not np.array_equal(law.sample(5), law.sample(5, seed=1))
    assert law.support == Support(0.0, whole=False) and law.support.in_words() == "any numbers from 0 on"
    for call, said in ((lambda: law.quantile(100), "between 0 and 100"), (lambda: law.sample(0), "size")):
        with pytest.raises(vx.VeridexError, match=said):
            call()


@given(st.lists(st.floats(0.2, 3.0), min_size=KNOTS.size - 1, max_size=KNOTS.size - 1), st.floats(-1, 1))
def test_a_warp_grows_and_comes_back(slopes, start):
    scores = start + np.concatenate(([0.0], np.cumsum(slopes * np.diff(KNOTS)))) + KNOTS[0]
    warp, asked = Warp(scores), np.linspace(0.002, 0.998, 301)
    own = warp.own(asked)
    assert (np.diff(own) >= 0).all()
    inside = (own > 1e-7) & (own < 1 - 1e-7)
    assert warp.held(own)[inside] == pytest.approx(asked[inside], abs=1e-6)
    law = Law(laws_of(Kind.NORMAL, 5.0, 2.0).at(0), 5.0, warp)
    assert law.cdf(law.quantile(90.0)) == pytest.approx(0.9, abs=1e-6) or not 1e-7 < float(warp.own(0.9)) < 1 - 1e-7
