"""Drivers profiled and tidied by rules; what those only observed may do ahead."""

import numpy as np
import pytest

import veridex as vx
from conftest import counted, drivers_of, reread
from veridex.core.methods.drivers_ahead import _replayed
from veridex.core.methods.fold.plan import Rows
from veridex.core.methods.fold.running import replay_fold


def test_drivers_are_profiled_and_tidied_by_rules_that_travel():
    rng = np.random.default_rng(13)
    clean = 10 + rng.normal(size=92)
    y = counted(20 + 4 * clean[:80] + 0.5 * rng.normal(size=80))
    dirty, gappy = clean.copy(), clean.copy()
    dirty[20], gappy[30] = 400.0, np.nan
    promo = (rng.random(92) < 0.1) * 1.0
    drivers = drivers_of([dirty, gappy, promo])
    table = vx.profile_drivers(drivers).set_index("driver")
    assert "21" in table.loc["a", "outlier_periods"] and table.loc["a", "heaviest"] > 0.9
    assert table.loc["b", "unknown"] == 1 and np.isnan(table.loc["c", "heaviest"])
    tidied = vx.tidy_drivers(drivers, gaps="interpolate", outliers="repair")
    assert {"outlier repaired", "gap filled"} <= set(tidied.ledger["what"])
    bent = vx.fit(y, "driver-regression keep=all drivers=[a]", drivers=drivers)
    mended = vx.fit(y, "driver-regression keep=all drivers=[a, c]", drivers=tidied.drivers)
    effects = [one.coefficients.set_index("name")["value"]["a"] for one in (bent, mended)]
    assert abs(effects[0]) < 0.5 and effects[1] == pytest.approx(4.0, rel=0.1) and not mended.notes
    seen = tidied.drivers.seen("demand", 1, 92, 0)
    assert (seen[:, 2] == promo).all() and not np.isnan(seen[:, 1]).any()
    assert reread(mended).forecast(5).points.tolist() == mended.forecast(5).points.tolist()
    # What is observed is repaired from what was known at the origin: later readings change nothing before them.
    late = clean.copy()
    late[70:] = 1000.0
    both = [drivers_of([promo, one], ["a"]) for one in (clean, late)]
    short = [vx.tidy_drivers(one, outliers="repair").drivers.seen("d", 1, 60, 0) for one in both]
    assert short[0].tobytes() == short[1].tobytes()


@pytest.mark.parametrize(
    "text",
    [
        "theta",
        "smoothing transform=log",
        "holt damped=yes",
        "arima d=1 q=1",
        "arima average=yes",
        "linear-trend transform=log",
        "bending-trend",
        "driver-regression",
    ],
)
def test_futures_of_drivers_by_formula_are_those_of_replays(text):
    rng = np.random.default_rng(14)
    weather = 5 + rng.normal(size=72)
    y = counted(np.exp(4 + 0.05 * weather + 0.05 * rng.normal(size=72)))
    fitted = vx.fit(y, text, drivers=drivers_of([rng.normal(size=78), np.append(weather, [np.nan] * 6)], ["a"]))
    span, rows = fitted._rows(6, "none")
    plan, family = fitted._prepare(6), fitted.method.family
    out = Rows.allocate(plan, span.size, fitted.row)
    replay_fold(family, plan, span, rows.x, out)
    told = family.told_futures(plan, rows.x, rows.futures, out)
    replayed = _replayed(family, plan, span, rows.x.copy(), rows.futures, out)
    # On logarithms the correction of a mean also holds how unsure the effects are, a little differently by future.
    assert told == pytest.approx(replayed, rel=1e-3 if "log" in text else 1e-9) and told.std() > 0


@pytest.mark.parametrize("known", [["a", "b"], ["a"]])
def test_a_gap_in_a_driver_is_a_gap_in_demand_for_methods_that_take_none(known):
    rng = np.random.default_rng(15)
    promo, weather = (rng.random(80) < 0.2) * 1.0, 10 + rng.normal(size=80)
    y = 50 + 8 * promo[:72] + 3 * weather[:72] + rng.normal(size=72)
    weather[[20, 21, 40]] = np.nan
    if "b" not in known:
        weather[72:] = np.nan
    drivers = drivers_of([promo, weather], known)
    fitted = vx.fit(counted(y), "theta", drivers=drivers)
    effects = fitted.coefficients.set_index("name")["value"]
    assert effects["a"] == pytest.approx(8, abs=1.2) and effects["b"] == pytest.approx(3, abs=0.5)
    assert np.isnan(fitted.fitted_values[[20, 21, 40]]).all() and np.isfinite(fitted.forecast(6).points).all()
    assert any("In 3 periods a driver is not known" in note for note in fitted.notes)
    assert "(b in 21)" in vx.fit(counted(y), "linear-trend", drivers=drivers).reason
    blend = vx.fit(counted(y), "combination of=[theta, linear-trend]", drivers=drivers)
    assert blend.forecast(4).points == pytest.approx(fitted.forecast(4).points)
