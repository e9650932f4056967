"""Settings tried inside folds: the curve, what tuning really saved, and a method that tunes itself."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, portfolio, reread, seasonal_values

SCHEME = vx.RollingOrigin(horizon=3, origins=10)
WINDOWS = {"window": [2, 4, 6, 12]}


@pytest.fixture(scope="module")
def one():
    return monthly(seasonal_values())["smoker-01"]


@pytest.mark.parametrize("measure", ["mae", "rmse", "mse", "mape", "smape", "wape", "mase", "rmsse"])
def test_the_curve_is_that_of_the_backtest(measure):
    history = portfolio(4)
    tuning = vx.tune(history, "moving-average", WINDOWS, SCHEME, measure=measure)
    trial = vx.backtest(history, [f"moving-average window={w}" for w in WINDOWS["window"]], SCHEME)
    scores = trial.scores(common=True).set_index("method")
    frame = tuning.frame.set_index("method")
    assert frame[measure].to_dict() == pytest.approx({text: scores.loc[text, measure] for text in frame.index})
    assert frame["window"].tolist() == WINDOWS["window"] and frame["n"].nunique() == 1
    by_item = trial.scores(by=["item", "method"], common=True).pivot_table(
        index="item", columns="method", values=measure
    )
    spread = by_item.std(ddof=1) / np.sqrt(4)
    assert frame["std_error"].to_dict() == pytest.approx({text: spread[text] for text in frame.index})
    assert tuning.best == {"window": frame.loc[frame[measure].idxmin(), "window"]}
    assert frame["within"].to_dict() == (frame[measure] <= frame[measure].min() + spread[tuning.best_method]).to_dict()


def test_standard_errors_of_one_item_respect_overlapping_lead_times(one):
    tuning = vx.tune(one, "moving-average", WINDOWS, vx.RollingOrigin(horizon=3, origins=20))
    errors = tuning.trial.errors.assign(size=lambda table: (table["actual"] - table["forecast"]).abs())
    for text, found in tuning.frame.set_index("method")["std_error"].items():
        losses = errors[errors["method"] == text].groupby("origin")["size"].mean().to_numpy()
        n, count = losses.size, 20 // (2 * 3)  # cosine harmonics that overlapping origins allow
        harmonics = [sum((losses[t] - losses.mean()) * np.cos(np.pi * k * (t + 0.5) / n) for t in range(n))
                 for k in range(1, count + 1)]  # fmt: skip
        assert found == pytest.approx(np.sqrt(2 / n * np.mean(np.square(harmonics)) / n))


def test_what_tuning_gained_is_measured_on_what_was_known(one):
    tuning = vx.tune(one, "moving-average", WINDOWS, SCHEME)
    errors = tuning.trial.errors
    errors = errors.assign(size=(errors["actual"] - errors["forecast"]).abs())
    tuned, untuned, hindsight = [], [], []
    for origin in sorted(errors["origin"].unique())[1:]:
        past = errors[errors["period"] <= origin]
        means = past[past["method"].isin(tuning.frame["method"])].groupby("method", sort=False)["size"].mean()
        here = errors[errors["origin"] == origin].set_index("method")["size"]
        tuned += here.loc[means.idxmin()].tolist()
        untuned += here.loc["moving-average window=3"].tolist()
        hindsight += here.loc[tuning.best_method].tolist()
    assert tuning.nested["origins"] == 9
    for name, sizes in (("tuned", tuned), ("untuned", untuned), ("hindsight", hindsight)):
        assert tuning.nested[name] == pytest.approx(np.mean(sizes)), name
    assert tuning.nested["less_error"] == pytest.approx(100 * (1 - np.mean(tuned) / np.mean(untuned)))
    said = tuning.in_words()
    assert f"{tuning.best_method} is best of 4" in said and "which flatters it" in said
    lonely = vx.tune(one, "moving-average", WINDOWS, vx.Holdout(last=6))
    assert "cannot be told" in lonely.in_words() and np.isnan(lonely.nested["less_error"])


def test_the_simplest_within_one_standard_error():
    rng = np.random.default_rng(2)
    flat = monthly(100 + 10 * rng.normal(size=72))
    grid = {"season": ["additive", "none"], "trend": ["damped", "none"]}
    tuning = vx.tune(flat, "smoothing", grid, vx.RollingOrigin(horizon=2, origins=20))
    frame = tuning.frame
    near = frame[frame["within"]]
    assert (
        tuning.simplest_method == near.loc[near["parameters"].idxmin(), "method"] == "smoothing trend=none season=none"
    )
    assert tuning.best == dict(frame.loc[frame["best"], ["season", "trend"]].iloc[0]) and len(frame) == 4
    if tuning.simplest_method != tuning.best_method:
        assert "is the simplest within one standard error" in tuning.in_words()
    steps = vx.tune(flat, "simple-smoothing", {"alpha": np.linspace(0.1, 0.3, 3)}, SCHEME)
    assert steps.frame["alpha"].tolist() == [0.1, 0.2, 0.3] and steps.settings[1] == {"alpha": 0.2}


def test_a_tuned_method_chooses_inside_its_span(one):
    tuned = vx.Tuned("moving-average", WINDOWS, vx.RollingOrigin(horizon=3, origins=5))
    listed = ", ".join(f"moving-average window={w}" for w in WINDOWS["window"])
    assert tuned.text == f"tuned of=[{listed}] horizon=3 origins=5"
    y, losses = one.values, {}
    for w in WINDOWS["window"]:
        sizes = [np.abs(y[stop : stop + 3] - y[stop - w : stop].mean()) for stop in range(y.size - 7, y.size - 2)]
        losses[f"moving-average window={w}"] = np.mean(sizes)
    fitted = vx.fit(one, tuned)
    assert fitted.candidates.set_index("method")["mae"].to_dict() == pytest.approx(losses)
    best = min(losses, key=losses.get)
    plain = vx.fit(one, best)
    assert np.array_equal(fitted.forecast(4).points, plain.forecast(4).points)
    assert np.array_equal(fitted.forecast(4).lower, plain.forecast(4).lower)
    assert f"{best} was chosen" in fitted.in_words() and fitted.equation() == plain.equation()
    again = reread(fitted)
    assert np.array_equal(again.forecast(2).points, fitted.forecast(2).points)
    smooth = vx.fit(one, vx.Tuned("holt-winters season=additive", {"damped": [True, False]}))
    assert len(smooth.coefficients) > 3 and {"level", "slope", "season_12"} <= set(smooth.components.columns)
    assert np.isfinite(smooth.simulate(3, paths=4)).all() and smooth.parameters > 14
    nothing = vx.fit(monthly([1.0]), tuned)
    assert not nothing.available and "too little history" in nothing.reason


def test_a_tuned_method_competes_and_sees_no_future(one):
    tuned = vx.Tuned("moving-average", WINDOWS, vx.RollingOrigin(horizon=2, origins=4), measure="rmse")
    scheme = vx.RollingOrigin(horizon=3, origins=8)
    trial = vx.backtest(one, [tuned, "naive"], scheme, engine="processes")
    later = np.array(one.values)
    later[-5:] *= 3.0
    other = vx.backtest(monthly(later), [tuned, "naive"], scheme)
    before = trial.arrays.origins[0] < one.start + len(one) - 5
    m = trial.method_index(tuned.text)
    assert before.sum() > 2
    assert trial.arrays.points[0, m][before].tobytes() == other.arrays.points[0, m][before].tobytes()
    forms = trial.folds.query("method == @tuned.text")["form"]
    assert forms.str.startswith("moving-average window=").all()
    driven = vx.Tuned("trend-season", {"base": [1, 2]})
    fairs = vx.Events.from_frame(pd.DataFrame({"name": "fair", "first": ["2019-05-02", "2021-06-03"]}))
    assert driven.family.takes_drivers and vx.fit(one, driven, events=fairs).available


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda y: vx.tune(y, "moving-average", {}, SCHEME), "name settings with the values"),
        (lambda y: vx.tune(y, "moving-average", {"window": 3}, SCHEME), "name settings with the values"),
        (lambda y: vx.tune(y, "moving-average", {"window": [3]}, SCHEME), "two different values"),
        (lambda y: vx.tune(y, "moving-average window=2", WINDOWS, SCHEME), "states window already"),
        (lambda y: vx.tune(y, "moving-average", WINDOWS, SCHEME, measure="mpe"), "there are mae"),
        (lambda y: vx.tune(y, "moving-average", WINDOWS), "say how to test"),
        (lambda y: vx.tune(y, "moving-average", {"length": [2, 3]}, SCHEME), "unknown setting 'length'"),
        (lambda y: vx.fit(y, "tuned of=[naive, naive]"), "stands in of= twice"),
        (lambda y: vx.fit(y, "tuned of=[naive, linear-trend drivers=[a]]"), "tuned hands over all of them"),
        (lambda y: vx.fit(y, "tuned"), "state its members, as in"),
        (
            lambda y: vx.Tuned("theta", {"transform": ["none", "log"]}, vx.RollingOrigin(horizon=2, gap=1)),
            "a horizon, a number of origins",
        ),
    ],
)
def test_wrong_calls_are_refused(one, call, said):
    with pytest.raises(vx.VeridexError, match=said):
        call(one)
