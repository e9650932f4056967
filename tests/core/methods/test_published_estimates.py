"""Estimates as published in textbooks and papers, and against a library optimiser."""

import numpy as np
import pytest
from scipy import optimize, special

import veridex as vx
from conftest import monthly, seasonal_values
from reference import CONCENTRATIONS, DOW_JONES, LAKE_HURON, NILE, YIELDS, dense_arma, slow_smoothing

Y = seasonal_values()


def fit(values, text):
    return vx.fit(monthly(values), text)


# Brockwell and Davis (2002), Introduction to Time Series and Forecasting, 2nd ed., examples 5.2.4 and 5.2.5:
# maximum likelihood on the mean-corrected levels of Lake Huron, to the printed digits.
@pytest.mark.parametrize(
    ("text", "coefficients", "variance", "aicc"),
    [
        ("arima p=2 d=0 q=0 constant=no", (1.0441, -0.2503), 0.4789, 213.54),
        ("arima p=1 d=0 q=1 constant=no", (0.7446, 0.3213), 0.4750, 212.77),
    ],
)
def test_arima_estimates_as_published_for_lake_huron(text, coefficients, variance, aicc):
    fitted = fit(LAKE_HURON - LAKE_HURON.mean(), text)
    assert fitted.coefficients["value"].to_numpy() == pytest.approx(coefficients, abs=5.1e-5)
    assert fitted.variance == pytest.approx(variance, abs=5.1e-5)
    assert fitted.aicc == pytest.approx(aicc, abs=5.1e-3)


# Brockwell and Davis (2002), example 5.2.4 (Dow-Jones, mean-corrected changes; variance not used), and Box and
# Jenkins (1976), table 7.13 (series F with standard errors; series A as an IMA), to the printed digits.
@pytest.mark.parametrize(
    ("values", "text", "coefficients", "digits", "errors", "variance", "aicc"),
    [
        (np.diff(DOW_JONES) - np.diff(DOW_JONES).mean(), "arima p=1 constant=no", [0.4471], 4, None, None, 74.483),
        (YIELDS, "arima p=2", [-0.34, 0.19], 2, [0.12, 0.12], 112.7, None),
        (CONCENTRATIONS / 10, "arima d=1 q=1", [-0.70], 2, None, 0.101, None),
    ],
)
def test_arima_estimates_as_published(values, text, coefficients, digits, errors, variance, aicc):
    fitted = fit(values, text)
    k = len(coefficients)
    assert fitted.coefficients["value"][:k].round(digits).tolist() == coefficients
    if errors:
        assert fitted.coefficients["std_error"][:k].round(2).tolist() == errors
    if variance:
        assert fitted.variance == pytest.approx(variance, abs=0.05 if variance > 1 else 0.0005)
    if aicc:
        assert fitted.aicc == pytest.approx(aicc, abs=5.1e-4)


def test_arima_estimates_as_published_for_the_nile():
    # Durbin and Koopman (2012), section 2.10: a local level model with variances 15099 and 1469.1, whose
    # reduced form is an ARIMA(0,1,1) with this moving average and innovations variance.
    q = 1469.1 / 15099
    theta = (np.sqrt(q * q + 4 * q) - 2 - q) / 2
    fitted = fit(NILE, "arima p=0 d=1 q=1")
    assert fitted.coefficients["value"][0] == pytest.approx(theta, abs=1e-4)
    assert fitted.variance == pytest.approx(-15099 / theta, rel=1e-3)
    assert fitted.n == 99 and fitted.parameters == 2
    # The forecast of that model is simple smoothing with alpha = 1 + theta.
    level = NILE[0]
    for value in NILE:
        level += (1 + theta) * (value - level)
    assert fitted.forecast(3).points == pytest.approx([level] * 3, rel=1e-4)


def test_standard_errors_of_an_autoregression_match_theory():
    rng = np.random.default_rng(1)
    y = np.zeros(4000)
    for t in range(1, 4000):
        y[t] = 0.6 * y[t - 1] + rng.normal()
    table = fit(y + 10, "arima p=1 d=0 q=0").coefficients
    # Large-sample theory: var(phi) = (1 - phi^2) / n, var(mean) = 1 / (n (1 - phi)^2).
    assert table["std_error"][0] == pytest.approx(np.sqrt((1 - 0.36) / 4000), rel=0.05)
    assert table["std_error"][1] == pytest.approx(1 / np.sqrt(4000 * 0.16), rel=0.05)


# An independent likelihood under a library optimiser, from several starts: ours must not end below it.
def test_arima_estimates_are_not_beaten_by_a_library_optimiser():
    rng = np.random.default_rng(3)
    y = 20 + np.convolve(rng.normal(size=63), [1, 0.9, 0.6, 0.2])[3:63]

    def negative(u):
        ar, ma, mean = np.tanh(u[0]), np.tanh(u[1]), u[2]
        return -dense_arma(y - mean, [ar], [ma])[0]

    starts = [(0, 0, 20), (1, 0.5, 20), (-1, -0.5, 19)]
    best = min(optimize.minimize(negative, start, method="Nelder-Mead").fun for start in starts)
    fitted = fit(y, "arima p=1 d=0 q=1")
    assert fitted.log_likelihood >= -best - 1e-6
    found = fitted.coefficients["value"].to_numpy()
    assert fitted.log_likelihood == pytest.approx(-negative(np.r_[np.arctanh(found[:2]), found[2]]), rel=1e-9)


@pytest.mark.parametrize("kind", ["additive", "multiplicative"])
def test_holt_winters_estimates_are_not_beaten_by_a_library_optimiser(kind):
    fitted = fit(Y, f"holt-winters season={kind}")
    table = fitted.coefficients.set_index("name")["value"]
    season = table.iloc[5:].to_numpy()

    def negative(u):
        alpha, beta, share = special.expit(u[:3])
        expected = slow_smoothing(Y, alpha, beta, (1 - alpha) * share, 1.0, u[3], u[4], season, kind)[0]
        errors = Y - expected if kind == "additive" else Y / expected - 1
        logs = 0.0 if kind == "additive" else np.log(np.maximum(expected, 1e-9)).sum()
        return 48 * (np.log(2 * np.pi * np.mean(errors**2)) + 1) + logs

    starts = [(-2, -2, -2, 100, 0.5), (0, -3, -1, 95, 1.0)]
    options = {"maxiter": 4000, "maxfev": 4000}
    best = min(optimize.minimize(negative, start, method="Nelder-Mead", options=options).fun for start in starts)
    assert fitted.log_likelihood >= -best - 0.05
