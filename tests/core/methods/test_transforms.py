"""Logarithms and powers inside methods, against closed forms and draws."""

import numpy as np
import pytest
from scipy import integrate, optimize, stats

import veridex as vx
from conftest import monthly, reread, seasonal_values
from veridex.core.numerics.box_cox import back_moments, back_values, box_cox, log_jacobian

Y = seasonal_values()
N = len(Y)


@pytest.mark.parametrize("text", ["naive", "arima p=1 d=1", "holt", "trend-season", "smoothing", "bending-trend"])
def test_logarithms_come_back_as_means(text):
    logs = vx.fit(monthly(np.log(Y), floor="none"), text)
    fitted = vx.fit(monthly(Y), f"{text} transform=log")
    inner, outer = logs.forecast(5), fitted.forecast(5)
    assert outer.points == pytest.approx(np.exp(inner.points + inner.std_error**2 / 2), rel=1e-9)
    assert outer.std_error == pytest.approx(outer.points * np.sqrt(np.expm1(inner.std_error**2)), rel=1e-9)
    assert outer.upper == pytest.approx(np.exp(inner.upper), rel=1e-9)
    if text in ("naive", "trend-season", "smoothing"):
        used = Y[-fitted.n :]
        assert fitted.log_likelihood == pytest.approx(logs.log_likelihood - np.log(used).sum(), rel=1e-9)
    assert fitted.innovations == pytest.approx(logs.innovations, nan_ok=True)
    assert "corrected for the bias" in fitted.in_words() and "log(demand)" in fitted.equation()
    assert fitted.simulate(3, 40_000).mean(axis=0) == pytest.approx(outer.points[:3], rel=0.02)
    again = reread(fitted)
    assert (again.forecast(5).points == outer.points).all()
    assert "above zero" in vx.fit(monthly(Y - Y.min()), f"{text} transform=log").reason


def test_a_power_lies_between():
    stated = vx.fit(monthly(Y), "drift transform=box-cox power=0.5")
    roots = vx.fit(monthly(2 * (np.sqrt(Y) - 1)), "drift").forecast(4)
    z = np.random.default_rng(0).normal(size=400_000)
    drawn = np.square(np.maximum(roots.points[3] + roots.std_error[3] * z, -2) / 2 + 1)
    forecast = stated.forecast(4)
    assert forecast.points[3] == pytest.approx(drawn.mean(), rel=2e-3)
    assert forecast.std_error[3] == pytest.approx(drawn.std(), rel=1e-2)
    found = vx.fit(monthly(Y), "trend-season transform=box-cox")
    power = found.coefficients.set_index("name")["value"]["power"]
    assert 0 <= power <= 1 and found.parameters == vx.fit(monthly(Y), "trend-season").parameters + 1

    def negative(p):
        z = np.log(Y) if p == 0 else (Y**p - 1) / p
        change = np.diff(z)
        rest = np.concatenate([change[j::12] - change[j::12].mean() for j in range(12)])
        return 0.5 * rest.size * np.log(np.mean(rest**2)) - (p - 1) * np.log(Y[1:]).sum()

    assert power == pytest.approx(optimize.brute(negative, [(0, 1)], Ns=21, finish=None), abs=1e-9)
    with pytest.raises(vx.VeridexError, match="power= goes with transform=box-cox"):
        vx.fit(monthly(Y), "naive power=0.5")
    candidates = vx.fit(monthly(Y), "arima transform=log")
    assert candidates.candidates["aicc"].min() == pytest.approx(candidates.aicc)


@pytest.mark.parametrize("power", [0.0, 0.25, 0.5, 1.0])
def test_moments_come_back_as_integrals_say(power):
    means, errors = np.array([3.0, 5.0, 9.0]), np.array([0.1, 0.4, 1.2])
    centre, spread = back_moments(means, errors, power)
    for k in range(3):
        law = stats.norm(means[k], errors[k])

        def integral(f, law=law):
            ends = law.interval(1 - 1e-12)
            return integrate.quad(lambda z: f(back_values(np.array([z]), power)[0]) * law.pdf(z), *ends)[0]

        mean = integral(lambda v: v)
        assert centre[k] == pytest.approx(mean, rel=1e-6)
        assert spread[k] == pytest.approx(np.sqrt(integral(lambda v, mean=mean: (v - mean) ** 2)), rel=1e-5)
    values = np.array([0.5, 2.0, 40.0])
    assert back_values(box_cox(values, power), power) == pytest.approx(values)
    assert log_jacobian(values, power) == pytest.approx((power - 1) * np.log(values).sum())
    if power:
        assert back_values(np.array([-1.0 / power - 3.0]), power)[0] == 0.0


def test_a_transform_travels_through_backtest_and_publication():
    lineup = ["drift transform=log", "drift", "combination of=[theta transform=log, drift]"]
    trial = vx.backtest(monthly(Y), lineup, vx.RollingOrigin(horizon=3, origins=4))
    logs = vx.backtest(monthly(np.log(Y)), ["drift"], vx.RollingOrigin(horizon=3, origins=4))
    a, b = trial.arrays, logs.arrays
    wanted = np.exp(b.points[0, 0] + b.std_error[0, 0] ** 2 / 2)
    assert a.points[0, 0] == pytest.approx(wanted, rel=1e-10)
    published = vx.publish(monthly(Y), method="drift transform=log", horizon=2)
    assert published.forecasts["value"].tolist() == vx.fit(monthly(Y), lineup[0]).forecast(2).points.tolist()
    assert published.manifest["items"]["smoker-01"]["settings"]["transform"] == "log"
