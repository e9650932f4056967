"""A publication against what came: held against a plain computation; levels, tolerance, and what is missing."""

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from veridex.errors import ParameterError


@pytest.fixture(scope="module")
def two():
    return vx.History.of([monthly(np.round(seasonal_values(i)), item=f"jar-{i}")[f"jar-{i}"] for i in range(2)])


@pytest.fixture(scope="module")
def published(two):
    return vx.publish(two.until("2025-06"), method="theta", horizon=6, levels=(50, 95))


def test_each_actual_is_held_against_its_band(two, published):
    newer = vx.tidy(two, outliers="repair").history  # what came counts as it was read
    found = vx.watch(published, newer, level=50)
    ahead = published.forecasts.set_index(["item", "step"])
    assert len(found.frame) == 2 * 6 and found.frame["step"].tolist() == [1, 2, 3, 4, 5, 6] * 2
    for row in found.frame.to_dict("records"):
        said = ahead.loc[row["item"], row["step"]]
        actual = two[row["item"]].values[89 + row["step"]]
        assert (row["period"], row["actual"], row["forecast"]) == (said["period"], actual, said["value"])
        assert row["error"] == actual - said["value"] and row["percent_error"] == pytest.approx(
            100 * row["error"] / actual
        )
        outside = "above" if actual > said["upper_50"] else "below" if actual < said["lower_50"] else ""
        assert (row["lower"], row["upper"], row["outside"]) == (said["lower_50"], said["upper_50"], outside)
        assert row["alert"] == (outside != "")
    assert (
        f"{len(found.alerts)} of 12 actuals lie outside their 50 % interval; about 6 would by chance."
        in found.in_words()
    )
    assert found.alerts["error"].abs().is_monotonic_decreasing
    assert vx.watch(published, newer).level == 95 and len(vx.watch(published, newer).alerts) <= len(found.alerts)


def test_a_tolerance_stands_in_for_the_band(two, published):
    strict, loose = (vx.watch(published, two, tolerance=percent) for percent in (0.001, 1000))
    assert len(strict.alerts) == 12 and loose.alerts.empty
    assert "12 of 12 actuals are more than 0.001 % off their forecast." in strict.in_words()


def test_what_has_not_come_is_no_alert(two, published):
    nothing = vx.watch(published, two.until("2025-06"))
    assert nothing.frame.empty and nothing.alerts.empty and "No actual has come" in nothing.in_words()
    values = np.array(two["jar-0"].values)
    values[91] = np.nan
    gap = vx.watch(published, monthly(values, item="jar-0"))
    assert gap.missing == ("jar-1",) and gap.frame["step"].tolist() == [1, 3, 4, 5, 6]
    assert "1 items of it are not in this history" in gap.in_words()


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"level": 90}, "the levels that were published are 50, 95"),
        ({"tolerance": 0}, "percent of the forecast, above zero"),
    ],
)
def test_a_watch_that_cannot_be_is_refused(two, published, given, said):
    with pytest.raises(ParameterError, match=said):
        vx.watch(published, two, **given)
    with pytest.raises(ParameterError, match="the publication is monthly"):
        vx.watch(published, two.at_cadence("quarterly"), **{"level": 95})


def test_the_chance_of_what_came_is_that_of_its_law(two, published):
    found = vx.watch(published, two)
    for row in found.frame.to_dict("records"):
        law = published[row["item"]].law(row["step"])
        count = np.sort(law.sample(4_000, seed=3))
        below = (np.searchsorted(count, row["actual"], "left") + np.searchsorted(count, row["actual"], "right")) / 8_000
        assert row["chance"] == pytest.approx(200 * min(below, 1 - below), abs=4)
    strict, loose = (vx.watch(published, two, false_alerts=count) for count in (1e-9, 2.0))
    assert strict.alerts.empty and len(loose.alerts) == len(loose.frame)  # two false alerts among two items are all
    assert "0 of 12 actuals are alerts; chance brings at most 1e-09 a period." in strict.in_words()
    each = vx.watch(published, two, false_alerts=0.5)
    assert each.frame["alert"].tolist() == (each.frame["chance"] < 25.0).tolist()


def test_the_total_so_far_is_held_against_its_own_law(two, published):
    found = vx.watch(published, two)
    for row in found.total.to_dict("records"):
        own = published.totals.query("name == @row['item'] and step == 6").iloc[0]
        came = two[row["item"]].values[90:96].sum()
        assert (row["periods"], row["actual"], row["forecast"]) == (6, came, own["forecast"])
        assert (row["lower"], row["upper"]) == (own["lower_95"], own["upper_95"])
        assert row["chance"] == pytest.approx(published[row["item"]].total_law(6).chance(came))
    values = np.array(two["jar-0"].values)
    values[92] = np.nan
    gap = vx.watch(published, monthly(values, item="jar-0")).total.iloc[0]
    assert gap["periods"] == 2 and gap["actual"] == values[90:92].sum()
    said = found.why("jar-0")
    assert said.startswith("jar-0: ") and "In 6 periods together" in said and "% lie as far out" in said
    with pytest.raises(ParameterError, match="nothing of it has come"):
        found.why("jar-9")
    prices = vx.History.from_numbers(seasonal_values(), start="2018-01", cadence="monthly", item="wax", adds="mean")
    made = vx.publish(prices.until("2025-06"), method="theta", horizon=6)
    assert vx.watch(made, prices).total["actual"].iloc[0] == pytest.approx(prices["wax"].values[90:96].mean())


def test_words_of_a_watch_that_do_not_go_together(two, published):
    for wrong in ({"false_alerts": 0}, {"false_alerts": 1, "tolerance": 10}):
        with pytest.raises(ParameterError, match="in place of a tolerance"):
            vx.watch(published, two, **wrong)


def test_late_and_corrected_figures_are_recognised(two):
    values = np.array(two["jar-0"].values)
    known = values.copy()
    known[80], known[85] = np.nan, 1.0
    made = vx.publish(monthly(known, item="jar-0").until("2025-06"), method="theta", horizon=3)
    withdrawn = values.copy()
    withdrawn[70] = np.nan
    found = vx.watch(made, monthly(withdrawn, item="jar-0"))
    assert found.corrections["what"].tolist() == ["withdrawn", "late", "corrected"]
    assert found.corrections["period"].astype(str).tolist() == ["2023-11-01", "2024-09-01", "2025-02-01"]
    assert (
        found.corrections["now"].tolist()[1:] == [values[80], values[85]]
        and "3 figures that it knew" in found.in_words()
    )
    assert vx.watch(made, monthly(known, item="jar-0")).corrections.empty
