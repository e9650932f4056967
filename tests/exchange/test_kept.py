"""What forms and places share: texts that all places hold, fingerprints of tables, parts that come one by one."""

import tempfile
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex.exchange.fingerprints import Fingerprint
from veridex.exchange.forms import publications
from veridex.exchange.forms.publications import PUBLICATION
from veridex.exchange.kept import COUNT, FLAG, LIST, NUMBER, TEXT, Layout, arrow_table, columns_of
from veridex.exchange.places.addresses import moved_address, place_of
from veridex.exchange.places.place import keep_together
from veridex.exchange.unfit import escaped, unescaped

SCHEMA = pa.schema([("name", TEXT), ("value", NUMBER), ("step", COUNT), ("tested", FLAG), ("parts", LIST)])
TEXTS = st.text(st.characters(exclude_categories=()), min_size=1, max_size=40)


@given(TEXTS)
@example("\u241b0007 and \u241b")
def test_every_text_comes_back_and_fits_everywhere(text):
    written = escaped(text)
    assert unescaped(written) == text
    written.encode()  # UTF-8 has it
    assert not any(ord(letter) < 32 and letter not in "\t\n" for letter in written) and "\x00" not in written


@settings(max_examples=8)
@given(st.lists(TEXTS, min_size=1, max_size=5, unique=True), st.lists(st.floats(width=64), min_size=3, max_size=3))
def test_any_names_and_numbers_come_back_from_files_and_databases(names, numbers):
    """Names are those that UTF-8 can hold: a name has a digest everywhere."""
    names = [name for name in names if not any("\ud800" <= letter <= "\udfff" for letter in name)] or ["a"]
    numbers = np.where(np.isfinite(numbers), numbers, np.nan)
    many = vx.History.of([monthly(numbers, item=name)[name] for name in names])
    with tempfile.TemporaryDirectory() as home:
        for place in (f"{home}/out", f"{home}/h.parquet", f"sqlite:///{home}/h.db", f"{home}/h.xlsx"):
            vx.write(many, place)
            again = vx.read_history(place)
            assert again.names == many.names
            exact = not place.endswith("xlsx")
            np.testing.assert_allclose(again.values, many.values, rtol=0 if exact else 1e-14)


def table(names, seed=0):
    rng = np.random.default_rng(seed)
    n = len(names)
    numbers = np.where(rng.random(n) < 0.2, np.nan, rng.normal(size=n))
    lists = pa.array([list(rng.normal(size=k % 3)) for k in range(n)], LIST)
    columns = {"name": names, "value": numbers, "step": [None, *range(1, n)], "tested": [None, *[True] * (n - 1)]}
    return arrow_table(columns | {"parts": lists}, SCHEMA)


def fingerprint(*parts):
    found = Fingerprint("head", [Layout("t", "t", SCHEMA)])
    for part in parts:
        found.add({"t": part})
    return found.text


def test_a_fingerprint_knows_rows_and_not_parts():
    whole = table(["a", "bc", "", "d", "ef"])
    assert (
        fingerprint(whole) == fingerprint(whole[:2], whole[2:]) == fingerprint(pa.concat_tables([whole[:1], whole[1:]]))
    )
    others = [
        table(["ab", "c", "", "d", "ef"]),
        table(["a", "bc", "d", "", "ef"]),
        table(["a", "bc", "", "d", "ef"], 1),
    ]
    others += [whole[:4], pa.concat_tables([whole[1:], whole[:1]])]
    assert len({fingerprint(one) for one in (whole, *others)}) == 6


def test_columns_come_back_as_arrays_with_what_is_missing():
    found = columns_of(table(["a", None, "\x00"]))
    assert found["name"].tolist() == ["a", "", "\x00"] and found["step"].tolist() == [0, 1, 2]
    assert found["tested"].tolist() == [False, True, True] and [len(one) for one in found["parts"]] == [0, 1, 2]


@pytest.mark.parametrize(
    ("address", "seen"),
    [
        ("sqlite:///sales.db?retain=3", "sqlite:///plans/sales.db?retain=3"),
        ("sqlite:////data/sales.db", "sqlite:////data/sales.db"),
        ("sqlite+pysqlite:///a/b.db", "sqlite+pysqlite:///plans/a/b.db"),
        ("postgresql://host/db", "postgresql://host/db"),
    ],
)
def test_relative_files_in_addresses_are_seen_from_elsewhere(address, seen):
    assert moved_address(address, lambda path: f"plans/{path}") == seen


class Made(Mapping):
    """Items that are made when they are asked for; one of the times it fails."""

    def __init__(self, one, count, spoilt=0):
        self.one, self.count, self.spoilt, self.asked = one, count, spoilt, 0

    def __len__(self):
        return self.count

    def __iter__(self):
        return (f"item-{k}" for k in range(self.count))

    def __getitem__(self, item):
        self.asked += 1
        if self.asked == self.spoilt:
            raise OSError(5, "the last item cannot be read")
        return replace(self.one, item=item)


def test_items_are_taken_one_by_one_and_a_failure_leaves_nothing(tmp_path, monkeypatch):
    monkeypatch.setattr(publications, "PART", 50)
    few = vx.publish(monthly(seasonal_values()), method="naive", horizon=2)
    many = replace(few, published=Made(few["smoker-01"], 120))
    kept = PUBLICATION.keep(many)
    assert many.published.asked == 120  # one look tells how many rows there are
    parts = kept.parts()
    sizes = [len(part["item"]) for part in (next(parts), next(parts), next(parts)) if "item" in part]
    assert sizes == [50, 50] and many.published.asked == 220
    for place in ("out", "o.parquet", "o.xlsx", "o.db"):
        spoilt = replace(few, published=Made(few["smoker-01"], 60, spoilt=119))
        address = f"sqlite:///{tmp_path}/{place}" if place == "o.db" else tmp_path / place
        with pytest.raises(vx.errors.DestinationRefused, match="the last item cannot be read"):
            vx.write(spoilt, address)
    assert [path.name for path in tmp_path.iterdir()] in ([], ["o.db"])  # an empty database hinders nobody


def test_what_was_shown_is_taken_back_when_a_later_place_fails(tmp_path):
    old, new = (vx.publish(portfolio(2), method=method, horizon=2) for method in ("naive", "drift"))
    places = [tmp_path / "out", tmp_path / "o.parquet", tmp_path / "o.xlsx", f"sqlite:///{tmp_path}/o.db?retain=1"]
    vx.write(old, places[2:])  # two places are new, two have an older publication
    found = [place_of(one, PUBLICATION) for one in places]

    class Stuck:
        shown, same, numbered, waits = "stuck", "stuck", False, False
        check = room = lambda *_: None

        def stage(self, _):
            return self

        def commit(self):
            raise vx.errors.DestinationRefused("stuck", "it stays shut", "Open it.")

        undo = close = lambda _: None

    with pytest.raises(vx.errors.DestinationRefused, match=r"it stays shut\. Nothing .* any of the 5"):
        keep_together(PUBLICATION.keep(new), [*found, Stuck()])
    assert sorted(path.name for path in tmp_path.iterdir()) == ["o.db", "o.xlsx"]
    for place in places[2:]:
        pd.testing.assert_frame_equal(vx.read_publication(place).frame, old.frame, check_dtype=False)
