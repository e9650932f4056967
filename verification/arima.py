"""ARIMA: likelihood against dense covariances, estimates against the truth, intervals, residuals, hostile histories."""

import sys
import warnings
from pathlib import Path

import mpmath as mp
import numpy as np

import veridex as vx
from veridex.core.diagnosis.audit import audit_errors
from veridex.core.methods.arima.fitting import attempt
from veridex.core.numerics.arima import arma
from veridex.core.numerics.arima.likelihood import arima_log_likelihood
from veridex.core.numerics.arima.models import Orders, expand, replay_arima
from verification.fuzz import history
from verification.likelihood import DIGITS, slow_log_likelihood

# The slow computation that the tests hold the likelihood against.
sys.path.append(str(Path(__file__).parents[1] / "tests"))
from reference import dense_arima

CASES, SERIES, FUZZED = 240, 1000, 3000
N, HORIZON, STEPS = 300, 12, (1, 6, 12)

MODELS = (
    (Orders(1, 0, 0, 0, 0, 0, 1, 1), (0.6,)),
    (Orders(2, 0, 0, 0, 0, 0, 1, 1), (1.0, -0.4)),
    (Orders(0, 0, 1, 0, 0, 0, 1, 1), (0.5,)),
    (Orders(0, 1, 1, 0, 0, 0, 1, 0), (-0.6,)),
    (Orders(1, 0, 1, 0, 0, 0, 1, 1), (0.7, 0.4)),
    (Orders(1, 1, 1, 0, 0, 0, 1, 0), (0.5, 0.3)),
    (Orders(0, 2, 2, 0, 0, 0, 1, 0), (-1.0, 0.3)),
    (Orders(0, 1, 1, 0, 1, 1, 12, 0), (-0.4, -0.6)),
    (Orders(1, 0, 0, 1, 0, 0, 12, 1), (0.5, 0.4)),
    (Orders(1, 0, 1, 0, 1, 1, 4, 0), (0.6, 0.3, -0.5)),
)


def name(o: Orders) -> str:
    seasonal = f"({o.P},{o.D},{o.Q}) over {o.m}" if o.m > 1 else ""
    return f"({o.p},{o.d},{o.q}){seasonal}"


def simulated(rng: np.random.Generator, o: Orders, truth: tuple[float, ...], n: int) -> np.ndarray:
    """A path of the model; integration starts at 100."""
    small = np.array([*truth, 0.0])
    phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
    expand(small, o, phi, theta)
    shocks, before = rng.normal(size=n + 300), 300
    z = np.zeros(n + before)
    for t in range(max(phi.size, theta.size), n + before):
        z[t] = shocks[t] + phi @ z[t - phi.size : t][::-1] + theta @ shocks[t - theta.size : t][::-1]
    y = z[before:].copy()
    for step in [1] * o.d + [o.m] * o.D:
        for t in range(step, n):
            y[t] += y[t - step]
    return 100 + y


def fifty_digits(y: np.ndarray, o: Orders, small: np.ndarray, constant: float) -> float:
    """The slow likelihood of the `likelihood` part, for the differences of a series that is all known."""
    phi, theta = np.empty(o.p + o.P * o.m), np.empty(o.q + o.Q * o.m)
    expand(small, o, phi, theta)
    z = np.diff(y, o.d)
    if o.D:
        z = z[o.m :] - z[: -o.m]
    return slow_log_likelihood(z - constant, phi, theta)


def likelihood() -> None:
    mp.mp.dps = DIGITS
    rng = np.random.default_rng(1)
    worst = {}
    for i in range(CASES):
        p, d, q, seasonal_p, D, seasonal_q = (int(order) for order in rng.integers(0, (3, 3, 3, 2, 2, 2)))
        o = Orders(p, d, q, 0, 0, 0, 1, 0)
        if i % 2:
            o = Orders(p, min(d, 1), q, seasonal_p, D, seasonal_q, int(rng.choice([3, 4, 6])), 0)
        near = i % 8 == 0
        blocks = []
        for size, sign in ((o.p, 1.0), (o.q, -1.0), (o.P, 1.0), (o.Q, -1.0)):
            block = np.empty(size)
            arma.to_coefficients(rng.normal(size=size) * (4.0 if near else 0.7), sign, block)
            blocks.append(block)
        constant = float(rng.normal())
        y = 50 + rng.normal(size=int(rng.integers(40, 90))).cumsum()
        if i % 3 == 0:
            y[rng.choice(np.arange(15, y.size - 1), 3, replace=False)] = np.nan
        kind = f"{'near a unit root' if near else 'ordinary'}, {'unknown values' if i % 3 == 0 else 'all known'}"
        ours = arima_log_likelihood(y, o, np.concatenate((*blocks, [constant])))
        if np.isnan(y).any():
            slow = dense_arima(y, blocks[:2], blocks[2:], (o.d, o.D), o.m, constant, terms=60_000)
        else:
            slow = fifty_digits(y, o, np.concatenate(blocks), constant)
        error, count = worst.get(kind, (0.0, 0))
        worst[kind] = max(error, abs(ours - slow) / max(abs(slow), 1.0)), count + 1
    print(f"{CASES} random models on 40 to 89 values; largest relative difference from a computation in fifty digits")
    print("(all known) or from a dense covariance in double precision (unknown values):\n")
    print("| kind | cases | largest difference |\n| --- | --- | --- |")
    for kind, (error, count) in worst.items():
        print(f"| {kind} | {count} | {error:.1e} |")
    print(flush=True)


def estimates() -> None:
    print(f"{SERIES} series of {N} per model. Bias: mean estimate less truth of the coefficient that is furthest off.")
    print("Leads: percent of actuals inside the 95 % interval with the true coefficients. Ljung-Box: percent of fits")
    print("whose residuals it rejects at 5 % (simulation errors 0.7).\n")
    print("| model | bias | in errors of one estimate | of the mean | lead 1 | lead 6 | lead 12 | Ljung-Box |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for o, truth in MODELS:
        rng = np.random.default_rng(np.random.SeedSequence([5, *o]))
        found, inside, rejected = [], np.zeros(HORIZON), 0
        points, std_error = np.empty(HORIZON), np.empty(HORIZON)
        for _ in range(SERIES):
            y = simulated(rng, o, truth, N + HORIZON)
            one = attempt(o, y[:N])
            found.append(one.row[: len(truth)])
            fitted = np.empty(N)
            replay_arima(y[:N], o, one.row, fitted, points, std_error)
            series = vx.History.from_numbers(y[:N], cadence="counted", seasons=o.m)["demand"]
            audit = audit_errors(y[:N] - fitted, series, 1, "arima", "training", len(truth))
            rejected += audit.checks[0].failed
            known = np.array([*truth, 100.0 if o.constant else 0.0, 1.0])
            replay_arima(y[:N], o, known, fitted, points, std_error)
            inside += np.abs(y[N:] - points) <= 1.959963984540054 * std_error
        mean, error = np.mean(found, axis=0), np.std(found, axis=0) / np.sqrt(SERIES)
        furthest = int(np.argmax(np.abs(mean - truth) / error))
        shares = " | ".join(f"{100 * inside[step - 1] / SERIES:.1f}" for step in STEPS)
        distance, bias = abs(mean - truth)[furthest] / error[furthest], (mean - truth)[furthest]
        apart = f"{bias:+.4f} | {distance / np.sqrt(SERIES):.2f} | {distance:.1f}"
        print(f"| {name(o)} | {apart} | {shares} | {100 * rejected / SERIES:.1f} |", flush=True)
    print()


def hostile() -> None:
    warnings.simplefilter("error")
    rng, ends, broken = np.random.default_rng(9), {"forecast": 0, "reason": 0}, []
    texts = ("arima", "arima p=1 d=1 q=1", "arima d=1 q=1 D=1 Q=1", "arima p=2 q=2 constant=no", "arima d=2 q=2")
    for i in range(FUZZED):
        y, text = history(rng), texts[i % len(texts)]
        series = vx.History.from_numbers([*y, np.nan], cadence="counted", seasons=int(rng.choice([1, 4, 12])))
        try:
            fitted = vx.fit(series, text)
            points = fitted.forecast(5).points
            fine = fitted.available and np.isfinite(points).all() and bool(fitted.in_words())
            said = not fitted.available and bool(fitted.reason)
            ends["forecast" if fine else "reason"] += 1
            if not fine and not said:
                broken.append((text, y[:6]))
        except Exception as problem:
            broken.append((text, problem, y[:6]))
    print(f"{FUZZED} hostile histories: {ends['forecast']} forecasts, {ends['reason']} reasons, {len(broken)} broken.")
    for one in broken[:20]:
        print("broken:", *one)


def main() -> None:
    likelihood()
    estimates()
    hostile()
