"""Plain C twins of kernels, compiled on the spot, to hold the compiled Python against."""

import ctypes
import shutil
import subprocess
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numba import njit

from veridex.core.diagnosis.dickey_fuller import dickey_fuller, schwert_bound
from veridex.core.numerics.arima.likelihood import arima_log_likelihood
from veridex.core.numerics.arima.models import Orders, expand
from veridex.core.numerics.seasons.loess import decompose_by_loess
from veridex.core.numerics.smoothing.recursion import recursion
from veridex.core.numerics.unit_root import adf_lags, adf_ratio

HERE = Path(__file__).parent
POINTER = np.ctypeslib.ndpointer(dtype=np.float64, flags="C_CONTIGUOUS")


def compiled(name: str, directory: str) -> ctypes.CDLL:
    library = Path(directory) / f"{name}.so"
    command = ["gcc", "-O3", "-march=native", "-shared", "-fPIC", str(HERE / f"{name}.c"), "-o", str(library), "-lm"]
    subprocess.run(command, check=True)
    return ctypes.CDLL(str(library))


def least(work: Callable[[], object], repeats: int = 300) -> float:
    times = []
    for _ in range(repeats):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return 1e3 * min(times)


@njit
def many_recursions(y, kind, row, states, fitted, times):  # type: ignore[no-untyped-def]
    total = 0.0
    for _ in range(times):
        total += recursion(y, kind, 2, kind, 12, row, states, fitted)[0]
    return total


def recursion_twins(y: np.ndarray) -> dict[str, tuple[float, float]]:
    """Microseconds of ours and of the twin for one damped Holt-Winters recursion; empty without a C compiler."""
    if shutil.which("gcc") is None:
        return {}
    found, times = {}, 1000
    with tempfile.TemporaryDirectory() as directory:
        twin = compiled("smoothing", directory).many_recursions
        twin.argtypes = [POINTER, ctypes.c_long, ctypes.c_long, POINTER, POINTER, POINTER, ctypes.c_long]
        twin.restype = ctypes.c_double
        for kind, name in ((1, "additive"), (2, "multiplicative")):
            season = np.zeros(12) if kind == 1 else np.ones(12)
            row = np.concatenate(([0.3, 0.1, 0.1, 0.9, y[:12].mean(), 0.5], season, [1.0]))
            states, fitted = np.empty(14), np.empty(y.size)
            arguments = (y, kind, row, states, fitted, times)
            if not np.isclose(many_recursions(*arguments), twin(y, y.size, *arguments[1:]), rtol=1e-9):
                raise SystemExit("the C twin of the smoothing recursion disagrees")
            found[name] = (
                least(lambda arguments=arguments: many_recursions(*arguments), 50),  # type: ignore[misc]
                least(lambda arguments=arguments: twin(y, y.size, *arguments[1:]), 50),  # type: ignore[misc]
            )
    return found


@njit
def many_likelihoods(z, orders, point, times):  # type: ignore[no-untyped-def]
    total = 0.0
    for _ in range(times):
        total += arima_log_likelihood(z, orders, point)
    return total / times


ORDERS = (
    (Orders(1, 0, 1, 1, 0, 1, 12, 0), (0.6, 0.3, 0.4, 0.3)),
    (Orders(0, 0, 1, 0, 0, 1, 12, 0), (-0.4, -0.6)),
    (Orders(2, 0, 2, 1, 0, 1, 4, 0), (0.5, -0.3, 0.4, 0.2, 0.4, 0.3)),
    (Orders(3, 0, 0, 0, 0, 0, 1, 0), (0.5, -0.3, 0.2)),
)


def likelihood_twins(z: np.ndarray) -> dict[str, tuple[float, float]]:
    """Microseconds of ours (differencing and polynomials included) and of the twin; empty without a C compiler."""
    if shutil.which("gcc") is None:
        return {}
    found, times = {}, 1000
    with tempfile.TemporaryDirectory() as directory:
        twin = compiled("arma", directory).many_likelihoods
        twin.argtypes = [POINTER, ctypes.c_long, ctypes.c_long, POINTER, ctypes.c_long, POINTER, ctypes.c_long]
        twin.restype = ctypes.c_double
        for o, small in ORDERS:
            phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
            point = np.array([*small, 0.0])
            expand(point, o, phi, theta)
            theirs = (z, z.size, phi.size, phi, theta.size, theta, times)
            if not np.isclose(many_likelihoods(z, o, point, times), twin(*theirs), rtol=1e-11):
                raise SystemExit("the C twin of the ARMA likelihood disagrees")
            name = f"({o.p},{o.d},{o.q})({o.P},{o.D},{o.Q}) over {o.m}"
            found[name] = (
                least(lambda o=o, point=point: many_likelihoods(z, o, point, times), 50),  # type: ignore[misc]
                least(lambda theirs=theirs: twin(*theirs), 50),  # type: ignore[misc]
            )
    return found


def twins(y: np.ndarray) -> dict[str, tuple[float, float]]:
    """Milliseconds of ours and of the twin for loess and for Dickey-Fuller on a series; empty without a C compiler."""
    if shutil.which("gcc") is None:
        return {}
    n, known = y.size, np.ones(y.size)
    ours, theirs = [np.empty(n) for _ in range(3)], [np.empty(n) for _ in range(3)]
    with tempfile.TemporaryDirectory() as directory:
        loess = compiled("loess", directory).decompose
        loess.argtypes = [POINTER, *[ctypes.c_long] * 7, POINTER, POINTER, POINTER]
        loess.restype = None
        test = compiled("dickey_fuller", directory).dickey_fuller
        test.argtypes = [POINTER, ctypes.c_long, ctypes.c_long, ctypes.POINTER(ctypes.c_long)]
        test.restype = ctypes.c_double
        decompose_by_loess(y, 12, 13, 21, 13, 1, 15, known, *ours)
        loess(y, n, 12, 13, 21, 13, 1, 15, *theirs)
        if not np.allclose(ours, theirs, rtol=1e-9, atol=1e-9):
            raise SystemExit("the C twin of loess disagrees")
        lags = ctypes.c_long()
        outcome, statistic = dickey_fuller(y), test(y, n, schwert_bound(n), ctypes.byref(lags))
        if outcome.lags != lags.value or abs(outcome.statistic - statistic) > 1e-8:
            raise SystemExit("the C twin of Dickey-Fuller disagrees")
        return {
            "loess": (
                least(lambda: decompose_by_loess(y, 12, 13, 21, 13, 1, 15, known, *ours)),
                least(lambda: loess(y, n, 12, 13, 21, 13, 1, 15, *theirs)),
            ),
            "Dickey-Fuller": (
                least(lambda: adf_ratio(y, adf_lags(y, schwert_bound(n), 1, 0), 1)),
                least(lambda: test(y, n, schwert_bound(n), ctypes.byref(lags))),
            ),
        }
