"""Whole commands as a planner types them, and the scripts in `examples`."""

import io
import json
import re

import pandas as pd
import pytest

import veridex as vx
from conftest import inside, veridex

WORDS = ["--period", "month", "--demand", "units", "--stock-out", "out_of_stock", "--until", "2025-08"]
DESCRIBED = ["--item", "sku", *WORDS, "--cadence", "monthly"]
TIDY = ["--tidy", "gaps=interpolate"]


def test_stationarity_command(ten_csv, orders):
    words = [*DESCRIBED[2:], "--item", "sku=smoker-01"]
    shown = veridex("stationarity", ten_csv, *words)
    finding = vx.stationarity(orders["smoker-01"])
    assert shown.returncode == 0 and finding.reading in shown.stdout
    held = json.loads(inside("stationarity", ten_csv, *words, "--as", "json").stdout)
    assert [row["statistic"] for row in held] == finding.table["statistic"].tolist()
    lags = inside("stationarity", ten_csv, *words, "--lags", 2, "--deterministic", "trend", "--as", "csv")
    assert "Dickey-Fuller (trend)" in lags.stdout and ",2," in lags.stdout
    several = inside("stationarity", ten_csv, *DESCRIBED)
    assert several.returncode == 2 and "this works on one series" in several.stderr


def test_stationarity_shows_all_at_a_glance(ten_csv, orders, tmp_path):
    words = [*WORDS, *TIDY, "--item", "sku=suit-ventilated"]
    done = veridex("stationarity", ten_csv, *words, "--figures", tmp_path, "--significance", 10)
    assert done.returncode == 0
    series = orders["suit-ventilated"]
    for reading in (vx.differencing(series, 10).reading, vx.seasons(series).reading, vx.breaks(series).reading):
        assert reading in done.stdout
    assert "break in 2022-03" in done.stdout and "critical_10" in done.stdout and "What is left: " in done.stdout
    assert "unit root rejected at 10 %" in done.stdout
    assert (tmp_path / "suit-ventilated-stationarity.png").exists()
    stated = inside("stationarity", ten_csv, *words, "--transform", "log", "--seasonal-d", 1, "--as", "json")
    own = vx.stationarity(series, transform="log", D=1)
    assert [row["statistic"] for row in json.loads(stated.stdout)] == own.table["statistic"].tolist()
    automatic = inside("stationarity", ten_csv, *words, "--lags", "automatic", "--choose", "bic", "--as", "json")
    assert len(json.loads(automatic.stdout)) == 6
    for wrong, message in ((["--lags", "many"], "or 'automatic'"), (["--choose", "luck"], "Invalid value")):
        refused = inside("stationarity", ten_csv, *words, *wrong)
        assert refused.returncode == 2 and message in refused.stderr


def test_look_shows_history_seasons_and_parts(ten_csv, orders, tmp_path):
    adjusted, one = tmp_path / "adjusted.csv", [*WORDS, *TIDY, "--item", "sku=suit-ventilated"]
    words = ["--overlay", 12, "--overlay", "theta", "--figures", tmp_path / "one"]
    done = veridex("look", ten_csv, *one, *words, "--adjusted", adjusted)
    assert done.returncode == 0 and "percent of the level" in done.stdout and "parts by loess" in done.stdout
    assert {path.stem.rpartition("-")[2] for path in (tmp_path / "one").iterdir()} == {
        "look", "history", "seasons", "parts", "years",
    }  # fmt: skip
    parts = vx.decompose(orders["suit-ventilated"], form="multiplicative")
    table = pd.read_csv(adjusted)
    assert table["adjusted"].to_numpy() == pytest.approx(parts.adjusted) and table["period"].iloc[0] == "2016-10-01"
    shown = inside("look", ten_csv, *one, "--split", "multiplicative", "--part", "parts", "--as", "csv").stdout
    assert pd.read_csv(io.StringIO(shown))["trend"].to_numpy() == pytest.approx(parts.trend)
    every = inside("look", ten_csv, *DESCRIBED, *TIDY, "--adjusted", adjusted)
    assert every.returncode == 0 and "no parts of jar-hex-280" in every.stderr and "10 items" in every.stdout
    assert pd.read_csv(adjusted)["item"].nunique() == 9
    short = inside("look", ten_csv, *WORDS, "--item", "sku=jar-hex-280", "--adjusted", adjusted)
    assert short.returncode == 2 and "there is nothing to write: too little history" in short.stderr


def test_fit_command(ten_csv, orders, tmp_path):
    words = [*WORDS, *TIDY, "--item", "sku=smoker-01", "--method", "smoothing", "--horizon", 6]
    shown = veridex("fit", ten_csv, *words, "--figures", tmp_path)
    fitted = vx.fit(orders["smoker-01"], "smoothing")
    said = re.sub(r"\s+", " ", shown.stdout)
    assert shown.returncode == 0 and fitted.in_words().replace(" units", "") in said
    assert re.sub(r"\s+", " ", fitted.equation()) in said
    for heading in (
        "Coefficients",
        "Candidates: the best 5 of 15",
        "Residual audit of 107",
        "Forecast: next 6 months",
    ):
        assert heading in said
    assert {path.name for path in tmp_path.iterdir()} == {"smoker-01-fit.png", "smoker-01-residuals.png"}
    parts = {
        "coefficients": fitted.coefficients,
        "forecast": fitted.forecast(6).frame,
        "fitted": fitted.to_frame(),
        "audit": fitted.audit().table,
        "candidates": fitted.candidates,
        "components": fitted.components.assign(actual=fitted.series.values, residual=fitted.residuals),
    }
    for part, table in parts.items():
        done = inside("fit", ten_csv, *words, "--part", part, "--as", "csv")
        held = pd.read_csv(io.StringIO(done.stdout))
        assert list(held.columns) == list(table.columns) and len(held) == len(table)
    plain = inside("fit", ten_csv, *words[:-4], "--method", "naive").stdout
    assert "Coefficients" not in plain and "Candidates" not in plain and "forecast[t] = y[t-1]" in plain
    lost = inside("fit", ten_csv, *WORDS, "--item", "sku=jar-hex-280", "--method", "holt-winters", "--as", "json")
    assert lost.returncode == 0 and lost.stdout == "[]\n" and "too little history" in lost.stderr
    several = inside("fit", ten_csv, *DESCRIBED, "--method", "naive")
    assert several.returncode == 2 and "this works on one series" in several.stderr


def test_profile_command(ten_csv, data, demand):
    whole = [*DESCRIBED[:-4], "--events", data / "events.csv"]
    shown = veridex("profile", data / "demand.csv", *whole)
    assert shown.returncode == 0 and "2025-09 looks unfinished in 30 of 30 items" in shown.stderr
    row = next(line for line in shown.stdout.splitlines() if "gloves-leather" in line)
    assert "2021-11" in row and "smooth" in row
    held = json.loads(inside("profile", data / "demand.csv", *whole, "--as", "json").stdout)
    table = vx.profile(demand, vx.read_events(data / "events.csv"))
    assert [row["outliers"] for row in held] == table["outliers"].tolist()
    page = inside("profile", ten_csv, *WORDS[:-2], "--item", "sku=suit-ventilated", "--events", data / "events.csv")
    assert "suit-ventilated: monthly units, 2016-10 to 2025-09, 108 months." in page.stdout
    assert "Level shift in 2022-03: up by " in page.stdout and "the last one unfinished" in page.stdout


def test_a_last_month_that_is_not_over_is_left_out_and_said(ten_csv):
    words = ["fit", ten_csv, *WORDS[:-2], "--item", "sku=suit-ventilated", "--method", "mean"]
    done, kept = veridex(*words), inside(*words, "--keep-unfinished")
    assert "Left out 2025-09, which looks unfinished: " in done.stderr and "--keep-unfinished keeps it" in done.stderr
    assert "the mean of 107 months" in done.stdout and "the mean of 108 months" in kept.stdout
    assert "unfinished" not in kept.stderr


def test_tidy_command(ten_csv, tmp_path):
    words = ["tidy", ten_csv, *DESCRIBED[:-4], "--gaps", "interpolate", "--outliers", "repair"]
    done = veridex(*words, "--to", tmp_path / "out", "--figures", tmp_path / "figures", "--as", "csv")
    assert done.returncode == 0 and "Unfinished period dropped: 10 periods of 10 items." in done.stderr
    assert done.stdout == (tmp_path / "out" / "ledger.csv").read_text()
    assert len(list((tmp_path / "figures").glob("*-tidied.png"))) == 10
    clean = pd.read_csv(tmp_path / "out" / "history.csv")
    ledger = pd.read_csv(tmp_path / "out" / "ledger.csv")
    changed = clean[clean["demand"] != clean["raw"]]
    assert set(changed["item"] + changed["period"]) <= set(ledger["item"] + ledger["period"])
    assert inside(*words, "--unfinished", "soon").returncode == 2
    wrong = inside("backtest", ten_csv, *DESCRIBED, "--tidy", "holes=fill")
    assert wrong.returncode == 2 and "write rules as gaps=interpolate" in wrong.stderr


def test_backtest_command(ten_csv, tmp_path):
    lineup = "naive, seasonal-naive, holt-winters season=additive"
    words = ["backtest", ten_csv, *DESCRIBED, *TIDY, "--methods", lineup, "--horizon", 3, "--origins", 4]
    shown = veridex(*words, "--figures", tmp_path / "figures")
    assert shown.returncode == 0
    assert "holt-winters season=additive" in re.sub(r"\s+", " ", shown.stdout) and "ms_per_fold" in shown.stdout
    assert len(list((tmp_path / "figures").glob("*-contenders.png"))) == 10
    one, two = (inside(*words, "--as", "csv").stdout for _ in range(2))
    assert one == two and "ms_per_fold" not in one
    standings = pd.read_csv(io.StringIO(one))
    assert standings["n"].tolist() == [108] * 3  # nine items, four origins, three steps; the new item has no season yet
    assert "mase by lead time" in shown.stdout and (tmp_path / "figures" / "backtest-folds.png").exists()
    kept = inside(*words, "--to", tmp_path / "t.parquet", "--engine", "processes", "--checkpoint", tmp_path / "kept")
    assert kept.returncode == 0 and len(list((tmp_path / "kept").iterdir())) == 1
    trial = vx.read_trial(tmp_path / "t.parquet")
    assert trial.standings()["mase"].tolist() == pytest.approx(standings["mase"].tolist(), nan_ok=True)
    described = ["publish", ten_csv, *DESCRIBED, *TIDY, "--horizon", 3, "--as", "csv"]
    blended = inside(*described, "--from", tmp_path / "t.parquet", "--rule", "blend")
    assert blended.returncode == 0 and "Published from" in blended.stderr
    wrong = inside(*described, "--from", tmp_path / "t.parquet", "--method", "naive")
    assert wrong.returncode == 2 and "--from does nothing here" in wrong.stderr
    for idle, said in (
        (["--from", tmp_path / "t.parquet", "--origins", 12], "--origins does nothing here: the trial has its origins"),
        (["--method", "naive", "--rule", "blend"], "--rule does nothing here: your own method is published"),
        (["--method", "naive", "--override", "a: naive: b"], "--override does nothing here"),
        (["--method", "naive", "--method", "theta"], "--method does nothing here: one method is published"),
        (["--method", "naive", "--to", "x.ods"], "x.ods: no place of this kind keeps a publication"),
    ):
        refused = inside(*described, *idle)
        assert refused.returncode == 2 and said in refused.stderr and refused.stdout == ""
    late = inside(*words, "--to", tmp_path / "errors.csv")
    assert late.returncode == 2 and "Name a directory, a file ending in .parquet" in late.stderr and late.stdout == ""
    by = inside(*words, "--by", "method,step", "--gap", 2, "--first", "2024-06", "--as", "csv")
    assert sorted(pd.read_csv(io.StringIO(by.stdout))["step"].unique()) == [3, 4, 5]
    assert inside("backtest", ten_csv, *DESCRIBED, "--show-lineup", "--as", "csv").stdout.count("\n") == 15


def test_fit_command_with_drivers_and_rivals(ten_csv, data, tmp_path):
    words = ["fit", ten_csv, *DESCRIBED[2:], *TIDY, "--item", "sku=smoker-01", "--horizon", 4]
    driven = ["--drivers", f"{data / 'weather.csv'},{data / 'prices.csv'}", "--known-ahead", "price_index"]
    driven += ["--events", data / "events.csv"]
    shown = veridex(*words, "--method", "harmonic", *driven, "--figures", tmp_path)
    assert shown.returncode == 0 and (tmp_path / "smoker-01-contributions.png").exists()
    for text in (
        "one more of price_index",
        "durbin_watson",
        "Converged",
        "Not beyond chance",
    ):
        assert text in re.sub(r"\s+", " ", shown.stdout), text
    parts = inside(*words, "--method", "harmonic", *driven, "--part", "contributions", "--as", "csv")
    table = pd.read_csv(io.StringIO(parts.stdout))
    assert table["step"].max() == 4 and "harvest trade fair" in table
    rivals = ["--method", "arima d=1 q=1 D=1 Q=1", "--method", "arima p=3 d=1 D=1 Q=1", "--method", "naive"]
    both = inside(*words, *rivals, *driven, "--origins", 3)
    assert both.returncode == 0 and "By AICc arima" in both.stdout and "not comparable" in both.stdout
    models = pd.read_csv(io.StringIO(inside(*words, *rivals, "--part", "models", "--as", "csv").stdout))
    assert models["method"].tolist() == rivals[1::2] and models["aicc"].notna().tolist() == [True, True, False]
    refused = inside(*words, "--method", "naive", *driven)
    assert refused.returncode == 2 and "naive forecasts from demand alone" in refused.stderr
    alone = inside(*words, "--method", "naive", "--known-ahead", "price_index")
    assert alone.returncode == 2 and "pass their file with --drivers" in alone.stderr


def test_brackets_in_a_method_are_shown(ten_csv):
    lineup = "moving-average weights=[3, 2], combination of=[naive, drift] weights=[1, 2]"
    done = veridex("backtest", ten_csv, *DESCRIBED, "--methods", lineup, "--horizon", 2, "--origins", 2)
    assert done.returncode == 0
    assert "moving-average weights=[3, 2]" in done.stdout and "of=[naive, drift] weights=[1, 2]" in done.stdout


def test_publish_command(ten_csv, tmp_path):
    out = tmp_path / "out"
    words = ["publish", ten_csv, *DESCRIBED, *TIDY, "--horizon", 4, "--origins", 3, "--levels", "80,97.5"]
    done = veridex(*words, "--to", out, "--figures", tmp_path / "figures", "--as", "csv")
    assert done.returncode == 0
    assert "No trial was named: ran the default backtest" in done.stderr
    assert done.stdout == (out / "publication.csv").read_text()
    assert "upper_97_5" in done.stdout.splitlines()[0]
    assert len(list((tmp_path / "figures").glob("*-forecast.png"))) == 10
    own = inside("publish", ten_csv, *DESCRIBED[2:], "--item", "sku=smoker-01", "--method", "drift", "--horizon", 2)
    assert own.returncode == 0 and "nothing was backtested" in own.stderr
    assert "smoker-01: next 2 months by drift" in own.stdout


def test_tune_command(ten_csv, tmp_path):
    words = ["tune", ten_csv, *DESCRIBED[2:], *TIDY, "--item", "sku=smoker-01", "--method", "moving-average"]
    words += ["--grid", "window=2,4,12", "--horizon", 4, "--origins", 8]
    shown = veridex(*words, "--figures", tmp_path)
    assert shown.returncode == 0 and (tmp_path / "tuning.png").exists() and "benchmark: seasonal-naive" in shown.stderr
    text = re.sub(r"\s+", " ", shown.stdout)
    assert "moving-average: window, rolling origin" in text and "std_error" in text
    assert "moving-average window=12 is best of 3" in text and "which flatters it" in text
    table = pd.read_csv(io.StringIO(inside(*words, "--measure", "rmse", "--as", "csv").stdout))
    assert table.columns[:5].tolist() == ["window", "method", "n", "rmse", "std_error"] and table["best"].sum() == 1
    crossed = inside(*words[:-6], "--grid", "alpha=0.1,0.3", "--method", "simple-smoothing", "--horizon", 4)
    assert crossed.returncode == 0 and "0.3" in crossed.stdout
    weights = inside(*words[:-8], "--method", "moving-average", "--grid", "weights=[2,1],[3,2,1]", "--horizon", 4)
    assert weights.returncode == 0 and "[3, 2, 1]" in weights.stdout
    wrong = inside(*words[:-6], "--grid", "window")
    assert wrong.returncode == 2 and "as in window=2,3,4,6" in wrong.stderr


def test_publish_command_answers_what_planners_ask(ten_csv, tmp_path):
    described = ["publish", ten_csv, *DESCRIBED, *TIDY]
    trial = vx.backtest(
        vx.tidy(vx.read_history(ten_csv, item="sku", period="month", demand="units", stock_out="out_of_stock",
                                cadence="monthly").until("2025-08"), gaps="interpolate").history,
        ["seasonal-naive", "theta", "drift"], vx.RollingOrigin(horizon=3, origins=12),
    )  # fmt: skip
    vx.write(trial, tmp_path / "t.parquet")
    words = [*described, "--from", tmp_path / "t.parquet", "--horizon", "2025-11", "--quantiles", "97.5"]
    words += ["--groups", "all", "--past", 0]
    shown = veridex(*words, "--override", "smoker-01: drift: it will be replaced", "--to", tmp_path / "out")
    assert shown.returncode == 0, shown.stderr
    text = re.sub(r"\s+", " ", shown.stdout)
    assert "10 items; bounds are of the total" in text and "until 2025-11 in all" in text
    assert "all, 10 items: " in text and "regular" in text and "% less error" not in text
    back = vx.read_publication(tmp_path / "out")
    assert back.manifest["items"]["smoker-01"]["override"]["reason"] == "it will be replaced"
    assert back.frame["kind"].eq("forecast").all() and back.forecasts["step"].max() == 3
    assert {"quantile_97_5", "half_width_95_percent"} <= set(back.frame.columns)
    pd.testing.assert_frame_equal(back.totals, vx.read_publication(tmp_path / "out").totals)
    one = inside(*described[:2], *DESCRIBED[2:], *TIDY, "--item", "sku=smoker-01", *words[len(described):],
                  "--rule", "single", "--allowed", "theta, drift", "--target", "wape under 5",
                  "--figures", tmp_path / "figures")  # fmt: skip
    assert one.returncode == 0, one.stderr
    text = re.sub(r"\s+", " ", one.stdout)
    assert "smoker-01: next 3 months by theta" in text and "All 3 together: " in text and "+/- % at 80" in text
    assert "Not met: no single method reaches wape under 5" in text and "quantile_97_5" in text
    assert (tmp_path / "figures" / "coverage.png").exists()
    for extra, said in (
        (["--override", "smoker-01 drift"], "write 'ITEM: METHOD: REASON'"),
        (["--override", "smoker-99: drift: no"], "no item 'smoker-99'"),
        (["--quantiles", "high"], "write numbers separated by commas"),
        (["--levels", ""], "name at least one"),
        (["--target", "good"], "write a measure, under or over"),
    ):
        wrong = inside(*words, *extra)
        assert wrong.returncode == 2 and said in re.sub(r"\s+", " ", wrong.stderr), wrong.stderr


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["backtest", "missing.csv", *DESCRIBED], "missing.csv: there is no such file"),
        (["backtest", "{ten}", *DESCRIBED[:-1], "fortnightly"], "unknown cadence 'fortnightly'"),
        (["backtest", "{ten}", *DESCRIBED, "--methods", "holt-winter"], "Did you mean 'holt-winters'?"),
        (["fit", "{ten}", *DESCRIBED, "--method", "combination of=[naive, naivety]"], "Did you mean 'naive'?"),
        (
            ["publish", "{ten}", *DESCRIBED, "--horizon", "110", "--to", "out"],
            "needs 112. Shorten the horizon: after its first origin, 2016-11, there are 105 periods up to 2025-08",
        ),
        (
            ["publish", "{ten}", *DESCRIBED, "--method", "naive", "--levels", "0.95", "--to", "out"],
            "did you mean 95?",
        ),
        (["publish", "{ten}", *DESCRIBED, "--levels", "eighty", "--to", "out"], "write numbers separated by commas"),
        (["stationarity", "{ten}", *DESCRIBED[2:], "--item", "sku=smoker"], "Did you mean 'smoker-01'?"),
        (["backtest", "{ten}", *DESCRIBED, "--horizon", "soon"], "Invalid value for '--horizon'"),
        (["forecastle"], "No such command"),
    ],
)
def test_bad_calls_are_one_message_and_exit_code_2(words, message, ten_csv, tmp_path):
    done = inside(*(str(word).replace("{ten}", str(ten_csv)) for word in words), cwd=tmp_path)
    assert done.returncode == 2 and done.stdout == ""
    assert message in done.stderr and "Traceback" not in done.stderr
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(
    "command", [[], ["demo"], ["profile"], ["tidy"], ["look"], ["stationarity"], ["fit"], ["backtest"], ["publish"]]
)
def test_help_is_there(command):
    done = veridex(*command, "--help")
    assert done.returncode == 0 and "Usage: veridex" in done.stdout
