"""What a pool of 1,000 items costs in precision: probabilities that its quantiles really hold, against larger pools."""

import numpy as np
from scipy.stats import norm
from scipy.stats import t as student

from veridex.core.calibration import pool as pooling
from veridex.core.calibration.hindcast import Hindcast
from veridex.core.calibration.pool import Pool
from veridex.core.laws.warp import KNOTS

__all__ = ["main"]

ORIGINS, STEPS, DRAWS = 24, 6, 12
SIZES = (100, 1_000, 6_000)
LEVELS = (2.5, 10.0, 90.0, 97.5)
DEGREES, SPREAD = 5.0, 1.2
"""Items' scores: Student's law, wider than the normal one that was forecast."""


def fits(seed: int, shared: float) -> list[Hindcast]:
    """Evidence of as many items as the largest pool, whose scores share a part of each period's surprise."""
    rng = np.random.default_rng(seed)
    origins = np.arange(100, 100 + ORIGINS)
    ends = origins[:, None] + np.arange(1, STEPS + 1) - origins[0]
    common = rng.normal(size=ends.max() + 1)[ends]
    made = []
    for k in range(SIZES[-1]):
        own = student.rvs(DEGREES, size=(ORIGINS, STEPS), random_state=rng) / np.sqrt(DEGREES / (DEGREES - 2.0))
        scores = SPREAD * (np.sqrt(shared) * common + np.sqrt(1.0 - shared) * own)
        made.append(
            Hindcast(
                item=f"draw {seed}, item {k}",
                origins=origins,
                cycles=6.0,
                actuals=scores,
                points=0.0 * scores,
                spread=np.ones(scores.shape),
                transforms=norm.cdf(scores),
                weights=np.zeros(scores.shape),
                supports=np.tile([-np.inf, 0.0], (ORIGINS, 1)),
                claimed=np.ones(ORIGINS, dtype=bool),
            )
        )
    return made


def shapes(evidence: list[Hindcast]) -> dict[int, np.ndarray]:
    """Scores of the knots in the middle lead time, from pools of each size."""
    found, usual = {}, pooling.SAMPLE
    for size in SIZES:
        pooling.SAMPLE = size
        pool = Pool.of(*(("regular", fit) for fit in evidence))
        found[size] = pool.peers("nobody", "regular", 6.0).shape[STEPS // 2]
    pooling.SAMPLE = usual
    return found


def main() -> None:
    """Print how far the probability at each level lies off that of 6,000 items: root mean squares over draws."""
    print(f"{DRAWS} draws; percent by which a level's probability is off that of {SIZES[-1]:,} items.\n")
    print("| shared | items | " + " | ".join(f"at {level:g} %" for level in LEVELS) + " |")
    print("| --- |" + " --- |" * (len(LEVELS) + 1))
    for shared in (0.0, 0.3):
        off: dict[int, list[np.ndarray]] = {size: [] for size in SIZES[:-1]}
        for seed in range(DRAWS):
            found = shapes(fits(seed, shared))
            at = [np.interp(norm.ppf(level / 100.0), KNOTS, found[SIZES[-1]]) for level in LEVELS]
            for size, rows in off.items():
                # Where the scores of the smaller pool's quantiles stand in the larger pool.
                own = [np.interp(norm.ppf(level / 100.0), KNOTS, found[size]) for level in LEVELS]
                stands = norm.cdf(np.interp(own, found[SIZES[-1]], KNOTS)) - norm.cdf(
                    np.interp(at, found[SIZES[-1]], KNOTS)
                )
                rows.append(100.0 * stands)
        for size, rows in off.items():
            errors = np.sqrt(np.mean(np.square(rows), axis=0))
            print(f"| {shared:g} | {size:,} | " + " | ".join(f"{error:.2f}" for error in errors) + " |", flush=True)
    print()
