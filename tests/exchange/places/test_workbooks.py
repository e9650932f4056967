"""Workbooks: what each sheet shows, a picture that follows the pick, and what does not fit."""

import csv
import shutil
import subprocess

import numpy as np
import openpyxl
import pytest
from xlsxwriter.worksheet import Worksheet

import veridex as vx
from conftest import inside, monthly, seasonal_values
from veridex.exchange.places.workbooks import place as workbooks


@pytest.fixture(scope="module")
def book(publication, tmp_path_factory):
    path = tmp_path_factory.mktemp("book") / "forecasts.xlsx"
    return vx.write(publication, path)


def test_sheets_are_made_for_people(book, publication):
    sheets = openpyxl.load_workbook(book)
    assert sheets.sheetnames == ["Forecast", "Picture", "Items", "Totals", "Long", "Ledger", "About", "Kept"]
    assert [one.title for one in sheets if one.sheet_state == "hidden"] == ["Kept"]
    for name in ("Forecast", "Items", "Totals", "Long", "Ledger"):
        one = sheets[name]
        assert (
            one.freeze_panes == "B2" and one.page_setup.orientation == "landscape" and one.print_title_rows == "$1:$1"
        )
    items = [cell.value for cell in sheets["Items"]["A"][1:]]
    assert items == list(publication.items)
    heads = [cell.value for cell in sheets["Items"][1]]
    assert {"in short", "why", "bias", "wape", "coverage 80", "caution"} <= set(heads) and "record" not in heads
    about = {row[0].value: row[1].value for row in sheets["About"]}
    assert about["what"].startswith("Forecasts of 10 items, monthly") and "rule: blend" in about["tested"]
    long = sheets["Long"]
    assert long["B2"].is_date and long["B2"].number_format == "yyyy-mm" and long["E2"].number_format == "#,##0"
    assert long.max_row == len(publication.frame) + 1 and len(long["A"]) == long.max_row


def test_the_forecast_sheet_is_a_row_per_item_and_a_column_per_period(book, publication):
    cells, plain = openpyxl.load_workbook(book)["Forecast"], openpyxl.load_workbook(book, data_only=True)["Forecast"]
    ahead = publication.forecasts.pivot(index="item", columns="period", values="value")
    assert [cell.value for cell in plain[1]][1:-1] == list(ahead.columns)  # the retired item ends, and begins, earlier
    for row, item in enumerate(publication.items, start=2):
        shown = [np.nan if cell.value is None else cell.value for cell in plain[row]]
        assert shown[0] == item and shown[1:-1] == pytest.approx(ahead.loc[item].tolist(), nan_ok=True)
        assert shown[-1] == pytest.approx(ahead.loc[item].sum()) and cells[row][-1].value == f"=SUM(B{row}:I{row})"
    last = [cell.value for cell in plain[len(publication.items) + 2]]
    assert last[0] == "all items" and last[1:-1] == pytest.approx(ahead.sum().tolist())
    assert cells.cell(len(publication.items) + 2, 2).value == "=SUM(B2:B11)"


def test_averages_have_no_sum(tmp_path):
    prices = vx.History.from_numbers(seasonal_values(), start="2018-01", cadence="monthly", item="fondant", adds="mean")
    vx.write(vx.publish(prices, method="naive", horizon=3), tmp_path / "prices.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "prices.xlsx")["Forecast"]
    assert sheet["E1"].value == "mean" and sheet["E2"].value == "=AVERAGE(B2:D2)" and sheet.max_row == 2


def drawn(sheet):
    """What the picture draws: the periods with their numbers."""
    rows = sheet.iter_rows(min_row=6, min_col=15, max_col=21, values_only=True)
    return [row for row in rows if row[0] not in (None, "")]


def expected(publication, item):
    """History, forecast, and the widths of the bands from the lowest bound up."""
    found = []
    for row in publication.frame.query("item == @item and scenario == ''").to_dict("records"):
        past = row["kind"] == "actual"
        edges = [row[name] for name in ("lower_95", "lower_80", "upper_80", "upper_95")]
        history, forecast = (row["value"], None) if past else (None, row["value"])
        widths = [row["value"], 0, 0, 0] if past else [edges[0], *np.diff(edges)]
        found.append([f"{row['period']:%Y-%m}", history, forecast, *widths])
    return found


def check_picture(rows, wanted):
    assert len(rows) == len(wanted)
    for row, own in zip(rows, wanted, strict=True):
        assert row[0] == own[0]
        for value, right in zip(row[1:], own[1:], strict=True):
            missing = right is None or np.isnan(right)
            assert str(value).startswith("#N/A") if missing else float(value) == pytest.approx(right, abs=1e-9)


def test_the_picture_begins_with_the_first_item(book, publication):
    sheet = openpyxl.load_workbook(book, data_only=True)["Picture"]
    assert sheet["B2"].value == publication.items[0]
    check_picture(drawn(sheet), expected(publication, publication.items[0]))
    (listed,) = sheet.data_validations.dataValidation
    assert (listed.type, listed.sqref.ranges.pop().coord, listed.formula1) == ("list", "B2", "$Y$6:$Y$15")
    assert len(sheet._charts) == 1


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
def test_the_picture_follows_the_pick_in_a_real_program(tmp_path):
    names = ["A", "a", "aa", "*", "=1+1", "x" * 10_000]
    many = vx.History.of([monthly(seasonal_values(k, 24 + k), item=name)[name] for k, name in enumerate(names)])
    made = vx.publish(many, method="seasonal-naive", horizon=4)
    path = vx.write(made, tmp_path / "book.xlsx")
    picked = {}
    for number, pick in enumerate(("a", "*", "=1+1", "x" * 10_000)):
        opened = openpyxl.load_workbook(path)
        cell = opened["Picture"]["B2"]
        cell.value, cell.data_type = pick, "s"
        picked[pick] = tmp_path / f"book-{number}.xlsx"
        opened.save(picked[pick])
    form = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false,false,false,false,2"  # the second sheet
    words = ["soffice", f"-env:UserInstallation=file://{tmp_path}/user", "--headless", "--convert-to", form]
    subprocess.run([*words, "--outdir", tmp_path, *picked.values()], check=True, capture_output=True, timeout=120)
    for pick, book in picked.items():
        with (tmp_path / f"{book.stem}-Picture.csv").open(newline="", encoding="utf-8") as file:
            rows = [row[14:21] for row in list(csv.reader(file))[5:] if len(row) > 14 and row[14]]
        check_picture(rows, expected(made, pick))


def test_more_rows_than_a_sheet_has_are_refused_before_the_work(ten_csv, tmp_path, monkeypatch):
    monkeypatch.setattr(workbooks, "ROWS", 900)
    words = ["publish", ten_csv, "--item", "sku", "--period", "month", "--demand", "units", "--horizon", 3]
    done = inside(*words, "--to", tmp_path / "out", "--to", tmp_path / "f.xlsx")
    assert done.returncode == 2 and "rows do not fit into a sheet, which has 900" in done.stderr
    assert "Parquet files (forecasts.parquet) or a database" in done.stderr and "default backtest" not in done.stderr
    assert not (tmp_path / "out").exists()
    few = inside(*words, "--past", 5, "--method", "naive", "--to", tmp_path / "f.xlsx")
    assert few.returncode == 0 and len(vx.read_publication(tmp_path / "f.xlsx").frame) == 80


def test_a_text_that_no_cell_holds_is_refused(tmp_path):
    name = "x" * 40_000
    made = vx.publish(monthly(seasonal_values(), item=name), method="naive", horizon=1)
    with pytest.raises(vx.errors.DestinationRefused, match=r"text of 40,000 letters does not fit into a cell"):
        vx.write(made, tmp_path / "f.xlsx")
    assert not list(tmp_path.iterdir())


def test_a_cell_that_the_library_leaves_out_is_no_silent_loss(tmp_path, monkeypatch):
    made = vx.publish(monthly(seasonal_values()), method="naive", horizon=1)
    monkeypatch.setattr(Worksheet, "write_number", lambda *_: -1)  # what it answers beyond the last row and column
    with pytest.raises(vx.errors.DestinationRefused, match="is beyond the end of a sheet"):
        vx.write(made, tmp_path / "f.xlsx")
    assert not list(tmp_path.iterdir())


def test_a_foreign_workbook_is_none_of_ours(tmp_path):
    openpyxl.Workbook().save(tmp_path / "f.xlsx")
    (tmp_path / "g.xlsx").write_text("no zip")
    for name, said in (("f", "this workbook is none that Veridex has written"), ("g", "this is no workbook")):
        with pytest.raises(vx.errors.PublicationUnreadable, match=said):
            vx.read_publication(tmp_path / f"{name}.xlsx")


def test_a_tidied_history_has_its_sheets_and_a_picture_without_bands(tmp_path):
    values = seasonal_values(n=30)
    values[4] = np.nan
    history = vx.History.of([monthly(own, item=name)[name] for name, own in (("a", values), ("b", values[:9] - 90.0))])
    path = vx.write(vx.tidy(history, gaps="interpolate"), tmp_path / "tidied.xlsx")
    book = openpyxl.load_workbook(path, data_only=True)
    assert book.sheetnames == ["Picture", "History", "Ledger", "About", "Kept"]
    heads = [cell.value for cell in book["History"][1]]
    assert heads == ["item", "period", "demand", "raw", "mark"] and book["History"].max_row == 40
    rows = list(book["Picture"].iter_rows(min_row=6, max_row=35, min_col=15, max_col=16, values_only=True))
    assert rows[0] == ("2018-01", pytest.approx(values[0])) and rows[4][1] == pytest.approx(values[3:6:2].mean())
    assert [row[0] for row in rows][-1] == "2020-06" and book["Ledger"]["C2"].value == "gap filled"
    about = {row[0].value: row[1].value for row in book["About"]}
    assert about["what"] == "Demand of 2 items, monthly, demand (units)" and "gaps interpolate" in about["tidied"]


@pytest.mark.parametrize(("scale", "form"), [(0.02, "#,##0.00"), (30.0, "#,##0.0"), (4_000.0, "#,##0")])
def test_numbers_are_written_in_their_size_and_keys_as_texts(scale, form, tmp_path):
    numbers = scale * (1 + np.arange(12.0) % 4)
    history = vx.History.from_numbers(numbers, cadence="counted", item="0007")
    path = vx.write(vx.publish(history, method="mean", horizon=2), tmp_path / "n.xlsx")
    sheet = openpyxl.load_workbook(path)["Forecast"]
    assert sheet["B2"].number_format == form and sheet["A2"].value == "0007"
    assert sheet["B1"].value == 13 and sheet["D1"].value == "total"  # a counted period is a number
    assert sheet["B2"].value == pytest.approx(numbers.mean(), rel=1e-14)
