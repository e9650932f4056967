"""Slips planted in figures of a month: how many are found, whether the right cause is named first, and false alarms."""

import sys

import numpy as np

import veridex as vx

ITEMS, RIGHT, TOLERANCE = 60, 240, 10.0
KINDS = {
    "digits swapped": ("two digits are swapped",),
    "another period": ("another period's figure",),
    "factor ten": ("ten times too large", "ten times too small"),
    "sign": ("the sign is wrong",),
    "doubled": ("twice the amount",),
    "half missing": ("half of it is missing",),
}


def account(rng: np.random.Generator) -> np.ndarray:
    """Four to eight years of a figure between 300 and 100,000, with a trend, a season and noise of 3 to 10 %."""
    n = int(rng.integers(48, 97))
    t = np.arange(n)
    season = 1 + rng.uniform(0, 0.3) * np.sin(2 * np.pi * (t + rng.integers(12)) / 12)
    trend = 1 + rng.uniform(-0.003, 0.006) * t
    noise = np.exp(rng.uniform(0.03, 0.1) * rng.normal(size=n))
    return np.round(10 ** rng.uniform(2.5, 5) * trend * season * noise)


def slipped(kind: str, values: np.ndarray, rng: np.random.Generator) -> float:
    """What stands in place of the last figure."""
    last = float(values[-1])
    if kind == "digits swapped":
        digits = str(int(last))
        places = [k for k in range(len(digits) - 1) if digits[k] != digits[k + 1]]
        k = int(rng.choice(places)) if places else 0
        return float(digits[:k] + digits[k + 1] + digits[k] + digits[k + 2 :])
    if kind == "another period":
        return float(values[-1 - int(rng.choice([1, 12]))])
    if kind == "factor ten":
        return 10 * last if rng.random() < 0.5 else round(last / 10)
    return {"sign": -last, "doubled": 2 * last, "half missing": round(last / 2)}[kind]


def main() -> None:
    rng = np.random.default_rng(24)
    many, off = [], {}
    for kind in ("right", *KINDS):
        for k in range(RIGHT if kind == "right" else ITEMS):
            values = account(rng)
            true, name = float(values[-1]), f"{kind} {k}"
            values[-1] = true if kind == "right" else slipped(kind, values, rng)
            off[name] = 100 * abs(values[-1] - true) / true
            start = str(np.datetime64("2025-09") - values.size)
            many += vx.History.from_numbers(values, start=start, cadence="monthly", item=name)
    history = vx.History.of(many)
    found = vx.control(history, period="2025-08", tolerance=TOLERANCE, engine="processes").frame.set_index("item")
    looked = found["verdict"] == "look into it"
    print(f"| slip | beyond {TOLERANCE:g} % | found | right cause first |\n| --- | --- | --- | --- |")
    beyond = caught = right = 0
    for kind, causes in KINDS.items():
        own = [name for name in off if name.startswith(f"{kind} ") and off[name] > TOLERANCE]
        told = [name for name in own if looked[name]]
        named = [name for name in told if found.loc[name, "cause"].partition(":")[0] in causes]
        print(f"| {kind} | {len(own)} | {len(told)} | {len(named)} |")
        beyond, caught, right = beyond + len(own), caught + len(told), right + len(named)
    print(f"| all | {beyond} | {100 * caught / beyond:.1f} % (90) | {100 * right / caught:.1f} % (80) |")
    false = [name for name in off if name.startswith("right ") and looked[name]]
    share = 100 * len(false) / RIGHT
    print(f"\nOf {RIGHT} right figures {share:.1f} % are to be looked into (at most 5, and what chance makes of it).")
    if caught < 0.9 * beyond or right < 0.8 * caught or share > 5.0 + 2 * np.sqrt(5 * 95 / RIGHT):
        sys.exit("a bar is missed")


if __name__ == "__main__":
    main()
