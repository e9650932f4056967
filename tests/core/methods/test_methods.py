"""Methods through their public face, against hand formulas, published estimates and each other."""

import json

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

import veridex as vx
from conftest import DRIVEN, METHODS, monthly, reread, seasonal_values
from reference import slow_smoothing
from veridex.core.methods.catalogue import FAMILIES, method
from veridex.core.methods.grammar import Spelled, parse, split_lineup, written
from veridex.exchange.forms.fitted import _seal

Y = seasonal_values()


def fit(values, text, floor=None):
    return vx.fit(monthly(values, floor=floor), text)


def hand_forecast(text, y, m=12):
    """Points and standard errors of the naive family at lead times 1 to 14, written out."""
    h, n = np.arange(1, 15), len(y)
    if text == "mean":
        return np.full(14, y.mean()), np.full(14, y.std(ddof=1) * np.sqrt(1 + 1 / n))
    if text == "naive":
        return np.full(14, y[-1]), np.sqrt(np.mean(np.diff(y) ** 2) * h)
    if text == "seasonal-naive":
        sigma = np.sqrt(np.mean((y[m:] - y[:-m]) ** 2))
        return np.array([y[n - m + (k - 1) % m] for k in h]), sigma * np.sqrt((h - 1) // m + 1)
    slope = (y[-1] - y[0]) / (n - 1)
    sigma = np.sqrt(((np.diff(y) - slope) ** 2).sum() / (n - 2))
    return y[-1] + h * slope, sigma * np.sqrt(h * (1 + h / (n - 1)))


@pytest.mark.parametrize("text", ["mean", "naive", "seasonal-naive", "drift"])
def test_naive_family_equals_hand_formulas(text):
    points, std_error = hand_forecast(text, Y)
    frame = fit(Y, text, "none").forecast(14, levels=(80, 97.5)).frame
    assert frame["forecast"].to_numpy() == pytest.approx(points, rel=1e-12)
    assert frame["std_error"].to_numpy() == pytest.approx(std_error, rel=1e-12)
    quantile = stats.t(95).ppf(0.9875) if text == "mean" else stats.norm.ppf(0.9875)
    assert (frame["upper_97_5"] - frame["forecast"]).to_numpy() == pytest.approx(quantile * std_error, rel=1e-10)
    assert frame.columns.tolist() == [
        *("period", "step", "lower_97_5", "lower_80", "forecast", "upper_80", "upper_97_5", "std_error", "reason")
    ]  # fmt: skip


def test_trend_dummies_equals_ordinary_least_squares():
    t = np.arange(96 + 14)
    design = np.column_stack([np.ones(110), t + 1, *[(t % 12 == j).astype(float) for j in range(1, 12)]])
    x, new = design[:96], design[96:]
    solution = np.linalg.lstsq(x, Y, rcond=None)[0]
    rest = Y - x @ solution
    variance = rest @ rest / 83
    inverse = np.linalg.inv(x.T @ x)
    std_error = np.sqrt(variance * (1 + np.einsum("ij,jk,ik->i", new, inverse, new)))
    fitted = fit(Y, "trend-season", "none")
    frame = fitted.forecast(14, levels=90).frame
    assert frame["forecast"].to_numpy() == pytest.approx(new @ solution, rel=1e-10)
    assert frame["std_error"].to_numpy() == pytest.approx(std_error, rel=1e-10)
    assert (frame["upper_90"] - frame["forecast"]).to_numpy() == pytest.approx(
        stats.t(83).ppf(0.95) * std_error, rel=1e-8
    )
    table = fitted.coefficients
    assert table["value"].to_numpy() == pytest.approx(solution, rel=1e-9)
    assert table["std_error"].to_numpy() == pytest.approx(np.sqrt(variance * np.diag(inverse)), rel=1e-9)
    assert table["p_value"].to_numpy() == pytest.approx(2 * stats.t(83).sf(np.abs(table["ratio"])), rel=1e-8)
    assert table["name"][2] == "February (against January)"
    assert fitted.residuals == pytest.approx(rest, abs=1e-9)
    assert fitted.log_likelihood == pytest.approx(stats.norm(0, np.sqrt(rest @ rest / 96)).logpdf(rest).sum())


@pytest.mark.parametrize("kind", ["additive", "multiplicative"])
def test_stated_constants_are_kept(kind):
    fitted = fit(Y, f"holt-winters season={kind} alpha=0.3 beta=0.1 gamma=0.2 damped=yes phi=0.9")
    table = fitted.coefficients.set_index("name")
    assert table["value"][["alpha", "beta", "gamma", "phi"]].tolist() == [0.3, 0.1, 0.2, 0.9]
    assert table["std_error"][["alpha", "beta", "gamma", "phi"]].isna().all()
    start = [table["value"][name] for name in ("starting level", "starting slope")]
    season = table["value"].filter(like="start ").drop(["starting level", "starting slope"], errors="ignore")
    expected = slow_smoothing(Y, 0.3, 0.1, 0.2, 0.9, *start, season.to_numpy(), kind)
    assert fitted.fitted_values == pytest.approx(expected[0], rel=1e-10)
    errors = Y - expected[0] if kind == "additive" else (Y - expected[0]) / expected[0]
    logs = 0.0 if kind == "additive" else np.log(expected[0]).sum()
    total = np.square(errors).sum()
    assert fitted.log_likelihood == pytest.approx(-48 * (np.log(2 * np.pi * total / 96) + 1) - logs, rel=1e-10)
    assert fitted.variance == pytest.approx(total / (96 - 13), rel=1e-10)  # 2 starts and 11 free seasons


def test_information_criteria():
    fitted = fit(Y, "arima p=1 d=1 q=1")
    k, n, likelihood = 3, 95, fitted.log_likelihood
    assert fitted.aic == pytest.approx(-2 * likelihood + 2 * k)
    assert fitted.aicc == pytest.approx(fitted.aic + 2 * k * (k + 1) / (n - k - 1))
    assert fitted.bic == pytest.approx(-2 * likelihood + k * np.log(n))


@pytest.mark.parametrize("text", METHODS)
def test_every_method_round_trips_applies_and_speaks(text):
    fitted = fit(Y[:90], text)
    again = reread(fitted)
    pd.testing.assert_frame_equal(again.forecast(5).frame, fitted.forecast(5).frame, check_exact=True)
    pd.testing.assert_frame_equal(again.coefficients, fitted.coefficients, check_exact=True)
    assert fitted.in_words().endswith(".") and "nan" not in fitted.in_words()
    # Applied to one period more, the forecast one ahead has become the fitted value of that period.
    newer = fitted.apply(monthly(Y).since("2024-06"))
    assert newer.applied and np.isnan(newer.aic) and len(newer.series) == 96
    if text != "bending-trend":  # whose fitted values know what came after
        assert newer.fitted_values[90] == pytest.approx(fitted.forecast(1).points[0], rel=1e-9)
    assert np.array_equal(newer.row, fitted.row)
    short = fit([3.0], text)
    assert not short.available and short.reason in short.in_words()
    assert np.isnan(short.forecast(3).points).all() and short.forecast(3).frame["reason"].ne("").all()
    assert not short.candidates.get("remark", pd.Series(dtype=str)).eq("").any() and short.next_steps == ()
    assert short.equation() == "" and short.components["fitted"].isna().all()


@pytest.mark.parametrize("text", METHODS)
def test_a_history_refitted_after_applying_nothing_new_is_the_same(text):
    fitted = fit(Y, text)
    assert fitted.apply(monthly(Y)).forecast(4).points == pytest.approx(fitted.forecast(4).points, rel=1e-12)
    with pytest.raises(vx.VeridexError, match="does not join up"):
        fitted.apply(monthly([1.0, 2.0], start="2030-01"))
    with pytest.raises(vx.VeridexError, match="was fitted to 'smoker-01'"):
        fitted.apply(monthly(Y, item="jar"))


EQUIVARIANT = ["mean", "naive", "seasonal-naive", "drift", "trend-season", "simple-smoothing", "arima p=0 d=1 q=1"]
EQUIVARIANT += ["holt", "smoothing season=none", "theta", "croston", "tsb", "combination of=[theta, sba] weights=equal"]


@settings(max_examples=25)
@given(st.sampled_from(EQUIVARIANT), st.floats(0.01, 1000))
def test_forecasts_follow_the_unit_of_demand(text, factor):
    base, scaled = fit(Y, text).forecast(6), fit(factor * Y, text).forecast(6)
    assert scaled.points / factor == pytest.approx(base.points, rel=2e-4)
    assert scaled.std_error / factor == pytest.approx(base.std_error, rel=2e-4)


UNKNOWN = st.sets(st.integers(1, 94), max_size=20)


@settings(max_examples=25)
@given(st.sampled_from(METHODS), UNKNOWN)
def test_unknown_periods_are_skipped_or_refused(text, gaps):
    y = Y.copy()
    y[list(gaps)] = np.nan
    fitted = fit(y, text)
    forecast = fitted.forecast(3)
    assert np.isfinite(forecast.points).all() == fitted.available
    if not fitted.available:
        assert fitted.reason and (gaps or fitted.available)
    elif text != "arima":  # other orders may be found without them
        assert forecast.points == pytest.approx(fit(Y, text).forecast(3).points, rel=0.25)


def test_gaps_in_a_random_walk_count_with_their_length():
    fitted = fit([10, np.nan, 14, 15, np.nan], "naive")
    assert fitted.variance == pytest.approx((4**2 / 2 + 1) / 2)
    assert fitted.forecast(2).std_error == pytest.approx(np.sqrt(fitted.variance * np.array([2, 3])))
    seasonal = vx.fit(vx.History.from_numbers([1, 2, 4, np.nan, 5, 6], cadence="counted", seasons=2), "seasonal-naive")
    assert seasonal.forecast(2).points.tolist() == [5, 6]


HARD = st.lists(
    st.one_of(st.just(0.0), st.floats(-1e12, 1e12), st.floats(-1e-12, 1e-12), st.floats(1e150, 1.7e308), st.none()),
    min_size=0,
    max_size=40,
)


@settings(max_examples=120)
@given(st.sampled_from(METHODS), HARD, st.sampled_from([1, 2, 4, 12]))
def test_any_history_ends_in_numbers_or_a_reason(text, numbers, season_length):
    history = vx.History.from_numbers([*numbers, None], cadence="counted", seasons=season_length)
    fitted = vx.fit(history, text)
    forecast = fitted.forecast(5)
    if fitted.available:
        assert np.isfinite(forecast.points).all()
        assert (forecast.std_error >= 0).all()
        assert fitted.in_words()
    else:
        assert np.isnan(forecast.points).all() and fitted.reason
    assert reread(fitted).reason == fitted.reason


@pytest.mark.parametrize("text", METHODS)
def test_constant_demand(text):
    fitted = fit([7.0] * 60, text)
    if fitted.available:
        assert fitted.forecast(2).points == pytest.approx([7, 7])
    else:
        assert fitted.reason == "nothing varies: the likelihood of a constant history has no maximum"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("holt-winter", "Did you mean 'holt-winters'?"),
        ("holt-winters season=addtive", "season must be additive or multiplicative, got 'addtive'"),
        ("holt-winters alpha=1.5", "alpha must be a number from 0 to 1, got 1.5"),
        ("holt-winters alpha=0.5 gamma=0.7", "gamma may be at most 1 - alpha = 0.5, got 0.7"),
        ("holt-winters phi=0.9", "phi damps the trend; add damped=yes"),
        ("arima p=1.5", "p must be a whole number from 0 to 400"),
        ("arima p=1 p=2", "p is given twice"),
        ("arima p=1 seasonal", "cannot read 'seasonal'; settings are written key=value"),
        ("naive window=3", "unknown setting 'window': there are drivers, events, transform, power"),
    ],
)
def test_wrong_methods_are_refused(text, words):
    with pytest.raises(vx.VeridexError) as caught:
        fit(Y, text)
    assert words in str(caught.value)


WORDS = st.text("abcxyz", min_size=1, max_size=4).filter(lambda word: word not in ("yes", "no"))
VALUES = st.one_of(st.booleans(), st.integers(-9, 9), st.floats(0.001, 0.999), WORDS)


@given(WORDS, st.dictionaries(WORDS, st.one_of(VALUES, st.lists(VALUES, max_size=3)), max_size=4))
def test_grammar_reads_what_it_writes(name, values):
    text = written(name, values.items())
    assert parse(text) == Spelled(name, values)
    assert split_lineup(f"naive, {text}") == ["naive", text]
    nested = parse(f"x of=[y of=[{text}, z] k=[1, 2], {text}]")
    assert nested.settings["of"][-1] == (Spelled(name, values) if values else name)
    assert parse(written("x", nested.settings.items())) == nested


def test_catalogue_is_complete():
    listed = {text.split()[0] for text in METHODS + DRIVEN}
    assert listed | {"group-season"} == {family.name for family in FAMILIES}  # which needs neighbours
    assert method("naive") == method(" naive ") and method("naive") != method("mean")
    for family in FAMILIES:
        assert family.__doc__ and "tandard error" in family.__doc__


@pytest.mark.parametrize(
    ("levels", "words"), [((0,), "between 0 and 100"), ((0.8,), "did you mean 80"), ((100,), "between")]
)
def test_levels_are_percent(levels, words):
    with pytest.raises(vx.VeridexError, match=words):
        fit(Y, "naive").forecast(2, levels=levels)


def test_fitted_from_other_text_is_refused(tmp_path):
    path = vx.write(fit(Y, "arima p=1 d=1 q=1"), tmp_path / "model.json")
    held = json.loads(path.read_text())
    changed = json.dumps(held | {"parameters": [9.0, *held["parameters"][1:]]})
    bare = {key: value for key, value in held.items() if key != "seal"}
    forged = bare | {"parameters": [9.0, *held["parameters"][1:]]}
    sealed = json.dumps(forged | {"seal": _seal(forged)})
    for text in ("{}", "no json", '{"format": "other"}', "[]", changed, sealed, path.read_text()[:-40]):
        path.write_text(text)
        with pytest.raises(vx.errors.FittedUnreadable, match=r"model\.json"):
            vx.read_fitted(path)
