"""What goes into a place comes out of it: every form, every place, hostile names; several places are written as one."""

import os
import sys

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import seasonal_values
from veridex import staged

LONG = "".join(chr(97 + k) for k in np.random.default_rng(3).integers(26, size=10_000))
NAMES = (
    *("=1+1", "@SUM(A1)", "+cmd|' /C calc'!A0", '"quoted", and more', "'; drop table veridex_forecast; --"),
    *(
        "../../etc/passwd",
        "C:\\x",
        LONG,
        LONG[:-1] + "_",
        "bell\x07 nul\x00 tab\t line\nreturn\r",
        "\ufffe",
        "\u241b0000",
    ),
    *("שלום עולם", "\u202eevil", "_x0041_", "007", "NaN", "null", "TRUE", "A", "a", "*", "?", " a ", "%s{0}$NAME"),
)


@pytest.fixture(scope="module")
def demand():
    """Two years of demand of items with names that have harmed other programs; one month of one is not known."""
    values = [seasonal_values(k, 30) for k in range(len(NAMES))]
    values[3][7] = np.nan
    named = zip(NAMES, values, strict=True)
    return vx.History.of(
        [vx.History.from_numbers(own, start="2020-01", cadence="monthly", item=name)[name] for name, own in named]
    )


@pytest.fixture(scope="module")
def published(demand):
    return vx.publish(vx.tidy(demand, gaps="interpolate").history, method="drift", horizon=3, quantiles=97.5)


@pytest.fixture(params=["out", "out.parquet", "out.xlsx", "sqlite:///DIR/out.db", "postgresql"])
def place(request, tmp_path):
    if request.param == "postgresql":
        address = request.getfixturevalue("postgresql")
        return f"{address}&prefix=p{abs(hash(tmp_path)) % 10**9}_"
    return request.param.replace("DIR", str(tmp_path)) if "://" in request.param else tmp_path / request.param


def same(one, other, place):
    """The same tables: to the bit, but to the digits of a workbook."""
    precise = {"rtol": 1e-12, "atol": 0} if str(place).endswith("xlsx") else {"check_exact": True}
    for table in ("frame", "totals", "ledger", "models"):
        pd.testing.assert_frame_equal(getattr(one, table), getattr(other, table), check_dtype=False, **precise)
    assert one.manifest == other.manifest


def test_a_publication_comes_back_from_every_place(published, place):
    assert vx.write(published, place) == place
    again = vx.read_publication(place)
    assert again.items == NAMES
    same(again, published, place)
    for name in (LONG, "*"):
        assert again[name].law(2).quantile(33.0) == published[name].law(2).quantile(33.0)
        assert again[name].total_law(3).quantile(90.0) == published[name].total_law(3).quantile(90.0)


def test_histories_come_back_from_every_place(demand, place):
    kept = vx.tidy(demand, gaps="interpolate", outliers="flag")
    for what, history in ((demand, demand), (kept, kept.history)):
        vx.write(what, place)
        again = vx.read_history(place)
        assert (again.names, again.rules, again.measure) == (history.names, history.rules, history.measure)
        for name in ("values", "raw"):
            values, found = getattr(history, name), getattr(again, name)
            assert (found is None) == (values is None)
            if values is not None and str(place).endswith("xlsx"):
                np.testing.assert_allclose(found, values, rtol=1e-14)
            elif values is not None:
                assert found.tobytes() == values.tobytes()
        if "://" not in str(place):
            place = place.with_name(f"tidied-{place.name}")


@pytest.mark.parametrize("place", ["trial.parquet", "sqlite:///DIR/out.db", "postgresql"])
def test_a_trial_comes_back(demand, place, tmp_path, request):
    if place == "postgresql":
        place = f"{request.getfixturevalue('postgresql')}&prefix=trials_"
    address = place.replace("DIR", str(tmp_path)) if "://" in place else tmp_path / place
    trial = vx.backtest(demand, ["naive", "drift"], vx.RollingOrigin(horizon=2, origins=3))
    vx.write(trial, address)
    again = vx.read_trial(address)
    assert again.history.names == NAMES and [one.keys for one in again] == [one.keys for one in trial]
    assert again.arrays.laws.tobytes() == trial.arrays.laws.tobytes()
    pd.testing.assert_frame_equal(again.errors, trial.errors, check_exact=True)


@pytest.mark.parametrize("cadence", ["hourly", "daily", "weekly", "quarterly", "yearly", "counted"])
def test_periods_of_every_cadence_come_back(cadence, place):
    start = None if cadence == "counted" else "2023-01-02 00:00" if cadence == "hourly" else "2023-01-02"
    start = {"quarterly": "2023-01", "yearly": "1880"}.get(cadence, start)  # before the first day of spreadsheets
    history = vx.History.from_numbers(np.arange(40.0) % 7, start=start, cadence=cadence, item="smoker-01")
    made = vx.publish(history, method="naive", horizon=2, past=5)
    vx.write(made, place)
    same(vx.read_publication(place), made, place)


def test_what_was_changed_is_noticed(published, place):
    vx.write(published, place)
    tampered(place)
    with pytest.raises(vx.errors.PublicationUnreadable, match=r"changed since it was written: .*not what was"):
        vx.read_publication(place)


def tampered(place):
    """Change one forecast, or cut off what was written last."""
    if "://" in str(place):
        import sqlalchemy as sql

        from veridex.exchange.places.databases.address import Address

        address = Address.of(str(place))
        with address.connected() as connection:
            connection.execute(sql.text(f"UPDATE {address.prefix}forecast SET value = value + 1 WHERE step = 2"))
            connection.commit()
    elif str(place).endswith("xlsx"):
        import openpyxl

        book = openpyxl.load_workbook(place)
        book["Long"]["E35"] = 1.0
        book.save(place)
    else:
        path = next(iter(sorted(place.glob("publication.*"))))
        path.write_bytes(path.read_bytes()[:-9])


def test_several_places_are_written_as_one(published, tmp_path, monkeypatch):
    places = [tmp_path / "a", tmp_path / "b.parquet", tmp_path / "c.xlsx", f"sqlite:///{tmp_path}/d.db"]
    vx.write(published, places)
    older = vx.publish(
        vx.History.from_numbers([1.0, 2.0], start="2020-01", cadence="monthly"), method="naive", horizon=1
    )
    real, calls = staged.os.replace, []

    def full(source, target):
        calls.append(target)
        if str(target) == str(places[2]) and len(calls) < 3:
            raise OSError(28, "No space left on device")
        real(source, target)

    with monkeypatch.context() as patch:
        patch.setattr(staged.os, "replace", full)
        with pytest.raises(vx.errors.DestinationRefused, match=r"c.xlsx: No space .* to any of the 4 places"):
            vx.write(older, places)
    for place in places:
        assert len(vx.read_publication(place).items) == len(NAMES), place
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a", "b.parquet", "c.xlsx", "d.db"]
    vx.write(older, places)
    assert all(len(vx.read_publication(place).items) == 1 for place in places)
    with pytest.raises(vx.errors.DestinationRefused, match=r"out.ods: no place of this kind"):
        vx.write(published, [tmp_path / "new", tmp_path / "out.ods"])
    with pytest.raises(vx.errors.DestinationRefused, match="it is named twice"):
        vx.write(published, [tmp_path / "new", tmp_path / "x" / ".." / "new"])
    assert not (tmp_path / "new").exists()


def test_only_what_is_written_to_is_loaded(tmp_path):
    code = (
        "import sys, veridex as vx; h = vx.History.from_numbers([1.0, 2.0, 3.0], cadence='counted');"
        f"vx.write(vx.publish(h, method='naive', horizon=1), r'{tmp_path / 'out'}');"
        "assert not {'sqlalchemy', 'xlsxwriter', 'openpyxl'} & set(sys.modules), sys.modules.keys()"
    )
    assert os.spawnv(os.P_WAIT, sys.executable, [sys.executable, "-c", code]) == 0
