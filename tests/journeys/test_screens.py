"""Tables on screens of 80 and 120 columns: nothing is broken or lost unsaid; and the words of the command line."""

import re

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import inside, veridex
from veridex.cli.tables import short_texts
from veridex.cli.tidying import gathered
from veridex.cli.widths import GUTTER, Shape, laid

WORDS = ["--item", "sku", "--period", "month", "--demand", "units", "--stock-out", "out_of_stock"]
TIDY = ["--tidy", "gaps=interpolate"]
ONE = [word.replace("sku", "sku=suit-ventilated") for word in WORDS]
ROLLING = ["--horizon", 6, "--origins", 6]
LINEUP = ["--methods", "seasonal-naive, theta, holt-winters season=multiplicative damped=yes, moving-average window=3"]

CALLS = {
    "profile": WORDS,
    "tidy": WORDS,
    "look": [*WORDS, *TIDY],
    "stationarity": [*ONE, *TIDY],
    "fit": [*ONE, *TIDY, "--method", "arima p=1 d=0 q=1 P=0 D=1 Q=1"],
    "tune": [*ONE, *TIDY, "--method", "moving-average", "--grid", "window=2,12", *ROLLING],
    "backtest": [*WORDS, *TIDY, *ROLLING, *LINEUP],
    "publish": [*WORDS, *TIDY, *ROLLING, *LINEUP],
}


@pytest.mark.parametrize("width", [80, 120])
@pytest.mark.parametrize("verb", CALLS)
def test_every_table_fits_the_screen(verb, width, ten_csv, monkeypatch):
    monkeypatch.setenv("COLUMNS", str(width))
    done = inside(verb, ten_csv, *CALLS[verb])
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    prose = [line for line in lines if "forecast[t]" in line or "stand for" in line]  # an equation is one line
    assert max(len(line) for line in lines if line not in prose) <= width
    headings = [lines[i - 1] for i, line in enumerate(lines) if set(line.strip()) == {"─"}]
    assert headings and all("…" not in heading for heading in headings)
    if verb in ("backtest", "publish"):
        assert len(lines) < 60 and "Left out here: " in done.stdout.replace("\n  ", "")
        assert ("holt-winters season=multiplicative damped=yes" in done.stdout) == (verb == "backtest")


def test_what_is_left_out_is_shown_wide_and_in_files(ten_csv, monkeypatch):
    monkeypatch.setenv("COLUMNS", "80")
    words = ["backtest", ten_csv, *CALLS["backtest"]]
    narrow, wide = inside(*words).stdout, inside(*words, "--wide").stdout
    left = re.sub(r"\s+", " ", narrow).split("Left out here: ")[1].split(";")[0].split(", ")
    assert {"rmse", "ms_per_fold"} <= set(left) and "Left out here" not in wide and "per_" in wide
    quiet = inside(*words, "--quiet")
    assert quiet.stderr == "" and quiet.stdout.splitlines()[0] == narrow.splitlines()[0]


def test_the_published_table_has_errors_bias_marks_and_a_total(ten_csv, monkeypatch):
    monkeypatch.setenv("COLUMNS", "200")
    done = inside("publish", ten_csv, *CALLS["publish"], "--override", "smoker-01: theta: renewed", "--groups", "all")
    text = done.stdout
    for name in ("wape", "mae", "bias", "error", "mark", "overridden"):
        assert name in text, name
    last = next(line for line in text.splitlines() if line.strip().startswith("all 10"))
    said = re.search(r"all, 10 items: ([\d,]+) in all \(80 %: ([\d,]+) to ([\d,]+)", text)
    assert all(number[:-1] in last for number in said.groups())


@given(
    st.lists(st.tuples(st.lists(st.text("ab ", max_size=90), min_size=2, max_size=2), st.booleans()), min_size=1),
    st.integers(20, 160),
)
def test_columns_are_shown_below_or_named_and_never_too_wide(columns, width):
    shapes = [Shape(f"column_{i}", cells, numeric) for i, (cells, numeric) in enumerate(columns)]
    found = laid(shapes, width)
    assert sorted([*found.widths, *found.below, *found.away]) == sorted(one.name for one in shapes)
    assert found.widths and (sum(found.widths.values()) + GUTTER * len(found.widths) <= width or len(found.widths) == 1)
    assert list(found.widths) == [one.name for one in shapes if one.name in found.widths]


def test_short_names_tell_methods_apart():
    texts = [
        "theta",
        "holt-winters season=additive",
        "holt-winters season=multiplicative",
        "combination of=[naive, theta]",
    ]
    names = short_texts(texts)
    assert list(names.values()) == [
        "theta",
        "holt-winters",
        "holt-winters multiplicative",
        "combination of=[naive, theta]",
    ]
    assert len(set(short_texts([f"arima p={p} d=1 q=1" for p in range(4)]).values())) == 4


def test_sentences_of_a_ledger_that_repeat_are_counted():
    rows = [("a", "2025-09", "dropped", 1.0, 2.0, "over"), ("b", "2025-09", "filled", 1.0, 2.0, "line")]
    rows += [(f"i{k}", "2025-09", "dropped", 1.0, 2.0, "over") for k in range(5)]
    table = gathered(pd.DataFrame(rows, columns=["item", "period", "what", "before", "after", "why"]))
    assert table["item"].tolist() == ["b", "6 items"]


def test_help_is_in_groups_with_the_common_words_first():
    text = veridex("publish", "--help").stdout
    groups = ["FILE:", "Publication:", "Results:", "Decision:", "Backtest:", "Drivers:", "Events:", "Rules:"]
    groups += ["Which periods are kept:", "What demand is:", "How FILE is read:", "Options:"]
    places = [text.index(f"\n{group}") for group in groups]
    assert places == sorted(places)
    assert inside("--version").stdout.startswith("veridex ") and "--install-completion" in inside("--help").stdout


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (
            ["fit", "{ten}", *WORDS, "--method", "naive"],
            "--item COLUMN=extractor-bearing, or of a plan --item",
        ),
        (["backtest", "{ten}", *WORDS, "--horizon", "0"], "--horizon 0: "),
        (["backtest", "ten.vcs"], "ten.vcs: there is no such file. Did you mean 'ten.csv'?"),
        (["publish", "{ten}", *WORDS, "--horizon", "2025-03", "--method", "naive"], "--horizon '2025-03': "),
    ],
)
def test_messages_speak_the_words_of_the_command_line(words, said, ten_csv):
    done = inside(*(str(word).replace("{ten}", str(ten_csv)) for word in words), cwd=ten_csv.parent)
    assert done.returncode == 2 and said in done.stderr and "history[" not in done.stderr
