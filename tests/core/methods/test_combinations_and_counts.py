"""Theta, intermittent methods and combinations, against plain recursions."""

import numpy as np
import pytest
from scipy import optimize

import veridex as vx
from conftest import monthly, seasonal_values

SPARE = 1.1 * np.array(
    [  # no whole numbers: their law would be one of counts
        0,
        0,
        3,
        0,
        0,
        0,
        5,
        0,
        2,
        0,
        0,
        0,
        0,
        4,
        0,
        6,
        0,
        0,
        0,
        3,
        0,
        0,
        1,
        0,
    ]
    * 3,
    dtype=float,
)
MEMBERS = ["seasonal-naive", "drift", "holt-winters season=additive", "moving-average weights=[3, 1]"]

Y = seasonal_values()


def fit(values, text):
    return vx.fit(monthly(values), text)


def bounds(forecast):
    return np.concatenate((forecast.lower, forecast.upper))


def plain_theta(y, alpha, level, weight):
    """One-step forecasts and the one after the last, from the published recursion; t counts from one."""
    slope, intercept = np.polyfit(np.arange(1, y.size + 1), y, 1)
    fitted = []
    for t in range(1, y.size + 2):
        drift = (1 - alpha) ** (t - 1) * intercept + (1 - (1 - alpha) ** t) / alpha * slope
        fitted.append(level + weight * drift)
        if t <= y.size:
            level += alpha * (y[t - 1] - level)
    return np.array(fitted), slope


@pytest.mark.parametrize("optimised", [False, True])
def test_theta_equals_its_recursion_and_is_not_beaten(optimised):
    y = 50 + np.random.default_rng(4).normal(size=70).cumsum() + 0.4 * np.arange(70)
    fitted = fit(y, f"theta season=none optimised={'yes' if optimised else 'no'}")
    values = fitted.coefficients.set_index("name")["value"]
    weight = values["share of the slope"]
    assert weight == 0.5 or optimised
    expected, slope = plain_theta(y, values["alpha"], values["starting level"], weight)
    assert fitted.fitted_values == pytest.approx(expected[:-1], rel=1e-9)
    forecast = fitted.forecast(5)
    assert forecast.points == pytest.approx(expected[-1] + weight * slope * np.arange(5), rel=1e-9)
    spread = np.sqrt(fitted.variance * (1 + np.arange(5) * values["alpha"] ** 2))
    assert forecast.std_error == pytest.approx(spread, rel=1e-12)

    def total(u):
        w = 1 / (1 + np.exp(-u[2])) if optimised else 0.5
        return np.square(y - plain_theta(y, 1 / (1 + np.exp(-u[0])), u[1], w)[0][:-1]).sum()

    best = min(optimize.minimize(total, start, method="Nelder-Mead").fun for start in ([0, 25, 0], [2, 25, 1]))
    assert np.square(fitted.residuals).sum() <= best * (1 + 1e-6)


def test_theta_takes_out_the_season_that_its_test_finds():
    fitted = fit(Y, "theta")
    assert "multiplicative season was taken out" in fitted.in_words()
    season = fitted.coefficients["value"].iloc[5:].to_numpy()
    adjusted = fit(Y / season[np.arange(96) % 12], "theta season=none")
    assert fitted.forecast(12).points == pytest.approx(adjusted.forecast(12).points * season, rel=1e-9)
    assert fitted.log_likelihood == pytest.approx(
        adjusted.log_likelihood - np.log(season[np.arange(96) % 12]).sum(), rel=1e-9
    )
    noise = fit(100 + np.random.default_rng(1).normal(size=96), "theta")
    assert "No season was taken out" in noise.in_words()
    assert "additive season" in fit(Y - 100, "theta").in_words()
    assert fit(Y - 100, "theta season=multiplicative").reason.startswith("multiplicative errors and seasons need")


def plain_intermittent(y, name, alpha, beta):
    """Croston's, Syntetos and Boylan's and Teunter's recursions, begun by twelve periods or the second demand."""
    first = y[: next(n for n in range(12, y.size + 1) if (y[:n] > 0).sum() > 1)]
    size, chance = first[first > 0].mean(), (first > 0).mean()
    interval, since, fitted = 1 / chance, 1, []
    for value in [*y, 0.0]:
        rate = size * chance if name == "tsb" else size / interval
        fitted.append(rate * (1 - beta / 2) if name == "sba" else rate)
        chance += beta * ((value > 0) - chance)
        if value > 0:
            size += alpha * (value - size)
            interval += beta * (since - interval)
            since = 1
        else:
            since += 1
    return np.array(fitted)


@pytest.mark.parametrize("name", ["croston", "sba", "tsb"])
def test_intermittent_methods_equal_their_recursions(name):
    stated = fit(SPARE, f"{name} alpha=0.2 beta=0.1")
    expected = plain_intermittent(SPARE, name, 0.2, 0.1)
    assert stated.fitted_values == pytest.approx(expected[:-1], rel=1e-12)
    assert stated.forecast(3).points == pytest.approx(np.full(3, expected[-1]), rel=1e-12)
    found = fit(SPARE, name)
    errors = np.square(found.residuals).sum()
    assert found.coefficients["value"].iloc[:2].between(0.05, 0.3).all()
    for alpha in np.linspace(0.05, 0.3, 21):
        for beta in np.linspace(0.05, 0.3, 21):
            assert errors <= 1.0005 * np.square(SPARE - plain_intermittent(SPARE, name, alpha, beta)[:-1]).sum()
    table = stated.coefficients.set_index("name")["value"]
    chance = table["chance of demand"] if name == "tsb" else 1 / table["periods between demands"]
    spread = table["standard deviation of sizes"]
    rng = np.random.default_rng(1)
    sizes = rng.gamma((table["size"] / spread) ** 2, spread**2 / table["size"], size=400_000)
    simulated = np.where(rng.random(400_000) < chance, sizes, 0.0)
    forecast = stated.forecast(1, levels=(80, 95))
    assert forecast.points[0] == pytest.approx(simulated.mean(), rel=0.01)
    assert forecast.std_error[0] == pytest.approx(simulated.std(), rel=0.01)
    shares = [0.1, 0.025, 0.9, 0.975]
    assert bounds(forecast)[:, 0] == pytest.approx(np.quantile(simulated, shares), rel=0.02, abs=1e-12)
    paths = stated.simulate(2, 200_000)
    assert paths.min() == 0 and (paths == 0).mean() == pytest.approx(1 - chance, abs=0.005)
    assert np.quantile(paths, shares) == pytest.approx(np.quantile(simulated, shares), rel=0.02, abs=1e-12)
    assert abs(np.corrcoef(paths.T)[0, 1]) < 0.01


@pytest.mark.parametrize(("name", "most"), [("croston", 0.5), ("sba", 0.45), ("tsb", 0.5)])
def test_intermittent_methods_notice_that_sizes_halved(name, most):
    """With starting values of the whole history a constant of zero fitted best, and errors were 0.49 to 0.56."""
    rng, off = np.random.default_rng(7), []
    for _ in range(60):
        sizes = np.maximum(np.round(rng.lognormal(1.5, 0.6, 48) * np.repeat((1.0, 0.5), (30, 18))), 1)
        y = np.where(rng.random(48) < 0.4, sizes, 0.0)
        off.append(abs(fit(y, name).forecast(1).points[0] / (0.4 * 0.5 * np.exp(1.5 + 0.18)) - 1))
    assert np.mean(off) < most


@pytest.mark.parametrize("name", ["croston", "sba", "tsb"])
def test_intermittent_edges(name):
    nothing = fit(np.zeros(20), name)
    assert nothing.forecast(4).points.tolist() == [0] * 4 and (bounds(nothing.forecast(4)) == 0).all()
    assert "none is expected" in nothing.in_words()
    assert fit([0, 0, 0, 0, 9, 0, 0], name).reason.startswith("too little history")
    assert fit([0, 2, -1, 0, 3], name).reason.startswith("demand below zero")
    faded = np.concatenate((SPARE, np.zeros(40)))
    last = fit(faded, f"{name} alpha=0.2 beta=0.2").forecast(1).points[0]
    assert (last < 1e-3) == (name == "tsb")  # the others wait for a demand that does not come


JOIN = {
    "equal": lambda stack: stack.mean(axis=0),
    "median": lambda stack: np.median(stack, axis=0),
    "trimmed": lambda stack: (stack.sum(axis=0) - stack.max(axis=0) - stack.min(axis=0)) / 2,
    "[4, 3, 2, 1]": lambda stack: np.tensordot([0.4, 0.3, 0.2, 0.1], stack, axes=1),
}


@pytest.mark.parametrize("weights", JOIN)
def test_combinations_join_points_and_mix_laws(weights):
    history = monthly(Y, floor="none")
    together = vx.fit(history, f"combination of=[{', '.join(MEMBERS)}] weights={weights}").forecast(9)
    apart = [vx.fit(history, text).forecast(9) for text in MEMBERS]
    assert together.points == pytest.approx(JOIN[weights](np.array([one.points for one in apart])), rel=1e-12)
    shares = np.array([4, 3, 2, 1]) / 10 if weights.startswith("[") else np.full(4, 0.25)
    # Where ranks choose the point, the members' laws stand around it; otherwise each around its own.
    by_rank = weights in ("median", "trimmed")
    middle = [together.points[2] if by_rank else one.points[2] for one in apart]
    for demand in (100.0, 130.0, 160.0):
        at = [demand - centre + one.points[2] for centre, one in zip(middle, apart, strict=True)]
        mixed = shares @ [one.law(3).cdf(x) for x, one in zip(at, apart, strict=True)]
        assert together.law(3).cdf(demand) == pytest.approx(mixed)
    off = np.array([0.0 if by_rank else 1.0])
    squares = shares @ [one.std_error**2 + off * (one.points - together.points) ** 2 for one in apart]
    assert together.std_error == pytest.approx(np.sqrt(squares), rel=1e-12)


def test_a_combination_says_who_was_left_out():
    fitted = fit(Y - 100, "combination of=[naive, holt-winters season=multiplicative, drift] weights=[1, 5, 1]")
    assert fitted.available and fitted.reason == "remark: members that could not be fitted were left out"
    assert "[holt-winters season=multiplicative] was left out." in fitted.in_words()
    alone = [fit(Y - 100, text).forecast(3).points for text in ("naive", "drift")]
    assert fitted.forecast(3).points == pytest.approx(np.mean(alone, axis=0), rel=1e-12)
    assert not fit([1.0], "combination of=[naive, drift]").available
    lost = fit(Y - 100, "combination of=[naive, holt-winters season=multiplicative] weights=[0, 1]")
    assert lost.reason.startswith("multiplicative errors and seasons need")
