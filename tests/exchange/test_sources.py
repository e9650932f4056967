"""The same demand from every source, layout and spelling; what does not tell is refused."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
import sqlalchemy as sql
from hypothesis import given
from hypothesis import strategies as st

import veridex as vx

FRAME = pd.DataFrame(
    {
        "sku": ["007", "007", "007", "jar", "jar", "jar"],
        "month": ["2024-01", "2024-02", "2024-03"] * 2,
        "qty": [1.5, np.nan, 3.25, 10.0, 20.0, 30.0],
    }
)
LONG = {"item": "sku", "period": "month", "demand": "qty"}


def check(history):
    assert (history.names, history.cadence.name) == (("007", "jar"), "monthly")
    assert np.array_equal(history["007"].values, [1.5, np.nan, 3.25], equal_nan=True)
    assert history["jar"].values.tolist() == [10, 20, 30]
    assert str(history["jar"].periods[0]) == "2024-01-01T00:00:00"


def csv(directory, text, name="demand.csv", encoding="utf-8"):
    path = directory / name
    path.write_bytes(text.encode(encoding))
    return path


def as_csv(**options):
    return FRAME.to_csv(index=False, **options)


@pytest.mark.parametrize(
    ("text", "encoding", "note"),
    [
        (as_csv(), "utf-8", None),
        (as_csv(), "utf-8-sig", None),
        (as_csv(lineterminator="\r\n"), "utf-8", None),
        (as_csv(sep="\t"), "utf-8", "The columns are separated by tabs."),
        (as_csv(sep=";", decimal=","), "utf-8", "The columns are separated by semicolons."),
        (as_csv(sep="|"), "utf-16", "The file is in UTF-16."),
        (as_csv().replace("month", "Mönat"), "cp1252", "The file is not in UTF-8; it was read as Windows-1252."),
    ],
)
def test_text_files_of_every_kind(tmp_path, text, encoding, note):
    period = "Mönat" if "Mönat" in text else "month"
    history = vx.read_history(csv(tmp_path, text, encoding=encoding), **(LONG | {"period": period}))
    check(history)
    assert note is None or note in history.notes
    assert "Cadence monthly: the dates are written as months." in history.notes


@pytest.mark.parametrize("mark", ["bar", "tab", "~", "", "\n", '"', "é", "nan"])
def test_a_mark_between_columns_is_one_character_or_has_a_name(tmp_path, mark):
    path = csv(tmp_path, as_csv(sep={"bar": "|", "tab": "\t"}.get(mark, "~")))
    if mark in ("bar", "tab", "~"):
        check(vx.read_history(path, **LONG, delimiter=mark))
        return
    with pytest.raises(vx.VeridexError, match=r"delimiter=.*give one ASCII character, or its name: comma"):
        vx.read_history(path, **LONG, delimiter=mark)


def test_parquet_files_and_folders(tmp_path):
    FRAME.to_parquet(tmp_path / "demand.parquet")
    check(vx.read_history(tmp_path / "demand.parquet", **LONG))
    (tmp_path / "parts").mkdir()
    for i, part in enumerate((FRAME[:2], FRAME[2:])):
        part.to_parquet(tmp_path / "parts" / f"{i}.parquet")
    check(vx.read_history(tmp_path / "parts", **LONG))


def test_excel_sheets(tmp_path):
    path = tmp_path / "demand.xlsx"
    with pd.ExcelWriter(path) as book:
        pd.DataFrame({"note": ["nothing here"]}).to_excel(book, sheet_name="cover", index=False)
        FRAME.assign(month=pd.to_datetime(FRAME["month"])).to_excel(book, sheet_name="demand", index=False)
    check(vx.read_history(path, sheet="demand", **LONG))
    with pytest.raises(vx.VeridexError, match=r"no sheet 'demnad'\. Its sheets are cover, demand"):
        vx.read_history(path, sheet="demnad", **LONG)


@pytest.mark.parametrize("layout", ["long", "wide"])
def test_a_sheet_as_people_keep_it(tmp_path, layout):
    """Titles above the names of the columns, a total below, and beside the items."""
    months = [f"2022-{i:02d}" for i in range(1, 13)]
    jars, lids = np.arange(12.0), np.arange(5.0, 17.0)
    frame = pd.DataFrame({"month": months, "jars": jars, "lids": lids, "Total": jars + lids})
    if layout == "long":
        frame = frame[["month", "jars"]].rename(columns={"jars": "units"})
    path = tmp_path / "sales.xlsx"
    with pd.ExcelWriter(path) as book:
        pd.DataFrame([["Larkmoor, sales by month"]]).to_excel(book, index=False, header=False)
        frame.to_excel(book, startrow=3, index=False)
        total = [["TOTAL:", *frame.iloc[:, 1:].sum()]]
        pd.DataFrame(total).to_excel(book, startrow=17, index=False, header=False)
    history = vx.read_history(path, layout=layout, period="month", **({"demand": "units"} if layout == "long" else {}))
    assert history.names == (("sales",) if layout == "long" else ("jars", "lids"))
    assert history[history.names[0]].values.tolist() == jars.tolist()
    said = " ".join(history.notes)
    assert "Row 4 holds the names of the columns; 3 above it were passed over." in said
    assert "Left out the total in row 18." in said and ("Left out the column Total" in said) == (layout == "wide")


def test_what_does_not_add_up_is_no_total(tmp_path):
    frame = pd.DataFrame(
        {"month": ["2022-01", "2022-02", "2022-03"], "a": [1, 2, 3], "b": [3, 3, 3], "total": [4, 5, 7]}
    )
    frame.to_csv(tmp_path / "sales.csv", index=False)
    assert vx.read_history(tmp_path / "sales.csv", layout="wide", period="month").names == ("a", "b", "total")


def test_databases(tmp_path):
    address = f"sqlite:///{tmp_path / 'shop.db'}"
    engine = sql.create_engine(address)
    FRAME.to_sql("orders", engine, index=False)
    engine.dispose()
    check(vx.read_history(address, table="orders", **LONG))
    check(vx.read_history(address, query="select sku, month, qty from orders where qty is null or qty > 0", **LONG))
    for wrong, words in (
        ({}, "needs either table= or query="),
        ({"table": "ordres"}, "ordres"),
        ({"query": "select * from nowhere"}, "no such table"),
    ):
        with pytest.raises(vx.VeridexError, match=words):
            vx.read_history(address, **LONG, **wrong)
    with pytest.raises(vx.VeridexError, match="no such database file"):
        vx.read_history(f"sqlite:///{tmp_path / 'other.db'}", table="orders", **LONG)
    assert not (tmp_path / "other.db").exists()


def test_standard_input():
    veridex = Path(sys.executable).with_name("veridex")
    words = ["--item", "sku=jar", "--period", "month", "--demand", "qty", "--method", "naive", "--horizon", "2"]
    done = subprocess.run(
        [veridex, "publish", "-", *words, "--as", "csv"], input=as_csv(), capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1].startswith("jar,2024-05-01,forecast,2,30.0,")


def test_frames_and_series_of_pandas():
    check(vx.History.from_frame(FRAME, **LONG))
    stamped = FRAME.assign(month=pd.to_datetime(FRAME["month"])).set_index("month")
    check(vx.History.from_frame(stamped, **LONG))
    series = pd.Series([1.0, 2.0, 4.0], index=pd.date_range("2024-01-01", periods=3, freq="MS"), name="jar")
    assert vx.History.from_frame(series, name="jar", cadence="monthly")["jar"].values.tolist() == [1, 2, 4]


def test_the_wide_layout(tmp_path):
    wide = FRAME.pivot_table(index="month", columns="sku", values="qty", dropna=False).reset_index()
    wide["remark"] = ["", "sale", ""]
    path = csv(tmp_path, wide.to_csv(index=False))
    history = vx.read_history(path, period="month", layout="wide")
    check(history)
    assert "Left out the columns remark: they hold no numbers." in history.notes
    assert vx.read_history(path, period="month", layout="wide", items=["jar"]).names == ("jar",)
    wide["jar"] = ["10", "twenty", "30"]
    with pytest.raises(vx.VeridexError, match="row 3, column 'jar': 'twenty' is no number"):
        vx.read_history(csv(tmp_path, wide.to_csv(index=False)), period="month", layout="wide")


def test_keys_and_dates_in_several_columns():
    frame = FRAME.assign(region="north", year=2024.0, mon=[1, 2, 3] * 2)
    history = vx.History.from_frame(
        frame, item=["sku", "region"], period=["year", "mon"], demand="qty", cadence="monthly"
    )
    assert history.names == ("007 / north", "jar / north")
    items = history.last(2).items
    assert items.columns.tolist()[:3] == ["item", "sku", "region"]
    assert items["sku"].tolist() == ["007", "jar"]
    quarters = pd.DataFrame({"year": [2023, 2023, 2024], "quarter": [3, 4, 1], "qty": [1, 2, 3]})
    history = vx.History.from_frame(quarters, period=["year", "quarter"], demand="qty")
    assert history.cadence.name == "quarterly" and history["demand"].values.tolist() == [1, 2, 3]


@pytest.mark.parametrize(
    ("combine", "january", "gap"),
    [("sum", 9, 0), ("mean", 3, np.nan), ("last", 1, np.nan), ("count", 3, 0), ("max", 6, np.nan)],
)
def test_rows_of_a_period_combine(combine, january, gap):
    days = ["2024-01-02", "2024-01-05", "2024-01-30", "2024-03-29", "2024-03-30"]
    frame = pd.DataFrame({"day": days, "qty": [2.0, 6, 1, 4, 4]})
    history = vx.History.from_frame(frame, period="day", demand="qty", cadence="monthly", combine=combine)
    assert np.array_equal(history["demand"].values[:2], [january, gap], equal_nan=True)


# All of them the first of March 2024, or the period that begins with it.
@pytest.mark.parametrize(
    "text",
    [
        "2024-03-01", "2024/3/1", "20240301", "1.3.2024", "01-Mar-2024", "1 March 2024", "Mar 1, 2024", "2024-03",
        "2024 3", "03/2024", "3-2024", "2024M3", "Mar 2024", "2024 March", "45352", "2024-03-01T00:00",
        "2024-03-01 0:00:00",
    ],
)  # fmt: skip
def test_dates_are_read_in_many_spellings(text):
    frame = pd.DataFrame({"period": [text], "demand": [1]})
    series = vx.History.from_frame(frame, cadence="monthly")["demand"]
    assert str(series.periods[0]) == "2024-03-01T00:00:00"


@pytest.mark.parametrize(
    ("dates", "texts", "first"),
    [
        (None, ["03/04/2024", "13/04/2024"], "2024-04-03"),
        (None, ["03/04/2024", "03/14/2024"], "2024-03-04"),
        ("day-first", ["03/04/2024", "04/04/2024"], "2024-04-03"),
        ("month-first", ["03-04-2024", "03-05-2024"], "2024-03-04"),
    ],
)
def test_day_or_month_first(dates, texts, first):
    frame = pd.DataFrame({"period": texts, "demand": [1, 2]})
    history = vx.History.from_frame(frame, cadence="daily", dates=dates)
    assert str(history["demand"].periods[0])[:10] == first


@pytest.mark.parametrize("texts", [["03/04/2024", "05/04/2024"], ["13/04/2024", "04/13/2024"]])
def test_dates_that_do_not_tell_are_refused(texts):
    with pytest.raises(vx.VeridexError, match=r"dates='day-first'|is no date"):
        vx.History.from_frame(pd.DataFrame({"period": texts, "demand": [1, 2]}), cadence="daily")


@pytest.mark.parametrize(
    ("texts", "numbers"),
    [
        (["1.234,5", "2"], [1234.5, 2]),
        (["1,234.5", "2"], [1234.5, 2]),
        (["12,5", "3"], [12.5, 3]),
        (["1,234,567", "2"], [1234567, 2]),
        (["1 234", "2'000.5"], [1234, 2000.5]),
        (["1\u00a0234,25", "-"], [1234.25, np.nan]),
        (["1e3", "n/a"], [1000, np.nan]),
    ],
)
def test_numbers_are_read_in_many_spellings(texts, numbers):
    frame = pd.DataFrame({"period": ["2024-01", "2024-02"], "demand": texts})
    history = vx.History.from_frame(frame, cadence="monthly")
    assert np.array_equal(history["demand"].values, numbers, equal_nan=True)


def test_a_comma_that_does_not_tell_is_refused(tmp_path):
    frame = pd.DataFrame({"period": ["2024-01", "2024-02"], "demand": ["7", "1,234"]})
    with pytest.raises(vx.VeridexError, match=r"row 2, column 'demand': the comma in '1,234' could mark decimals or"):
        vx.History.from_frame(frame, cadence="monthly")
    for texts, bad in ((["1,5", "1.5"], "1.5"), (["1.234,5", "1,234.5"], "1,234.5")):  # two kinds in one column
        with pytest.raises(vx.VeridexError, match=f"row 2, column 'demand': '{bad}' is no number"):
            vx.History.from_frame(frame.assign(demand=texts), cadence="monthly")
    path = csv(tmp_path, "period;demand\n2024-01;1.234\n2024-02;2.500\n")
    assert vx.read_history(path, cadence="monthly", decimal=",")[path.stem].values.tolist() == [1234, 2500]
    for decimal, value in ((",", 1.234), (".", 1234)):
        assert vx.History.from_frame(frame, cadence="monthly", decimal=decimal)["demand"].values[1] == value


@pytest.mark.parametrize(
    ("stamps", "cadence"),
    [
        (pd.date_range("2020-12-31", periods=4, freq="YE"), "yearly"),
        (pd.date_range("2024-01-01", periods=5, freq="QS"), "quarterly"),
        (pd.date_range("2024-01-31", periods=5, freq="ME"), "monthly"),
        (pd.date_range("2024-01-01", periods=5, freq="W-MON"), "weekly"),
        (pd.date_range("2024-01-03", periods=5, freq="W-WED"), "weekly-wednesday"),
        (pd.bdate_range("2024-01-01", periods=15), "workday"),
        (pd.date_range("2024-01-01", periods=15), "daily"),
        (pd.date_range("2024-01-01", periods=30, freq="h"), "hourly"),
        (pd.date_range("2024-01-01", periods=30, freq="10min"), "10 minutes"),
        (pd.date_range("2024-01-01", periods=9, freq="6h"), "360 minutes"),
    ],
)
def test_the_cadence_is_inferred_and_said(stamps, cadence):
    frame = pd.DataFrame({"period": stamps.delete(2), "demand": 1.0})  # a hole does not hide it
    history = vx.History.from_frame(frame)
    assert history.cadence.name == cadence and history.notes[0].startswith(f"Cadence {cadence}: ")
    assert len(history["demand"]) == len(stamps)
    assert int(np.isnan(history["demand"].values).sum()) == 1


@pytest.mark.parametrize(
    ("texts", "words"),
    [
        (["2024-01-01", "2024-01-05", "2024-01-16", "2024-02-20"], "irregular"),
        (["2024-01-01", "2024-02-01"], "fewer than three"),
        (["2024-01-01 10:00", "2024-01-01 10:07", "2024-01-02 11:00"], "times of day are irregular"),
    ],
)
def test_irregular_dates_ask_for_the_cadence(texts, words):
    frame = pd.DataFrame({"period": texts, "demand": 1.0})
    with pytest.raises(vx.VeridexError, match=f"{words}.*State it with cadence="):
        vx.History.from_frame(frame)


def test_hundreds_of_thousands_of_columns_are_no_obstacle(tmp_path):
    names = [f"c{i}" for i in range(150_000)]
    path = csv(tmp_path, "\n".join([",".join(["period", *names]), *(f"2024-0{m}" + ",1" * len(names) for m in (1, 2))]))
    assert vx.read_history(path, demand="c7", cadence="monthly")[path.stem].values.tolist() == [1, 1]


def test_mixed_cadences_are_refused():
    months, quarters = (
        pd.date_range("2024-01-01", periods=8, freq="MS"),
        pd.date_range("2024-01-01", periods=8, freq="QS"),
    )
    frame = pd.DataFrame({"sku": ["a"] * 8 + ["b"] * 8, "period": [*months, *quarters], "demand": 1.0})
    with pytest.raises(vx.VeridexError, match="the items differ \\('a' monthly, 'b' quarterly\\)"):
        vx.History.from_frame(frame, item="sku")


@given(st.lists(st.floats(allow_infinity=False, width=64) | st.none(), min_size=1, max_size=30))
def test_what_was_written_is_read_back_to_the_bit(numbers):
    values = np.array([np.nan if number is None else number for number in numbers])
    history = vx.History.from_numbers(values, start="2001-05", cadence="monthly", item="jar")
    path = Path(os.environ["PYTEST_SCRATCH"]) / "jar.csv"
    history.to_frame().to_csv(path, index=False)
    again = vx.read_history(path, item="item", cadence="monthly")
    assert again["jar"].values.tobytes() == np.where(np.isnan(values), np.nan, values).tobytes()


@pytest.fixture(autouse=True)
def scratch(tmp_path_factory, monkeypatch):
    """A place for files that many examples of a property share."""
    monkeypatch.setenv("PYTEST_SCRATCH", str(tmp_path_factory.mktemp("scratch")))
