"""Do tests whether methods differ hold their level where they do not?"""

import numpy as np

from veridex.core.scoring.comparison import diebold_mariano, mean_ranks, paired_bootstrap, paired_over_origins

__all__ = ["main"]

DRAWS = 4000
CASES = ((24, 1), (60, 1), (36, 12), (60, 12), (120, 12))
SHARED = 600


def main() -> None:
    print(f"Percent of {DRAWS} draws in which the test of equal accuracy rejects at 5 % (simulation error 0.3): two")
    print("methods with errors of one law, moving averages of the lead time's order; power where one errs by a third")
    print("more. Bar at lead times 1 and 12: 3.5 to 6.5.\n")
    print(
        "| origins | lead time | absolute errors | squared errors | power, absolute |\n| --- | --- | --- | --- | --- |"
    )
    for n, lead in CASES:
        rng = np.random.default_rng(np.random.SeedSequence([31, n, lead]))
        rejected = np.zeros(3)
        for _ in range(DRAWS):
            shocks = rng.normal(size=(2, n + lead - 1))
            first, second = (np.convolve(one, np.ones(lead), mode="valid") for one in shocks)
            pairs = ((np.abs(first), np.abs(second)), (first**2, second**2), (np.abs(first), np.abs(second) * 4 / 3))
            rejected += [diebold_mariano(*pair, lead).p_value < 0.05 for pair in pairs]
        shares = " | ".join(f"{100 * share / DRAWS:.1f}" for share in rejected)
        print(f"| {n} | {lead} | {shares} |")
    common_shocks()


METHODS, MEMORY = 5, 6


def losses(rng: np.random.Generator, items: int, origins: int, lead: int, shared: float) -> np.ndarray:
    """Mean absolute errors (items, methods, origins) of methods of one law, their forecasts off by means of six shocks.

    A share of the noise of demand is everybody's, and as large a share of what puts a method's forecasts off.
    """

    def noise(*shape: int) -> np.ndarray:
        return np.sqrt(shared) * rng.normal(size=shape[1:]) + np.sqrt(1 - shared) * rng.normal(size=shape)

    y = noise(items, origins + lead)
    shocks = noise(items, METHODS, origins + MEMORY - 1)
    windows = np.lib.stride_tricks.sliding_window_view(shocks, MEMORY, axis=2)
    points = windows.mean(axis=3)  # a sixth of the variance of demand, as a mean of six values is off
    ahead = np.lib.stride_tricks.sliding_window_view(y, lead, axis=1)[:, 1 : origins + 1]
    return np.abs(ahead[:, None] - points[..., None]).mean(axis=3)


def common_shocks() -> None:
    print(f"\nOver 100 items: percent of {SHARED} draws rejected at 5 %. Equal methods on noise of which a share is")
    print("everybody's; the test over items and origins, the same with items taken as independent, and mean ranks of")
    print("five methods (the best and the worst beyond the critical distance), so and with items independent.\n")
    print("| shared | origins | lead time | over origins | items alone | ranks | ranks, items alone |")
    print("| --- | --- | --- | --- | --- | --- | --- |")
    for shared in (0.0, 0.2, 0.33):
        for origins, lead in ((12, 12), (24, 12), (24, 6), (24, 1)):
            rng = np.random.default_rng(np.random.SeedSequence([32, origins, lead, int(100 * shared)]))
            rejected = np.zeros(4)
            for _ in range(SHARED):
                one = losses(rng, 100, origins, lead, shared)
                means = one.mean(axis=2)
                ranks = [mean_ranks(means, one, lead), mean_ranks(means)]
                rejected += [
                    paired_over_origins(one[:, 0] - one[:, 1], lead).p_value < 0.05,
                    paired_bootstrap(means[:, 0], means[:, 1]).p_value < 0.05,
                    *(np.ptp(found.ranks) > found.critical for found in ranks),
                ]
            print(
                f"| {shared:g} | {origins} | {lead} | {' | '.join(f'{x:.1f}' for x in 100 * rejected / SHARED)} |",
                flush=True,
            )
