"""The family `arima`: zeros, flags, paths, intervals, lags alone, words that are refused, equations."""

import numpy as np
import pandas as pd
import pytest
from scipy import optimize

import veridex as vx
from conftest import monthly, reread, seasonal_values
from reference import dense_arima
from veridex.core.fitted.fitted import fit
from veridex.core.methods.stated import stated

Y = seasonal_values()


def simulated(seed, n=120):
    """A wandering level and a wandering season of four."""
    rng = np.random.default_rng(seed)
    return 100 + np.cumsum(rng.normal(size=n)) + np.resize(rng.normal(size=(n // 4 + 1, 4)).cumsum(axis=0), n)


def test_zeros_margins_and_flags_are_told():
    fitted = vx.fit(vx.History.from_numbers(simulated(8), cadence="counted", seasons=4), "arima p=2 d=1 q=1 Q=1")
    ar1, ar2, ma1, sma1 = fitted.coefficients["value"]
    for root in fitted.roots.to_dict("records"):
        zero = complex(root["real"], root["imaginary"])
        value = {"AR": 1 - ar1 * zero - ar2 * zero**2, "MA": 1 + ma1 * zero, "seasonal MA": 1 + sma1 * zero}
        assert abs(value[root["polynomial"]]) < 1e-9 * max(1.0, abs(zero) ** 2)
    figures = fitted.summary
    zeros = fitted.roots.groupby("polynomial")["modulus"].min()
    assert figures["stationarity_margin"] == pytest.approx(zeros["AR"] - 1)
    assert figures["invertibility_margin"] == pytest.approx(min(zeros["MA"], zeros["seasonal MA"]) - 1)
    assert figures["converged"] == 1 and figures["steps"] > 0 and figures["milliseconds"] > 0
    timed = fit(fitted.series, "naive", clock=iter((3.0, 3.25)).__next__)
    assert timed.summary["milliseconds"] == 250
    assert fitted.coefficients["stars"].tolist() == [
        "***" if p < 0.001 else "**" if p < 0.01 else "*" if p < 0.05 else "" for p in fitted.coefficients["p_value"]
    ]
    short = vx.fit(vx.History.from_numbers(simulated(8)[:15], cadence="counted"), "arima p=2 q=1")
    assert "only 15 values for 5 quantities estimated" in short.flags
    swing = vx.fit(
        vx.History.from_numbers(np.sin(np.arange(80.0)) + 0.1 * simulated(9)[:80], cadence="counted"), "arima p=2 d=1"
    )
    assert swing.roots["periods"].notna().all()


@pytest.mark.parametrize("text", ["arima p=2 d=1 q=1 D=1 Q=1", "arima average=yes", "naive", "smoothing", "theta"])
def test_paths_follow_the_forecast(text):
    fitted = vx.fit(monthly(Y), text)
    forecast, paths = fitted.forecast(15), fitted.simulate(15, 20_000)
    assert paths.mean(axis=0) == pytest.approx(forecast.points, abs=0.03 * forecast.std_error.max())
    assert paths.std(axis=0) == pytest.approx(forecast.std_error, rel=0.03)
    assert (fitted.simulate(15, 50) == fitted.simulate(15, 50)).all()
    assert (fitted.simulate(15, 50, seed=1) != fitted.simulate(15, 50)).any()
    if text == "naive":
        total = paths[:, :12].sum(axis=1).std()
        assert total == pytest.approx(forecast.std_error[0] * np.sqrt(12 * 13 * 25 / 6), rel=0.03)


def test_intervals_with_estimation_hold_what_theory_says():
    # A mean estimated from n values of white noise adds s^2 / n; a drift of a random walk adds h^2 s^2 / n.
    y = 100 + np.random.default_rng(6).normal(size=40)
    spreads = [fit_of(y, f"arima p=0 d=0 q=0 intervals={kind}").std_error for kind in ("model", "with-estimation")]
    degrees = 40 / 37  # from the sum over n to the mean of the scaled inverse chi-squared law with 39 degrees
    wanted = spreads[0].mean() * np.sqrt(degrees * (1 + 1 / 40))
    assert spreads[1].mean() == pytest.approx(wanted, rel=0.015)  # twelve leads of a thousand draws: error 0.7 %
    walk = np.cumsum(y)
    drifting = [fit_of(walk, f"arima d=1 constant=yes intervals={kind}") for kind in ("model", "with-estimation")]
    h = np.arange(1, 13)
    wider = np.sqrt((h + h**2 / 39) * 39 / 36 / h)
    assert drifting[1].std_error / drifting[0].std_error == pytest.approx(wider, rel=0.08)
    assert (drifting[1].points == drifting[0].points).all()
    again = fit_of(walk, "arima d=1 constant=yes intervals=with-estimation")
    assert (again.upper == drifting[1].upper).all()
    searched = fit_of(Y, "arima intervals=with-estimation")
    assert (searched.std_error > 0.95 * fit_of(Y, "arima").std_error).all()


def fit_of(values, text):
    return vx.fit(vx.History.from_numbers(values, cadence="counted"), text).forecast(12)


def test_chosen_lags_are_estimated_alone():
    fitted = vx.fit(monthly(Y), "arima lags=[1, 12] ma_lags=[2] d=1")
    assert fitted.coefficients["name"].tolist() == ["AR lag 1", "AR lag 12", "MA lag 2"] and fitted.parameters == 4
    ar1, ar12, ma2 = fitted.coefficients["value"]

    def likelihood(u):
        phi = np.zeros(12)
        phi[[0, 11]] = u[:2]
        return -dense_arima(Y, (phi, [0, u[2]]), ([], []), (1, 0), 12, 0.0)

    assert fitted.log_likelihood == pytest.approx(-likelihood([ar1, ar12, ma2]), rel=1e-8)
    best = min(
        optimize.minimize(likelihood, start, method="Nelder-Mead").fun for start in ([0, 0.5, 0], [-0.3, 0.3, 0.3])
    )
    assert fitted.log_likelihood >= -best - 1e-5
    assert fitted.coefficients["std_error"].notna().all()
    assert "of 1 and" in fitted.in_words() and "B^12)" in fitted.equation() and "B^11" not in fitted.equation()
    dense = vx.fit(monthly(Y), "arima lags=[1, 2] d=1 ma_lags=[1]")
    assert dense.log_likelihood == pytest.approx(vx.fit(monthly(Y), "arima p=2 d=1 q=1").log_likelihood, rel=1e-10)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("arima constant=yes", "goes with stated orders"),
        ("arima p=1 season=none", "guide the search; state no orders"),
        ("arima p=2 lags=[1]", "state p= or lags=, not both"),
        ("arima lags=[0, 1]", "lags must be lags of the autoregression"),
        ("arima average=yes prune=0.1", "neither pruned nor simulated"),
        ("arima p=1 criterion=bic", "guide the search; state no orders"),
        ("arima D=2", "D must be a whole number from 0 to 1"),
        ("arima criterion=best", "criterion must be aicc or aic or bic"),
    ],
)
def test_wrong_words_are_refused(text, words):
    with pytest.raises(vx.VeridexError, match=words):
        vx.fit(monthly(Y), text)


def test_equation_and_words_of_a_seasonal_model():
    fitted = vx.fit(monthly(Y), "arima p=1 d=0 q=1 P=0 D=1 Q=1 constant=yes")
    ar, ma, sma, _ = fitted.coefficients["value"]
    assert fitted.coefficients["name"].tolist() == [
        "AR lag 1",
        "MA lag 1",
        "seasonal MA lag 12",
        "change over 12 months",
    ]
    left, right = fitted.equation().splitlines()[0].split(" = ")
    assert left.startswith(f"(1 {'-' if ar > 0 else '+'} {abs(ar):.4g} B) ((1 - B^12) y[t]")
    assert f"{abs(sma):.4g} B^12) error[t]" in right and f"{abs(ma):.4g} B)" in right
    assert "the change over 12 months" in fitted.in_words() and "a season. A season is seen." in fitted.in_words()
    short = vx.fit(vx.History.from_numbers([1.0, 3, 2, 5], cadence="counted"), "arima P=1")
    assert short.reason.startswith("the method needs a season")


def test_a_season_of_fixed_effects_is_one_of_drivers_that_add_up_to_nothing():
    """The same columns handed over as drivers: the same likelihood, forecasts and effects."""
    series = monthly(seasonal_values(4, 84))
    fitted = vx.fit(series, "arima p=1 q=1 season=dummies")
    phases = np.arange(96) % 12
    columns = {f"m{j}": (phases == j) * 1.0 - (phases == 0) for j in range(1, 12)}
    table = pd.DataFrame({"period": np.datetime64("2018-01", "M") + np.arange(96), **columns})
    given = vx.Drivers.from_frame(table, cadence="monthly", known_ahead="all")
    other = vx.fit(series, "arima p=1 q=1", drivers=given)
    assert fitted.log_likelihood == pytest.approx(other.log_likelihood, abs=1e-9)
    assert fitted.forecast(12).points == pytest.approx(other.forecast(12).points, rel=1e-9)
    assert fitted.forecast(12).std_error == pytest.approx(other.forecast(12).std_error, rel=1e-9)
    own, theirs = (one.coefficients.set_index("name")["value"] for one in (fitted, other))
    assert own["season March"] == pytest.approx(theirs["m2"]) and "season January" not in own
    assert "A season repeats itself, highest in " in fitted.in_words() and "- season[t]" in fitted.equation()
    parts = fitted.contributions(12)
    assert parts["season"].iloc[:12].sum() == pytest.approx(0.0, abs=1e-9)
    assert (parts["arima"] + parts["season"]).to_numpy() == pytest.approx(parts["total"].to_numpy())
    assert reread(fitted).forecast(3).points.tolist() == fitted.forecast(3).points.tolist()
    searched = vx.fit(series, "arima season=dummies")
    settled = stated(searched.method, {searched.method: searched.account.form})  # as a blend is published
    assert settled.text == f"arima {searched.account.form.replace('p=0 ', '')} season=dummies"
    assert vx.fit(series, settled).log_likelihood == pytest.approx(searched.log_likelihood, abs=1e-6)
    with pytest.raises(vx.VeridexError, match="season=dummies holds the season"):
        vx.fit(series, "arima D=1 season=dummies")
    assert (
        "needs a season" in vx.fit(vx.History.from_numbers([3, 5, 4, 6] * 5, cadence="counted"), fitted.method).reason
    )


@pytest.mark.parametrize(
    ("build", "text"),
    [
        (lambda rng, t: 100 + 30 * np.sin(2 * np.pi * t / 12) + 5 * rng.normal(size=t.size), "arima season=dummies"),
        (lambda rng, t: 100 + rng.normal(size=t.size).cumsum(), "arima season=none"),
        (lambda rng, t: 100 + rng.normal(size=(12, 12)).cumsum(axis=0).ravel()[: t.size] * 9, "arima"),
        (lambda rng, t: np.exp(4 + 0.5 * np.sin(2 * np.pi * t / 12) + 0.3 * rng.normal(size=t.size)),
         "arima season=dummies transform=log"),
    ],
)  # fmt: skip
def test_the_advice_names_a_method_that_follows_it_and_fits(build, text):
    series = monthly(build(np.random.default_rng(5), np.arange(144)))
    advice = vx.differencing(series)
    assert advice.method == text
    fitted = vx.fit(series, advice.method)
    assert fitted.available and fitted.method.text == text
    assert advice.D or "A season repeats itself" in fitted.in_words() or "No season is seen" in fitted.in_words()
