"""What is written is whole, sealed, and known again; what no place keeps is refused before any work."""

import threading

import numpy as np
import pytest

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex import staged
from veridex.exchange.places import directories

SCHEME = vx.RollingOrigin(horizon=2, origins=4)


def published(method="naive", items=3):
    return vx.publish(portfolio(items), method=method, horizon=3)


@pytest.fixture(scope="module")
def trial():
    return vx.backtest(portfolio(3), ["naive", "theta"], SCHEME)


@pytest.mark.parametrize("address", ["x.csv", "x.json", "x.ods", "x.db", "s3://there/x", "mysql://here/x"])
def test_what_keeps_no_publication_names_what_does(address, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    with pytest.raises(vx.errors.DestinationRefused, match=r"keeps a publication. Name a directory .* or a database"):
        vx.write(published(), address)
    assert list(tmp_path.iterdir()) == []


def test_other_values_name_the_places_that_serve_them(trial, tmp_path):
    fitted = vx.fit(monthly(seasonal_values()), "naive")
    for what, name, said in (
        (trial, "t.csv", "Name a directory, a file ending in .parquet or a database"),
        (trial, "t.xlsx", "Name a directory, a file ending in .parquet or a database"),
        (fitted, "f.txt", "Name a file ending in .json"),
        (trial.history, "h.zip", r"a file ending in .parquet, a file ending in .csv or a database"),
    ):
        with pytest.raises(vx.errors.StoreError, match=said):
            vx.write(what, tmp_path / name)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("name", ["publication.csv", "totals.csv", "ledger.csv", "manifest.json"])
def test_edited_cut_and_swapped_files_are_refused(name, tmp_path):
    one, other = (vx.write(published(method), tmp_path / method) for method in ("naive", "drift"))
    whole = (one / name).read_bytes()
    assert vx.read_publication(one).frame.equals(published().frame)
    swapped = (other / name).read_bytes()
    for bad in (whole[:-5], whole + b"1", swapped if swapped != whole else b"x"):
        (one / name).write_bytes(bad)
        with pytest.raises(vx.errors.PublicationUnreadable, match=f"{name} is not what was written"):
            vx.read_publication(one)
    (one / name).write_bytes(whole)
    assert len(vx.read_publication(one).items) == 3


def test_writers_and_readers_of_one_directory_see_whole_publications(tmp_path):
    place, made = tmp_path / "out", {method: published(method) for method in ("naive", "drift")}
    vx.write(made["naive"], place)
    seen, stop = set(), threading.Event()

    def write_over(method):
        while not stop.is_set():
            vx.write(made[method], place)

    writers = [threading.Thread(target=write_over, args=(method,)) for method in made]
    for writer in writers:
        writer.start()
    try:
        for _ in range(60):
            found = vx.read_publication(place)
            methods = set(found.frame["method"].dropna())
            assert methods == {entry["method"] for entry in found.manifest["items"].values()} and len(methods) == 1
            seen |= methods
    finally:
        stop.set()
        for writer in writers:
            writer.join()
    assert seen == {"naive", "drift"} and [path.name for path in tmp_path.iterdir()] == ["out"]


def test_what_a_killed_writer_left_is_swept(tmp_path):
    left = tmp_path / ".out-999999999-abc"
    left.mkdir()
    (left / "publication.csv").write_text("half")
    vx.write(published(), tmp_path / "out")
    assert [path.name for path in tmp_path.iterdir()] == ["out"]


def test_a_name_as_long_as_disks_hold_is_written(tmp_path):
    path = tmp_path / f"{'x' * 250}.csv"
    for _ in range(2):
        vx.write(portfolio(2), path)
    assert list(tmp_path.iterdir()) == [path]


def test_a_failed_write_leaves_the_older_file(tmp_path, monkeypatch):
    history = portfolio(2)
    path = vx.write(history, tmp_path / "h.csv")
    before = path.read_bytes()

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(staged, "settle", full)
    with pytest.raises(vx.errors.DestinationRefused, match=r"No space left on device\. Nothing was written"):
        vx.write(history.last(3), path)
    assert path.read_bytes() == before and [one.name for one in tmp_path.iterdir()] == ["h.csv"]
    monkeypatch.setattr(directories, "settle", full)
    with pytest.raises(vx.errors.DestinationRefused):
        vx.write(published(), tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_a_link_stays_a_link(tmp_path):
    (tmp_path / "real").mkdir()
    (tmp_path / "link").symlink_to(tmp_path / "real")
    (tmp_path / "h.csv").symlink_to(tmp_path / "kept.csv")
    vx.write(published(), tmp_path / "link")
    vx.write(portfolio(1), tmp_path / "h.csv")
    assert (tmp_path / "link").is_symlink() and (tmp_path / "real" / "manifest.json").exists()
    assert (tmp_path / "h.csv").is_symlink() and (tmp_path / "kept.csv").exists()


def test_a_damaged_trial_is_refused_or_the_same(trial, tmp_path):
    path = vx.write(trial, tmp_path / "t.parquet")
    whole = np.frombuffer(path.read_bytes(), dtype=np.uint8)
    rng = np.random.default_rng(4)
    refused = 0
    for _ in range(60):
        bad = whole.copy()
        bad[rng.integers(bad.size)] ^= np.uint8(1 << rng.integers(8))
        path.write_bytes(bad.tobytes())
        try:
            again = vx.read_trial(path)
        except vx.errors.TrialUnreadable:
            refused += 1
        else:
            assert again.arrays.points.tobytes() == trial.arrays.points.tobytes()
            assert again.history.values.tobytes() == trial.history.values.tobytes()
    assert refused > 40


def test_a_tidied_history_is_known_again_to_the_bit(data, tmp_path):
    raw = vx.read_history(
        data / "demand.csv", item="sku", period="month", demand="units", stock_out="out_of_stock", unit="units"
    )
    tidied = vx.tidy(
        raw, gaps="interpolate", outliers="repair", negative="zero", events=vx.read_events(data / "events.csv")
    )
    place = vx.write(tidied, tmp_path / "tidied")
    for source in (place, place / "history.csv"):
        again = vx.read_history(source)
        for name in ("values", "raw", "censored", "starts", "offsets"):
            assert getattr(again, name).tobytes() == getattr(tidied.history, name).tobytes(), name
        assert (again.names, again.rules) == (raw.names, tidied.history.rules)
        assert repr(again.marks) == repr(tidied.history.marks)
        assert (again.measure.unit, again.repeats.keys()) == ("units", raw.repeats.keys())
        assert [str(note) for note in again.notes] == [str(note) for note in tidied.history.notes]
    published = vx.publish(again, method="naive", horizon=2)
    freak = published.frame[(published.frame["item"] == "gloves-leather") & (published.frame["period"] == "2021-11-01")]
    assert freak["value"].tolist() == [390.0] and len(published.ledger) == len(tidied.ledger)
    (place / "history.csv").write_text((place / "history.csv").read_text().replace("390", "391"))
    with pytest.raises(vx.errors.FileUnreadable, match="changed since it was written"):
        vx.read_history(place)
