"""Print every benchmark: what was measured, the bar, and their ratio (above one misses the bar)."""

import platform
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv

import veridex as vx
from benchmarks.arima import report_arima
from benchmarks.baselines import report_baselines
from benchmarks.board import report_board
from benchmarks.first_minute import report_first_minute
from benchmarks.places import report_places
from benchmarks.portfolio import report_portfolio
from benchmarks.reruns import report_reruns
from benchmarks.scale import report_scale
from benchmarks.twins import twins
from veridex.core.diagnosis.dickey_fuller import dickey_fuller
from veridex.core.diagnosis.zivot_andrews import zivot_andrews
from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.plan import Rows, Sizes


def seasonal(seed: int, n: int = 96) -> np.ndarray:
    rng = np.random.default_rng(seed)
    t = np.arange(n)
    return (100 + 0.5 * t) * (1 + 0.3 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=n))


def best_ms(work: Callable[[], object], repeats: int) -> float:
    """Least of repeated runs after one that loads compiled code: what a noisy machine adds is not ours."""
    work()
    times = []
    for _ in range(repeats):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return 1e3 * min(times)


def fold(text: str, *, warm_start: bool) -> Callable[[], object]:
    """One fold through the contract, from scratch or from the optimum of the origin before."""
    chosen = method(text)
    plan = chosen.family.plan(chosen.settings, Sizes(12, 12))
    y, before = seasonal(1), np.zeros(plan.warm_size)
    if warm_start:
        chosen.family.run(plan, y[:-1].copy(), None, before, Rows.allocate(plan, y.size - 1))

    def work() -> None:
        chosen.family.run(plan, y, None, before.copy(), Rows.allocate(plan, y.size))

    return work


def public_fit(text: str) -> Callable[[], object]:
    series = vx.History.from_numbers(seasonal(1), start="2018-01", cadence="monthly", item="smoker-01")["smoker-01"]
    return lambda: vx.fit(series, text)


def portfolio() -> float:
    """Seconds for 100 items x 6 methods x 6 origins on one core."""
    many = [
        vx.History.from_numbers(seasonal(i), start="2018-01", cadence="monthly", item=f"item-{i}")[f"item-{i}"]
        for i in range(100)
    ]
    lineup = ["naive", "seasonal-naive", "simple-smoothing", "holt-winters", "arima p=1 d=1 q=1", "trend-season"]
    history, scheme = vx.History.of(many), vx.RollingOrigin(horizon=12, origins=6)
    vx.backtest(vx.History.of(many[:1]), lineup, scheme)
    begun = time.perf_counter()
    vx.backtest(history, lineup, scheme).standings()
    return time.perf_counter() - begun


def write_order_lines(path: Path, lines: int) -> None:
    """Ten thousand items, four years of days."""
    rng = np.random.default_rng(1)
    items = pa.array([f"item-{i:05d}" for i in range(10_000)])
    days = pa.array(np.arange(np.datetime64("2021-01-01"), np.datetime64("2024-12-31")).astype(str))
    columns = {
        "sku": pa.DictionaryArray.from_arrays(rng.integers(0, len(items), lines), items).dictionary_decode(),
        "day": pa.DictionaryArray.from_arrays(rng.integers(0, len(days), lines), days).dictionary_decode(),
        "qty": pa.array(rng.integers(1, 50, lines)),
    }
    csv.write_csv(pa.table(columns), path)


def reading_ratio(lines: int) -> float:
    """Seconds for order lines into a monthly history over those for the reader and one group-by alone."""
    with tempfile.TemporaryDirectory() as directory:
        path = Path(directory) / "orders.csv"
        write_order_lines(path, lines)
        plain, ours = [], []
        for _ in range(2):
            begun = time.perf_counter()
            csv.read_csv(path).group_by(["sku", "day"]).aggregate([("qty", "sum")])
            plain.append(time.perf_counter() - begun)
            begun = time.perf_counter()
            vx.read_history(path, item="sku", period="day", demand="qty", cadence="monthly")
            ours.append(time.perf_counter() - begun)
        print(f"10 million order lines: reader and group-by {min(plain):.1f} s, read_history {min(ours):.1f} s")
        return min(ours) / min(plain)


MEMORY = """
import sys
from pathlib import Path
import veridex as vx

def held(key):
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith(key)) / 1024

words = {"item": "sku", "period": "day", "demand": "qty", "cadence": "monthly"}
vx.read_history(sys.argv[2], **words)
Path("/proc/self/clear_refs").write_text("5")  # the peak starts anew
before = held("VmRSS")
vx.read_history(sys.argv[1], **words)
print(held("VmHWM") - before)
"""


def reading_memory(lines: int) -> float:
    """Peak memory of reading order lines, above the interpreter with its libraries, over two numeric columns."""
    with tempfile.TemporaryDirectory() as directory:
        large, small = Path(directory) / "large.csv", Path(directory) / "small.csv"
        write_order_lines(large, lines)
        write_order_lines(small, 1000)
        done = subprocess.run(
            [sys.executable, "-c", MEMORY, str(large), str(small)], check=True, capture_output=True, text=True
        )
        peak, columns = float(done.stdout), 2 * 8 * lines / 2**20
        print(f"10 million order lines: peak {peak:.0f} MB, their dates and quantities {columns:.0f} MB")
        return peak / columns


def profile_seconds(items: int) -> float:
    """Seconds for the profile of so many items of four years of months."""
    history = vx.History.of(
        [
            vx.History.from_numbers(seasonal(i, 48), start="2021-01", cadence="monthly", item=f"item-{i}")[f"item-{i}"]
            for i in range(items)
        ]
    )
    vx.profile(history.only("item-0"))
    begun = time.perf_counter()
    vx.profile(history)
    return time.perf_counter() - begun


def stationarity_ms(periods: int) -> tuple[float, float]:
    """Milliseconds of the test for a break at any date, and of all tests together."""
    walk = np.cumsum(np.random.default_rng(1).standard_normal(periods))
    history = vx.History.from_numbers(walk, start="2019-01-01", cadence="daily", item="fondant-12kg")["fondant-12kg"]
    return best_ms(lambda: zivot_andrews(walk), 20), best_ms(lambda: vx.stationarity(history), 20)


def first_fit_ratio() -> float:
    """The time that a fresh process tells of its first fit, over that of its second: loading code is no fitting."""
    lines = (
        "import numpy as np, veridex as vx",
        "y = np.random.default_rng(1).standard_normal(200).cumsum()",
        "history = vx.History.from_numbers(y, cadence='counted')",
        "print(*(vx.fit(history, 'arima p=3').milliseconds for _ in range(2)))",
    )
    done = subprocess.run([sys.executable, "-c", "\n".join(lines)], capture_output=True, text=True, check=True)
    first, second = map(float, done.stdout.split())
    return first / second


def report(what: str, value: float, bar: float, unit: str) -> None:
    print(f"{what:<86} {value:9.3f} {unit:<3} bar {bar:7.2f}   ratio {value / bar:5.2f}", flush=True)


def main() -> None:
    print(
        f"Python {platform.python_version()}, {platform.processor() or platform.machine()}; warm unless said otherwise"
    )
    additive, multiplicative = "holt-winters season=additive", "holt-winters season=multiplicative"
    for text in (additive, f"{additive} damped=yes", multiplicative):
        for warm_start in (True, False):
            start = "from the origin before" if warm_start else "from scratch"
            value = best_ms(fold(text, warm_start=warm_start), 200)
            report(f"fold of 96 months, {text}, {start}", value, 0.6, "ms")
    for text in (additive, multiplicative, "arima p=1 d=1 q=1", "trend-season", "naive"):
        report(f"public fit on 96 months, {text}", best_ms(public_fit(text), 200), 1.5, "ms")
    report_baselines(report, seasonal(1))
    report_arima(report)
    report("backtest of 100 items x 6 methods x 6 origins, one core", portfolio(), 10.0, "s")
    report_portfolio(report)
    report_scale(report)
    report_reruns(report)
    report_places(report)
    year = seasonal(1, 120)
    report("public Dickey-Fuller, lags by AIC, 120 months", best_ms(lambda: dickey_fuller(year), 200), 0.5, "ms")
    history = vx.History.from_numbers(year, start="2016-01", cadence="monthly", item="smoker-01")["smoker-01"]
    report("public decompose by loess, robust, 120 months", best_ms(lambda: vx.decompose(history), 200), 0.4, "ms")
    alone, whole = stationarity_ms(1500)
    report("stationarity of 1,500 periods, all tests", whole / 1e3, 1.0, "s")
    report("the same over all but the one that tries every date of a break", whole / (whole - alone), 1.5, "x")
    report("time told of a first fit of AR(3) over that of a second", first_fit_ratio(), 5.0, "x")
    for name, (ours, theirs) in twins(year).items():
        report(f"kernel of {name} against its C twin ({ours:.3f} and {theirs:.3f} ms)", ours / theirs, 1.5, "x")
    report("10 million order lines, against the reader and one group-by", reading_ratio(10_000_000), 2.0, "x")
    report("10 million order lines, peak memory over their dates and quantities", reading_memory(10_000_000), 3.0, "x")
    report("profile of 10,000 items of 48 months", profile_seconds(10_000), 60.0, "s")
    report_board(report)
    report_first_minute(report)


if __name__ == "__main__":
    main()
