"""Coverage of each method's own intervals on data from its own model, parameters given or estimated."""

from collections.abc import Callable

import numpy as np

import veridex as vx
from veridex.core.numerics.smoothing.forecasts import replay_smoothing
from verification.models import FORMS, form_words, random_row, simulated

DRAWS = 1000
DRAWS_GIVEN = 5000
DRAWS_ESTIMATED = 500
N, HORIZON = 96, 12
STEPS = (1, 6, 12)


def noise(rng: np.random.Generator, n: int) -> np.ndarray:
    return 100 + 10 * rng.normal(size=n)


def walk(rng: np.random.Generator, n: int) -> np.ndarray:
    return 100 + rng.normal(size=n).cumsum()


def drifting(rng: np.random.Generator, n: int) -> np.ndarray:
    return 100 + (0.3 + rng.normal(size=n)).cumsum()


def seasonal_walk(rng: np.random.Generator, n: int) -> np.ndarray:
    shocks = rng.normal(size=(n // 12 + 1, 12))
    return (100 + 20 * np.sin(np.arange(12)) + shocks.cumsum(axis=0)).ravel()[:n]


def level(rng: np.random.Generator, n: int) -> np.ndarray:
    y, state = np.empty(n), 100.0
    for t, shock in enumerate(rng.normal(size=n)):
        y[t] = state + shock
        state += 0.3 * shock
    return y


def winters(kind: str) -> Callable[[np.random.Generator, int], np.ndarray]:
    def make(rng: np.random.Generator, n: int) -> np.ndarray:
        y, state, slope = np.empty(n), 100.0, 0.3
        harmonic = np.sin(2 * np.pi * np.arange(12) / 12)
        season = 20 * harmonic if kind == "additive" else 1 + 0.2 * harmonic
        for t in range(n):
            shock, base, s = rng.normal(), state + slope, season[t % 12]
            if kind == "additive":
                y[t] = base + s + 3 * shock
                state, slope, season[t % 12] = base + 0.9 * shock, slope + 0.03 * shock, s + 0.3 * shock
            else:
                y[t] = base * s * (1 + 0.03 * shock)
                state, slope = base * (1 + 0.009 * shock), slope + 0.0003 * base * shock
                season[t % 12] = s * (1 + 0.003 * shock)
        return y

    return make


def arima(rng: np.random.Generator, n: int) -> np.ndarray:
    shocks = rng.normal(size=n + 1)
    change = np.zeros(n)
    for t in range(n):
        change[t] = 0.5 * (change[t - 1] if t else 0.0) + shocks[t + 1] - 0.3 * shocks[t]
    return 100 + change.cumsum()


def trend(rng: np.random.Generator, n: int) -> np.ndarray:
    t = np.arange(n)
    return 100 + 0.5 * t + 20 * np.sin(2 * np.pi * t / 12) + 5 * rng.normal(size=n)


def now_and_then(rng: np.random.Generator, n: int) -> np.ndarray:
    return (rng.random(n) < 0.3) * rng.gamma(4.0, 2.0, size=n)


BANK = (
    ("mean", noise),
    ("naive", walk),
    ("drift", drifting),
    ("seasonal-naive", seasonal_walk),
    ("simple-smoothing", level),
    ("simple-smoothing intervals=with-estimation", level),
    ("holt-winters season=additive", winters("additive")),
    ("holt-winters season=additive intervals=with-estimation", winters("additive")),
    ("holt-winters season=multiplicative", winters("multiplicative")),
    ("holt-winters season=multiplicative intervals=with-estimation", winters("multiplicative")),
    ("theta", drifting),
    ("croston", now_and_then),
    ("sba", now_and_then),
    ("tsb", now_and_then),
    ("arima p=1 d=1 q=1", arima),
    ("trend-season", trend),
)


def given() -> None:
    """Each smoothing form with its true parameters and starting states."""
    print(
        f"Parameters given: {DRAWS_GIVEN} series of {N} months from each smoothing form, percent of actuals inside its"
    )
    print("95 % interval (simulation error 0.3).\n")
    print("| form | lead 1 | lead 6 | lead 12 |")
    print("| --- | --- | --- | --- |")
    z = 1.959963984540054
    for form in FORMS:
        rng = np.random.default_rng(np.random.SeedSequence([8, *form]))
        inside = np.zeros(HORIZON)
        points, std_error, fitted = np.empty(HORIZON), np.empty(HORIZON), np.empty(N)
        for _ in range(DRAWS_GIVEN):
            row = random_row(rng, form)
            y = simulated(rng, form, row, N + HORIZON)
            replay_smoothing(y[:N], *form, row, fitted, points, std_error)
            inside += np.abs(y[N:] - points) <= z * std_error
        shares = " | ".join(f"{100 * inside[step - 1] / DRAWS_GIVEN:.1f}" for step in STEPS)
        print(f"| {form_words(form).removeprefix('smoothing ')} | {shares} |", flush=True)
    print()


def estimated() -> None:
    """Each form and each way to an interval with its parameters estimated."""
    print(f"Parameters estimated: {DRAWS_ESTIMATED} series of {N} months from each smoothing form, percent of actuals")
    print("inside the 95 % intervals of the model alone, and with the uncertainty of estimation (error 1).\n")
    print("| form | model: lead 1 | lead 6 | lead 12 | with-estimation: lead 1 | lead 6 | lead 12 |")
    print("| --- | --- | --- | --- | --- | --- | --- |")
    pooled = np.zeros((2, HORIZON))
    for form in FORMS:
        rng = np.random.default_rng(np.random.SeedSequence([9, *form]))
        inside = np.zeros((2, HORIZON))
        for _ in range(DRAWS_ESTIMATED):
            y = simulated(rng, form, random_row(rng, form), N + HORIZON)
            history = vx.History.from_numbers(y[:N], start="2018-01", cadence="monthly")
            for way, words in enumerate(("", " intervals=with-estimation")):
                forecast = vx.fit(history, form_words(form) + words).forecast(HORIZON, levels=95)
                inside[way] += (forecast.lower[0] <= y[N:]) & (y[N:] <= forecast.upper[0])
        pooled += inside / len(FORMS)
        print(f"| {form_words(form).removeprefix('smoothing ')} | {_shares(inside)} |", flush=True)
    print(f"| all | {_shares(pooled)} |\n", flush=True)


def _shares(inside: np.ndarray) -> str:
    return " | ".join(f"{100 * inside[way, step - 1] / DRAWS_ESTIMATED:.1f}" for way in (0, 1) for step in STEPS)


def main() -> None:
    given()
    estimated()
    print(f"{DRAWS} series of {N} months per method, parameters estimated: percent of actuals inside")
    print("the intervals (simulation error 0.7 to 1.3).\n")
    heads = [f"{level} %, lead {step}" for level in (80, 95) for step in STEPS]
    print(f"| method | {' | '.join(heads)} |")
    print("| --- |" + " --- |" * len(heads))
    for text, make in BANK:
        rng = np.random.default_rng(np.random.SeedSequence([7, *text.encode()]))
        inside = np.zeros((2, HORIZON))
        for _ in range(DRAWS):
            y = make(rng, N + HORIZON)
            history = vx.History.from_numbers(y[:N], start="2018-01", cadence="monthly")
            forecast = vx.fit(history, text).forecast(HORIZON)
            inside += (forecast.lower <= y[N:]) & (y[N:] <= forecast.upper)
        shares = [100 * inside[row, step - 1] / DRAWS for row in (0, 1) for step in STEPS]
        print(f"| {text} | {' | '.join(f'{share:.1f}' for share in shares)} |", flush=True)
