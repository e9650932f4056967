"""What campaigns added: from what came before only, with earlier spans and controls held against plain computations."""

import numpy as np
import pytest

import veridex as vx
from conftest import inside, monthly
from veridex.errors import ItemUnknown, ParameterError

NAIVE = ["seasonal-naive"]


def drawn(seed=0, n=96, level=None):
    rng, t = np.random.default_rng(seed), np.arange(n)
    level = np.ones(n) if level is None else level
    return np.round(800 * level * (1 + 0.2 * np.sin(2 * np.pi * t / 12)) * np.exp(0.05 * rng.normal(size=n)))


@pytest.fixture(scope="module")
def values():
    found = drawn()
    found[90:] = np.round(1.3 * found[90:])
    return found


@pytest.fixture(scope="module")
def found(values):
    return vx.campaign(monthly(values, item="jar"), begins="2025-07", lineup=NAIVE)


def test_what_is_added_is_what_came_less_what_would_have(values, found):
    (row,) = found.total.to_dict("records")
    assert (
        found.frame["expected"].tolist() == values[78:84].tolist()
        and found.frame["actual"].tolist() == values[90:].tolist()
    )
    assert row["expected"] == values[78:84].sum() and row["added"] == values[90:].sum() - values[78:84].sum()
    law = found.publication["jar"].total_law(6)
    assert row["lower"] == pytest.approx(row["actual"] - law.quantile(97.5), abs=1)
    assert row["upper"] == pytest.approx(row["actual"] - law.quantile(2.5), abs=1)
    assert row["percent"] == pytest.approx(100 * row["added"] / row["expected"]) and row["lower"] > 0
    for one in found.frame.to_dict("records"):
        own = found.publication["jar"].law(one["step"])
        assert one["lower"] == pytest.approx(one["actual"] - own.quantile(97.5), abs=1)
        assert one["chance"] == pytest.approx(own.chance(one["actual"]))
    assert found.in_words().startswith("jar: from 2025-07 to 2025-12") and "% of such spans" in found.in_words()


def test_earlier_spans_are_forecasts_made_before_them(values, found):
    spans = found.placebo
    n = len(spans)
    assert n >= 8 and found.total["spans"].iloc[0] == n
    for k, one in enumerate(spans.to_dict("records")):
        stop = 90 - 6 * k  # they do not overlap, the last ends right before the campaign
        assert str(one["ends"])[:7] == str(np.datetime64("2018-01", "M") + stop - 1)
        assert (one["actual"], one["expected"]) == (values[stop - 6 : stop].sum(), values[stop - 18 : stop - 12].sum())
    far = int((spans["score"].abs() >= 3.0).sum())
    assert far == 0 and found.total["as_much"].iloc[0] == 0
    assert found.total["placebo"].iloc[0] == pytest.approx(100 / (1 + n))
    quiet = vx.campaign(monthly(drawn(), item="jar"), begins="2025-07", lineup=NAIVE).total.iloc[0]
    assert quiet["placebo"] == pytest.approx(100 * (1 + quiet["as_much"]) / (1 + n)) and quiet["as_much"] > 0


def test_nothing_that_came_later_is_known(values, found):
    changed = values.copy()
    changed[90:] *= 2
    again = vx.campaign(monthly(changed, item="jar"), begins="2025-07", lineup=NAIVE)
    assert again.frame["expected"].tolist() == found.frame["expected"].tolist()
    assert again.placebo.equals(found.placebo)


def test_a_control_tells_what_would_have_come_anyway():
    level = np.exp(np.cumsum(np.where(np.arange(96) < 84, 0.02, 0.05) * np.random.default_rng(3).normal(size=96)))
    jar, lid = drawn(1, level=level), drawn(2, level=level)
    history = vx.History.of([monthly(jar, item="jar")["jar"], monthly(lid, item="lid")["lid"]])
    lineup = ["seasonal-naive", "driver-regression", "theta"]
    alone = vx.campaign(history, begins="2025-01", items=["jar"], lineup=["seasonal-naive", "theta"]).total.iloc[0]
    held = vx.campaign(history, begins="2025-01", controls=["lid"], lineup=lineup)
    row = held.total.iloc[0]
    assert held.controls == ("lid",) and held.publication.items == ("jar",)
    assert row["upper"] - row["lower"] < alone["upper"] - alone["lower"] and row["lower"] < 0 < row["upper"]
    lid[84:] *= 1.5
    moved = vx.History.of([history["jar"], monthly(lid, item="lid")["lid"]])
    assert (
        vx.campaign(moved, begins="2025-01", controls=["lid"], lineup=lineup).total["expected"].iloc[0]
        > row["expected"]
    )


def test_several_items_have_a_total_of_all(values):
    many = vx.History.of([monthly(values, item="jar")["jar"], monthly(drawn(4), item="lid")["lid"]])
    found = vx.campaign(many, begins="2025-07", lineup=NAIVE)
    rows = found.total.set_index("item")
    assert rows.index.tolist() == ["jar", "lid", "all"] and rows.loc["all", "added"] == rows["added"][:2].sum()
    assert rows.loc["all", "upper"] - rows.loc["all", "lower"] < (rows["upper"] - rows["lower"])[:2].sum()
    assert "all: from" in found.in_words() and "lid: from" in found.in_words("lid")
    wax = vx.History.from_numbers(values, start="2018-01", cadence="monthly", item="wax", adds="mean")
    mean = vx.campaign(wax, begins="2025-07", lineup=NAIVE)
    assert mean.total["added"].iloc[0] == pytest.approx(rows.loc["jar", "added"] / 6)
    assert mean.placebo["expected"].iloc[0] == pytest.approx(values[72:78].mean())


def test_what_cannot_be_a_campaign_is_refused(values):
    jar = monthly(values, item="jar")
    drivers = vx.Drivers.from_frame(jar.to_frame()[["period", "demand"]], cadence="monthly", known_ahead="all")
    for given, said in (
        ({"begins": "2026-03"}, "the history until 2025-12"),
        ({"begins": "2018-01"}, "known both before it and in it"),
        ({"begins": "2025-07", "controls": ["jar"], "items": ["jar"]}, "jar: known both"),
        ({"begins": "2025-07", "ends": "2025-01"}, "it goes from 2025-07 to 2025-01"),
    ):
        with pytest.raises(ParameterError, match=said):
            vx.campaign(jar, **given)
    with pytest.raises(ItemUnknown):
        vx.campaign(jar, begins="2025-07", items=["lid"])
    both = vx.History.of([jar["jar"], monthly(drawn(4), item="lid")["lid"]])
    with pytest.raises(ParameterError, match="columns known ahead"):
        vx.campaign(both, begins="2025-07", controls=["lid"], drivers=drivers)
    with pytest.raises(ParameterError, match="the campaign touched jar"):
        vx.campaign(jar, begins="2025-07", lineup=NAIVE).in_words("lid")


def test_the_command_says_what_was_added(values, tmp_path):
    monthly(values, item="jar").to_frame().to_csv(tmp_path / "jar.csv", index=False)
    words = [
        "campaign",
        tmp_path / "jar.csv",
        "--item",
        "item",
        "--cadence",
        "monthly",
        "--quiet",
        "--begins",
        "2025-07",
    ]
    page = inside(*words, "--methods", "seasonal-naive", "--figures", tmp_path)
    assert (tmp_path / "jar-campaign.png").is_file()
    assert page.returncode == 0 and "Added by period" in page.stdout and "Earlier spans of this length" in page.stdout
    assert "jar: from 2025-07 to 2025-12" in page.stdout
    table = inside(*words, "--part", "placebo", "--as", "csv")
    assert table.stdout.startswith("item,begins,ends,actual,expected,added,percent,score")
