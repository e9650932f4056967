"""The table of what was fitted for each item."""

import pytest

import veridex as vx
from veridex.core.readable import number


def test_models_have_a_row_per_item_with_what_was_fitted(orders, publication):
    own = vx.publish(orders, method="arima", horizon=2)
    table = own.models.set_index("item")
    assert list(table.index) == list(own.items)
    fitted = vx.fit(orders["smoker-01"], "arima")
    row = table.loc["smoker-01"]
    assert (
        row["found"] == own["smoker-01"].fit.form
        and row["found"].startswith("p=")
        and row["words"] == fitted.in_words()
    )
    assert row["aicc"] == pytest.approx(fitted.aicc) and row["n_estimates"] == len(fitted.coefficients)
    first = fitted.coefficients.iloc[0]
    assert row["constants"].startswith(f"{first['name']} {number(first['value'], 4)}") and row["members"] == ""
    short = table.loc["jar-hex-280"]
    assert own["jar-hex-280"].reason == short["reason"]
    blend = publication.models.set_index("item").loc["smoker-01"]
    assert blend["constants"] == "" and blend["members"].count("|") == len(publication["smoker-01"].method.members) - 1
    assert blend["error"] == publication["smoker-01"].scores.error and blend["measure"] == "mase"
