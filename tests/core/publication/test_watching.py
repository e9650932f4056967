"""A publication against what came: held against a plain computation; levels, tolerance, and what is missing."""

import numpy as np
import pandas as pd
import pytest
from scipy.stats import multivariate_normal, norm

import veridex as vx
from conftest import inside, monthly, seasonal_values
from veridex.core.publication.watch.signals import chance_of_either
from veridex.errors import ParameterError, VeridexError


@pytest.fixture(scope="module")
def two():
    return vx.History.of([monthly(np.round(seasonal_values(i)), item=f"jar-{i}")[f"jar-{i}"] for i in range(2)])


@pytest.fixture(scope="module")
def published(two):
    return vx.publish(two.until("2025-06"), method="theta", horizon=6, levels=(50, 95))


def test_each_actual_is_held_against_its_band(two, published):
    newer = vx.tidy(two, outliers="repair").history  # what came counts as it was read
    found = vx.watch(published, newer, level=50)
    ahead = published.forecasts.set_index(["item", "step"])
    assert len(found.frame) == 2 * 6 and found.frame["step"].tolist() == [1, 2, 3, 4, 5, 6] * 2
    for row in found.frame.to_dict("records"):
        said = ahead.loc[row["item"], row["step"]]
        actual = two[row["item"]].values[89 + row["step"]]
        assert (row["period"], row["actual"], row["forecast"]) == (said["period"], actual, said["value"])
        assert row["error"] == actual - said["value"] and row["percent_error"] == pytest.approx(
            100 * row["error"] / actual
        )
        outside = "above" if actual > said["upper_50"] else "below" if actual < said["lower_50"] else ""
        assert (row["lower"], row["upper"], row["outside"]) == (said["lower_50"], said["upper_50"], outside)
        assert row["alert"] == (outside != "")
    assert (
        f"{len(found.alerts)} of 12 actuals lie outside their 50 % interval; about 6 would by chance."
        in found.in_words()
    )
    assert found.alerts["error"].abs().is_monotonic_decreasing
    assert vx.watch(published, newer).level == 95 and len(vx.watch(published, newer).alerts) <= len(found.alerts)


def test_a_tolerance_stands_in_for_the_band(two, published):
    strict, loose = (vx.watch(published, two, tolerance=percent) for percent in (0.001, 1000))
    assert len(strict.alerts) == 12 and loose.alerts.empty
    assert "12 of 12 actuals are more than 0.001 % off their forecast." in strict.in_words()


def test_what_has_not_come_is_no_alert(two, published):
    nothing = vx.watch(published, two.until("2025-06"))
    assert nothing.frame.empty and nothing.alerts.empty and "No actual has come" in nothing.in_words()
    values = np.array(two["jar-0"].values)
    values[91] = np.nan
    gap = vx.watch(published, monthly(values, item="jar-0"))
    assert gap.missing == ("jar-1",) and gap.frame["step"].tolist() == [1, 3, 4, 5, 6]
    assert "1 items of it are not in this history" in gap.in_words()


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"level": 90}, "the levels that were published are 50, 95"),
        ({"tolerance": 0}, "percent of the forecast, above zero"),
    ],
)
def test_a_watch_that_cannot_be_is_refused(two, published, given, said):
    with pytest.raises(ParameterError, match=said):
        vx.watch(published, two, **given)
    with pytest.raises(ParameterError, match="the publication is monthly"):
        vx.watch(published, two.at_cadence("quarterly"), **{"level": 95})


def test_the_chance_of_what_came_is_that_of_its_law(two, published):
    found = vx.watch(published, two)
    for row in found.frame.to_dict("records"):
        law = published[row["item"]].law(row["step"])
        count = np.sort(law.sample(4_000, seed=3))
        below = (np.searchsorted(count, row["actual"], "left") + np.searchsorted(count, row["actual"], "right")) / 8_000
        assert row["chance"] == pytest.approx(200 * min(below, 1 - below), abs=4)
    strict, loose = (vx.watch(published, two, false_alerts=count) for count in (1e-9, 2.0))
    assert strict.alerts.empty and len(loose.alerts) == len(loose.frame)  # two false alerts among two items are all
    assert "0 of 12 actuals are alerts; chance brings at most 1e-09 a period." in strict.in_words()
    each = vx.watch(published, two, false_alerts=0.5)
    assert each.frame["alert"].tolist() == (each.frame["chance"] < 25.0).tolist()


def test_the_total_so_far_is_held_against_its_own_law(two, published):
    found = vx.watch(published, two)
    for row in found.total.to_dict("records"):
        own = published.totals.query("name == @row['item'] and step == 6").iloc[0]
        came = two[row["item"]].values[90:96].sum()
        assert (row["periods"], row["actual"], row["forecast"]) == (6, came, own["forecast"])
        assert (row["lower"], row["upper"]) == (own["lower_95"], own["upper_95"])
        assert row["chance"] == pytest.approx(published[row["item"]].total_law(6).chance(came))
    values = np.array(two["jar-0"].values)
    values[92] = np.nan
    gap = vx.watch(published, monthly(values, item="jar-0")).total.iloc[0]
    assert gap["periods"] == 2 and gap["actual"] == values[90:92].sum()
    said = found.why("jar-0")
    assert said.startswith("jar-0: ") and "In 6 periods together" in said and "% lie as far out" in said
    with pytest.raises(ParameterError, match="nothing of it has come"):
        found.why("jar-9")
    prices = vx.History.from_numbers(seasonal_values(), start="2018-01", cadence="monthly", item="wax", adds="mean")
    made = vx.publish(prices.until("2025-06"), method="theta", horizon=6)
    assert vx.watch(made, prices).total["actual"].iloc[0] == pytest.approx(prices["wax"].values[90:96].mean())


def test_words_of_a_watch_that_do_not_go_together(two, published):
    for wrong in ({"false_alerts": 0}, {"false_alerts": 1, "tolerance": 10}):
        with pytest.raises(ParameterError, match="in place of a tolerance"):
            vx.watch(published, two, **wrong)


def test_late_and_corrected_figures_are_recognised(two):
    values = np.array(two["jar-0"].values)
    known = values.copy()
    known[80], known[85] = np.nan, 1.0
    made = vx.publish(monthly(known, item="jar-0").until("2025-06"), method="theta", horizon=3)
    withdrawn = values.copy()
    withdrawn[70] = np.nan
    found = vx.watch(made, monthly(withdrawn, item="jar-0"))
    assert found.corrections["what"].tolist() == ["withdrawn", "late", "corrected"]
    assert found.corrections["period"].astype(str).tolist() == ["2023-11-01", "2024-09-01", "2025-02-01"]
    assert (
        found.corrections["now"].tolist()[1:] == [values[80], values[85]]
        and "3 figures that it knew" in found.in_words()
    )
    assert vx.watch(made, monthly(known, item="jar-0")).corrections.empty


@pytest.fixture(scope="module")
def tested():
    """Three steady items, tested and published six months ahead, with the total of all."""
    rng = np.random.default_rng(5)
    values = 200 + 10 * rng.normal(size=(3, 78))
    whole = vx.History.of([monthly(row, item=f"lid-{i}")[f"lid-{i}"] for i, row in enumerate(values)])
    known = whole.first(72)
    trial = vx.backtest(known, ["mean", "naive", "seasonal-naive"], vx.RollingOrigin(horizon=6, origins=18))
    return whole, vx.publish(known, vx.decide(trial), horizon=6, groups=["all"])


def with_added(whole, item, at, size):
    """The same demand with something added to periods of an item."""
    many = []
    for one in whole:
        values = np.array(one.values)
        values[at] += size if one.item == item else 0.0
        many += monthly(values, item=one.item)
    return vx.History.of(many)


def test_the_signal_smooths_what_each_score_adds_to_those_before(tested):
    whole, made = tested
    found = vx.watch(made, whole, false_alerts=0.5)
    for item, own in found.frame.groupby("item"):
        one, y = made[item], own["actual"].to_numpy()
        scores = np.array([norm.ppf(one.law(h).cdf(float(y[h - 1]))) for h in range(1, 7)])
        r = 0.8 * one.dependence + 0.2 * np.eye(6)
        surprises, expected, alike = [], [], []
        for k in range(6):  # each score less what those before it say, by regression
            slope = np.linalg.solve(r[:k, :k], r[:k, k]) if k else np.empty(0)
            surprises.append((scores[k] - slope @ scores[:k]) / np.sqrt(1.0 - slope @ r[:k, k]))
            weights = 0.7 ** np.arange(k, -1, -1)
            expected.append(weights @ surprises / np.sqrt(weights @ weights))
            alike.append(np.sqrt(1.0 - slope @ r[:k, k]))
        assert own["signal"].to_numpy() == pytest.approx(expected, rel=1e-5)
        drawn = chance_of_either(own["chance"].to_numpy(), own["signal"].to_numpy(), np.array(alike))
        assert drawn[0] == pytest.approx(own["chance"].iloc[0], rel=1e-3)  # at first they are the same
        assert (drawn >= np.minimum(own["chance"], 200 * norm.sf(np.abs(expected))) - 1e-9).all()
    assert "would seem so by chance." in found.in_words()


@pytest.mark.parametrize(("chance", "signal", "alike"), [(2.0, 1.5, 0.3), (5.0, -2.5, 0.7), (0.1, 0.5, 0.95)])
def test_the_chance_of_either_look_is_the_mass_outside_a_square(chance, signal, alike):
    far = max(norm.isf(chance / 200), abs(signal))
    both = multivariate_normal([0, 0], [[1, alike], [alike, 1]])
    inside_square = both.cdf([far, far]) - 2 * both.cdf([-far, far]) + both.cdf([-far, -far])
    found = chance_of_either(np.array([chance]), np.array([signal]), np.array([alike]))
    assert found[0] == pytest.approx(100 * (1 - inside_square), abs=1e-4)


@pytest.mark.parametrize(
    ("at", "size", "what", "since"),
    [
        (slice(74, 75), 90.0, "outlier", "2024-03"),
        (slice(74, 78), -60.0, "level shifted", "2024-03"),
        (slice(77, 78), 160.0, "outlier or shift", "2024-06"),
        (slice(0, 0), 0.0, "as expected", ""),
    ],
)
def test_what_happened_is_said_with_its_date_and_size(tested, at, size, what, since):
    whole, made = tested
    found = vx.watch(made, with_added(whole, "lid-1", at, size), false_alerts=0.05)
    row = found.items.set_index("item").loc["lid-1"]
    assert (row["what"], row["since"][:7]) == (what, since)
    if size:
        assert row["size"] == pytest.approx(size, abs=3 * row["size_error"]) and row["sure"] > 90
        assert found.items["item"].iloc[0] == "lid-1" and "lid-1" in set(found.alerts["item"])
        said = found.why("lid-1")
        assert since in said and ("lower" if size < 0 else "higher") in said
        assert ("Its level is" in said) == (what == "level shifted")
    assert set(found.items.loc[found.items["item"] != "lid-1", "what"]) == {"as expected"}


def test_errors_are_ranked_by_what_they_cost(tested):
    whole, made = tested
    plain, prices = vx.watch(made, whole), {"lid-0": 1.0, "lid-1": 50.0}
    priced = vx.watch(made, whole, prices=prices)
    errors = plain.frame["error"].abs().groupby(plain.frame["item"]).sum()
    assert plain.items.set_index("item")["cost"].to_dict() == pytest.approx(errors.to_dict())
    assert plain.items["cost"].is_monotonic_decreasing and plain.items["share"].sum() == pytest.approx(100)
    assert priced.items["item"].iloc[0] == "lid-1" and np.isnan(priced.items["cost"].iloc[-1])  # no price, no cost
    assert priced.items["cost"].iloc[0] == pytest.approx(50 * errors["lid-1"])
    for wrong, said in (({"lid-0": 0.0}, "a price is a number above zero"), (pd.DataFrame({"item": [1]}), "price")):
        with pytest.raises(VeridexError, match=said):
            vx.watch(made, whole, prices=wrong)


def test_the_total_of_a_group_is_held_against_its_law(tested):
    whole, made = tested
    (row,) = vx.watch(made, whole.first(76)).groups.to_dict("records")
    came = sum(one.values[72:76].sum() for one in whole)
    assert (row["name"], row["items"], row["periods"]) == ("all", 3, 4) and row["actual"] == pytest.approx(came)
    said = made.totals.query("group == 'all' and step == 4").iloc[0]
    assert (row["forecast"], row["lower"]) == (said["forecast"], said["lower_95"])
    assert row["chance"] == pytest.approx(made.groups[0].law(4).chance(came))
    assert vx.watch(made, vx.History.of([whole["lid-0"], whole["lid-1"]])).groups.empty


def test_the_command_watches(tested, tmp_path):
    whole, made = tested
    vx.write(made, tmp_path / "made")
    with_added(whole, "lid-2", slice(75, 78), 80.0).to_frame().to_csv(tmp_path / "newer.csv", index=False)
    (tmp_path / "prices.csv").write_text("item,price\nlid-0,1\nlid-1,1\nlid-2,3\n")
    words = ["watch", tmp_path / "made", tmp_path / "newer.csv", "--item", "item", "--cadence", "monthly", "--quiet"]
    page = inside(*words, "--prices", tmp_path / "prices.csv", "--keep-unfinished", "--figures", tmp_path)
    assert (tmp_path / "watch.png").is_file()
    assert page.returncode == 3 and "Alerts, the dearest first" in page.stdout and "level shifted" in page.stdout
    assert "Its level is" in " ".join(page.stdout.split()) and "Groups so far" in page.stdout
    table = inside(*words, "--part", "totals", "--as", "csv", "--tolerance", "500")
    assert table.returncode == 0 and len(table.stdout.strip().splitlines()) == 1 + 3
