"""The backtest at portfolio size: time, memory of all processes, how it scales, what share the kernels have."""

import importlib
import os
import pkgutil
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numba.core.registry import CPUDispatcher

import veridex as vx

__all__ = ["report_portfolio"]

SCHEME = vx.RollingOrigin(horizon=12)
ITEMS = 1000


def portfolio(items: int, n: int = 96) -> vx.History:
    """Seasonal demand with a trend of its own and noise."""
    rng = np.random.default_rng(0)
    t = np.arange(n)
    series = []
    for i in range(items):
        season = 1 + 0.3 * np.sin(2 * np.pi * (t + i) / 12)
        values = np.maximum((100 + rng.normal() * 0.5 * t) * season * np.exp(0.1 * rng.normal(size=n)), 1.0)
        name = f"item-{i}"
        series.append(vx.History.from_numbers(values, start="2018-01", cadence="monthly", item=name)[name])
    return vx.History.of(series)


def seconds(items: int, engine: str) -> float:
    history = portfolio(items)
    begun = time.perf_counter()
    vx.backtest(history, None, SCHEME, engine=engine)
    return time.perf_counter() - begun


def seconds_to_publish(items: int) -> float:
    """A verdict on a finished trial, and its publication on all cores."""
    history = portfolio(items)
    trial = vx.backtest(history, None, SCHEME, engine="processes")
    begun = time.perf_counter()
    vx.publish(history, vx.decide(trial), horizon=12, engine="processes")
    return time.perf_counter() - begun


def memory_of_all() -> float:
    """Megabytes of this process and its children, shared pages counted once."""
    me, total = os.getpid(), 0.0
    for entry in Path("/proc").iterdir():
        if not entry.name.isdigit():
            continue
        try:
            parent = int((entry / "stat").read_text().rpartition(")")[2].split()[1])
            if int(entry.name) == me or parent == me:
                lines = (entry / "smaps_rollup").read_text().splitlines()
                total += next(int(line.split()[1]) for line in lines if line.startswith("Pss:")) / 1024
        except (OSError, StopIteration):
            continue
    return total


def watched(work: Callable[[], float]) -> tuple[float, float]:
    """What the work gives, and the most memory that was in use meanwhile."""
    peak, done = [0.0], threading.Event()

    def watch() -> None:
        while not done.wait(0.3):
            peak[0] = max(peak[0], memory_of_all())

    thread = threading.Thread(target=watch)
    thread.start()
    value = work()
    done.set()
    thread.join()
    return value, peak[0]


def kernel_share(items: int) -> float:
    """Share of the time of a serial backtest that is spent inside compiled kernels, entered from the methods' rooms."""
    spent = [0.0]

    def timed(kernel: CPUDispatcher) -> Callable[..., object]:
        def call(*arguments: object) -> object:
            begun = time.perf_counter()
            try:
                return kernel(*arguments)
            finally:
                spent[0] += time.perf_counter() - begun

        return call

    patched = []
    for name in (module.name for module in pkgutil.walk_packages(vx.__path__, "veridex.")):
        if ".core." in name and ".core.numerics" not in name:
            holder = importlib.import_module(name)
            for key, value in list(vars(holder).items()):
                found = [(holder, key, value)] if isinstance(value, CPUDispatcher) else []
                if getattr(value, "__name__", "").startswith("veridex.core.numerics"):  # a module of kernels
                    found = [(value, k, v) for k, v in vars(value).items() if isinstance(v, CPUDispatcher)]
                patched += [one for one in found if one not in patched]
    history = portfolio(items)
    for holder, key, value in patched:
        setattr(holder, key, timed(value))  # kernels call each other as they were compiled
    begun = time.perf_counter()
    try:
        vx.backtest(history, None, SCHEME)
        return spent[0] / (time.perf_counter() - begun)
    finally:
        for holder, key, value in patched:
            setattr(holder, key, value)


def report_portfolio(report: Callable[[str, float, float, str], None]) -> None:
    """Print what was measured against the bars."""
    vx.backtest(portfolio(2), None, SCHEME)
    # Turn about, and the least of each: what neighbours on the machine add is not ours.
    runs = [(seconds(ITEMS, "processes"), seconds(ITEMS, "serial"), seconds(ITEMS // 10, "serial")) for _ in range(2)]
    both, alone, few = (min(run[k] for run in runs) for k in range(3))
    report(f"backtest of {ITEMS} items x 96 months, 24 origins, 12 ahead, default lineup, two cores", both, 60.0, "s")
    report("  two processes against one (at least 1.8)", both / alone, 1 / 1.8, "x")
    report("  ten times the items", alone / few, 10.5, "x")
    report(f"verdict and publication of {ITEMS} items, two cores", seconds_to_publish(ITEMS), 10.0, "s")
    _, peak = watched(lambda: seconds(ITEMS, "processes"))
    report("  memory of all processes together, shared pages once", peak, 700.0, "MB")
    report("  share of the time outside compiled kernels (at most 30 %)", 100 * (1 - kernel_share(200)), 30.0, "%")
