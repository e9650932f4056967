"""Plans: what a call says is written down, every command takes it for FILE, words beside it win."""

import re
from pathlib import Path

import pandas as pd
import pytest

import veridex as vx
from conftest import inside, veridex
from veridex.demo.files import PLAN
from veridex.plan.page import page
from veridex.plan.reading import read_plan

ROOT = Path(__file__).parents[2]
WORDS = ["--item", "sku", "--period", "month", "--demand", "units", "--stock-out", "out_of_stock"]


@pytest.fixture(scope="module")
def plan(ten_csv, data):
    """A plan beside the data of ten items."""
    (ten_csv.parent / "events.csv").write_bytes((data / "events.csv").read_bytes())
    words = [*WORDS, "--tidy", "gaps=interpolate", "--horizon", 4, "--methods", "seasonal-naive, theta, drift"]
    words += ["--override", "smoker-01: drift: it will be replaced", "--publish-to", ten_csv.parent / "out"]
    done = veridex("plan", ten_csv.name, *words, "--to", "plan.toml", cwd=ten_csv.parent)
    assert done.returncode == 0, done.stderr
    return ten_csv.parent / "plan.toml"


def test_a_plan_says_what_the_call_said_and_what_was_found_out(plan, ten_csv):
    text = plan.read_text()
    for line in (
        "plan = 1",
        "# 10 items, monthly, 2016-10 to 2025-08",
        "# Months without a row:",
        f'file = "{ten_csv.name}"',
        'cadence = "monthly"',
        '# Unfinished period dropped: 10 periods of 10 items.\ngaps = "interpolate"',
        'methods = ["seasonal-naive", "theta", "drift"]',
        'scheme = "rolling horizon=4 origins=24 anchor=12"',
        '[[decide.override]]\nitem = "smoker-01"\nmethod = "drift"\nreason = "it will be replaced"',
        "horizon = 4\nlevels = [80, 95]",
        'to = "out"',
    ):
        assert line in text, line
    read = read_plan(plan)
    assert read.rules == "gaps=interpolate" and read.item("smoker-01") == "sku=smoker-01" and read.item("sku") == "sku"
    told = ["--tolerance", 20, "--webhook", "$LARK_HOOK"]
    again = inside("plan", plan, "--to", plan.parent / "again.toml", *told)  # a plan is a FILE here too
    assert again.returncode == 0 and 'methods = ["seasonal-naive", "theta", "drift"]' in again.stdout
    third = inside("plan", plan.parent / "again.toml", "--to", plan.parent / "third.toml")
    lost = set(again.stdout.splitlines()) - set(third.stdout.splitlines())
    assert not lost and 'webhook = "$LARK_HOOK"' in third.stdout and 'to = "out"' in third.stdout, lost
    secret = inside("plan", plan, "--to", plan.parent / "no.toml", "--webhook", "https://larkmoor.example/T0k3n")
    assert secret.returncode == 2 and "no.toml, tell.webhook: it is secret" in secret.stderr
    assert "T0k3n" not in secret.stderr and not list(plan.parent.glob("*no.toml*"))


def written(plan):
    """What stands where a plan publishes to, and since when; other tests may have published already."""
    return sorted((path, path.stat().st_mtime_ns) for path in (plan.parent / "out").rglob("*"))


def test_every_command_takes_a_plan_for_its_file(plan, ten_csv, tmp_path):
    one, words = ["--item", "smoker-01"], ["--tidy", "gaps=interpolate", "--as", "csv"]
    long = [ten_csv, *[word.replace("sku", "sku=smoker-01") for word in WORDS]]
    before = written(plan)
    for verb, more in (
        ("profile", []),
        ("look", []),
        ("stationarity", []),
        ("fit", ["--method", "theta", "--part", "forecast", "--horizon", 4]),
        ("tune", ["--method", "moving-average", "--grid", "window=2,12", "--scheme", "rolling horizon=4 origins=6"]),
        ("backtest", ["--methods", "seasonal-naive, theta", "--scheme", "rolling horizon=4 origins=24 anchor=12"]),
    ):  # fmt: skip
        given = words[2:] if verb == "profile" else words
        short, spelled = inside(verb, plan, *one, *more, "--as", "csv"), inside(verb, *long, *more, *given)
        assert short.returncode == 0 and short.stdout == spelled.stdout, (verb, short.stderr)
    bare = inside("fit", plan, *one, "--method", "theta", "--part", "forecast", "--as", "csv").stdout
    assert (
        bare
        == inside("fit", plan, *one, "--method", "theta", "--part", "forecast", "--horizon", 4, "--as", "csv").stdout
    )
    assert written(plan) == before  # only `publish` and `run` write where a plan says
    wins = inside("backtest", plan, "--methods", "naive", "--origins", 3, "--horizon", 2, "--as", "csv")
    assert wins.returncode == 0 and "holdout" not in wins.stdout and len(wins.stdout.splitlines()) == 3


def test_the_command_of_length_one_publishes(plan, tmp_path):
    done = inside("publish", plan)
    assert done.returncode == 0, done.stderr
    publication = vx.read_publication(plan.parent / "out")
    assert publication["smoker-01"].override.reason == "it will be replaced"
    assert publication.head.horizon == 4 and "rolling" in publication.manifest["backtest"]["scheme"]
    text = re.sub(r"\s+", " ", done.stdout)
    assert "overridden" in text and "wape" in text and "bias" in text and "all 10 " in text
    total = publication.forecasts.groupby("item")["value"].sum().sum()
    assert f"{total:,.0f}"[:4] in text


def test_schemes_and_conditions_are_words_of_the_command_line(ten_csv):
    words = [ten_csv, *WORDS, "--methods", "seasonal-naive, theta", "--tidy", "gaps=interpolate"]
    held = inside("backtest", *words, "--scheme", "holdout last=6", "--part", "errors", "--as", "csv")
    table = pd.read_csv(pd.io.common.StringIO(held.stdout))
    assert held.returncode == 0 and table["origin"].nunique() == 1 and table["step"].max() == 6
    mixed = inside("backtest", *words, "--scheme", "holdout last=6", "--origins", 3)
    assert mixed.returncode == 2 and "a holdout has no origins" in mixed.stderr
    asked = ["--lead-times", "1,2", "--bias-limit", 30, "--coverage-floor", "80,1", "--rule", "single", "--simplest"]
    done = inside("publish", *words, "--scheme", "rolling horizon=3 origins=6", "--horizon", 3, *asked, "--as", "json")
    assert done.returncode == 0, done.stderr
    idle = inside("publish", *words, "--horizon", 3, "--keep", "until worse")
    assert idle.returncode == 2 and "--keep does nothing here" in idle.stderr
    wrong = inside("publish", *words, "--horizon", 3, "--coverage-floor", "80")
    assert wrong.returncode == 2 and "write a level and the percent" in wrong.stderr
    assert vx.scheme("holdout share=15% boundary=month") == vx.Holdout(share=0.15, boundary="month")
    assert vx.scheme("rolling horizon=12 window=36") == vx.RollingOrigin(horizon=12, window=36)
    with pytest.raises(vx.errors.ParameterError, match="say how far to look"):
        vx.scheme("rolling origins=3")


def test_a_fit_is_kept_and_applied_to_newer_demand(ten_csv, tmp_path):
    one = [ten_csv, *[word.replace("sku", "sku=smoker-01") for word in WORDS], "--tidy", "gaps=interpolate"]
    kept = inside("fit", *one, "--until", "2024-12", "--method", "theta", "--to", tmp_path / "model.json")
    assert kept.returncode == 0 and "Written to" in kept.stderr
    done = inside("apply", tmp_path / "model.json", *one, "--horizon", 3, "--as", "csv")
    fitted = vx.read_fitted(tmp_path / "model.json")
    newer = vx.read_history(ten_csv, item="sku", period="month", demand="units", stock_out="out_of_stock")
    again = fitted.apply(vx.tidy(newer, gaps="interpolate").history["smoker-01"]).forecast(3)
    assert pd.read_csv(pd.io.common.StringIO(done.stdout))["forecast"].to_numpy() == pytest.approx(again.points)
    assert "estimated up to 2024-12, carried on to 2025-08" in inside("apply", tmp_path / "model.json", *one).stdout


def test_scenarios_are_published_beside_the_first_future(ten_csv, data):
    one = [ten_csv, *[word.replace("sku", "sku=smoker-01") for word in WORDS], "--until", "2025-08", "--horizon", 2]
    one += ["--drivers", data / "prices.csv", "--known-ahead", "price_index", "--method", "harmonic"]
    done = inside("publish", *one, "--scenario", "dearer since 2025-09: price_index=+10%", "--as", "csv")
    table = pd.read_csv(pd.io.common.StringIO(done.stdout))
    assert done.returncode == 0 and set(table["scenario"].dropna()) == {"dearer"}
    wrong = inside("publish", *one, "--scenario", "dearer: price_index")
    assert wrong.returncode == 2 and "write 'NAME since PERIOD: DRIVER=+10%, DRIVER=5'" in wrong.stderr


def test_the_page_of_the_plan_file_is_written_from_the_requests(data):
    assert (ROOT / "docs" / "plan-file.md").read_text() == page()
    assert len((data / PLAN).read_text().splitlines()) < 40
