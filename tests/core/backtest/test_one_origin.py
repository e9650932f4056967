"""A single holdout: static beside dynamic forecasts, its audit; failed methods, and methods that cost shared cells."""

import numpy as np
import pytest

import veridex as vx
from conftest import drivers_of, monthly, seasonal_values

LINEUP = ["theta", "arima p=1 D=1 Q=1", "holt-winters season=multiplicative", "seasonal-naive", "trend-season", "naive"]


@pytest.fixture(scope="module")
def held():
    return vx.backtest(monthly(seasonal_values(3)), LINEUP, vx.Holdout(last=12))


@pytest.mark.parametrize("text", LINEUP)
def test_static_forecasts_use_each_actual_and_the_parameters_of_the_origin(held, text):
    table = held.static_dynamic("smoker-01", text)
    one = held["smoker-01"]
    assert table["dynamic"].to_numpy() == pytest.approx(one.points[held.method_index(text), 0])
    assert table["static"].iloc[0] == pytest.approx(table["dynamic"].iloc[0])  # the first step is the same
    y = held.history["smoker-01"].values
    origin = vx.fit(held.history.until(held.history["smoker-01"].periods[-13]), text)
    for k in range(12):  # the fit of the origin, applied to what was known a period before
        shorter = held.history["smoker-01"].first(len(y) - 12 + k + 1)
        assert table["static"].iloc[k] == pytest.approx(origin.apply(shorter).fitted_values[-1], rel=1e-9)
    later = np.array(y)
    later[-4:] *= 3.0
    other = vx.backtest(monthly(later), [text], vx.Holdout(last=12)).static_dynamic("smoker-01", text)
    assert other["static"].iloc[:9].to_numpy() == pytest.approx(table["static"].iloc[:9].to_numpy(), rel=1e-12)
    if text == "naive":
        assert table["static"].tolist() == y[-13:-1].tolist() and set(table["dynamic"]) == {y[-13]}


def test_a_single_holdout_is_audited_by_all_its_steps_in_deviations(held):
    audit = held.audit("smoker-01", "naive")
    y = held.history["smoker-01"].values
    changes, ahead = np.diff(y[:-12]), np.diff(y[-13:])
    spread = np.sqrt((changes**2).sum() / (changes.size - vx.fit(monthly(y[:-12]), "naive").parameters))
    assert audit.n == 12 and audit.scope == "holdout"
    largest = np.argsort(-np.abs(ahead), kind="stable")[:5]
    assert audit.largest["error"].to_numpy() == pytest.approx(ahead[largest])
    size = next(check for check in audit.checks if check.check == "spread as fitted")
    assert size.statistic == pytest.approx(((ahead / spread) ** 2).sum())
    start, errors, standardised = held.holdout_errors("smoker-01", "naive")
    assert standardised and errors == pytest.approx(ahead / spread)
    assert start == held.history["smoker-01"].start + len(y) - 12
    several = vx.backtest(monthly(y), ["naive"], vx.RollingOrigin(horizon=2, origins=9))
    assert not several.holdout_errors("smoker-01", "naive", 2)[2] and several.audit("smoker-01", "naive", 2).n == 9


def test_the_audit_of_a_single_holdout_finds_a_spread_that_the_fit_did_not_know_and_seldom_one_that_it_did():
    found = [0, 0]
    for seed in range(60):
        rng = np.random.default_rng(seed)
        for place, grown in enumerate((1.0, 3.0)):
            y = rng.normal(size=120)
            y[-12:] *= grown
            trial = vx.backtest(vx.History.from_numbers(y, cadence="counted"), ["mean"], vx.Holdout(last=12))
            checks = {one.check: one for one in trial.audit("demand", "mean").checks}
            found[place] += checks["spread as fitted"].failed
    assert found[0] <= 8 and found[1] >= 55  # one in twenty by chance


def test_a_method_with_drivers_has_no_static_forecast_and_says_why():
    rng = np.random.default_rng(0)
    x = rng.normal(size=60)
    history = vx.History.from_numbers(5 + x + rng.normal(size=60), cadence="counted")
    drivers = drivers_of([np.append(x, rng.normal(size=12))])
    trial = vx.backtest(history, ["driver-regression", "naive"], vx.Holdout(last=6), drivers=drivers)
    assert trial.static_dynamic("demand", "driver-regression")["static"].isna().all()
    assert "does not keep drivers" in trial.audit("demand", "driver-regression").reason
    assert trial.static_dynamic("demand", "naive")["static"].notna().all()


def test_a_failed_method_keeps_its_row_with_its_reason():
    values = seasonal_values(2, 40)
    values[3] = -1.0
    trial = vx.backtest(monthly(values), ["theta", "mean transform=log"], vx.RollingOrigin(horizon=2, origins=4))
    lost = "mean transform=log"
    for table in (
        trial.standings(),
        trial.scores(),
        trial.scores(by=["item", "method"]),
        trial.scores(by=["method", "step"]),
        trial.scores(scope="both"),
        trial.models,
    ):
        rows = table[table["method"] == lost]
        assert len(rows) and rows["reason"].str.contains("needs demand above zero").all(), table
        assert (table.loc[table["method"] == "theta", "reason"] == "").all()
    assert trial.scores(by=["method", "step"])["method"].value_counts().nunique() == 1
    assert trial.standings()["method"].iloc[-1] == lost
    models = trial.models.set_index("method")
    assert models.loc["theta", "folds"] == 4 and models.loc["theta", "converged"] == 4


def test_a_benchmark_that_takes_cells_from_the_others_is_named():
    values = seasonal_values(5, 29)
    trial = vx.backtest(monthly(values), ["moving-average window=2"], vx.RollingOrigin(horizon=2, origins=22))
    shared = trial.standings().set_index("method")
    lost = shared.loc["naive", "forecasts"] - shared.loc["naive", "n"]
    note = next(note for note in trial.notes if "ranked on the rest" in note)
    assert note.startswith(f"seasonal-naive has no forecast in {lost} of {shared.loc['naive', 'forecasts']} cells")
    assert [str(one) for one in trial.entered] == ["moving-average window=2"]
    assert [str(one) for one in trial.added] == ["seasonal-naive", "naive"]
    onto = vx.backtest(monthly(values), ["naive"], trial.scheme, onto=trial)
    assert [str(one) for one in onto.added] == ["seasonal-naive"]
    plenty = vx.backtest(monthly(seasonal_values(5)), ["mean"], vx.RollingOrigin(horizon=2, origins=22))
    assert not any("ranked on the rest" in note for note in plenty.notes)
