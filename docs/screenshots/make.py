"""Make the screenshots again: `make screenshots`.

Terminal views are taken from a real terminal window on a virtual screen (Debian: xvfb, xterm, imagemagick,
fonts-dejavu-core); figures are the ones the commands write; a workbook is opened by LibreOffice
(libreoffice-calc-nogui, poppler-utils), the board by a browser (chromium). All of it is made-up demo data.
"""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from PIL import Image, ImageChops
from playwright.sync_api import sync_playwright

HERE = Path(__file__).parent
BIN = Path(sys.executable).parent
DISPLAY = ":97"
COLUMNS, LINES = 100, 41
"""Of the terminal."""

RAW = "--item sku --period month --demand units --stock-out out_of_stock"
TIDY = f"{RAW} --tidy gaps=interpolate"
SUIT = "--item suit-ventilated"
MONTHS = "2024-10 2024-11 2024-12 2025-01 2025-02 2025-03"
KEPT = f"demand.csv {RAW} --horizon 6 --override 'smoker-01: naive: Ada Birch: it stays as it is' --groups all"
CAMPAIGN = "--item sku=jar-honey-500 --begins 2025-03 --ends 2025-08"
METHOD = '"holt-winters season=multiplicative"'

VIEWS = {
    "demo": "veridex demo > page; head -38 page",
    "plan": f"veridex plan demand.csv {TIDY} --to plan.toml",
    "profile": "veridex profile plan.toml --quiet",
    "tidy": "veridex tidy plan.toml --quiet",
    "stationarity": f"veridex stationarity plan.toml {SUIT} --figures drawn --quiet",
    "fit": f"veridex fit plan.toml {SUIT} --method {METHOD} --horizon 3 --figures drawn --quiet > page; head -38 page",
    "control": f"veridex control typed.csv {RAW} --at 2025-08 --quiet",
    "backtest": "veridex backtest plan.toml --quiet",
    "publish": "veridex publish plan.toml --override 'smoker-01: theta: renewed' --groups all --quiet",
    "book": "veridex publish plan.toml --to forecasts.xlsx --quiet > notes",
    "kept": f"for m in {MONTHS}; do veridex publish {KEPT} --until $m --to kept/$m --quiet > notes; done",
    "watch": f"veridex watch kept/2025-02 demand.csv {RAW} --false-alerts 1 --quiet",
    "record": f"veridex record kept demand.csv {RAW} --quiet",
    "campaign": f"veridex campaign demand.csv {RAW} {CAMPAIGN} --figures drawn --quiet > notes",
    "before": "veridex run veridex-demo/plan.toml --as-of 2025-06-20 --quiet > notes",
    "run": "veridex run veridex-demo/plan.toml --quiet",
}
SLIPS = {
    "wax-sheet-national,2025-08,346,": "wax-sheet-national,2025-08,634,",
    "lid-gold-63,2025-08,2147,": "lid-gold-63,2025-08,21470,",
    "jar-honey-250,2025-08,": "jar-honey-250,2025-08,-",
}
UNSHOWN = ("kept", "campaign", "before", "book")
"""Commands that are run for their figures only."""

FIGURES = {
    "figure-look": "smoker-01-look.png",
    "figure-holdout": "smoker-01-holdout.png",
    "figure-forecast": "smoker-01-forecast.png",
    "figure-contenders": "smoker-01-contenders.png",
}
DRAWN = {
    "figure-campaign": "jar-honey-500-campaign.png",
}


def main() -> None:
    """Photograph every view, and copy the figures that the demo drew."""
    tools = ("Xvfb", "xterm", "import", "mogrify", "soffice", "pdftoppm", "chromium")
    missing = [tool for tool in tools if shutil.which(tool) is None]
    if missing:
        wanted = "xvfb xterm imagemagick fonts-dejavu-core libreoffice-calc-nogui poppler-utils chromium"
        sys.exit(f"{', '.join(missing)} not found: apt install {wanted}")
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24", "-noreset"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1)
        with tempfile.TemporaryDirectory() as directory:
            work = Path(directory)
            for name, command in VIEWS.items():
                photograph(command, work, (work if name in UNSHOWN else HERE) / f"{name}.png")
                if name == "demo":
                    for file in ("demand.csv", "events.csv", "weather.csv", "prices.csv"):
                        shutil.copy(work / "veridex-demo" / file, work)
                    slip(work / "demand.csv", work / "typed.csv")
            open_workbook(work / "forecasts.xlsx", work, HERE / "workbook.png")
            for name, figure in DRAWN.items():
                shutil.copy(work / "drawn" / figure, HERE / f"{name}.png")
            open_board(work / "veridex-demo" / "board.html", HERE / "board.png")
            for name, figure in FIGURES.items():
                shutil.copy(work / "veridex-demo" / "figures" / figure, HERE / f"{name}.png")
    finally:
        screen.terminate()


def slip(demand: Path, typed: Path) -> None:
    """The same demand with slips in its last whole month: digits swapped, a zero too many, last year's figure."""
    text = demand.read_text()
    for row, wrong in SLIPS.items():
        assert row in text, row
        text = text.replace(row, wrong)
    typed.write_text(text)


def photograph(command: str, work: Path, target: Path) -> None:
    """Run a command in a terminal window and take a picture when it is done."""
    done = work / "done"
    done.unlink(missing_ok=True)
    said = command.removesuffix(" > page; head -38 page").removesuffix(" --quiet").replace("'", "'\\''")
    script = f"export COLUMNS={COLUMNS}; printf '$ %s\\n' '{said}'; {command}; touch done; sleep 60"
    environment = os.environ | {"DISPLAY": DISPLAY, "PATH": f"{BIN}:{os.environ['PATH']}"}
    look = ["-fa", "DejaVu Sans Mono", "-fs", "11", "-bg", "#fbfaf7", "-fg", "#22313f", "-b", "12", "+sb", "-bw", "0"]
    window = subprocess.Popen(
        ["xterm", *look, "-geometry", f"{COLUMNS}x{LINES}+0+0", "-e", "bash", "-c", script], cwd=work, env=environment
    )
    try:
        for _ in range(600):
            time.sleep(0.2)
            if done.exists():
                break
        time.sleep(0.5)
        subprocess.run(["import", "-window", "root", str(target)], env=environment, check=True)
        frame = ["-crop", "1262x800+0+0", "+repage", "-trim", "+repage", "-bordercolor", "#fbfaf7", "-border", "16"]
        subprocess.run(["mogrify", *frame, str(target)], check=True)
    finally:
        window.terminate()


def open_board(page: Path, target: Path) -> None:
    """Have a browser without a window show the board, and take a picture of what it shows."""
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
        tab = browser.new_page(viewport={"width": 1280, "height": 800})
        tab.goto(page.as_uri())
        tab.wait_for_selector("body[data-ready]")
        tab.screenshot(path=target)
        browser.close()


def open_workbook(path: Path, work: Path, target: Path) -> None:
    """Have an office program print a workbook, and put its first two sheets under each other, without margins."""
    words = ["soffice", f"-env:UserInstallation=file://{work}/office", "--headless", "--convert-to", "pdf"]
    subprocess.run([*words, "--outdir", str(work), str(path)], check=True, capture_output=True)
    pages = ["pdftoppm", "-r", "110", "-f", "1", "-l", "2", "-png"]
    subprocess.run([*pages, str(path.with_suffix(".pdf")), str(work / "page")], check=True)
    shown = [trimmed(Image.open(page).convert("RGB")) for page in sorted(work.glob("page-*.png"))]
    width, height = max(one.width for one in shown), sum(one.height + 24 for one in shown)
    whole = Image.new("RGB", (width + 32, height + 16), "white")
    top = 16
    for one in shown:
        whole.paste(one, (16, top))
        top += one.height + 24
    whole.save(target, optimize=True)


def trimmed(page: Image.Image) -> Image.Image:
    """A page without its margins, head and foot."""
    inner = page.crop((0, int(0.06 * page.height), page.width, int(0.94 * page.height)))
    return inner.crop(ImageChops.difference(inner, Image.new("RGB", inner.size, "white")).getbbox())


if __name__ == "__main__":
    main()
