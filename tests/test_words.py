"""docs/words.md lists every word that tables show, and the trade's words for ours; both are held against the code."""

import re
from pathlib import Path

import pytest

import veridex as vx
from veridex.core.methods.catalogue import method
from veridex.core.methods.fold.status import Status, reason_for
from veridex.trade import TRADE
from words_in_use import columns_and_cells, estimate_labels, setting_values

SERIES = vx.History.from_numbers([1, 2, 3], cadence="counted")
PAGE = (Path(__file__).parents[1] / "docs" / "words.md").read_text()


def rows_under(heading):
    """The rows of the table under a heading of the page, as lists of cells."""
    text = PAGE.split(f"## {heading}\n")[1].split("\n## ")[0]
    lines = [line for line in text.splitlines() if line.startswith("|")][2:]
    return [[cell.strip() for cell in line.strip("|").split(" | ")] for line in lines]


def quoted(cell):
    return re.findall(r"`([^`]*)`", cell)


def test_columns_and_cells_are_those_of_the_page(tmp_path, monkeypatch):
    columns, cells = columns_and_cells(tmp_path, monkeypatch)
    assert columns == {quoted(name)[0]: quoted(listed) for name, listed in rows_under("Columns, in order")}
    words = {quoted(name)[0]: listed for name, listed in rows_under("Words in cells")}
    methods = {"naive", "arima"}  # heads of the estimates side by side
    for name in cells.keys() - methods:
        if words[name].startswith("`"):
            assert cells[name] <= set(quoted(words[name])), name


def test_labels_of_estimates_are_those_of_the_page():
    listed = {quoted(label)[0] for (label,) in rows_under("Labels of estimates")}
    assert {label.replace("price_index", "DRIVER") for label in estimate_labels()} == listed


def test_settings_and_statuses_are_those_of_the_page():
    assert {quoted(key)[0]: allowed.split("; ") for key, allowed in rows_under("Settings")} == setting_values()
    listed = [status for (status,) in rows_under("Statuses")]
    assert sorted(listed) == sorted(reason_for(status, "{needs}") for status in Status if reason_for(status, ""))


def test_the_trade_words_are_those_of_the_page_and_lead_to_ours():
    listed = [
        (kind, says, tuple(quoted(written)), quoted(ours)[0])
        for kind, says, written, ours in rows_under("The trade's words that are answered")
    ]
    assert listed == [tuple(word) for word in TRADE]
    for word in TRADE:
        if word.kind == "method" and "[" not in word.ours:
            method(word.ours.partition("=")[0].rpartition(" ")[0] if word.ours.endswith("=") else word.ours)


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda: method("ses"), "the trade's simple exponential smoothing is `simple-smoothing` here"),
        (lambda: method("exponential-smoothing"), "the trade's exponential smoothing is `smoothing` here"),
        (lambda: method("fourier"), "is `harmonic` here"),
        (lambda: method("seasonal-dummies"), "is `trend-season` here"),
        (lambda: method("trimmed-mean"), "`combination of=[...] weights=trimmed`"),
        (lambda: method("median"), "`combination of=[...] weights=median`"),
        (lambda: method("naive-trend"), "is `last-change` here"),
        (lambda: method("thetta"), "Did you mean 'theta'?"),
        (lambda: method("harmonic waves=[2]"), "the trade's Fourier order is `harmonics` here"),
        (lambda: method("holt alfa=0.2"), "Did you mean 'alpha'?"),
        (
            lambda: vx.tune(SERIES, "theta", {"optimised": [True]}, vx.Holdout(last=1), measure="fva"),
            "`value_added` here",
        ),
    ],
)
def test_an_unknown_word_is_answered_in_the_trade_s_terms(call, said):
    with pytest.raises(vx.VeridexError) as raised:
        call()
    assert said in str(raised.value)
