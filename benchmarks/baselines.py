"""Speed of the baselines: kernel fits, folds, public fits, and what a first user waits for the compiler."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable

import numpy as np

import veridex as vx
from benchmarks.twins import least, recursion_twins
from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.plan import Rows, Sizes
from veridex.core.methods.fold.running import run_fold
from veridex.core.numerics.smoothing.recursion import Form
from veridex.core.numerics.smoothing.region import Asked
from veridex.core.numerics.smoothing.search import estimate_smoothing

__all__ = ["first_call", "report_baselines"]

FIRST = 'for text in ("smoothing", "theta", "tsb"):'

FREE = np.full(4, np.nan)
FORMS = tuple(
    (error, trend, season)
    for season in (0, 1, 2)
    for error in (1, 2)
    for trend in (0, 1, 2)
    if not (season == 2 and error == 1)
)

FIRST_CALL = """
import time
import numpy as np
import veridex as vx
y = 100 + np.arange(96.0) + np.random.default_rng(1).normal(size=96)
series = vx.History.from_numbers(y, start="2018-01", cadence="monthly", item="smoker-01")["smoker-01"]
vx.fit(series, "mean")
begun = time.perf_counter()
METHODS
    vx.fit(series, text).forecast(12)
print(time.perf_counter() - begun)
"""


def kernel_fit(y: np.ndarray, error: int, trend: int, season: int) -> tuple[float, float]:
    """Milliseconds of a fit from scratch, and of one from the optimum of the month before."""
    m = 12 if season else 1
    row, stats, before = np.empty(7 + m), np.empty(4), np.zeros(7 + m)
    form, asked = Form(error, trend, season, m), Asked(0, 1, FREE)
    estimate_smoothing(y[:-1].copy(), form, asked, before, row, stats)

    def work(warm: np.ndarray) -> Callable[[], object]:
        return lambda: estimate_smoothing(y, form, asked, warm.copy(), row, stats)

    return least(work(np.zeros(7 + m)), 100), least(work(before), 100)


def first_call(methods: str, *, cold: bool) -> float:
    """Seconds until methods were called once, with an empty cache of compiled code or with a full one."""
    with tempfile.TemporaryDirectory() as directory:
        environment = os.environ | ({"NUMBA_CACHE_DIR": directory} if cold else {})
        done = subprocess.run(
            [sys.executable, "-c", FIRST_CALL.replace("METHODS", methods)],
            env=environment,
            check=True,
            capture_output=True,
            text=True,
        )
        return float(done.stdout)


def report_baselines(report: Callable[[str, float, float, str], None], y: np.ndarray) -> None:
    """Print what was measured against the bars."""
    fits = {form: kernel_fit(y, *form) for form in FORMS}
    report("kernel fit of 96 months, level only", fits[1, 0, 0][0], 0.06, "ms")
    report("kernel fit, damped additive Holt-Winters", fits[1, 2, 1][0], 0.25, "ms")
    report("kernel fits, all fifteen forms", sum(cold for cold, _ in fits.values()), 3.0, "ms")
    shares = [warm / cold for cold, warm in fits.values()]
    report("kernel re-fit from the month before, share of a first fit, mean of forms", float(np.mean(shares)), 0.4, "x")
    series = vx.History.from_numbers(y, start="2018-01", cadence="monthly", item="smoker-01")["smoker-01"]
    for text, form in (("simple-smoothing", (1, 0, 0)), ("holt-winters damped=yes", (1, 2, 1))):
        chosen = method(text)
        plan = chosen.family.plan(chosen.settings, Sizes(12, 12))
        rows = Rows.allocate(plan, y.size)

        def fold(chosen: object = chosen, plan: object = plan, rows: Rows = rows) -> None:
            run_fold(chosen.family, plan, y, None, np.zeros(plan.warm_size), rows)  # type: ignore[attr-defined]

        report(f"fold of {text}, above its kernel", least(fold, 200) - fits[form][0], 0.03, "ms")
        fit = least(lambda text=text: vx.fit(series, text), 200)  # type: ignore[misc]
        report(f"public fit of {text}, above its kernel", fit - fits[form][0], 1.0, "ms")
    for text in ("smoothing", "theta", "croston"):
        print(f"public fit of {text}: {least(lambda text=text: vx.fit(series, text), 50):.3f} ms")  # type: ignore[misc]
    for name, (ours, theirs) in recursion_twins(y).items():
        report(f"damped {name} recursion against its C twin ({ours:.2f} and {theirs:.2f} us)", ours / theirs, 1.3, "x")
    report("first call of everything here, caches cold", first_call(FIRST, cold=True), 20.0, "s")
    first_call(FIRST, cold=False)
    report("first call of everything here, caches warm", min(first_call(FIRST, cold=False) for _ in range(3)), 0.5, "s")
