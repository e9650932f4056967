import pytest

import veridex as vx
from conftest import monthly, seasonal_values

CAME = "2025-05"


@pytest.fixture(scope="session")
def handed(orders, verdict):
    """A publication with totals, the one before it, what came of that, and the record."""
    decided = verdict.override("smoker-01", "theta", "a new grip")
    now = vx.publish(orders, decided, horizon=8, groups=["all"])
    before = vx.publish(orders.until(CAME), method="seasonal-naive", horizon=8)
    return {
        "publication": now,
        "trial": decided,
        "watch": vx.watch(before, orders),
        "record": vx.track_record(before, orders),
        "before": before,
    }


@pytest.fixture(scope="session")
def page(handed):
    return vx.board(**handed)


@pytest.fixture(scope="session")
def uneven():
    """Items that end at two periods and one too young to be tested; totals from the third lead time on."""
    values = {name: seasonal_values(k, 58 if name == "sieve" else 60) for k, name in enumerate(("jar", "lid", "sieve"))}
    series = [monthly(own, item=name)[name] for name, own in values.items()]
    many = vx.History.of([*series, monthly(seasonal_values(7, 3), item="young")["young"]])
    trial = vx.backtest(many, ["naive", "seasonal-naive", "theta"], "rolling horizon=6 origins=8")
    verdict = vx.decide(trial)
    return trial, verdict, vx.publish(many, verdict, horizon=9, groups=["all"], totals_from=3, levels=[80, 97.5])
