"""The ARMA likelihood against a computation with fifty digits on a random bank.

The bank goes close to unit roots, where a covariance matrix in double precision has nothing left to say.
"""

import mpmath as mp
import numpy as np

from veridex.core.numerics.arima import arma

CASES = 300
DIGITS = 50


def autocovariances(phi: list, theta: list, n: int) -> list:
    """Of lags 0 to n - 1, from the linear equations that the model implies (variance of the shocks 1)."""
    p, q = len(phi), len(theta) - 1
    psi = []
    for h in range(q + 1):
        psi.append(theta[h] + sum(phi[j] * psi[h - 1 - j] for j in range(min(p, h))))
    right = [sum(theta[j] * psi[j - k] for j in range(k, q + 1)) for k in range(max(n, p + 1))]
    matrix = mp.zeros(p + 1, p + 1)
    for k in range(p + 1):
        matrix[k, k] += 1
        for j in range(1, p + 1):
            matrix[k, abs(k - j)] -= phi[j - 1]
    gamma = list(mp.lu_solve(matrix, mp.matrix(right[: p + 1])))
    for k in range(p + 1, n):
        gamma.append(sum(phi[j - 1] * gamma[k - j] for j in range(1, p + 1)) + right[k])
    return gamma[:n]


def slow_log_likelihood(z: np.ndarray, phi: np.ndarray, theta: np.ndarray) -> float:
    """Durbin-Levinson recursion on exact autocovariances."""
    values = [mp.mpf(float(value)) for value in z]
    gamma = autocovariances([mp.mpf(float(x)) for x in phi], [mp.mpf(1), *(mp.mpf(float(x)) for x in theta)], z.size)
    variance, weights = gamma[0], []
    log_det, total = mp.log(variance), values[0] ** 2 / variance
    for t in range(1, z.size):
        last = (gamma[t] - sum(w * gamma[t - 1 - j] for j, w in enumerate(weights))) / variance
        weights = [w - last * weights[-1 - j] for j, w in enumerate(weights)] + [last]
        variance *= 1 - last * last
        error = values[t] - sum(w * values[t - 1 - j] for j, w in enumerate(weights))
        log_det += mp.log(variance)
        total += error * error / variance
    n = z.size
    return float(-(n * (mp.log(2 * mp.pi * total / n) + 1) + log_det) / 2)


def main() -> None:
    mp.mp.dps = DIGITS
    rng = np.random.default_rng(1)
    worst = {"up to 0.95": (0.0, 0), "above 0.95": (0.0, 0)}
    for _ in range(CASES):
        p, q, n = rng.integers(0, 6), rng.integers(0, 6), rng.integers(10, 160)
        phi, theta = np.empty(p), np.empty(q)
        u = rng.normal(size=p + q) * rng.choice([0.5, 1.0, 2.0])
        arma.to_coefficients(u[:p], 1.0, phi)
        arma.to_coefficients(u[p:], -1.0, theta)
        z = rng.normal(size=n).cumsum()
        found, expected = arma.arma_log_likelihood(z, phi, theta, 0.0), slow_log_likelihood(z, phi, theta)
        partials = np.abs(u / np.sqrt(1 + u**2))
        kind = "above 0.95" if (partials > 0.95).any() else "up to 0.95"
        error, count = worst[kind]
        worst[kind] = max(error, abs(found / expected - 1.0)), count + 1
    print(f"{CASES} random models of orders 0-5 and 0-5 on 10-159 values; largest relative difference:\n")
    print("| largest partial autocorrelation | cases | largest difference |")
    print("| --- | --- | --- |")
    for kind, (error, count) in worst.items():
        print(f"| {kind} | {count} | {error:.1e} |")
