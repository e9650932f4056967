"""Tables larger than memory: whether read as a whole or by parts, the history is the same to the bit."""

import sqlite3

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import veridex as vx
from veridex.exchange import larger, shuffle, sources
from veridex.exchange.places.databases import reading as database

LINES = {"item": "sku", "period": "day", "demand": "qty"}

SPELLED = {
    "plain": (lambda day: f"{day:%Y-%m-%d}", str),
    "day first, decimal comma": (lambda day: f"{day:%d/%m/%Y}", lambda qty: f"{qty:.2f}".replace(".", ",")),
    "zoned": (lambda day: f"{day:%Y-%m-%d}T23:30:00+01:00", str),
}


def lines(rows, seed=1, days=400):
    """Order lines of ten items, some without a quantity."""
    draw = np.random.default_rng(seed)
    return pd.DataFrame(
        {
            "sku": [f"SKU-{k}" for k in draw.integers(0, 10, rows)],
            "shop": [f"{k}" for k in draw.integers(0, 2, rows)],
            "day": pd.Timestamp("2023-01-01") + pd.to_timedelta(draw.integers(0, days, rows), unit="D"),
            "qty": np.where(draw.random(rows) < 0.02, np.nan, np.round(draw.gamma(2.0, 5.0, rows), 2)),
            "orders": draw.integers(0, 3, rows),
            "in_stock": np.where(draw.random(rows) < 0.05, 0.5, 1.0),
            "state": np.where(draw.random(rows) < 0.1, "cancelled", "sent"),
        }
    )


def history_or_error(source, words):
    try:
        return vx.read_history(source, **words)
    except vx.VeridexError as problem:
        return f"{type(problem).__name__}: {problem}"


def told(history):
    """All that a history holds, to the bit."""
    if isinstance(history, str):
        return history
    arrays = (history.values, history.offsets, history.starts, history.censored, history.parts)
    notes = [note for note in history.notes if "sorted by item on disk" not in note]
    counts = [getattr(note, "counts", None) for note in notes]
    held = [None if one is None else np.nan_to_num(one, nan=-1e99).tobytes() for one in arrays]
    known = (history.names, history.keys, history.repeats, history.unfinished, history.measure, history.cadence)
    return held, notes, counts, known, history.fingerprint


def both(source, words, monkeypatch):
    """What is read as a whole, and by parts of few rows."""
    whole = history_or_error(source, words)
    with monkeypatch.context() as patch:
        patch.setattr(larger, "IN_MEMORY", 0)
        patch.setattr(shuffle, "ROWS_OF_A_PART", 100)
        patch.setattr(sources, "BATCH", 16)  # fewer than the last rows among which totals are looked for
        patch.setattr(database, "CHUNK", 48)
        return whole, history_or_error(source, words)


@pytest.mark.parametrize(
    "words",
    [
        {"cadence": "monthly"},
        {"cadence": "weekly", "unfinished": "keep", "absent": "unknown"},
        {"cadence": "monthly", "combine": "last", "item": ["sku", "shop"]},
        {"cadence": "monthly", "combine": "count"},
        {"cadence": "monthly", "status": "state", "in_stock": "in_stock"},
        {"cadence": "monthly", "demand": "qty / orders"},
        {"cadence": "quarterly", "combine": "mean", "item": None},
        {"cadence": None},
        {"cadence": "monthly", "demand": "quantity"},
        {"cadence": "monthly", "status": "status"},
        {"cadence": "monthly", "status": "state", "invalid": ["sent", "cancelled"]},
    ],
    ids=lambda words: " ".join(f"{key}={value}" for key, value in words.items()),
)
@pytest.mark.parametrize("place", ["parquet", "sqlite"])
def test_order_lines_read_by_parts_are_those_read_as_a_whole(words, place, tmp_path, monkeypatch):
    table, words = lines(1_500), LINES | words
    if place == "parquet":
        source = tmp_path / "lines"
        table["year"] = table["day"].dt.year
        table.to_parquet(source, partition_cols=["year"])
    else:
        source, words = f"sqlite:///{tmp_path}/shop.db", words | {"table": "lines"}
        with sqlite3.connect(tmp_path / "shop.db") as shop:
            table.to_sql("lines", shop, index=False)
    whole, parted = both(source, words, monkeypatch)
    assert told(whole) == told(parted)
    if not isinstance(whole, str):
        assert parted.notes[0] == "1,500 rows were sorted by item on disk, and read part by part."


@pytest.mark.parametrize("spelled", SPELLED)
@pytest.mark.parametrize("slip", [None, ("day", 77, "soon"), ("qty", 5, "many"), ("sku", 9, ""), ("day", 3, "Total")])
def test_spellings_are_decided_by_all_rows_and_slips_told_by_their_row(spelled, slip, tmp_path, monkeypatch):
    """Each part alone would not know which number is the day, nor whether a comma groups thousands."""
    table, (day, quantity) = lines(200).fillna({"qty": 1.0}), SPELLED[spelled]
    table["day"], table["qty"] = table["day"].map(day), table["qty"].map(quantity)
    if slip is not None:
        column, row, text = slip
        table.loc[[row, row + 100], column] = text
    table.loc[len(table)] = {"day": "Total", "qty": "7"}
    table.to_parquet(tmp_path / "lines.parquet")
    whole, parted = both(tmp_path / "lines.parquet", LINES | {"cadence": "monthly", "tz": "Europe/London"}, monkeypatch)
    assert told(whole) == told(parted)
    assert isinstance(whole, str) == (slip is not None)


ROWS = st.lists(
    st.tuples(
        st.sampled_from("abcdef"),
        st.integers(0, 40),
        st.sampled_from([1.0, 2.5, 12.34, 1 / 3, None, 1e15]),
    ),
    min_size=1,
    max_size=60,
)


@settings(max_examples=40, deadline=None)
@given(ROWS, st.sampled_from([None, "monthly", "weekly", "daily"]), st.sampled_from(["sum", "mean", "max", "last"]))
def test_any_rows_read_by_parts_are_those_read_as_a_whole(tmp_path_factory, rows, cadence, combine):
    table = pd.DataFrame(rows, columns=["sku", "day", "qty"])
    table["day"] = pd.Timestamp("2024-01-01") + pd.to_timedelta(table["day"], unit="D")
    table["qty"] = table["qty"].astype(float)
    source = tmp_path_factory.mktemp("rows") / "lines.parquet"
    table.to_parquet(source)
    with pytest.MonkeyPatch.context() as patch:
        whole, parted = both(source, LINES | {"cadence": cadence, "combine": combine}, patch)
    assert told(whole) == told(parted)


def test_what_is_made_of_a_history_on_disk_is_what_is_made_of_one_in_memory(tmp_path, monkeypatch):
    lines(3_000, days=1_200).to_parquet(tmp_path / "lines.parquet")
    words = LINES | {"cadence": "monthly", "in_stock": "in_stock"}
    whole, parted = both(tmp_path / "lines.parquet", words, monkeypatch)
    files = list(parted.room._scratch.path.iterdir())
    assert files and whole.room is not parted.room
    for made in (
        lambda history: history.since("2024-03").until("2025-06"),
        lambda history: history.at_cadence("quarterly"),
        lambda history: vx.tidy(history, gaps="seasonal", outliers="repair").history,
    ):
        one, other = made(whole), made(parted)
        assert told(one) == told(other)
        assert other.room is parted.room
    pd.testing.assert_frame_equal(vx.profile(whole), vx.profile(parted))
    trials = [vx.backtest(history, ["simple-smoothing"], "rolling horizon=2 origins=3") for history in (whole, parted)]
    assert trials[0].errors.equals(trials[1].errors) and trials[0].standings().equals(trials[1].standings())
    place = parted.room._scratch.path
    del parted, other, made, trials
    assert not place.exists()
