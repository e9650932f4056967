"""ARIMA against dense covariances, published estimates, a library optimiser and its own search."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import optimize
from scipy.signal import lfilter

import veridex as vx
from conftest import monthly
from reference import dense_arima, dense_arma
from veridex.core.methods.arima.fitting import attempt, blocks
from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.plan import Sizes
from veridex.core.numerics.arima import arma
from veridex.core.numerics.arima.arma import largest_partial
from veridex.core.numerics.arima.likelihood import arima_log_likelihood
from veridex.core.numerics.arima.models import Orders, replay_arima
from veridex.core.numerics.arima.search import DONE, PERFECT, estimate_arima

ORDERS = [
    Orders(1, 0, 0, 0, 0, 0, 1, 1),
    Orders(2, 1, 1, 0, 0, 0, 1, 0),
    Orders(0, 2, 2, 0, 0, 0, 1, 0),
    Orders(0, 1, 1, 0, 1, 1, 4, 0),
    Orders(1, 0, 1, 1, 1, 0, 4, 1),
    Orders(2, 0, 1, 1, 0, 2, 3, 1),
    Orders(0, 0, 0, 2, 0, 0, 4, 1),
    Orders(1, 1, 2, 1, 1, 1, 6, 1),
]


NONE = np.empty((120, 0))


def random_point(rng, o):
    """Coefficients inside their regions, as the four blocks and as one point."""
    blocks = []
    for size, sign in ((o.p, 1.0), (o.q, -1.0), (o.P, 1.0), (o.Q, -1.0)):
        block = np.empty(size)
        arma.to_coefficients(rng.normal(size=size), sign, block)
        blocks.append(block)
    constant = rng.normal() if o.constant else 0.0
    return blocks, np.concatenate((*blocks, [constant]))


def all_free(o):
    return np.ones(o.p + o.q + o.P + o.Q, dtype=np.int64)


def simulated(seed, n=120):
    """A wandering level and a wandering season of four."""
    rng = np.random.default_rng(seed)
    return 100 + np.cumsum(rng.normal(size=n)) + np.resize(rng.normal(size=(n // 4 + 1, 4)).cumsum(axis=0), n)


@pytest.mark.parametrize("orders", ORDERS)
@pytest.mark.parametrize("gaps", [(), (20,), (17, 18, 30, 44)])
def test_likelihood_equals_the_dense_covariance(orders, gaps):
    rng = np.random.default_rng(sum(orders) + len(gaps))
    y = simulated(1, 60)
    y[list(gaps)] = np.nan
    for _ in range(3):
        (phi, theta, seasonal_phi, seasonal_theta), point = random_point(rng, orders)
        args = ((phi, theta), (seasonal_phi, seasonal_theta), (orders.d, orders.D), orders.m, point[-1])
        found = arima_log_likelihood(y, orders, point)
        # The dense side truncates the moving-average form, which costs it a few digits near the circle.
        assert found == pytest.approx(dense_arima(y, *args), rel=1e-7)
    row, stats, warm = np.empty(point.size + 1), np.empty(4), np.zeros(point.size)
    assert estimate_arima(y, NONE[: y.size], orders, all_free(orders), warm, row, stats) == DONE
    assert stats[0] == pytest.approx(arima_log_likelihood(y, orders, row[:-1]), rel=1e-10)
    assert stats[0] >= found - 1e-9


@pytest.mark.parametrize("orders", ORDERS)
def test_drivers_enter_by_generalised_least_squares(orders):
    rng = np.random.default_rng(sum(orders))
    y, x = simulated(5, 60), rng.normal(size=(61, 2)).cumsum(axis=0)
    y += x[:60] @ [3.0, -1.0]
    y[30] = np.nan
    one = attempt(orders, y, x=x[:60])
    (phi, theta, seasonal_phi, seasonal_theta), effects = blocks(orders, one.row), one.row[-4:-2]
    args = ((phi, theta), (seasonal_phi, seasonal_theta), (orders.d, orders.D), orders.m, one.row[-2])

    def dense(b):
        return dense_arima(y - x[:60] @ b, *args)

    # Rising to rounding: where a moving average sits at its edge the dense side truncates its expansion.
    assert one.stats[0] == pytest.approx(dense(effects), rel=1e-8)
    assert one.stats[2] == len(one.row) - 1 + orders.constant
    for j in range(2):
        for change in (-1e-3, 1e-3):
            moved = effects.copy()
            moved[j] += change
            assert dense(moved) < one.stats[0]


@pytest.mark.parametrize("text", ["p=1", "p=2 d=1 q=1 constant=yes", "d=1 q=1 D=1 Q=1", "lags=[3] q=1"])
def test_conditional_sums_of_squares_are_minimal(text):
    y = simulated(6, 90)
    fitted = vx.fit(vx.History.from_numbers(y, cadence="counted", seasons=4), f"arima {text} likelihood=conditional")
    table = fitted.coefficients.set_index("name")["value"]
    o = method(fitted.method.text).family.plan(fitted.method.settings, Sizes(4)).orders
    z = np.diff(y, o.d)
    z = z[4:] - z[:-4] if o.D else z
    names = list(table.index)

    def errors(at):
        at = dict(zip(names, at, strict=True))
        ar = [0.0] * o.p
        for j in range(o.p):
            ar[j] = at.get(f"AR lag {j + 1}", 0.0)
        ma = np.r_[1, [at.get(f"MA lag {j + 1}", 0.0) for j in range(o.q)]]
        ma = np.convolve(ma, spread([at.get("seasonal MA lag 4", 0.0)], 4)) if o.Q else ma
        centred = z - at.get("mean", at.get("change per period", 0.0))
        left = np.convolve(centred, np.r_[1, -np.array(ar)])[o.p : z.size]
        return lfilter([1.0], ma, left)

    best = np.square(errors(table)).mean()
    assert fitted.variance == pytest.approx(best, rel=1e-10) and fitted.n == z.size - o.p
    assert fitted.log_likelihood == pytest.approx(-0.5 * fitted.n * (np.log(2 * np.pi * best) + 1), rel=1e-10)
    assert best <= optimize.minimize(lambda at: np.square(errors(at)).mean(), table, method="Nelder-Mead").fun + 1e-9
    if text == "p=1":
        lagged = np.column_stack((np.ones(89), y[:-1]))
        assert table["AR lag 1"] == pytest.approx(np.linalg.lstsq(lagged, y[1:], rcond=None)[0][1], rel=1e-6)
    assert "conditional sum of squares" in fitted.in_words() and fitted.coefficients["std_error"].notna().all()
    holes = vx.History.from_numbers([*y[:50], np.nan, *y[50:]], cadence="counted", seasons=4)
    assert "every value" in vx.fit(holes, f"arima {text} likelihood=conditional").reason


@pytest.mark.parametrize("orders", ORDERS)
def test_estimates_are_a_maximum(orders):
    y = simulated(2)
    one = attempt(orders, y)
    top = one.stats[0]
    k = one.row.size - 2
    for j in range(k + orders.constant):
        for change in (-1e-3, 1e-3):
            point = one.row[:-1].copy()
            point[j] += change
            assert arima_log_likelihood(y, orders, point) <= top + 1e-6
    warm = np.concatenate(([1.0], one.variables))
    again = attempt(orders, y, warm)
    assert again.stats[0] == pytest.approx(top, abs=1e-5)


def test_estimation_is_the_same_compiled_and_plain():
    y, o, found = simulated(3, 40), Orders(1, 1, 1, 0, 0, 1, 4, 0), []
    for kernel in (estimate_arima, estimate_arima.py_func):
        row, stats, warm = np.empty(5), np.empty(4), np.zeros(4)
        assert kernel(y, NONE[: y.size], o, all_free(o), warm, row, stats) == DONE
        found.append((row, stats))
    for compiled, plain in zip(*found, strict=True):
        assert compiled == pytest.approx(plain, rel=1e-6)
    o = Orders(0, 1, 1, 0, 0, 0, 1, 1)
    assert estimate_arima(np.arange(30.0), NONE[:30], o, all_free(o), np.zeros(2), np.empty(3), stats) == PERFECT


@pytest.mark.parametrize("orders", ORDERS)
def test_the_predictor_is_exact(orders):
    rng = np.random.default_rng(7)
    y = simulated(4, 64)
    (phi, theta, seasonal_phi, seasonal_theta), point = random_point(rng, orders)
    row = np.concatenate((point, [4.0]))
    fitted, points, std_error = np.empty(64), np.empty(9), np.empty(9)
    assert replay_arima(y, orders, row, fitted, points, std_error)
    full_phi = -np.convolve(np.r_[1, -phi], spread(-seasonal_phi, orders.m))[1:]
    full_theta = np.convolve(np.r_[1, theta], spread(seasonal_theta, orders.m))[1:]
    z = np.diff(y, orders.d)
    steps = [y] + [np.diff(y, k) for k in range(1, orders.d + 1)]
    if orders.D:
        steps.append(steps[-1][orders.m :] - steps[-1][: -orders.m])
        z = steps[-1]
    ahead = dense_arma(z - point[-1], full_phi, full_theta, ahead=9)[1] + point[-1]
    if orders.D:
        before = steps[orders.d]
        path = list(before[-orders.m :])
        for value in ahead:
            path.append(path[-orders.m] + value)
        ahead = np.array(path[orders.m :])
    for k in range(orders.d - 1, -1, -1):
        ahead = steps[k][-1] + np.cumsum(ahead)
    assert points == pytest.approx(ahead, rel=1e-6)
    # One step ahead of a shorter history is the fitted value of the longer one.
    shorter = np.empty(1)
    assert replay_arima(y[:50], orders, row, np.empty(50), shorter, np.empty(1))
    assert fitted[50] == pytest.approx(shorter[0], rel=1e-8)
    assert (np.diff(std_error) >= -1e-9).all() and std_error[0] == pytest.approx(2.0)


def spread(coefficients, m):
    full = np.zeros(m * len(coefficients) + 1)
    full[0] = 1
    full[m::m] = coefficients
    return full


def test_a_seasonal_estimate_is_not_beaten_by_a_library_optimiser():
    rng = np.random.default_rng(3)
    shocks = rng.normal(size=100)
    z = shocks.copy()
    z[1:] -= 0.5 * shocks[:-1]
    z[4:] -= 0.6 * (shocks[:-4] - 0.5 * np.r_[0, shocks[:-5]])
    y = z.copy()
    for t in range(4, 100):
        y[t] += y[t - 4]
    y = 50 + np.cumsum(y)

    def negative(u):
        return -dense_arima(y, ([], [np.tanh(u[0])]), ([], [np.tanh(u[1])]), (1, 1), 4, 0.0)

    best = min(
        optimize.minimize(negative, start, method="Nelder-Mead").fun for start in ([0, 0], [-1, -1], [0.5, -0.5])
    )
    fitted = vx.fit(vx.History.from_numbers(y, cadence="counted", seasons=4), "arima d=1 q=1 D=1 Q=1")
    assert fitted.log_likelihood == pytest.approx(-best, abs=1e-6)
    assert fitted.coefficients["value"].to_numpy() == pytest.approx([-0.5, -0.6], abs=0.25)


def test_unknown_values_cost_nothing_but_themselves():
    """An unknown value leaves the forecast of a random walk to the values around it."""
    y = np.cumsum(np.random.default_rng(5).normal(size=80))
    holes = y.copy()
    holes[[30, 31, 60]] = np.nan
    walk = vx.fit(monthly(holes), "arima d=1")
    assert walk.forecast(3).points == pytest.approx([y[-1]] * 3)
    # Changes over g months of a random walk have g times the variance: hand formula for the likelihood's variance.
    known = np.flatnonzero(~np.isnan(holes))
    squares = np.square(np.diff(y[known])) / np.diff(known)
    assert walk.variance == pytest.approx(squares.mean(), rel=1e-9) and walk.n == 76
    late = vx.fit(monthly(np.r_[y, np.nan, np.nan]), "arima d=1").forecast(2)
    assert late.std_error == pytest.approx(np.sqrt(vx.fit(monthly(y), "arima d=1").variance * np.array([3, 4])))


@given(st.lists(st.floats(-1.9, 1.9), min_size=1, max_size=4))
def test_partial_autocorrelations_tell_stability_as_roots_do(coefficients):
    roots = np.abs(np.roots(np.r_[1.0, -np.array(coefficients)]))
    if abs(roots.max(initial=0.0) - 1) > 1e-6:
        stable = roots.max(initial=0.0) < 1
        assert (largest_partial(np.array(coefficients)) < 1) == stable
        assert arma.is_stable(np.array(coefficients), 1.0) == stable
