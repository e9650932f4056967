"""A trial is bound to its data: what it rests on is keyed, and what does not fit is refused by what differs."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly, portfolio, seasonal_values

SCHEME = vx.RollingOrigin(horizon=3, origins=6)
LINEUP = ["naive", "linear-trend"]


def raw_and_tidied():
    values = seasonal_values(3)
    values[[20, 50]] = np.nan
    raw = monthly(values)
    return raw, vx.tidy(raw, gaps="interpolate").history


def test_a_verdict_is_published_for_what_it_was_reached_on():
    raw, tidied = raw_and_tidied()
    verdict = vx.decide(vx.backtest(tidied, LINEUP, SCHEME))
    series = tidied["smoker-01"]
    newer = vx.History.of([series.continued(monthly([*series.actuals, 120.0])["smoker-01"])])
    assert vx.publish(newer, verdict, horizon=3).forecasts["value"].notna().all()
    changed = np.array(series.actuals)
    changed[7] += 1
    other = vx.tidy(monthly(changed), gaps="interpolate").history
    for history, said in (
        (raw, "tidied by gaps interpolate, outliers flag, negative demand keep, and this history by no rules"),
        (vx.tidy(raw, gaps="zero").history, "and this history by gaps zero"),
        (other, f"smoker-01 in 2018-08 was {series.actuals[7]:g}, here {changed[7]:g}."),
        (tidied.last(48), "it was made on smoker-01 from 2018-01 on, and this history begins in 2022-01"),
        (tidied.at_cadence("quarterly"), "made on monthly demand with a season of 12"),
    ):
        with pytest.raises(vx.errors.TrialUnlike) as raised:
            vx.publish(history, verdict, horizon=3)
        assert said in str(raised.value)


def driver_of(values):
    frame = pd.DataFrame({"period": pd.date_range("2018-01", periods=len(values), freq="MS"), "price": values})
    return vx.Drivers.from_frame(frame, cadence="monthly", known_ahead=["price"])


def test_onto_takes_over_what_has_the_same_key_and_nothing_else():
    history, rng = portfolio(3), np.random.default_rng(8)
    prices, others = rng.normal(size=(2, 90))
    first = vx.backtest(history, LINEUP, SCHEME, drivers=driver_of(prices))
    for drivers, same in ((driver_of(others), False), (driver_of(prices), True)):
        onto = vx.backtest(history, [*LINEUP, "drift"], SCHEME, drivers=drivers, onto=first)
        fresh = vx.backtest(history, [*LINEUP, "drift"], SCHEME, drivers=drivers)
        places = [fresh.method_index(one) for one in onto.lineup]
        assert onto.arrays.points.tobytes() == fresh.arrays.points[:, places].tobytes()
        taken = onto.arrays.seconds[:, : len(first.lineup)] == first.arrays.seconds
        assert taken[:, onto.method_index("naive")].all()
        assert taken[:, onto.method_index("linear-trend")].all() == same


def test_onto_knows_rules_of_tidying():
    raw, tidied = raw_and_tidied()
    first = vx.backtest(tidied, ["theta"], SCHEME)
    again = vx.tidy(raw, gaps="interpolate", outliers="repair").history
    onto = vx.backtest(again, ["theta"], SCHEME, onto=first)
    assert (onto.arrays.seconds != first.arrays.seconds).all()  # the values are the same, what a fold does is not


def test_an_item_is_found_by_its_name_alone():
    history = portfolio(2)
    for wrong in (0, None, "item-9"):
        with pytest.raises(vx.errors.ItemUnknown, match="no item"):
            history[wrong]
    for call in (lambda: vx.backtest(pd.DataFrame(), LINEUP, SCHEME), lambda: vx.publish(3, method="naive")):
        with pytest.raises(vx.errors.CallError, match="pass a history"):
            call()
    with pytest.raises(vx.errors.CallError, match="pass a verdict, or a method by name"):
        vx.publish(history, "theta")
