"""Files in and files out."""

import json

import numpy as np
import pandas as pd
import pytest

import veridex as vx

LONG = {"item": "sku", "period": "day", "demand": "qty", "cadence": "monthly"}


def write_text(directory, text, name="orders.csv"):
    path = directory / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return path


def test_the_demo_orders_are_read_with_their_notes(data):
    words = {"item": "sku", "period": "order_date", "demand": "quantity", "cadence": "monthly", "status": "status"}
    orders = vx.read_history(data / "orders.csv", **words)
    assert len(orders) == 12 and orders["smoker-01"].values.sum() > 5_000
    assert orders.notes[0].startswith("218 rows are invalid by 'status' and were left out ('cancelled' 218); kept: ")
    assert "unfinished last month 2025-09" in orders.notes[2]
    assert orders["jar-hex-280"].periods[0] == np.datetime64("2024-01-01")
    assert orders["feeder-rapid"].values[-17:].tolist() == [0.0] * 17  # retired: nothing sold since, not unknown
    by_region = vx.read_history(data / "orders.csv", **(words | {"item": ["sku", "region"]}))
    assert by_region.values.sum() == orders.values.sum() and len(by_region) == 36


def test_item_keys_stay_text_and_empty_cells_unknown(tmp_path):
    path = write_text(tmp_path, "sku,day,qty\n007,2024-01,3\n007,2024-02,\nNA,2024-01,NaN\n007,2024-03,1.5\n")
    history = vx.read_history(path, **LONG)
    assert history.names == ("007", "NA")
    assert np.array_equal(history["007"].values, [3, np.nan, 1.5], equal_nan=True)


@pytest.mark.parametrize(
    ("text", "name", "item"),
    [
        ("12\n15\n\n11\n", None, "stands"),
        ("hive stands\n12\n15\n\n11\n", None, "hive stands"),
        ("12\n15\n\n11", "x", "x"),
    ],
)
def test_a_bare_column_is_read_and_echoed(tmp_path, text, name, item):
    history = vx.read_history(write_text(tmp_path, text, "stands.csv"), cadence="monthly", start="2019-01", name=name)
    assert history.names == (item,)
    assert np.array_equal(history[item].values, [12, 15, np.nan, 11], equal_nan=True)
    assert history.notes == ("4 numbers read, the last is 2019-04; 1 are unknown.",)
    assert vx.read_history(write_text(tmp_path, "1e3\n2\n"), cadence="counted")["orders"].values.tolist() == [1000, 2]
    counted = vx.read_history(write_text(tmp_path, "1\n2\n"), cadence="counted")
    assert counted.notes == ("2 numbers read, the last is 2.",)


def test_a_file_of_one_item_takes_its_name(tmp_path):
    path = write_text(tmp_path, "period,demand\n2024-Q1,3\n2024-Q2,4\n", "jars.csv")
    assert vx.read_history(path, cadence="quarterly").names == ("jars",)


@pytest.mark.parametrize(
    ("text", "call", "words"),
    [
        (None, {}, "orders.csv: there is no such file. Check the name and the path."),
        ("", {}, "orders.csv: the file is empty"),
        ("sku,day,qty\n", {}, "orders.csv has 0 periods"),
        (b"\x93\xff\x00\x01,\xfe\n\x88", {}, "orders.csv: this is no text. "),
        ("sku,day,qty\na,2024-01-01\n", {}, "row 2 has 2 cells, the column names are 3"),
        ("sku,day,day,qty\na,b,2024-01-01,1\n", {}, "column 'day' stands there twice"),
        (
            "sku,day,qty\na,2024-01-01,1\na,2024-02-30,1\n",
            {},
            "orders.csv, row 3, column 'day': '2024-02-30' is no date",
        ),
        ("sku,day,qty\na,2024-01-01,twelve\n", {}, "row 2, column 'qty': 'twelve' is no number"),
        ("sku,day,qty\na,2024-01-01,inf\n", {}, "'inf' is no finite number"),
        ("sku,day,qty\na,2024-01-01,1\n", {"period": "dya"}, "no column 'dya' for the period"),
        (
            "sku,day,qty\na,2024-01-01,1\n",
            {"cadence": None},
            "the cadence cannot be inferred: there are fewer than three different dates",
        ),
        ("sku,day,qty\na,2024-01-01,1\n", {"start": "2024-01"}, "have no item or period column"),
        ("sku,day,qty\na,1.5,1\n", {"cadence": "counted"}, "'1.5' is no whole number"),
    ],
)
def test_hostile_files_end_in_one_clear_error(tmp_path, text, call, words):
    path = tmp_path / "orders.csv" if text is None else write_text(tmp_path, text)
    with pytest.raises(vx.VeridexError) as caught:
        vx.read_history(path, **(LONG | call))
    assert words in str(caught.value) and "\n" not in str(caught.value)


@pytest.mark.parametrize("text", ["x\n", "1\nx\n", "\n\n"])
def test_bare_columns_without_numbers_are_refused(tmp_path, text):
    with pytest.raises(vx.VeridexError, match="number"):
        vx.read_history(write_text(tmp_path, text), cadence="monthly", start="2024-01")
    with pytest.raises(vx.VeridexError, match="this is a directory"):
        vx.read_history(tmp_path, cadence="monthly", start="2024-01")


def same(one, other):
    pd.testing.assert_frame_equal(one.frame, other.frame, check_exact=True)
    pd.testing.assert_frame_equal(one.ledger, other.ledger, check_exact=True)
    assert one.manifest == other.manifest


def test_a_publication_comes_back_to_the_bit(tmp_path, publication):
    target = vx.write(publication, tmp_path / "deep" / "out")
    assert sorted(p.name for p in target.iterdir()) == [
        *("laws.csv", "ledger.csv", "manifest.json", "publication.csv", "seal.json", "totals.csv")
    ]
    assert sorted(p.name for p in target.parent.iterdir()) == ["out"]
    again = vx.read_publication(target)
    same(again, publication)
    for item in ("smoker-01", "extractor-bearing"):
        one, other = publication[item], again[item]
        for step in (1, 5):
            assert other.law(step).quantile([1, 50, 99.5]) == pytest.approx(
                one.law(step).quantile([1, 50, 99.5]), rel=0
            )
            assert other.total_law(step).cdf(300.0) == one.total_law(step).cdf(300.0)
        assert np.array_equal(other.paths(7), one.paths(7)) and other.support == one.support
    assert json.loads((target / "manifest.json").read_text())["format"] == "veridex publication 10"
    counted = vx.publish(vx.History.from_numbers([1, 2, 3.5, 0.1 + 0.2], cadence="counted"), method="naive", horizon=2)
    same(vx.read_publication(vx.write(counted, target)), counted)  # an earlier publication is replaced


def test_publishing_is_all_or_nothing(tmp_path, publication, monkeypatch):
    target = vx.write(publication, tmp_path / "out")
    before = {p.name: p.read_bytes() for p in target.iterdir()}
    from veridex.exchange.places import directories

    def fail(*args, **kwargs):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(publication.frame.__class__, "to_csv", fail)
        with pytest.raises(vx.VeridexError, match="No space left on device"):
            vx.write(publication, target)
    assert {p.name: p.read_bytes() for p in target.iterdir()} == before
    real = directories.os.replace

    def fail_once(source, destination):
        if destination == target and source.name != "aside":
            fail()
        real(source, destination)

    with monkeypatch.context() as patch:
        patch.setattr(directories, "_exchanged", lambda *_: False)  # a system that cannot exchange in one step
        patch.setattr(directories.os, "replace", fail_once)
        with pytest.raises(vx.VeridexError, match="No space left on device"):
            vx.write(publication, target)
    assert {p.name: p.read_bytes() for p in target.iterdir()} == before
    assert [p.name for p in tmp_path.iterdir()] == ["out"]


def test_foreign_directories_are_refused(tmp_path, publication):
    (tmp_path / "notes.txt").write_text("mine")
    with pytest.raises(vx.VeridexError, match=r"it holds other files \(notes.txt\)"):
        vx.write(publication, tmp_path)
    (tmp_path / "notes").write_text("mine too")
    with pytest.raises(vx.VeridexError, match="this is a file"):
        vx.write(publication, tmp_path / "notes")
    with pytest.raises(vx.VeridexError, match="cannot be written to"):
        vx.write(publication, tmp_path / "notes.txt" / "out")


@pytest.mark.parametrize("manifest", [None, "{}", "[]", "not json", '{"format": "veridex publication 99"}'])
def test_what_is_no_publication_is_refused(tmp_path, manifest):
    if manifest is not None:
        (tmp_path / "manifest.json").write_text(manifest)
    with pytest.raises(vx.VeridexError, match="Name a place that"):
        vx.read_publication(tmp_path)
