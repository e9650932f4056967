"""Size of the stationarity tests under their nulls, and their power against one alternative."""

import numpy as np

from veridex.core.diagnosis.canova_hansen import canova_hansen
from veridex.core.diagnosis.dickey_fuller import dickey_fuller, mackinnon_p_value
from veridex.core.diagnosis.gls_dickey_fuller import gls_dickey_fuller
from veridex.core.diagnosis.kpss import kpss
from veridex.core.diagnosis.phillips_perron import phillips_perron
from veridex.core.diagnosis.zivot_andrews import zivot_andrews

DRAWS = 2000


def rejection(test, make, n: int, seed: int) -> float:
    """Percent of draws in which a test rejects at 5 %."""
    rng = np.random.default_rng(np.random.SeedSequence([seed, n]))
    return 100.0 * float(np.mean([test(make(rng, n)).rejects(5) for _ in range(DRAWS)]))


def walk(rng: np.random.Generator, n: int) -> np.ndarray:
    return rng.normal(size=n).cumsum()


def noise(rng: np.random.Generator, n: int) -> np.ndarray:
    return rng.normal(size=n)


def autoregression(rng: np.random.Generator, n: int) -> np.ndarray:
    shocks = rng.normal(size=n + 50)
    y = np.zeros(n + 50)
    for t in range(1, n + 50):
        y[t] = 0.8 * y[t - 1] + shocks[t]
    return y[50:]


def seasonal_walk(season_length: int):
    """A season whose phases wander, each on its own."""
    return lambda rng, n: rng.normal(size=(-(-n // season_length), season_length)).cumsum(axis=0).ravel()[:n]


def main() -> None:
    print("Rejections at 5 %, in percent of 2,000 draws (simulation error 0.5). Null: random walk, or noise.\n")
    print("| test | n = 60 | n = 120 | n = 400 | power, n = 120 |")
    print("| --- | --- | --- | --- | --- |")
    for kind in ("none", "level", "trend"):
        for lags in (1, None):

            def test(y, kind=kind, lags=lags):
                return dickey_fuller(y, lags=lags, deterministic=kind)

            sizes = [rejection(test, walk, n, 1) for n in (60, 120, 400)]
            power = rejection(test, autoregression, 120, 2)
            chosen = "1 lag" if lags else "lags by AIC"
            print(
                f"| Dickey-Fuller ({kind}), {chosen} | {sizes[0]:.1f} | {sizes[1]:.1f} | {sizes[2]:.1f} | {power:.1f} |"
            )
    for kind in ("level", "trend"):

        def test(y, kind=kind):
            return kpss(y, lags=4, deterministic=kind)

        sizes = [rejection(test, noise, n, 3) for n in (60, 120, 400)]
        power = rejection(test, walk, 120, 4)
        print(f"| KPSS ({kind}), window 4 | {sizes[0]:.1f} | {sizes[1]:.1f} | {sizes[2]:.1f} | {power:.1f} |")
    others = {
        "Phillips-Perron (level), window 1": lambda y: phillips_perron(y, lags=1),
        "Phillips-Perron (level), window 4": lambda y: phillips_perron(y, lags=4),
        "Phillips-Perron (trend), window 1": lambda y: phillips_perron(y, lags=1, deterministic="trend"),
        "Phillips-Perron (trend), window 4": lambda y: phillips_perron(y, lags=4, deterministic="trend"),
        "GLS Dickey-Fuller (level), 1 lag": lambda y: gls_dickey_fuller(y, lags=1),
        "GLS Dickey-Fuller (trend), 1 lag": lambda y: gls_dickey_fuller(y, lags=1, deterministic="trend"),
        "Zivot-Andrews (level), 1 lag": lambda y: zivot_andrews(y, lags=1),
        "Zivot-Andrews (both), 1 lag": lambda y: zivot_andrews(y, lags=1, breaks="both"),
    }
    for name, other in others.items():
        sizes = [rejection(other, walk, n, 6) for n in (60, 120, 400)]
        power = rejection(other, autoregression, 120, 7)
        print(f"| {name} | {sizes[0]:.1f} | {sizes[1]:.1f} | {sizes[2]:.1f} | {power:.1f} |", flush=True)
    for season_length, window in ((4, 0), (4, 1), (12, 0), (12, 1)):

        def stable(y, season_length=season_length, window=window):
            return canova_hansen(y, season_length, lags=window)

        sizes = [rejection(stable, noise, n, 8) for n in (60, 120, 400)]
        power = rejection(stable, seasonal_walk(season_length), 120, 9)
        print(
            f"| Canova-Hansen (season of {season_length}), window {window} "
            f"| {sizes[0]:.1f} | {sizes[1]:.1f} | {sizes[2]:.1f} | {power:.1f} |"
        )
    print("\nPower: unit root tests against an autoregressive root of 0.8, KPSS against a random walk,")
    print("Canova-Hansen against a seasonal random walk.")
    rng = np.random.default_rng(5)
    p_values = [mackinnon_p_value(dickey_fuller(walk(rng, 1000), lags=0).statistic, "level") for _ in range(DRAWS)]
    shares = [float(np.mean(np.array(p_values) < q)) for q in (0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9)]
    print("\nDickey-Fuller (level) p-values at n = 1,000 below 1, 5, 10, 25, 50, 75, 90 %:", end=" ")
    print(", ".join(f"{100 * share:.1f}" for share in shares), "%")
