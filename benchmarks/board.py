"""The board: how large the page is, how long it takes to build, to open and to show an item, in headless Chromium."""

import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

import veridex as vx
from benchmarks.portfolio import portfolio

__all__ = ["report_board"]

LINEUP = (
    "seasonal-naive",
    "naive",
    "mean",
    "drift",
    "seasonal-mean",
    "moving-average window=12",
    "simple-smoothing",
    "holt damped=yes",
    "holt-winters season=additive",
    "holt-winters season=multiplicative",
    "theta",
    "trend-season",
)
"""A dozen methods, as the default lineup has, but quick ones."""

PERIODS = 120

BARS = {
    1000: {"megabytes": (6.0, "MB"), "rows": (1500.0, "ms"), "item": (150.0, "ms")},
    10_000: {"megabytes": (30.0, "MB"), "build": (10.0, "s")},
}

Report = Callable[[str, float, float, str], None]


class Made(NamedTuple):
    """What a board is made of."""

    publication: vx.Publication
    verdict: vx.Verdict


def made(items: int) -> Made:
    """So many items of 120 months, tested, decided and published."""
    history = portfolio(items, PERIODS)
    trial = vx.backtest(history, LINEUP, vx.RollingOrigin(horizon=12, origins=3), engine="processes")
    verdict = vx.decide(trial, rule="blend", engine="processes")
    return Made(vx.publish(history, verdict, horizon=12, groups=["all"], engine="processes"), verdict)


def built(found: Made) -> tuple[str, float]:
    """The page, and the seconds that it took."""
    begun = time.perf_counter()
    text = vx.board(found.publication, found.verdict)
    return text, time.perf_counter() - begun


def opened(page: Path) -> Iterator[tuple[str, float]]:
    """Milliseconds to the first paint and rows, then to show an item, another, the portfolio, to sort, to filter."""
    from playwright.sync_api import sync_playwright

    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    if chromium is None:
        print("no Chromium here: the page was not opened")
        return
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        tab = browser.new_page(viewport={"width": 1280, "height": 800})
        tab.goto(page.as_uri())
        tab.wait_for_selector("body[data-ready]", timeout=60_000)
        first = "performance.getEntriesByName('first-contentful-paint')[0].startTime"
        yield "paint", float(tab.evaluate(first))
        yield "rows", float(tab.evaluate("performance.getEntriesByName('rows')[0].startTime"))
        for name, address, sign in (
            ("item", "#view=item&item=item-7", "h2"),
            ("next item", "#view=item&item=item-777", "h2"),
            ("portfolio", "#view=portfolio", "h2"),
        ):
            yield name, float(tab.evaluate(STEP, [address, sign]))
        tab.evaluate("location.hash = '#'")
        tab.wait_for_selector("table.items")
        for name, address in (("sort", "#sort=total&down=yes"), ("filter", "#find=item-99")):
            yield name, float(tab.evaluate(STEP, [address, "table.items tbody tr"]))
        browser.close()


STEP = """
async ([address, sign]) => {
  const old = document.querySelector(sign);
  const words = document.getElementById("main").textContent;
  const begun = performance.now();
  location.hash = address;
  while (document.getElementById("main").textContent === words || !document.querySelector(sign)) {
    await new Promise((done) => setTimeout(done, 1));
    if (performance.now() - begun > 20000) return NaN;
  }
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));
  return performance.now() - begun;
}
"""


def report_board(report: Report, sizes: tuple[int, ...] = (1000, 10_000)) -> None:
    """Boards of these sizes, each figure that has a bar against it."""
    for items in sizes:
        text, seconds = built(made(items))
        figures = {"megabytes": len(text.encode()) / 1e6, "build": seconds}
        with tempfile.TemporaryDirectory() as directory:
            page = Path(directory) / "board.html"
            page.write_text(text, encoding="utf-8")
            figures |= dict(opened(page))
        said = ", ".join(f"{name} {value:.4g}" for name, value in figures.items())
        print(f"board of {items:,} items: {said} (MB, s to build, then ms)", flush=True)
        for name, (bar, unit) in BARS.get(items, {}).items():
            if name in figures:
                report(f"board of {items:,} items x {PERIODS} months: {name}", figures[name], bar, unit)


if __name__ == "__main__":
    from benchmarks.__main__ import report as printed

    report_board(printed, tuple(int(one) for one in sys.argv[1:]) or (1000, 10_000))
