"""Regressions against certified data, closed forms, slow computations, and what planners read of them."""

import numpy as np
import pytest
from scipy import linalg, optimize, stats

import veridex as vx
from conftest import counted, drivers_of, monthly, seasonal_values
from nist import CASES, FILIP, FILIP_CERTIFIED
from veridex.core.numerics.regression.bending import bend
from veridex.core.numerics.regression.ordinary import chebyshev_design, in_powers, ordinary_least_squares

Y = seasonal_values()
N = len(Y)


@pytest.mark.parametrize("name", CASES)
def test_certified_regressions_to_nine_digits(name):
    target, columns, intercept, coefficients, errors = CASES[name]
    keep = "keep=all" if intercept else "keep=all intercept=none"
    fitted = vx.fit(counted(target), f"driver-regression {keep}", drivers=drivers_of(columns))
    table = fitted.coefficients
    assert table["value"].to_numpy() == pytest.approx(np.array(coefficients), rel=1e-9, abs=1e-300)
    assert table["std_error"].to_numpy() == pytest.approx(np.array(errors), rel=1e-9, abs=1e-8)


def test_a_certified_polynomial_of_degree_ten():
    y, x = FILIP.T
    coefficients, factor, total = ordinary_least_squares(chebyshev_design(x, x.min(), x.max(), 10), y)
    values, rows = in_powers(coefficients, factor, x.min(), x.max())
    errors = np.sqrt(total / 71 * np.square(rows).sum(axis=1))
    assert values == pytest.approx(FILIP_CERTIFIED[0], rel=1e-9)
    assert errors == pytest.approx(FILIP_CERTIFIED[1], rel=1e-9)


def design_of(text, n):
    """Columns of each trend method in plain NumPy, without its intercept."""
    t = np.arange(1.0, n + 1)
    dummies = [(np.arange(n) % 12 == j).astype(float) for j in range(12)]
    harmonics = [f(2 * np.pi * k * t / c) for c, k in ((12, 1), (12, 2), (5.5, 1)) for f in (np.sin, np.cos)]
    return {
        "linear-trend": [t],
        "poly-trend degree=3": [t, t**2, t**3],
        "trend-season": [t, *dummies[1:]],
        "trend-season base=april": [t, *(dummies[j] for j in range(12) if j != 3)],
        "harmonic seasons=[12, 5.5] harmonics=[2, 1]": [t, *harmonics],
        "harmonic trend=no harmonics=[2]": harmonics[:4],
    }[text]


@pytest.mark.parametrize("intercept", ["estimated", "none", "30"])
@pytest.mark.parametrize(
    "text",
    [
        "linear-trend",
        "poly-trend degree=3",
        "trend-season",
        "trend-season base=april",
        "harmonic seasons=[12, 5.5] harmonics=[2, 1]",
        "harmonic trend=no harmonics=[2]",
    ],
)
def test_trends_equal_ordinary_least_squares(text, intercept):
    if "base" in text and intercept != "estimated":
        with pytest.raises(vx.VeridexError, match="base= goes with intercept=estimated"):
            vx.fit(monthly(Y), f"{text} intercept={intercept}")
        return
    fitted = vx.fit(monthly(Y, floor="none"), f"{text} intercept={intercept}")
    frame = fitted.forecast(14, levels=90).frame
    columns = design_of(text, N + 14)
    if intercept == "estimated":
        columns = [np.ones(N + 14), *columns]
    elif text.startswith("trend-season"):
        columns = [columns[0], (np.arange(N + 14) % 12 == 0).astype(float), *columns[1:]]
    whole = np.column_stack(columns)
    x, new, offset = whole[:N], whole[N:], 30.0 if intercept == "30" else 0.0
    k = x.shape[1]
    b = linalg.lstsq(x, Y - offset)[0]
    rest = Y - offset - x @ b
    variance = rest @ rest / (N - k)
    inverse = np.linalg.inv(x.T @ x)
    std_error = np.sqrt(variance * (1 + np.einsum("ij,jk,ik->i", new, inverse, new)))
    assert frame["forecast"].to_numpy() == pytest.approx(new @ b + offset, rel=1e-8)
    assert frame["std_error"].to_numpy() == pytest.approx(std_error, rel=1e-8)
    assert (frame["upper_90"] - frame["forecast"]).to_numpy() == pytest.approx(
        stats.t(N - k).ppf(0.95) * std_error, rel=1e-8
    )
    table = fitted.coefficients
    assert table["value"].to_numpy() == pytest.approx(b, rel=1e-6)
    assert table["std_error"].to_numpy() == pytest.approx(np.sqrt(variance * np.diag(inverse)), rel=1e-6)
    # Figures of the regression, by their definitions.
    figures, centre = fitted.summary, (Y - offset).mean() if intercept == "estimated" else 0.0
    r2 = 1 - rest @ rest / np.square(Y - offset - centre).sum()
    used = N - (intercept == "estimated")
    assert figures["r2"] == pytest.approx(r2) and figures["durbin_watson"] == pytest.approx(
        np.square(np.diff(rest)).sum() / (rest @ rest)
    )
    assert figures["adjusted_r2"] == pytest.approx(1 - (1 - r2) * used / (N - k))
    slopes = k - (intercept == "estimated")
    assert figures["f"] == pytest.approx(r2 / slopes / ((1 - r2) / (N - k)))
    parts = fitted.contributions(14)
    names = [name for name in parts if name not in ("period", "step", "total")]
    assert parts[names].sum(axis=1).to_numpy() == pytest.approx(whole @ b + offset, rel=1e-7)
    assert parts["total"].to_numpy()[N:] == pytest.approx(frame["forecast"].to_numpy(), rel=1e-9)


def test_autocorrelated_errors_widen_what_ordinary_ones_promise():
    rng = np.random.default_rng(0)
    e = np.zeros(120)
    for t in range(1, 120):
        e[t] = 0.7 * e[t - 1] + rng.normal()
    t = np.arange(1.0, 121)
    y = 5 + 0.1 * t + e
    plain = vx.fit(counted(y), "linear-trend")
    assert any("ordinary standard errors mislead" in flag for flag in plain.flags)
    robust = vx.fit(counted(y), "linear-trend errors=autocorrelated")
    x = np.column_stack((np.ones(120), t))
    rest = y - x @ linalg.lstsq(x, y)[0]
    lags, middle = int(4 * 1.2 ** (2 / 9)), np.zeros((2, 2))
    for i in range(120):
        for j in range(max(0, i - lags), min(120, i + lags + 1)):
            middle += (1 - abs(i - j) / (lags + 1)) * rest[i] * rest[j] * np.outer(x[i], x[j])
    bread = np.linalg.inv(x.T @ x)
    wanted = np.sqrt(np.diag(bread @ middle @ bread) * 120 / 118)
    assert robust.coefficients["std_error"].to_numpy() == pytest.approx(wanted, rel=1e-9)
    assert robust.flags == () and (robust.forecast(3).points == plain.forecast(3).points).all()


def test_drivers_are_chosen_by_their_ratios_and_the_path_is_shown():
    rng = np.random.default_rng(3)
    columns = rng.normal(size=(6, 100))
    y = 50 + 3 * columns[0] - 2 * columns[3] + rng.normal(size=100)
    fitted = vx.fit(counted(y), "driver-regression", drivers=drivers_of(columns))
    assert fitted.coefficients["name"].tolist()[:3] == ["intercept", "a", "d"]
    assert (fitted.coefficients["ratio"].abs()[1:] > np.sqrt(2 * np.log(np.log(100)))).all()
    path = fitted.candidates
    assert path["drivers"].tolist() == list(range(path["drivers"][0], 7)) and path["left_out_last"].iloc[-1] == ""
    left = path["left_out_last"].tolist()[:-1]
    assert "Left out, since" in fitted.in_words() and all(name in fitted.in_words() for name in left)
    kept = [columns[0], columns[3]]
    alone = vx.fit(counted(y), "driver-regression keep=all", drivers=drivers_of(columns).chosen(["a", "d"]))
    x = np.column_stack((np.ones(100), *kept))
    assert alone.coefficients["value"].to_numpy() == pytest.approx(linalg.lstsq(x, y)[0])
    words = fitted.in_words()
    assert "One more of a adds" in words and "one more of d takes away" in words and "all else equal" in words


def dense_bend(y, z, q, ahead, weights):
    """Best linear prediction from the whole covariance of a line with wandering slope, diffuse at its start."""
    n = y.size + ahead
    difference = np.diff(np.eye(n), 2, axis=0)
    precision = difference.T @ difference / q
    fixed = np.column_stack((z, np.zeros((n, 0))))
    weight = np.diag(np.r_[weights, np.zeros(ahead)])
    a = np.linalg.inv(precision + weight)
    full = np.r_[y, np.zeros(ahead)]
    m = weight - weight @ a @ weight
    information = np.linalg.inv(fixed.T @ m @ fixed)
    effects = information @ fixed.T @ m @ full
    line = a @ weight @ (full - fixed @ effects)
    gap = fixed - a @ weight @ fixed
    return effects, line + fixed @ effects, 1 + np.diag(a) + np.einsum("ij,jk,ik->i", gap, information, gap)


def test_the_bending_trend_equals_its_dense_computation():
    rng = np.random.default_rng(8)
    t = np.arange(1.0, 61)
    y = (
        100
        + np.cumsum(np.cumsum(0.3 * rng.normal(size=60)))
        + 5 * np.sin(2 * np.pi * t / 4)
        + 0.2 * rng.normal(size=60)
    )
    harmonics = np.column_stack(
        [f(2 * np.pi * k * np.arange(1.0, 67) / 4) for k, f in ((1, np.sin), (1, np.cos), (2, np.cos))]
    )
    bent = bend(y, harmonics, stated=-1.0)
    effects, values, variances = dense_bend(y, harmonics, 0.1, 6, bent.weights[:60])
    assert bent.effects == pytest.approx(effects, rel=1e-8)
    assert bent.line + harmonics @ bent.effects == pytest.approx(values, rel=1e-8)
    assert 1 + bent.line_variance[1:] == pytest.approx(variances[60:], rel=1e-8)
    # The weights are Tukey's, of the residuals in robust deviations that they themselves leave.
    rest = y - values[:60]
    far = np.abs(rest).max() * 2
    least = optimize.minimize_scalar(
        lambda c: np.square(np.square(np.maximum(1 - np.square(rest / c), 0)) - bent.weights[:60]).sum(),
        bounds=(np.abs(rest).max() / 3, 10 * far), method="bounded",
    )  # fmt: skip
    assert least.fun < 1e-3
    # The bend that makes the data likeliest, by the restricted likelihood of the dense covariance.
    found = bend(y, harmonics)
    weights = found.weights[:60]
    grid = [-restricted_likelihood(y, harmonics[:60], 10.0**q, weights) for q in np.linspace(-3, 1, 81)]
    assert np.log10(found.q) == pytest.approx(np.linspace(-3, 1, 81)[int(np.argmin(grid))], abs=0.15)


def restricted_likelihood(y, z, q, weights):
    """Of contrasts free of line and harmonics, from their dense covariance."""
    n = y.size
    fixed = np.column_stack((np.ones(n), np.arange(n), z))
    null = linalg.null_space(fixed.T)
    sums = np.tril(np.ones((n, n))) @ np.tril(np.ones((n, n)))
    covariance = null.T @ (np.diag(1 / weights) + q * sums @ sums.T) @ null
    e = null.T @ y
    total = e @ np.linalg.solve(covariance, e)
    return -0.5 * (e.size * np.log(total) + np.linalg.slogdet(covariance)[1])


def test_an_outlying_month_hardly_bends_the_trend():
    rng = np.random.default_rng(9)
    y = 100 + 0.5 * np.arange(96) + 20 * np.sin(2 * np.pi * np.arange(96) / 12) + 2 * rng.normal(size=96)
    clean = vx.fit(monthly(y), "bending-trend").forecast(12).points
    for month in (40, 84, 90, 95):
        outlying = y.copy()
        outlying[month] += 20
        moved = vx.fit(monthly(outlying), "bending-trend").forecast(12).points
        assert abs(moved[month % 12] - clean[month % 12]) < 2.0
    straight = vx.fit(monthly(y), "bending-trend bend=0")
    assert np.ptp(np.diff(straight.contributions(6)["trend"], 2)) < 1e-5
    assert "swings by" in straight.in_words() and straight.coefficients["name"][1] == "change per month at the end"


def test_rivals_stand_side_by_side_and_overfitting_is_called_so():
    lineup = [
        "arima d=1 q=1 D=1 Q=1",
        "arima d=1 q=1 D=1 Q=1 transform=log",
        "trend-season",
        "poly-trend degree=6",
        "naive",
    ]
    compared = vx.compare_fits(monthly(Y), lineup, vx.RollingOrigin(horizon=6, origins=6))
    models = compared.models.set_index("method")
    fits = [vx.fit(monthly(Y), text) for text in lineup]
    assert models["aicc"][lineup[0]] == pytest.approx(fits[0].aicc) and models["aicc"][lineup[1]] == pytest.approx(
        fits[1].aicc
    )
    assert models["aicc"][lineup[2:]].isna().all()
    assert "values differenced once and over 12 periods" in models["not_comparable"]["trend-season"]
    trial = vx.backtest(monthly(Y), lineup, vx.RollingOrigin(horizon=6, origins=6))
    scores = trial.scores(by="method").set_index("method")
    assert models["holdout_rmse"].to_numpy() == pytest.approx(scores["rmse"][lineup].to_numpy())
    table = compared.coefficients
    assert table.columns.tolist() == ["name", *lineup] and table.set_index("name")[lineup[2]]["change per month"] > 0
    alarm = [one for one in compared.alarms if "poly-trend" in one and "than naive" in one]
    worse = models["holdout_rmse"]["poly-trend degree=6"] > models["holdout_rmse"]["naive"]
    better = models["training_rmse"]["poly-trend degree=6"] < models["training_rmse"]["naive"]
    assert bool(alarm) == (worse and better)
    assert compared.in_words().startswith("By AICc arima d=1 q=1 D=1 Q=1 transform=log is preferred.")
    assert vx.compare_fits(monthly(Y), lineup[:2]).alarms == ()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("harmonic seasons=[7, 12] harmonics=[2]", "2 seasons need 2 numbers of harmonics, got 1"),
        ("bending-trend seasons=[7] harmonics=[5]", "a season of 7 has at most 3 harmonics, got 5"),
    ],
)
def test_harmonics_that_do_not_go_with_the_seasons_are_refused(text, said):
    with pytest.raises(vx.VeridexError, match=said):
        vx.fit(vx.History.from_numbers(np.arange(50.0), cadence="counted"), text)
