"""Drivers and events in methods, backtests and publications: what they do, what they lack, what if they change."""

import json

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import counted, drivers_of, monthly, reread, seasonal_values

Y = seasonal_values()
N = len(Y)


def test_drivers_that_cannot_serve_are_named():
    rng = np.random.default_rng(4)
    a = rng.normal(size=60).cumsum()
    y = counted(2 * a + rng.normal(size=60))
    twice = vx.fit(y, "driver-regression keep=all", drivers=drivers_of([a, rng.normal(size=60), 3 * a - 1]))
    assert twice.reason.startswith("columns explain each other exactly") and twice.reason.endswith("(intercept, a, c)")
    broken = a.copy()
    broken[30] = np.nan
    assert "(a in 31)" in vx.fit(y, "linear-trend", drivers=drivers_of([broken])).reason
    assert "none were passed" in vx.fit(y, "driver-regression").reason
    # No value after the end: known ahead is refused by name and period, a method without drivers by its name.
    with pytest.raises(vx.VeridexError, match="'a': it has no value for 61"):
        vx.fit(y, "linear-trend", drivers=drivers_of([a])).forecast(3)
    with pytest.raises(vx.VeridexError, match="naive forecasts from demand alone"):
        vx.fit(y, "naive", drivers=drivers_of([a]))
    with pytest.raises(vx.VeridexError, match="asks for drivers by name; combination hands over all"):
        vx.fit(y, "combination of=[naive, linear-trend drivers=[a]]")
    said = vx.compare_fits(y, ["naive", "linear-trend"], drivers=drivers_of([a])).in_words()
    assert "These methods forecast from demand alone: naive." in said
    with pytest.raises(vx.VeridexError, match="there are a, with lags"):
        vx.fit(y, "linear-trend drivers=[price]", drivers=drivers_of([a]))
    with pytest.raises(vx.VeridexError, match="asks for these"):
        vx.fit(y, "linear-trend drivers=[price]")
    assert "too little history" in vx.fit(counted([None, None]), "linear-trend", drivers=drivers_of([a])).reason
    late = vx.fit(y, "linear-trend drivers=[a@2]", drivers=drivers_of([a]))
    assert late.n == 58 and "first 2 periods are left out" in late.notes[0]
    assert late.forecast(2).reason == ""


def test_observed_drivers_are_forecast_and_their_doubt_widens_the_interval():
    rng = np.random.default_rng(5)
    a = 20 + rng.normal(size=90).cumsum()
    y = counted(3 * a[:80] + rng.normal(size=80))
    known = vx.fit(y, "driver-regression keep=all", drivers=drivers_of([a]))
    seen = vx.Drivers.from_frame(pd.DataFrame({"period": np.arange(1, 91), "a": a}), cadence="counted")
    observed = vx.fit(y, "driver-regression keep=all", drivers=seen)
    ahead = vx.fit(vx.History.from_numbers(a[:80], cadence="counted"), "smoothing").forecast(6)
    slope = observed.coefficients["value"][1]
    forecast = observed.forecast(6)
    assert forecast.points == pytest.approx(observed.coefficients["value"][0] + slope * ahead.points)
    wanted = np.sqrt(known.forecast(6).std_error ** 2 + (slope * ahead.std_error) ** 2)
    assert (
        forecast.std_error == pytest.approx(wanted, rel=0.01)
        and (forecast.std_error > known.forecast(6).std_error).all()
    )
    longer = observed.forecast(60)  # says the same of the first lead times
    assert longer.std_error[:6].tolist() == forecast.std_error.tolist() and np.isfinite(longer.std_error).all()
    perfect = vx.fit(y, "driver-regression keep=all", drivers=seen, foresight="perfect").forecast(6)
    assert perfect.points == pytest.approx(known.forecast(6).points) and "perfect foresight" in perfect.reason
    again = reread(observed)
    assert (again.forecast(6).points == forecast.points).all() and (again.forecast(6).upper == forecast.upper).all()


def test_backtests_know_no_more_than_the_origin_did():
    rng = np.random.default_rng(6)
    a = 20 + rng.normal(size=80).cumsum()
    history = counted(3 * a + rng.normal(size=80))
    lineup = ["linear-trend drivers=[a]", "arima p=1", "bending-trend", "naive"]
    scheme = vx.RollingOrigin(horizon=3, origins=4)

    def run(values, foresight="none"):
        frame = pd.DataFrame({"period": np.arange(1, 81), "a": values})
        drivers = vx.Drivers.from_frame(frame, cadence="counted")
        return vx.backtest(history, lineup, scheme, drivers=drivers, foresight=foresight)

    trial, changed = run(a), a.copy()
    changed[77:] += 50
    other = run(changed)
    first = trial.errors["origin"] == 74
    columns = ["forecast", "std_error", "lower_80", "upper_95"]
    assert (trial.errors.loc[first, columns] == other.errors.loc[first, columns]).all(axis=None)
    perfect = run(a, "perfect")
    own = perfect.errors["method"] == lineup[0]
    assert perfect.errors.loc[own, "forecast"].sub(trial.errors.loc[own, "forecast"]).abs().min() > 0
    for table in (perfect.errors, perfect.scores(), perfect.standings()):
        assert (table["foresight"] == "perfect").all()
    assert "foresight" not in trial.errors and "perfect foresight" in " ".join(perfect.notes)
    assert any("forecast at each origin by smoothing" in note for note in trial.notes)
    assert any(note.endswith("demand alone: naive.") for note in trial.notes)
    # A fold of the backtest is what a fit of that span gives.
    frame = pd.DataFrame({"period": np.arange(1, 81), "a": a})
    alone = vx.fit(history.first(74), lineup[0], drivers=vx.Drivers.from_frame(frame, cadence="counted")).forecast(3)
    fold = trial.errors[first & (trial.errors["method"] == lineup[0])]
    assert fold["forecast"].to_numpy() == pytest.approx(alone.points) and fold["std_error"].to_numpy() == pytest.approx(
        alone.std_error
    )


def events_of(months):
    return vx.Events.from_frame(pd.DataFrame({"name": "fair", "first": [f"{m}-01" for m in months], "last": [
        str(pd.Period(m).end_time.date()) for m in months
    ]}))  # fmt: skip


@pytest.mark.parametrize("text", ["trend-season", "bending-trend", "arima p=1 D=1", "harmonic"])
def test_events_add_what_they_did(text):
    rng = np.random.default_rng(7)
    fairs = ["2018-05", "2019-09", "2021-03", "2022-11", "2024-02"]
    y = 100 + 10 * np.sin(2 * np.pi * np.arange(96) / 12) + rng.normal(size=96)
    ordinals = [12 * (int(m[:4]) - 2018) + int(m[5:]) - 1 for m in fairs]
    y[ordinals] += 40
    fitted = vx.fit(monthly(y), text, events=events_of([*fairs, "2026-04"]))
    effect = fitted.coefficients.set_index("name").loc["fair"]
    assert effect["value"] == pytest.approx(40, abs=3) and effect["p_value"] < 1e-6
    without = vx.fit(monthly(y), f"{text} events=none", events=events_of([*fairs, "2026-04"]))
    assert fitted.forecast(4).points[3] - without.forecast(4).points[3] > 30
    assert fitted.contributions(4)["fair"].to_numpy()[[*ordinals, 99]] == pytest.approx(effect["value"])
    assert "a period full of fair adds" in fitted.in_words().lower() and "fair[t]" in fitted.equation()
    same = vx.fit(monthly(y), text, events=events_of([f"{year}-05" for year in range(2018, 2026)]))
    if text == "trend-season":
        assert same.available and "the effect of fair cannot be told apart" in same.in_words().lower()
    once = vx.fit(monthly(y), text, events=events_of(["2020-01"]))
    assert "cannot be told apart" in once.in_words()


@pytest.mark.parametrize("kind", ["step", "pulse", "ramp"])
def test_interventions_at_named_dates(kind):
    rng = np.random.default_rng(11)
    since = np.arange(96) - 60
    added = {"step": since >= 0, "pulse": since == 0, "ramp": np.maximum(since + 1, 0)}[kind]
    y = 100 + 8.0 * added + np.convolve(rng.normal(size=97), [1, 0.5])[1:97]
    fitted = vx.fit(monthly(y), f"arima q=1 drivers=[{kind}(2023-01)]")
    effect = fitted.coefficients.set_index("name").loc[f"{kind}(2023-01)", "value"]
    assert effect == pytest.approx(8, abs=2) and f"{kind}(2023-01) adds" in fitted.in_words().lower()
    mean = fitted.coefficients.set_index("name").loc["mean", "value"]
    ahead = {"step": 1, "pulse": 0, "ramp": 41}[kind]
    assert fitted.forecast(5).points[4] == pytest.approx(mean + effect * ahead)
    again = reread(fitted)
    assert (again.forecast(5).points == fitted.forecast(5).points).all()
    trial = vx.backtest(monthly(y), [fitted.method], vx.RollingOrigin(horizon=2, origins=40))
    assert (trial.errors["reason"] == "").all()
    with pytest.raises(vx.VeridexError):
        vx.fit(monthly(y), "arima q=1 drivers=[step(someday)]")


@pytest.mark.parametrize("text", ["linear-trend", "bending-trend", "arima p=1 d=1"])
def test_scenarios_move_the_forecast_by_the_effect(text):
    rng = np.random.default_rng(10)
    price = 10 + rng.normal(size=108).cumsum() * 0.2
    y = 200 - 8 * price[:96] + rng.normal(size=96)
    frame = pd.DataFrame({"month": pd.date_range("2018-01-01", periods=108, freq="MS"), "price": price})
    drivers = vx.Drivers.from_frame(frame, period="month", cadence="monthly", known_ahead=["price"])
    dearer = drivers.scenario("price +5 % from March", {"price": "+5%"}, since="2026-03")
    fitted = vx.fit(monthly(y), text, drivers=drivers)
    effect = fitted.coefficients.set_index("name")["value"]["price"]
    moved = fitted.forecast(6, drivers=dearer).points - fitted.forecast(6).points
    assert moved[:2] == pytest.approx([0, 0], abs=1e-9)
    assert moved[2:] == pytest.approx(0.05 * effect * price[98:102], rel=1e-6)
    flat = drivers.scenario("flat", {"price": 10.0}, since="2026-01")
    publication = vx.publish(monthly(y), method=text, horizon=4, drivers=drivers, scenarios=[dearer, flat])
    frame = publication.forecasts
    assert frame["scenario"].tolist() == [""] * 4 + ["price +5 % from March"] * 4 + ["flat"] * 4
    assert frame["value"].to_numpy()[4:8] == pytest.approx(fitted.forecast(4, drivers=dearer).points)
    assert publication.manifest["drivers"]["scenarios"] == ["price +5 % from March", "flat"]
    assert json.dumps(publication.manifest)
    with pytest.raises(vx.VeridexError, match="write a number"):
        drivers.scenario("x", {"price": "dearer"}, since="2026-01")


HOSTILE = {
    "constant": np.full(60, 5.0),
    "zeros": np.zeros(60),
    "line": np.arange(60.0),
    "huge": 1e12 * np.random.default_rng(0).random(60),
    "tiny": 1e-12 * np.random.default_rng(1).random(60),
    "six": np.random.default_rng(2).random(6),
    "two": np.array([1.0, 2.0]),
    "gappy": np.where(np.random.default_rng(3).random(60) < 0.4, np.nan, np.random.default_rng(4).random(60)),
    "negative": -np.random.default_rng(5).random(60),
    "two-valued": np.random.default_rng(6).integers(0, 2, 60) * 1.0,
}
TEXTS = [
    "linear-trend errors=autocorrelated",
    "poly-trend degree=6",
    "trend-season",
    "harmonic seasons=[5.5, 30]",
    "driver-regression",
    "driver-regression keep=all intercept=none",
    "bending-trend",
    "bending-trend transform=box-cox",
    "linear-trend transform=log",
    "arima p=1 likelihood=conditional",
    "arima transform=box-cox season=none",
]


@pytest.mark.parametrize("name", HOSTILE)
@pytest.mark.parametrize("driven", [False, True])
def test_every_method_ends_in_numbers_or_a_reason(name, driven):
    rng = np.random.default_rng(12)
    frame = pd.DataFrame(rng.normal(size=(84, 2)).cumsum(axis=0), columns=["a", "b"])
    frame["month"] = pd.date_range("2018-01-01", periods=84, freq="MS")
    drivers = vx.Drivers.from_frame(frame, period="month", cadence="monthly", known_ahead=["a"]) if driven else None
    for text in TEXTS:
        fitted = vx.fit(monthly(HOSTILE[name]), text, drivers=drivers)
        forecast = fitted.forecast(5)
        assert np.isfinite(forecast.points).all() or forecast.reason, text
        assert np.isfinite(forecast.std_error).all() == np.isfinite(forecast.points).all(), text
        assert fitted.in_words() and (fitted.equation() or not fitted.available), text
        assert np.isfinite(fitted.simulate(3, 10)).all() == fitted.available, text
        for table in (
            fitted.coefficients,
            fitted.candidates,
            fitted.contributions(3),
            fitted.audit().table,
            fitted.roots,
        ):
            assert isinstance(table, pd.DataFrame)
        again = reread(fitted).forecast(5)
        assert np.array_equal(again.points, forecast.points, equal_nan=True), text


def test_an_observed_driver_may_come_late_but_has_no_gaps():
    rng = np.random.default_rng(13)
    a = 20 + rng.normal(size=60).cumsum()
    y = counted(2 * a + rng.normal(size=60))
    late = pd.DataFrame({"period": np.arange(1, 59), "a": a[:58]})
    fitted = vx.fit(y, "linear-trend", drivers=vx.Drivers.from_frame(late, cadence="counted"))
    assert fitted.available and fitted.n == 60 and "a is not recorded up to the end yet" in fitted.notes[0]
    assert fitted.forecast(3).reason == ""
    later = vx.fit(y, "linear-trend", drivers=vx.Drivers.from_frame(late[:50], cadence="counted"))
    assert later.reason.startswith("a driver has no value in a period that is needed (a in 51)")
    weekly = vx.Drivers.from_frame(
        pd.DataFrame({"period": ["2024-01-01", "2024-01-08"], "a": [1.0, 2]}), cadence="weekly"
    )
    with pytest.raises(vx.VeridexError, match="bring them to it with"):
        vx.fit(monthly(np.arange(30.0)), "linear-trend", drivers=weekly)
    known = drivers_of([np.r_[a, a[:9]], rng.normal(size=69)])
    fitted = vx.fit(y, "arima p=1", drivers=known)
    with pytest.raises(vx.VeridexError, match="was fitted with a, b"):
        fitted.forecast(3, drivers=known.chosen(["a"]))
    for wrong, message in (({"x": 1.0}, "the drivers are a, b"), ({"a": "double"}, "write a number")):
        with pytest.raises(vx.VeridexError, match=message):
            known.scenario("other", wrong, since=61)
    with pytest.raises(vx.VeridexError, match="add its future values"):
        known.scenario("other", {"a": 1.0}, since=80)
    with pytest.raises(vx.VeridexError, match="name the scenario"):
        known.scenario("", {"a": 1.0}, since=61)


def test_a_reading_that_outweighs_all_others_is_named():
    rng = np.random.default_rng(3)
    a, promo = 20 + 8 * rng.normal(size=60), (np.arange(60) == 30) * 1.0
    y = counted(100 + 3 * a + 40 * promo + rng.normal(size=60))
    clean = vx.fit(y, "driver-regression keep=all", drivers=drivers_of([a, promo]))
    assert clean.notes == ()  # one promotion is no freak
    wrong = a.copy()
    wrong[20] = 400.0
    bent = vx.fit(y, "driver-regression keep=all", drivers=drivers_of([wrong, promo]))
    assert abs(bent.coefficients["value"][1]) < 0.5 * clean.coefficients["value"][1]
    assert bent.notes[0].startswith("a has a reading of 400 in 21 that weighs more than all its others together")
    trial = vx.backtest(
        y, ["driver-regression"], vx.RollingOrigin(horizon=2, origins=2), drivers=drivers_of([wrong, promo])
    )
    assert bent.notes[0] in trial.notes


def test_a_dated_step_may_be_all_that_demand_does():
    t = np.arange(40)
    fitted = vx.fit(counted(100 + 20.0 * (t >= 19) + (t % 2)), "linear-trend drivers=[step(20)]")
    assert fitted.available
    exact = vx.fit(counted(100 + 20.0 * (t >= 19)), "linear-trend drivers=[step(20)]")
    assert exact.coefficients.set_index("name").loc["step(20)", "value"] == pytest.approx(20.0)


def test_arima_can_leave_irrelevant_drivers_out():
    rng = np.random.default_rng(12)
    right, wrong, fourth = rng.normal(size=(3, 92))
    y = counted(20 + 4 * right[:80] + np.convolve(rng.normal(size=81), [1, 0.5], mode="valid"))
    drivers = drivers_of([right, wrong, fourth])
    all_of_them = vx.fit(y, "arima q=1", drivers=drivers)
    chosen = vx.fit(y, "arima q=1 keep=chosen", drivers=drivers)
    values = chosen.coefficients.set_index("name")["value"]
    assert not {"b", "c"} & set(values.index) and values["a"] == pytest.approx(4, abs=0.4)
    assert "left out, since they explain too little: b, c" in chosen.in_words()
    assert (all_of_them.coefficients.set_index("name")["value"][["b", "c"]] != 0).all()
    alone = vx.fit(y, "arima q=1 drivers=[a]", drivers=drivers)
    assert chosen.forecast(6).points == pytest.approx(alone.forecast(6).points, rel=1e-6)
    assert chosen.log_likelihood == pytest.approx(alone.log_likelihood, abs=1e-6)
    assert "b" not in vx.fit(y, "arima keep=chosen", drivers=drivers).coefficients["name"].to_list()
