"""What the page carries, against the values it is made of."""

import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx
from conftest import TEN, inside, monthly, seasonal_values
from onepage.reader import block, blocks, digests, items_of
from veridex.onepage.packing import packed


@given(
    st.lists(
        st.lists(st.floats(allow_nan=True, allow_infinity=True) | st.integers(-(10**9), 10**9).map(float), max_size=9),
        max_size=5,
    )
)
def test_columns_come_back_with_six_digits_of_their_largest(columns):
    found = block(packed({"a": [np.array(one) for one in columns], "b": "é\u202e</script>"}))
    assert found["b"] == "é\u202e</script>"
    for one, own in zip(columns, found["a"], strict=True):
        largest = max((abs(value) for value in one if math.isfinite(value)), default=0.0)
        whole = all(value.is_integer() for value in one if math.isfinite(value)) and largest < 2**31
        for value, told in zip(one, own, strict=True):
            if not math.isfinite(value):
                assert told is None
            elif whole:
                assert told == value
            else:
                assert told == pytest.approx(value, abs=0.5000001e-5 * largest, rel=0)


def test_the_page_shows_what_is_published(handed, page, tmp_path):
    publication, kept, items = handed["publication"], blocks(page), items_of(page)
    ahead, head, table = publication.forecasts, kept["head"], kept["table"]
    assert table["item"] == list(publication.items) and head["levels"] == [80, 95]
    for place, item in enumerate(publication.items):
        own, shown, one = ahead[ahead["item"] == item], items[item], publication[item]
        assert shown["ahead"]["points"] == pytest.approx(own["value"].tolist(), rel=1e-4, abs=1e-9)
        bounds = own[["lower_80", "lower_95"]].to_numpy().T.ravel().tolist()
        assert shown["ahead"]["lower"] == pytest.approx(bounds, rel=1e-4, abs=1e-4)
        assert table["next"][place] == pytest.approx(own["value"].iloc[0], rel=1e-4, abs=0.1)
        assert table["total"][place] == pytest.approx(one.totals.points[-1], rel=1e-4, abs=0.1)
        assert table["total_bounds"][1][1][place] == pytest.approx(one.totals.bands.upper[1, -1], rel=1e-4, abs=0.1)
        assert table["value_added"][place] == pytest.approx(one.scores.value_added, abs=1e-3, nan_ok=True)
        past = [None if math.isnan(value) else value for value in one.past.tolist()]
        assert [None if p is None else round(p, 3) for p in shown["past"]] == [p and round(p, 3) for p in past]
        begins = shown["start"] + len(shown["past"])
        assert head["periods"][begins] == str(own["period"].iloc[0])[:7] and shown["why"] == one.why
    assert items["smoker-01"]["override"][0] == "a new grip" and "theta" in items["smoker-01"]["method"]
    assert "y[t]" in items["smoker-01"]["equation"] or "level[t]" in items["smoker-01"]["equation"]
    again = vx.read_publication(vx.write(publication, tmp_path / "now"))
    assert items_of(vx.board(again))["smoker-01"]["equation"] == items["smoker-01"]["equation"]


def test_what_was_held_back_and_who_contended_are_those_of_the_trial(handed, page):
    trial, items = handed["trial"].trial, items_of(page)
    errors, first = trial.errors, blocks(page)["head"]["periods"]
    for item in ("jar-honey-500", "smoker-01", "extractor-bearing"):
        own = errors[errors["item"] == item]
        last, shown = own[own["origin"] == own["origin"].max()], items[item]
        assert first[shown["rivals"]["start"]] == str(last["period"].min())[:7]
        points = np.array(shown["rivals"]["points"], dtype=float).reshape(len(shown["rivals"]["names"]), -1)
        for name, row in zip(shown["rivals"]["names"], points, strict=True):
            told = last[last["method"] == name]["forecast"].tolist()
            if told:
                assert row == pytest.approx(told, rel=1e-4, abs=0.01, nan_ok=True), (item, name)
        choice = handed["trial"].choice(item)
        told = choice.hindcast.points[-1] if choice.joined else last[last["method"] == "theta"]["forecast"]
        assert shown["holdout"]["points"] == pytest.approx(list(told), rel=1e-4, abs=0.01)


def test_errors_by_lead_time_are_means_over_the_cells_that_all_have(handed):
    """Against a slow computation from the table of errors, of a trial alone, where no blend takes cells away."""
    trial, publication = handed["trial"].trial, handed["publication"]
    shown = items_of(vx.board(publication, trial))["jar-honey-500"]["steps"]
    rows = trial.errors.query("item == 'jar-honey-500'")
    rows = rows[rows["method"].isin([one.text for one in trial.entered])]
    wide = rows.pivot_table(index=["origin", "step"], columns="method", values="error", dropna=False).abs()
    wide = wide.dropna(axis=1, how="all").dropna()
    means = wide.groupby("step").mean()
    found = np.array(shown["errors"]).reshape(len(shown["names"]), -1)
    assert shown["origins"] == wide.index.get_level_values("origin").nunique()
    for name, row in zip(shown["names"], found, strict=True):
        assert row == pytest.approx(means[name].to_numpy(), rel=0, abs=1e-5 * np.nanmax(found)), name


def test_the_portfolio_says_what_its_tables_say(handed, page):
    told, publication = blocks(page)["portfolio"], handed["publication"]
    total = publication.totals.query("group == 'all'").iloc[-1]
    (group,) = told["groups"]
    assert [group["points"][-1], group["upper"][1][-1]] == pytest.approx(
        [total["forecast"], total["upper_95"]], rel=1e-5
    )
    ranked = handed["trial"].trial.standings(brief=True)
    rows = told["standings"]["rows"]
    assert [row[1] for row in rows] == pytest.approx(ranked["mase"].tolist(), rel=1e-5, nan_ok=True)
    apart = handed["trial"].trial.compare("theta", "seasonal-naive", measure="mase")
    theta = next(row for row in rows if row[0] == "theta")
    assert told["standings"]["base"] == "seasonal-naive"
    assert theta[3:5] == pytest.approx([apart.lower, apart.upper], rel=1e-5)
    held = handed["trial"].intervals.query("cells > 0 and kind == 'calibrated' and level == 95")
    shown = next(one for one in told["coverage"] if (one["kind"], one["level"]) == ("calibrated", 95))
    assert shown["numbers"][0] == pytest.approx(np.average(held["coverage"], weights=held["cells"]), rel=1e-5)
    assert len(told["watch"]["alerts"]["rows"]) == len(handed["watch"].alerts)
    assert told["record"]["words"] in handed["record"].in_words()
    rows = {row[0]: row for row in told["changes"]["rows"]}
    old, now = (handed[name].forecasts.query("item == 'jar-honey-500'") for name in ("before", "publication"))
    both = old.merge(now, on="period")
    assert rows["jar-honey-500"][3:5] == pytest.approx([both["value_x"].sum(), both["value_y"].sum()], rel=1e-5)
    assert rows["jar-honey-500"][1] == "seasonal-naive" and told["changes"]["known"] == "2025-05"


HOSTILE = (
    "</script><script>alert(1)</script>",
    '"quoted" & <b>bold</b>',
    "=HYPERLINK(0)",
    "\u202egnp.exe",
    "مكيف 12",
    "{{ 7 * 7 }}",
    "a/b\\c:d",
    "'; go({}); '",
    "x" * 300,
    "tab\there",
)


def test_hostile_names_are_text_and_the_policy_forbids_everything_else():
    series = [monthly(seasonal_values(k, 36), item=name)[name] for k, name in enumerate(HOSTILE)]
    text = vx.board(vx.publish(vx.History.of(series), method="seasonal-naive"))
    kept = blocks(text)
    assert tuple(kept["table"]["item"]) == HOSTILE
    assert not any(name in text for name in HOSTILE if len(name) < 200) and text.count("<script") == text.count(
        "</script"
    )
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', text)[1].replace("&#39;", "'")
    assert policy.startswith("default-src 'none'") and all(f"'sha256-{one}'" in policy for one in digests(text))
    assert "unsafe" not in policy and not re.search(r"(?:src|href)=\"?https?:", text)
    assert not re.search(r"\son[a-z]+=", text.split("<script>")[0])  # no inline handler


def test_untested_short_and_averaged_demand_have_a_board():
    prices = vx.History.from_numbers(
        [4.0, 4.5] * 4 + [5.0], start="2024-01", cadence="monthly", item="wax price", adds="mean"
    )
    told = blocks(vx.board(vx.publish(prices, method="naive", horizon=3)))
    assert told["head"]["adds"] is False and told["head"]["tested"] is False and "coverage" not in told["portfolio"]
    counted = vx.History.from_numbers([1.0, 2.0, 3.0, 2.0], cadence="counted")
    nothing = items_of(vx.board(vx.publish(counted, method="holt-winters")))
    (one,) = nothing.values()
    assert one["reason"] and one["ahead"]["points"] == [None] * 12


def test_what_belongs_to_other_demand_is_refused(handed, verdict, publication):
    other = vx.publish(monthly(seasonal_values(1, 48), item="crate"), method="naive")
    weekly = vx.publish(vx.History.from_numbers([1.0, 2.0] * 30, cadence="weekly", start="2024-01-01"), method="naive")
    strange = vx.backtest(monthly(seasonal_values(1, 60), item="crate"), ["naive"], "holdout last=12")
    for words, said in (
        ({"before": other}, "before=.*none of the items"),
        ({"before": weekly}, "before='?weekly.*monthly"),
        ({"trial": strange}, "trial=.*none of the items"),
    ):
        with pytest.raises(vx.errors.ParameterError, match=said):
            vx.board(publication, **words)


def test_the_command_writes_a_page_from_a_publication_or_a_trial(handed, tmp_path):
    vx.write(handed["publication"], tmp_path / "now")
    vx.write(handed["before"], tmp_path / "before")
    vx.write(handed["trial"].trial, tmp_path / "trial")
    words = ("--from", "trial", "--earlier", "before", "--to", "page.html")
    done = inside("board", "now", *words, cwd=tmp_path)
    assert done.returncode == 0 and "Written to page.html" in done.stderr and not done.stdout
    written = (tmp_path / "page.html").read_text("utf-8")
    given = vx.board(**{**handed, "publication": vx.read_publication(tmp_path / "now")})
    assert items_of(written) == items_of(given)
    assert inside("board", "trial", "--to", "t.html", cwd=tmp_path).returncode == 0
    told = blocks((tmp_path / "t.html").read_text("utf-8"))
    assert told["head"]["horizon"] == 6 and [one["name"] for one in told["portfolio"]["groups"]] == ["all"]
    wrong = {
        ("nowhere",): "nowhere: there is no such file",
        ("now", "--to", "page.pdf"): "Name a file ending in .html",
        ("before", "--from", "trial"): "--from 'trial': the publication was made by a planner's own method",
        ("trial", "--from", "trial"): "is a trial itself",
    }
    for given_words, said in wrong.items():
        refused = inside("board", *given_words, cwd=tmp_path)
        assert refused.returncode == 2 and said in refused.stderr, refused.stderr
    assert sorted(path.name for path in tmp_path.iterdir()) == ["before", "now", "page.html", "t.html", "trial"]
    vx.write(vx.publish(handed["trial"].trial.history, method="naive", past=0), tmp_path / "bare")
    bare = inside("board", "bare", "--earlier", "before", "--to", "b.html", cwd=tmp_path)
    assert bare.returncode == 0 and "what came of earlier ones is not on the page" in bare.stderr
    assert {"changes"} == set(blocks((tmp_path / "b.html").read_text("utf-8"))["portfolio"]) & {
        "watch",
        "record",
        "changes",
    }


PLAN = """
plan = 1

[history]
file = "demand.csv"
item = "sku"
period = "month"
demand = "units"
cadence = "monthly"

[publish]
method = "seasonal-naive"
horizon = 4
to = "out"
board = "page.html"
"""


def test_a_plan_writes_the_page_and_holds_the_last_publication_against_what_came(ten_csv, tmp_path):
    rows = ten_csv.read_text().splitlines()
    month = rows[0].split(",").index("month")
    (tmp_path / "plan.toml").write_text(PLAN)
    for known, parts in (("2025-05", set()), ("2025-08", {"watch", "record", "changes"})):
        kept = [rows[0], *(row for row in rows[1:] if row.split(",")[month] <= known)]
        (tmp_path / "demand.csv").write_text("\n".join(kept))
        done = inside("run", tmp_path / "plan.toml")
        assert done.returncode in (0, 3) and "page.html: one page" in done.stderr, done.stderr
        told = blocks((tmp_path / "page.html").read_text("utf-8"))
        assert set(told["portfolio"]) & {"watch", "record", "changes"} == parts and told["head"]["known"] == known
    (tmp_path / "page.html").unlink()
    again = inside("run", tmp_path / "plan.toml")
    assert "nothing has changed" in again.stdout and "page.html: one page" in again.stderr
    alone = inside("publish", tmp_path / "plan.toml", "--to", tmp_path / "o", "--board", tmp_path / "b.html", "--quiet")
    assert alone.returncode == 0 and items_of((tmp_path / "b.html").read_text("utf-8")).keys() == set(TEN)
    wrong = inside("publish", tmp_path / "plan.toml", "--board", tmp_path / "b.pdf")
    assert wrong.returncode == 2 and "Name a file ending in .html" in wrong.stderr


UNTESTED = "it was not among the methods that were tested"


def test_it_says_whose_a_held_back_forecast_is_and_where_there_is_none(uneven):
    trial, verdict, publication = uneven
    alone, decided = items_of(vx.board(publication, trial)), items_of(vx.board(publication, verdict))
    for item in ("jar", "lid", "sieve"):
        members = publication[item].decided.members
        weights = publication[item].decided.weights
        largest = members[int(np.argmax(weights))].text
        assert alone[item]["holdout"]["name"] == f"{largest}, the largest part of the blend"
        assert decided[item]["holdout"]["name"] == "the blend, as decided then"
    assert "holdout" not in alone["young"]  # what is published of it was never decided by the trial
    assert decided["young"]["holdout"] == {"name": "trimmed mean of 5", "reason": UNTESTED}
    beyond = verdict.override("jar", "croston", "sells rarely from now on")
    told = items_of(vx.board(vx.publish(trial.history, beyond, horizon=6), beyond))["jar"]
    assert told["holdout"] == {"name": "croston", "reason": UNTESTED}
    assert told["rivals"]["won"] == []


def test_totals_that_begin_later_and_lead_times_beyond_the_test_are_said(uneven):
    trial, verdict, publication = uneven
    kept = blocks(vx.board(publication, verdict))
    (group,) = kept["portfolio"]["groups"]
    assert kept["head"]["summed"] == "in all from lead time 3 on"
    assert items_of(vx.board(publication))["jar"]["heading"].endswith("units in all from lead time 3 on")
    members = [trial.history[item].values for item in ("jar", "lid")]
    season = np.cumsum(sum(own[-12:] for own in members)[2:9])
    assert group["season"][:2] == group["points"][:2] == [None, None]
    assert group["season"][2:] == pytest.approx(season, rel=1e-5)
    rows = {one: publication[one].scores.coverage["97.5"] for one in ("jar", "lid", "sieve")}
    assert kept["table"]["coverage"][1][:3] == pytest.approx(list(rows.values()), rel=1e-5)
    assert items_of(vx.board(publication, verdict))["jar"]["tested"] == [1, 7]
    drawn = vx.figures.total(publication)
    assert "in all from lead time 3 on" in drawn.get_suptitle() + "".join(text.get_text() for text in drawn.texts)
    line = max(drawn.axes[1].lines, key=lambda one: one.get_linewidth())
    total = publication.totals.query("group == 'all'")["forecast"]
    assert line.get_ydata()[-1] == pytest.approx(total.iloc[-1])
