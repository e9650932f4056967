"""Calibration against plain loops: what others and an item itself show, how errors go together, what was held."""

import dataclasses
import hashlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex.core.calibration.dependence import correlations, extended, positive
from veridex.core.calibration.held import held
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.peers import NOTHING
from veridex.core.calibration.pool import Pool
from veridex.core.calibration.sums import law_of_sum, spread_of_group, spread_of_sums
from veridex.core.calibration.warping import warps
from veridex.core.laws.warp import KNOTS, Warp

ITEMS, ORIGINS, STEPS = 9, 8, 4


def fit_of(item, scores, first=600):
    """Evidence with these normal scores (origins, steps)."""
    origins = np.arange(first, first + len(scores))
    rest = np.ones(scores.shape)
    return Hindcast(
        item=item, origins=origins, cycles=6.0, actuals=10.0 + scores, points=10.0 * rest, spread=rest,
        transforms=norm.cdf(scores), weights=np.zeros(scores.shape), supports=np.tile([-np.inf, 0.0], (len(scores), 1)),
        claimed=np.arange(len(scores)) >= len(scores) // 2,
    )  # fmt: skip


def draw(seed, location=0.4, scale=1.3):
    rng = np.random.default_rng(seed)
    return {f"item-{i}": np.clip(location + scale * rng.normal(size=(ORIGINS, STEPS)), -5.5, 5.5) for i in range(ITEMS)}


def halves(scores):
    """Means of scores that were complete at the middle origin, and of those of later origins; NaN is not known yet."""
    known = int((~np.isnan(scores)).any(axis=1).sum())
    middle = known // 2
    first = [scores[o, h] for o in range(known) for h in range(STEPS) if o + h + 1 <= middle]
    return np.mean(first), np.nanmean(scores[middle:])


def known_then(scores, moment):
    """Scores that were known at an origin."""
    o, h = np.indices(scores.shape)
    return np.where(o + h + 1 <= moment, scores, np.nan)


def agreed(a, b):
    return np.sign(a) * min(abs(a), abs(b)) if a * b > 0 else 0.0


def plain_knots(own, others, stretched=1.03):
    """Scores of the law per lead time that held the knots' probabilities, written out."""
    base = 0.5 * agreed(*np.median([halves(one) for one in others], axis=0))
    first, later = halves(own)
    location = base + 0.5 * agreed(first - base, later - base)
    size = lambda scores: np.sqrt(np.nanmean(scores**2))  # noqa: E731
    scale = stretched * (size(own) / np.exp(np.median([np.log(size(one)) for one in others]))) ** 0.1
    found = []
    for h in range(STEPS):
        later = [int((~np.isnan(one)).any(axis=1).sum()) // 2 for one in others]
        near = np.concatenate([one[o:, max(h - 2, 0) : h + 3].ravel() for o, one in zip(later, others, strict=True)])
        near = near[~np.isnan(near)]
        told = np.quantile(near, norm.cdf(KNOTS), method="hazen")
        told, count = told - told[5], near.size / 5
        line = np.where(KNOTS > 0, told[7], -told[3]) / KNOTS[7] * KNOTS
        beyond = count * np.minimum(norm.cdf(KNOTS), 1 - norm.cdf(KNOTS))
        shape = beyond / (beyond + 10) * told + 10 / (beyond + 10) * line
        shape = count / (count + 100) * shape + 100 / (count + 100) * KNOTS
        knots = location + scale * shape
        for k in range(6, 11):  # away from the middle each knot is some way further out than the last
            knots[k] = max(knots[k], knots[k - 1] + 0.2 * (KNOTS[k] - KNOTS[k - 1]))
            knots[10 - k] = min(knots[10 - k], knots[11 - k] - 0.2 * (KNOTS[k] - KNOTS[k - 1]))
        found.append(knots)
    return np.array(found)


@given(st.integers(0, 2**32))
def test_warps_are_what_plain_loops_find(seed):
    scores = draw(seed)
    pool = Pool.of(*(("regular", fit_of(item, own)) for item, own in scores.items()))
    for item in ("item-0", "item-4"):
        found = warps(fit_of(item, scores[item]), pool.peers(item, "regular", 6.0), STEPS + 2)
        knots = np.array([warp.scores for warp in found])
        assert knots[:STEPS] == pytest.approx(plain_knots(scores[item], list(scores.values())), abs=1e-9)
        assert (knots[STEPS:] == knots[STEPS - 1]).all()  # beyond the tested lead times
    turned = Pool.of(*(("regular", fit_of(item, scores[item])) for item in reversed(list(scores))))
    for one, two in zip(
        pool.peers("item-1", "regular", 6.0).shape, turned.peers("item-1", "regular", 6.0).shape, strict=True
    ):
        assert np.array_equal(one, two)


def test_few_or_no_others_leave_the_law_as_it_is_but_for_the_item_itself():
    scores = draw(1)["item-0"]
    alone = Pool.of(("regular", fit_of("item-0", scores)))
    assert alone.peers("item-0", "regular", 6.0) is NOTHING
    assert warps(None, NOTHING, 3) == ()  # no evidence at all: the model's own law
    own = warps(fit_of("item-0", scores), NOTHING, 3)[0].scores
    scale = 1.03 * np.mean(scores**2) ** (0.5 * 8 / (8 + 24))
    assert own == pytest.approx(0.5 * agreed(*halves(scores)) + scale * KNOTS)
    # An untested item learns from the others all the same; a route without company from all routes.
    others = Pool.of(*(("short", fit_of(item, one)) for item, one in draw(2, scale=2.0).items()))
    wide = warps(None, others.peers("new one", "short", 0.0), 3)[0].scores
    assert np.ptp(wide) > 1.03 * np.ptp(KNOTS)
    assert np.array_equal(others.peers("x", "retired", 1.0).shape, others.peers("x", "short", 6.0).shape)


def test_a_pool_is_a_sample_that_depends_on_names_alone(monkeypatch):
    monkeypatch.setattr("veridex.core.calibration.pool.SAMPLE", 6)
    told = [("regular", fit_of(f"item-{k}", own)) for k, own in enumerate([*draw(4).values(), *draw(5).values()])]
    kept = [{fit.item for fit in pool.every} for pool in (Pool.of(*told), Pool.of(*told[::-1]))]
    lowest = sorted((hashlib.blake2b(fit.item.encode(), digest_size=8).digest(), fit.item) for _, fit in told)[:6]
    assert kept[0] == kept[1] == {item for _, item in lowest} and len(told) > 8
    whole = Pool.of(*((route, fit) for route, fit in told if fit.item in kept[0]))
    assert np.array_equal(Pool.of(*told).peers("x", "regular", 6.0).shape, whole.peers("x", "regular", 6.0).shape)


def test_what_was_held_is_told_by_what_was_known_at_each_origin():
    scores = draw(3)
    pool = Pool.of(*(("regular", fit_of(item, one)) for item, one in scores.items()))
    fit, own = fit_of("item-2", scores["item-2"]), scores["item-2"]
    claimed = np.flatnonzero(fit.claimed)
    model = held(fit, "model", lambda moment: NOTHING, (80, 95))
    assert model[0].coverage == pytest.approx(100 * np.mean(np.abs(own[claimed]) <= norm.ppf(0.9)))
    stood = []
    for o in claimed:
        knots = plain_knots(known_then(own, o), [known_then(one, o) for one in scores.values()], 1.0)
        stood.append([Warp(knots[h]).held(fit.transforms[o, h]) for h in range(STEPS)])
    stood = np.array(stood)
    for row in held(fit, "calibrated", lambda moment: pool.peers("item-2", "regular", 6.0, moment), (50, 80, 97)):
        low, high = 0.5 - row.level / 200, 0.5 + row.level / 200
        assert row.above == pytest.approx(100 * (stood > high).mean())
        assert row.below == pytest.approx(100 * (stood < low).mean())
        assert row.coverage == pytest.approx(100 - row.below - row.above) and row.cells == stood.size


def test_whole_demand_is_held_by_bounds_that_it_meets():
    rng = np.random.default_rng(8)
    items = [monthly(rng.poisson(1.5, 48).astype(float), item=f"i{k}")[f"i{k}"] for k in range(6)]
    trial = vx.backtest(vx.History.of(items), ["mean"], vx.RollingOrigin(horizon=6, origins=12))
    shown = vx.decide(trial, allowed=["mean"]).intervals.query("kind == 'model' and level == 80").set_index("item")
    lower, upper = trial.arrays.bounds((80,))[:, 0, :, trial.method_index("mean")]
    actual = trial.arrays.actuals
    assert (actual == lower).any() and (actual == upper).any()
    inside = 100 * ((lower <= actual) & (actual <= upper)).mean(axis=(1, 2))
    assert shown["coverage"].to_numpy() == pytest.approx(inside)


def test_errors_go_together_as_they_did():
    rng = np.random.default_rng(0)
    root = np.linalg.cholesky(0.7 ** np.abs(np.subtract.outer(np.arange(5), np.arange(5))))
    fits = [fit_of(str(i), rng.normal(size=(40, 5)) @ root.T) for i in range(40)]
    found = correlations(fits)
    assert found == pytest.approx(root @ root.T, abs=0.06)
    longer = extended(found, 8)
    assert longer[:5, :5] == pytest.approx(found, abs=0.02) and longer[6, 7] == pytest.approx(found[3, 4], abs=0.02)
    broken = positive(np.array([[1, 0.9, -0.9], [0.9, 1, 0.9], [-0.9, 0.9, 1.0]]))
    assert np.linalg.eigvalsh(broken).min() > 0 and np.diag(broken) == pytest.approx(np.ones(3))


def test_sums_have_the_spread_of_what_is_added():
    rng = np.random.default_rng(1)
    spread, together = np.array([2.0, 3.0, 1.0, 4.0]), np.full((4, 4), 0.6) + 0.4 * np.eye(4)
    paths = rng.multivariate_normal(np.zeros(4), together * np.outer(spread, spread), size=400_000)
    assert spread_of_sums(spread, together) == pytest.approx(paths.cumsum(axis=1).std(axis=0), rel=0.01)
    from_second = spread_of_sums(spread, together, first=2)
    assert np.isnan(from_second[0]) and from_second[1:] == pytest.approx(
        paths[:, 1:].cumsum(axis=1).std(axis=0), rel=0.01
    )
    items = rng.multivariate_normal(np.zeros(3), 0.3 + 0.7 * np.eye(3), size=400_000) * [1.0, 2.0, 5.0]
    assert spread_of_group(np.array([1.0, 2.0, 5.0]), 0.3) == pytest.approx(items.sum(axis=1).std(), rel=0.01)
    # Independent counts: the law of their sum, against draws.
    sums = rng.poisson(2.5, size=(400_000, 3)).sum(axis=1)
    law = law_of_sum(np.array([7.5]), np.array([np.sqrt(7.5)]), 0.0, True)
    shares = np.array([0.05, 0.5, 0.9, 0.99])
    assert law.quantile(shares)[0].tolist() == np.quantile(sums, shares).tolist()


def test_evidence_from_across_a_shift_is_set_aside_and_said():
    y = seasonal_values(2) / 10 + 200
    y[86:] += 120
    history = vx.History.of([monthly(y, item="shifted")["shifted"], *portfolio(6, 96)])
    verdict = vx.decide(
        vx.backtest(history, ["naive", "theta", "simple-smoothing"], vx.RollingOrigin(horizon=6, origins=12))
    )
    fit = verdict.choice("shifted").hindcast
    start = history["shifted"].start
    assert fit.shifts == (start + 86,)
    ends = fit.origins[:, None] + np.arange(1, 7)
    across = (fit.origins[:, None] < start + 86) & (ends >= start + 86)
    assert (np.isnan(fit.transforms) == across).all() and across.any() and not across.all()
    assert "level shifted in 2025-03" in verdict.why("shifted") and "were set aside" in verdict.why("shifted")
    assert all(not choice.hindcast.shifts for item, choice in verdict.choices.items() if item != "shifted")


def test_a_publication_is_the_calibrated_law():
    history = portfolio(8, 84)
    verdict = vx.decide(
        vx.backtest(history, ["seasonal-naive", "theta", "drift"], vx.RollingOrigin(horizon=4, origins=14))
    )
    published = vx.publish(history, verdict, horizon=6, levels=(80,), quantiles=(97.5,), totals_from=2)
    one, item = published["item-1"], "item-1"
    choice = verdict.choice(item)
    peers = verdict.peers(item)
    forecast = vx.fit(history[item], one.method).forecast(6)
    rows = published.forecasts.query("item == @item")
    for h, warp in enumerate(warps(choice.learned, peers, 6)):
        expected = forecast.laws.at(h).quantile(warp.own(np.array([0.1, 0.9, 0.975])))
        assert rows[["lower_80", "upper_80", "quantile_97_5"]].to_numpy()[h] == pytest.approx(expected)
        assert one.law(h + 1).quantile(97.5) == pytest.approx(expected[2])
    total = published.totals.query("name == @item")
    assert total["step"].tolist() == [2, 3, 4, 5, 6] and total["first_step"].eq(2).all()
    assert total["forecast"].to_numpy() == pytest.approx(forecast.points[1:].cumsum())
    together = extended(verdict.pool.dependence(choice.route), 6)
    spread = spread_of_sums(forecast.laws.moments()[1], together, 2)
    assert one.totals.laws.moments()[1][1:] == pytest.approx(spread[1:])
    assert one.total_law(3).quantile(97.5) == pytest.approx(total["quantile_97_5"].iloc[1])
    paths = one.paths(4000)
    assert np.quantile(paths, 0.9, axis=0) == pytest.approx(rows["upper_80"].to_numpy(), rel=0.03)
    assert np.corrcoef(paths.T)[0, 1] == pytest.approx(together[0, 1], abs=0.06)
    for call in (lambda: one.law(7), lambda: one.total_law(1), lambda: one.paths(0)):
        with pytest.raises(vx.VeridexError):
            call()
    # What is published of an item does not depend on what else is, nor on the order.
    alone = vx.publish(history.only(item), verdict, horizon=6, levels=(80,), quantiles=(97.5,), totals_from=2)[item]
    assert np.array_equal(alone.totals.bands.upper, one.totals.bands.upper, equal_nan=True)
    assert np.array_equal(alone.outlook.bands.upper, one.outlook.bands.upper)
    assert dataclasses.replace(one).support.floor == 0.0
