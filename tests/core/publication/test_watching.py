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
