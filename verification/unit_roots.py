"""Size of the stationarity tests under their nulls, and their power against one alternative."""

import numpy as np

from veridex.core.diagnosis.dickey_fuller import dickey_fuller, mackinnon_p_value
from veridex.core.diagnosis.kpss import kpss

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
    print("\nPower: Dickey-Fuller against an autoregressive root of 0.8, KPSS against a random walk.")
    rng = np.random.default_rng(5)
    p_values = [mackinnon_p_value(dickey_fuller(walk(rng, 1000), lags=0).statistic, "level") for _ in range(DRAWS)]
    shares = [float(np.mean(np.array(p_values) < q)) for q in (0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9)]
    print("\nDickey-Fuller (level) p-values at n = 1,000 below 1, 5, 10, 25, 50, 75, 90 %:", end=" ")
    print(", ".join(f"{100 * share:.1f}" for share in shares), "%")
