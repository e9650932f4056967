"""Averages by hand."""

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, seasonal_values


def fit(values, text):
    return vx.fit(monthly(values), text)


def test_averages_by_hand():
    """Flat at the last average; the standard error from psi weights of the autoregression, multiplied out by hand."""
    y = [10.0, 12, None, 17, 11, 14, 20]
    fitted = vx.fit(monthly(y), "moving-average window=3")
    known = np.array([10.0, 12, 17, 11, 14, 20])
    errors = known[3:] - [known[i : i + 3].mean() for i in range(3)]
    assert fitted.variance == pytest.approx(np.mean(errors**2))
    assert np.array_equal(np.isnan(fitted.fitted_values), [True] * 4 + [False] * 3)
    assert fitted.fitted_values[4:] == pytest.approx([known[i : i + 3].mean() for i in range(3)])
    ahead = fitted.forecast(3).frame
    psi = [1, 1 / 3, 1 / 3 + 1 / 9]  # psi_2 = (psi_1 + psi_0) / 3
    assert ahead["forecast"].tolist() == pytest.approx([15.0] * 3)
    assert ahead["std_error"].to_numpy() == pytest.approx(np.sqrt(np.mean(errors**2) * np.cumsum(np.square(psi))))
    weighted = vx.fit(monthly(y), "moving-average weights=[3, 2, 1]")
    assert weighted.forecast(1).points[0] == pytest.approx((3 * 20 + 2 * 14 + 11) / 6)
    assert "50, 33.3, 16.7 percent, newest first" in weighted.in_words()
    assert "The mean of the last 3 months, 15 units" in fitted.in_words()
    one, naive = vx.fit(monthly(y[3:]), "moving-average window=1"), vx.fit(monthly(y[3:]), "naive")
    assert one.forecast(4).std_error == pytest.approx(naive.forecast(4).std_error)


def test_the_last_change_goes_on():
    fitted = vx.fit(monthly([5.0, 7, 8, 12]), "last-change")
    variance = ((8 - 7 - 2) ** 2 + (12 - 8 - 1) ** 2) / 2
    ahead = fitted.forecast(3).frame
    assert ahead["forecast"].tolist() == [16, 20, 24]
    assert ahead["std_error"].to_numpy() == pytest.approx(np.sqrt(variance * np.array([1, 5, 14])))
    assert "up by 4 units a month" in fitted.in_words()
    gap = vx.fit(monthly([1.0, 2, 4, None, 8, None]), "last-change").forecast(1)
    assert gap.points[0] == 8 + 2 * 2  # two periods on, at two a period
    assert vx.fit(monthly([1.0, 2, None, 8, 9]), "last-change").reason


def test_seasonal_means_are_a_regression_on_dummies():
    y = seasonal_values(7, 31)
    fitted = vx.fit(monthly(y), "seasonal-mean")
    dummies = np.eye(12)[np.arange(31) % 12]
    beta, rest, *_ = np.linalg.lstsq(dummies, y, rcond=None)
    variance = rest[0] / 19 if rest.size else np.square(y - dummies @ beta).sum() / 19
    assert fitted.coefficients["value"].to_numpy() == pytest.approx(beta)
    assert fitted.coefficients["name"].tolist()[:2] == ["January", "February"] and fitted.parameters == 13
    ahead = fitted.forecast(2).frame
    assert ahead["forecast"].tolist() == pytest.approx(beta[[7, 8]].tolist())
    inverse = np.linalg.inv(dummies.T @ dummies)
    assert ahead["std_error"].to_numpy() == pytest.approx(np.sqrt(variance * (1 + np.diag(inverse)[[7, 8]])))


@pytest.mark.parametrize(
    "text", ["moving-average window=2 weights=[1, 2]", "moving-average weights=[-1, 2]", "moving-average weights=3"]
)
def test_weights_are_stated_and_not_negative(text):
    with pytest.raises(vx.VeridexError, match="newest first"):
        vx.fit(monthly([1.0, 2, 3]), text)
