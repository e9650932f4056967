"""Records in files: what was written comes back, and what was cut off or changed does not."""

import io

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from veridex.core.backtest.minutes import Noted
from veridex.exchange.homes import DECIDED, PUBLISHED, room_beside
from veridex.exchange.minutes import KeptMinutes
from veridex.exchange.records import head_in, packed, unpacked

KINDS = st.sampled_from([np.float64, np.float32, np.int64, np.int8, np.bool_, np.uint8])
ARRAYS = st.dictionaries(
    st.text(min_size=1, max_size=5),
    KINDS.flatmap(lambda kind: arrays.arrays(kind, arrays.array_shapes(max_dims=3, max_side=4))),
    max_size=4,
)
SAID = st.dictionaries(st.text(max_size=5), st.none() | st.integers(-9, 9) | st.text(max_size=9), max_size=3)


def same(found, wanted):
    return list(found) == list(wanted) and all(
        found[name].dtype == own.dtype and np.array_equal(found[name], own, equal_nan=own.dtype.kind == "f")
        for name, own in wanted.items()
    )


@settings(max_examples=150, deadline=None)
@given(item=st.text(max_size=12), said=SAID, own=ARRAYS, data=st.data())
def test_records_come_back_whole_or_not_at_all(item, said, own, data):
    own = {**own, "one more": np.arange(3.0)}
    record = packed({**said, "item": item}, own)
    file = io.BytesIO(record + record)
    for _ in range(2):
        head, found = unpacked(file)
        assert head["item"] == item and same(found, own)
        assert all(head[key] == value for key, value in said.items() if key not in ("item", "size", "digest", "plain"))
    assert unpacked(file) is None
    cut = data.draw(st.integers(0, len(record) - 1))
    assert unpacked(io.BytesIO(record[:cut])) is None
    head = head_in(file := io.BytesIO(record))
    at = data.draw(st.integers(file.tell(), len(record) - 1))
    assert head["size"] == len(record) - file.tell()
    assert unpacked(io.BytesIO(record[:at] + bytes([record[at] ^ 1]) + record[at + 1 :])) is None


@pytest.mark.parametrize("cut", [1, 30, 10_000])
def test_minutes_end_with_the_last_that_is_whole_and_go_on_there(tmp_path, cut):
    minutes = KeptMinutes(room_beside(tmp_path, DECIDED, "1"))
    for k in range(3):
        minutes.add("heard", Noted({"item": f"item {k}"}, {"values": np.full(4, float(k))}))
    minutes.leave()
    path = tmp_path / f"{DECIDED}1" / "heard"
    path.write_bytes(path.read_bytes()[:-cut] if cut < 10_000 else b"something else")
    again = KeptMinutes(room_beside(tmp_path, DECIDED, "1"))
    kept = 2 if cut < 10_000 else 0
    assert [one.said["item"] for one in again.read("heard")] == [f"item {k}" for k in range(kept)]
    assert list(again.read("chosen")) == []
    again.add("heard", Noted({"item": "another"}, {"values": np.zeros(1)}))
    assert [one.said["item"] for one in again.read("heard")] == [*(f"item {k}" for k in range(kept)), "another"]
    again.close()
    assert list(tmp_path.iterdir()) == []


def test_a_full_disk_ends_the_minutes_and_not_the_verdict(tmp_path, monkeypatch):
    minutes = KeptMinutes(room_beside(tmp_path, DECIDED, "1"))
    one = Noted({"item": "a"}, {"values": np.zeros(2)})
    minutes.add("heard", one)
    with monkeypatch.context() as full:
        full.setattr("pathlib.Path.open", _no_space)
        minutes.add("heard", one)
    minutes.add("heard", one)
    assert len(list(minutes.read("heard"))) == 1
    minutes.close()
    assert list(tmp_path.iterdir()) == []


def _no_space(*_):
    raise OSError(28, "No space left on device")


def test_work_beside_a_trial_is_held_by_one_and_what_others_left_of_its_kind_goes(tmp_path):
    first = room_beside(tmp_path, DECIDED, "1")
    assert room_beside(tmp_path, DECIDED, "1") is None
    other = room_beside(tmp_path, PUBLISHED, "1")
    second = room_beside(tmp_path, DECIDED, "2")
    assert {one.name for one in tmp_path.iterdir()} == {"decided-1", "decided-2", "published-1"}
    first.leave()
    third = room_beside(tmp_path, DECIDED, "3")
    assert {one.name for one in tmp_path.iterdir()} == {"decided-2", "decided-3", "published-1"}
    for home in (other, second, third):
        home.remove()
    assert list(tmp_path.iterdir()) == []
