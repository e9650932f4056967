"""Speed of ARIMA: kernel fits, re-fits, the search, and what a first user waits for the compiler."""

from collections.abc import Callable

import numpy as np

import veridex as vx
from benchmarks.baselines import first_call
from benchmarks.twins import least, likelihood_twins
from veridex.core.methods.arima.orders import search_orders
from veridex.core.numerics.arima.models import Orders
from veridex.core.numerics.arima.search import estimate_arima

__all__ = ["report_arima"]

FIRST = 'for text in ("arima", "arima d=1 q=1 D=1 Q=1"):'


def airy(n: int, seed: int = 3) -> np.ndarray:
    """A series of the model (0,1,1)(0,1,1) over 12."""
    shocks = np.random.default_rng(seed).normal(size=n + 13)
    z = shocks[13:] - 0.4 * shocks[12:-1] - 0.6 * shocks[1:-12] + 0.24 * shocks[:-13]
    for step in (1, 12):
        for t in range(step, n):
            z[t] += z[t - step]
    return 100 + z


def report_arima(report: Callable[[str, float, float, str], None]) -> None:
    """Print what was measured against the bars."""
    y = airy(144)
    cases = (
        (Orders(0, 1, 1, 0, 1, 1, 12, 0), y, 0.25, "(0,1,1)(0,1,1) over 12, n = 144"),
        (Orders(1, 0, 0, 0, 0, 0, 1, 1), np.diff(y)[:48].copy(), 0.03, "(1,0,0) with mean, n = 48"),
        (Orders(2, 1, 2, 1, 1, 1, 12, 0), y, 0.8, "(2,1,2)(1,1,1) over 12, n = 144, both starts"),
    )
    for orders, values, bar, words in cases:
        k = orders.p + orders.q + orders.P + orders.Q
        row, stats, before = np.empty(k + 2), np.empty(4), np.zeros(k + 1)
        free = np.ones(k, dtype=np.int64)
        estimate_arima(values[:-1].copy(), np.empty((values.size - 1, 0)), orders, free, before, row, stats)

        def work(warm: np.ndarray, values=values, orders=orders, free=free, row=row, stats=stats):  # type: ignore[no-untyped-def]
            return lambda: estimate_arima(values, np.empty((values.size, 0)), orders, free, warm.copy(), row, stats)

        cold, warm = least(work(np.zeros(k + 1)), 100), least(work(before), 100)
        report(f"kernel fit {words}", cold, bar, "ms")
        report("  re-fit after one more month, share of a first fit", warm / cold, 0.33, "x")
    for name, (ours, theirs) in likelihood_twins(y - y.mean()).items():
        report(f"likelihood of {name}, n = 144: ours {ours:.2f} us, share of a C twin", ours / theirs, 2.0, "x")
    report("search of orders on 144 months", least(lambda: search_orders(y, 12), 10), 12.0, "ms")
    series = vx.History.from_numbers(y, start="2012-01", cadence="monthly", item="smoker-01")["smoker-01"]
    public = least(lambda: vx.fit(series, "arima d=1 q=1 D=1 Q=1"), 100)
    row, stats = np.empty(4), np.empty(4)
    none, free = np.empty((y.size, 0)), np.ones(2, dtype=np.int64)
    alone = least(lambda: estimate_arima(y, none, Orders(*cases[0][0]), free, np.zeros(3), row, stats), 100)
    report("public fit of it, above its kernel", public - alone, 1.0, "ms")
    report("first call of ARIMA, caches cold", first_call(FIRST, cold=True), 15.0, "s")
    first_call(FIRST, cold=False)
    report("first call of ARIMA, caches warm", min(first_call(FIRST, cold=False) for _ in range(3)), 0.4, "s")
