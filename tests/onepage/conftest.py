import pytest

import veridex as vx

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
