"""What figures should have been: from what came before only, with causes held against plain probabilities."""

import numpy as np
import pytest

import veridex as vx
from conftest import inside, monthly
from veridex.core.publication.slips import LEAST, RIGHT, likely_slips

LINEUP = ["seasonal-naive", "theta"]


def values(seed, level=40_000, n=72):
    t = np.arange(n)
    noise = np.exp(0.04 * np.random.default_rng(seed).normal(size=n))
    return np.round(level * (1 + 0.2 * np.sin(2 * np.pi * t / 12)) * noise)


def sheet(**last):
    """Accounts whose last figure is replaced."""
    many = []
    for k, (name, make) in enumerate(last.items()):
        own = values(k)
        own[-1] = make(own)
        many += monthly(own, item=name)
    return vx.History.of(many)


@pytest.fixture(scope="module")
def accounts():
    return sheet(
        right=lambda y: y[-1],
        ten=lambda y: 10 * y[-1],
        sign=lambda y: -y[-1],
        twice=lambda y: 2 * y[-1],
        half=lambda y: np.round(y[-1] / 2),
        year=lambda y: y[-13],
        change=lambda y: np.round(1.37 * y[-1]),
    )


@pytest.fixture(scope="module")
def found(accounts):
    return vx.control(accounts, period="2023-12", lineup=LINEUP)


def test_slips_are_found_and_named(accounts, found):
    rows = found.frame.set_index("item")
    assert rows.loc["right", "verdict"] == "as expected" and np.isnan(rows.loc["right", "instead"])
    said = {"ten": "ten times too large", "sign": "the sign is wrong", "twice": "twice the amount"}
    said |= {"half": "half of it is missing", "change": "a real change, or chance"}
    for item, cause in said.items():
        assert (rows.loc[item, "verdict"], rows.loc[item, "cause"]) == ("look into it", cause)
    assert rows.loc["year", "cause"] == "another period's figure: 2022-12" and len(found.unexpected) == 6
    assert rows.loc["ten", "instead"] == values(1)[-1] and rows.loc["half", "instead"] == pytest.approx(
        values(4)[-1], abs=1
    )
    assert "Likeliest: ten times too large" in found.why("ten") and found.why("right").endswith("as expected.")
    assert "6 of 7 figures of 2023-12 are to be looked into" in found.in_words()
    assert "1 the very figure of another period" in found.in_words() and "About 0.4 of 7" in found.in_words()


def test_the_expectation_knows_nothing_of_the_period(accounts, found):
    longer = [
        monthly(np.append(one.values * np.where(np.arange(72) == 71, 3.0, 1.0), 7.0), item=one.item) for one in accounts
    ]
    again = vx.control(vx.History.of([each for many in longer for each in many]), period="2023-12", lineup=LINEUP)
    ours, theirs = (one.frame.set_index("item").sort_index() for one in (found, again))
    for column in ("expected", "lower", "upper"):
        assert ours[column].to_numpy().tobytes() == theirs[column].to_numpy().tobytes()
    before = accounts.until("2023-11")
    trial = vx.backtest(before, LINEUP, "rolling horizon=1 origins=24", levels=95)
    made = vx.publish(before, vx.decide(trial), horizon=1, levels=95)
    assert made["right"].outlook.points[0] == ours.loc["right", "expected"]


def test_causes_are_weighed_by_bayes_rule():
    law = vx.publish(monthly(values(1)), method="mean", horizon=1)["smoker-01"].law(1)
    figure = 84_231.0
    slips = likely_slips(figure, law, [("2022-12", 1.0)], 0).found
    share = {one.cause.partition(":")[0]: one.share for one in slips}

    def mass(value, width=1.0):
        low, high = law.cdf([value - width / 2, value + width / 2])
        return max(high - low, LEAST * min(width / abs(value), 1.0))

    digits, weights = "84231", {}
    swapped = [digits[:k] + digits[k + 1] + digits[k] + digits[k + 2 :] for k in range(4)]
    weights["two digits are swapped"] = sum(mass(float(one)) for one in swapped) / 4
    weights["half of it is missing"] = mass(2 * figure, 2.0)
    weights["the sign is wrong"] = mass(-figure)
    scale = max(abs(law.mean), law.std)
    change = 1 / (np.pi * scale * (1 + ((figure - law.mean) / scale) ** 2)) + RIGHT * mass(figure)
    for cause, weight in weights.items():
        assert share[cause] / share["a real change, or chance"] == pytest.approx(weight / change)
    assert "twice the amount" not in share and "another period's figure" not in share  # it is odd, and stands nowhere
    assert sum(share.values()) == pytest.approx(1.0)


def test_tolerance_level_and_rents(accounts):
    loose = vx.control(accounts, period="2023-12", lineup=LINEUP, tolerance=500).frame.set_index("item")
    assert (
        loose.loc["twice", "verdict"] == "unusual, within tolerance" and loose.loc["ten", "verdict"] == "look into it"
    )
    rent = np.repeat([1_200.0, 1_260.0, 1_310.0, 1_350.0], 12) + np.r_[np.zeros(47), 0.0]
    assert vx.control(monthly(rent, item="rent"), period="2021-12", lineup=["naive"]).unexpected.empty
    with pytest.raises(vx.errors.ParameterError, match="not below zero"):
        vx.control(accounts, period="2023-12", lineup=LINEUP, tolerance=-1)
    with pytest.raises(vx.errors.ParameterError, match="no item has a figure in it and a history before it"):
        vx.control(accounts, period="2030-01", lineup=LINEUP)


def test_the_command_says_what_to_look_into(accounts, tmp_path):
    vx.write(accounts, tmp_path / "accounts.csv")
    words = ["control", tmp_path / "accounts.csv", "--item", "item", "--at", "2023-12"]
    words += ["--methods", "seasonal-naive, theta"]
    done = inside(*words, "--keep-unfinished")
    assert done.returncode == 3 and "Figures of 2023-12: 7 of 7" in done.stdout, done.stderr
    assert "the sign is wrong" in done.stdout and "6 of 7 figures of 2023-12" in done.stdout
    table = inside(*words, "--keep-unfinished", "--as", "csv").stdout
    assert table.startswith("item,period,figure,expected,") and len(table.splitlines()) == 8
    assert inside(*words, "--keep-unfinished", "--tolerance", "100000").returncode == 3  # the very figure of last year
    one = ["item=right" if word == "item" else word for word in words]
    assert inside(*one, "--keep-unfinished").returncode == 0
