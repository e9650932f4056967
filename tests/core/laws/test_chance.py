"""How far out demand lies under its law: of demand that follows the law, one in ten is as far out as ten percent."""

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, seasonal_values

COUNTS = np.random.default_rng(5).poisson(1.2, size=60).astype(float)


@pytest.mark.parametrize(
    ("values", "method"),
    [(seasonal_values(), "theta"), (seasonal_values(), "theta transform=log"), (COUNTS, "croston"), (COUNTS, "mean")],
)
def test_the_chance_is_that_of_both_tails(values, method):
    law = vx.publish(monthly(values), method=method, horizon=2)["smoker-01"].law(2)
    if law.support.whole:  # few values: no more than one in ten is ever told to be that far out
        drawn = np.array([law.chance(demand) for demand in law.sample(2_000, seed=8)])
        assert drawn.min() >= 0.0 and drawn.max() <= 100.0 + 1e-9
        assert all((drawn < percent).mean() <= percent / 100 + 0.03 for percent in (1, 5, 10, 25))
    else:
        for percent in (0.5, 10.0, 50.0, 80.0, 99.0):
            assert law.chance(law.quantile(percent)) == pytest.approx(2 * min(percent, 100 - percent), rel=1e-6)
    assert law.chance(law.quantile(50.0)) > 60.0 and law.chance(1e9) == pytest.approx(0.0, abs=1e-6)
