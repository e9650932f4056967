"""The page as readers meet it, in headless Chromium: Debian's, or whichever is on the path."""

import re
import shutil
from pathlib import Path

import pytest

import veridex as vx
from conftest import monthly, seasonal_values
from onepage.test_board import HOSTILE

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")


MANY = 400


@pytest.fixture(scope="module")
def browser():
    if CHROMIUM is None:
        pytest.skip("no Chromium on the path")
    api = pytest.importorskip("playwright.sync_api")
    with api.sync_playwright() as play:
        started = play.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        yield started
        started.close()


@pytest.fixture(scope="module")
def places(page, uneven, tmp_path_factory):
    """The page, and others: of hostile names, of many items, of items that end at two periods."""
    home = tmp_path_factory.mktemp("page")
    (home / "board.html").write_text(page, "utf-8")
    series = [monthly(seasonal_values(k, 36), item=name)[name] for k, name in enumerate(HOSTILE)]
    hostile = vx.board(vx.publish(vx.History.of(series), method="seasonal-naive"))
    (home / "hostile.html").write_text(hostile, "utf-8")
    many = vx.History.of([monthly(seasonal_values(k % 9, 24), item=f"jar-{k}")[f"jar-{k}"] for k in range(MANY)])
    (home / "many.html").write_text(vx.board(vx.publish(many, method="naive", horizon=3)), "utf-8")
    (home / "uneven.html").write_text(vx.board(uneven[2], uneven[1]), "utf-8")
    return {name: (home / f"{name}.html").as_uri() for name in ("board", "hostile", "many", "uneven")}


@pytest.fixture
def opened(browser, places):
    """Opens a page; what it asked for, and every error of its script, must be none when all is done."""
    troubles, contexts = [], []

    def open_(address="", name="board", **look):
        context = browser.new_context(**{"viewport": {"width": 1280, "height": 800}, "locale": "en-GB"} | look)
        contexts.append(context)
        tab = context.new_page()
        tab.on("request", lambda asked: troubles.append(asked.url) if not _own(asked.url) else None)
        tab.on("pageerror", lambda error: troubles.append(str(error)))
        tab.on("console", lambda told: troubles.append(told.text) if told.type in ("error", "warning") else None)
        tab.on("dialog", lambda dialog: (troubles.append(f"dialog {dialog.message}"), dialog.dismiss()))
        tab.goto(places[name] + address)
        tab.wait_for_selector("body[data-ready]")
        return tab

    yield open_
    for context in contexts:
        context.close()
    assert troubles == []


def _own(url):
    return url.startswith(("file:", "blob:file:", "blob:null"))


def until(tab, holds):
    """Wait until something holds; the page's own policy forbids to have the browser wait for it."""
    for _ in range(300):
        if holds():
            return
        tab.wait_for_timeout(20)
    raise AssertionError(f"not after six seconds: {tab.locator('main').inner_text()[:400]}")


def names(tab):
    return tab.locator("tbody tr:not(.space) .name").all_inner_texts()


def test_it_sorts_filters_and_remembers_both_in_its_address(opened, handed):
    tab = opened()
    assert names(tab) == list(handed["publication"].items)
    totals = {one.item: one.totals.points[-1] for one in handed["publication"].published.values()}
    tab.get_by_role("button", name="In all").click()
    ranked = sorted(totals, key=lambda item: -totals[item])
    assert names(tab) == ranked and tab.locator("th[aria-sort=descending]").inner_text() == "In all ↓"
    tab.get_by_role("button", name="In all").click()
    tab.get_by_label("Find").fill("hive")
    until(tab, lambda: len(names(tab)) == 2)
    rising = sorted((item for item in totals if "hive" in item), key=totals.get)
    assert rising in (names(tab), names(tab)[::-1])
    said = tab.locator(".status").inner_text()
    assert said.startswith("2 of 10 items together") and f"{sum(totals[item] for item in rising):,.0f} units" in said
    tab.get_by_label("Find").fill("nobody")
    until(tab, lambda: tab.locator("tbody").inner_text() == "No item is left. Show all")
    tab.get_by_label("Find").fill("hive")
    until(tab, lambda: len(names(tab)) == 2)
    again = opened("#" + tab.url.partition("#")[2])
    assert names(again) == names(tab) and again.get_by_label("Find").input_value() == "hive"
    again.get_by_label("Only").select_option("with alerts")
    assert set(names(again)) <= set(handed["watch"].alerts["item"])


def test_of_a_long_table_only_what_is_in_sight_is_drawn(opened):
    tab = opened(name="many")
    assert tab.locator("table.items").get_attribute("aria-rowcount") == str(MANY + 1)
    assert 10 < len(names(tab)) < 40 and names(tab)[0] == "jar-0"
    tab.get_by_role("region", name="Table of items").focus()
    tab.keyboard.press("End")
    until(tab, lambda: "jar-399" in names(tab))
    assert len(names(tab)) < 40 and tab.locator("tbody tr:not(.space)").last.get_attribute("aria-rowindex") == str(
        MANY + 1
    )
    tab.get_by_role("link", name="jar-399").click()
    tab.wait_for_selector("h2")
    tab.go_back()
    tab.wait_for_selector("table.items")
    assert opened("#sort=item&down=yes", name="many").locator(".name").first.inner_text() == "jar-399"


def test_one_item_is_reached_by_keyboard_and_keeps_level_span_and_scale(opened, handed):
    tab = opened("#sort=item")
    first = names(tab)[0]
    tab.locator("tbody .name").first.focus()
    tab.keyboard.press("Enter")
    tab.wait_for_selector("h2")
    assert tab.locator("h2").inner_text() == first and tab.evaluate("document.activeElement.id") == "main"
    tab.get_by_role("link", name="Next", exact=True).press("Enter")
    until(tab, lambda: tab.locator("h2").inner_text() != first)
    place = tab.evaluate("location.hash")
    assert "view=item" in place and "sort=item" in place
    tab = opened("#view=item&item=smoker-01")
    assert tab.locator(".picture").first.locator("path.band").count() == 1
    tab.get_by_label("Band").select_option("all levels")
    until(tab, lambda: tab.locator(".picture").first.locator("path.band").count() == 2)
    tab.get_by_label("all of it").check()
    until(tab, lambda: "span=all" in tab.url)
    assert "2016" in tab.locator(".picture").first.inner_text() or "2017" in tab.locator(".picture").first.inner_text()
    frame = tab.locator(".frame").first
    frame.focus()
    frame.press("End")
    one = handed["publication"]["smoker-01"]
    said = tab.locator("output").first.inner_text()
    assert said.startswith("2026-04: ") and f"lead time not tested {one.outlook.points[-1]:,.4g}" in said
    frame.press("ArrowLeft")
    assert tab.locator("output").first.inner_text().startswith("2026-03: ")
    tab.get_by_label("Scale from").fill("0")
    tab.get_by_label("to", exact=True).fill("1000")
    tab.get_by_label("to", exact=True).press("Enter")
    until(tab, lambda: "1,000" in tab.locator(".panel .tick").all_text_contents())
    tab.get_by_label("keep it from item to item").check()
    tab.get_by_role("link", name="Previous").click()
    until(tab, lambda: tab.locator("h2").inner_text() != "smoker-01")
    assert tab.get_by_label("to", exact=True).input_value() == "1000"
    for words in ("Held back and forecast", "Contenders on one scale", "Error by lead time", "Why this is published"):
        assert tab.get_by_role("heading", name=words).count() == 1, words


def test_tables_are_copied_and_saved_as_they_are(opened, handed, tmp_path):
    tab = opened("#view=item&item=jar-honey-500", permissions=["clipboard-read", "clipboard-write"], locale="de-DE")
    tab.get_by_text("Figures: forecast").click()
    rows = tab.locator("details[open] tbody tr").count()
    with tab.expect_download() as loaded:
        tab.locator("details[open]").get_by_role("button", name="Save as CSV").click()
    loaded.value.save_as(tmp_path / "saved.csv")
    saved = (tmp_path / "saved.csv").read_text("utf-8-sig").splitlines()
    points = handed["publication"]["jar-honey-500"].outlook.points
    told = [float(line.split(",")[2]) for line in saved[1:]]
    assert rows == len(told) == 8 and told == pytest.approx(points.tolist(), rel=1e-4)
    assert saved[0].startswith("period,lead time,forecast,std error,lower 80,upper 80,lower 95")
    tab.locator("details[open]").get_by_role("button", name="Copy").click()
    until(tab, lambda: tab.locator("details[open] .told").inner_text() == "Copied.")
    copied = tab.evaluate("navigator.clipboard.readText()").splitlines()
    assert [line.split("\t")[2].replace(",", ".") for line in copied[1:]] == [line.split(",")[2] for line in saved[1:]]


@pytest.mark.parametrize(
    ("locale", "number"), [("de-DE", r"\d\.\d{3}"), ("fr-FR", "\\d\u202f\\d{3}"), ("en-GB", r"\d,\d{3}")]
)
def test_numbers_are_written_as_the_reader_writes_them(opened, locale, number):
    assert re.search(number, opened(locale=locale).locator(".status").inner_text())


def test_the_portfolio_has_every_part(opened):
    tab = opened("#view=portfolio")
    parts = (
        "Totals",
        "Items by volume and error",
        "Standings",
        "What intervals held",
        "The last watch",
        "Track record",
    )
    for words in (*parts, "What has changed", "How it was made"):
        assert tab.get_by_role("heading", name=words, exact=True).count() == 1, words
    tab.locator("svg a[aria-label='smoker-01']").click()
    until(tab, lambda: tab.locator("h2").inner_text() == "smoker-01")


def test_hostile_names_stay_names(opened):
    tab = opened(name="hostile")
    assert names(tab) == [" ".join(name.split("\t")) if "\t" in name else name for name in HOSTILE]
    for name in HOSTILE[:5]:
        tab.locator(".name").nth(HOSTILE.index(name)).click()
        tab.wait_for_selector("h2")
        assert tab.locator("h2").inner_text() == name
        tab.get_by_role("link", name="← All items").click()
        tab.wait_for_selector("table.items")
    gone = opened("#view=item&item=nobody", name="hostile")
    assert gone.locator("h2").inner_text() == "No such item"


@pytest.mark.parametrize("view", ["#", "#view=item&item=smoker-01", "#view=portfolio"])
def test_it_fits_narrow_and_wide_screens_and_paper(opened, view):
    for width in (360, 1920):
        tab = opened(view, viewport={"width": width, "height": 800})
        assert tab.evaluate("document.documentElement.scrollWidth") <= width
    tab.emulate_media(media="print", color_scheme="dark")
    tab.evaluate("window.dispatchEvent(new Event('beforeprint'))")
    assert tab.evaluate("getComputedStyle(document.documentElement).color") == "rgb(34, 49, 63)"
    assert not tab.locator("#head select").first.is_visible()
    if view == "#":
        assert len(names(tab)) == 10


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_no_serious_fault_is_found_by_an_audit_of_accessibility(opened, scheme):
    axe = pytest.importorskip("axe_playwright_python.sync_playwright").Axe()
    for view in ("#", "#view=item&item=smoker-01", "#view=item&item=feeder-rapid", "#view=portfolio"):
        tab = opened(view, color_scheme=scheme)
        for one in tab.locator("details > summary").all():
            one.click()
        found = axe.run(tab).response["violations"]
        serious = [
            (one["id"], one["nodes"][0]["html"][:200]) for one in found if one["impact"] in ("serious", "critical")
        ]
        assert serious == [], view


def test_the_script_that_is_packaged_is_the_one_that_is_shown():
    """No part of the script is left out, and none is more than a room can hold."""
    from veridex.onepage.page import SCRIPTS

    home = Path(vx.__file__).parent / "onepage" / "parts"
    assert {path.stem for path in home.glob("*.js")} == set(SCRIPTS)
    assert all(len(path.read_text().splitlines()) <= 350 for path in home.iterdir())


def test_sums_over_the_table_leave_out_items_known_until_another_period(opened, uneven):
    publication = uneven[2]
    same = [publication[item] for item in ("jar", "lid")]
    said = opened(name="uneven").locator(".status").inner_text()
    assert said.startswith("All 4 items together") and "without 2 items known until another month than 2022-12" in said
    assert f"next month {sum(one.outlook.points[0] for one in same):,.1f} units" in said
    assert f"in all from lead time 3 on {sum(one.totals.points[-1] for one in same):,.0f} units" in said
    tab = opened("#view=item&item=jar", "uneven")
    assert "forecast, lead time not tested" in tab.locator(".keys").first.all_inner_texts()[0]
    assert tab.locator("svg.plot").first.locator("path.forecast").count() == 2
