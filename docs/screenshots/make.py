"""Make the screenshots again: `make screenshots`.

Terminal views are taken from a real terminal window on a virtual screen (Debian: xvfb, xterm, imagemagick,
fonts-dejavu-core); figures are the ones the commands write. All of it is made-up demo data.
"""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent
BIN = Path(sys.executable).parent
DISPLAY = ":97"
RAW = "--item sku --period month --demand units --stock-out out_of_stock"
TIDY = f"{RAW} --tidy gaps=interpolate"
ONE = TIDY.replace("--item sku ", "--item sku=smoker-01 ")
SUIT = ONE.replace("smoker-01", "suit-ventilated")
DRIVEN = "--drivers weather.csv,prices.csv --known-ahead price_index --events events.csv"
GRID = "--method moving-average --grid window=2,3,4,6,9,12,18,24"
METHOD = '"holt-winters season=multiplicative"'

VIEWS = {
    "demo": "veridex demo",
    "profile": f"veridex profile demand.csv {RAW} --events events.csv",
    "profile-one-item": f"veridex profile demand.csv {RAW.replace('sku ', 'sku=gloves-leather ')} --events events.csv",
    "tidy": f"veridex tidy demand.csv {RAW} --until 2025-08 --gaps interpolate --outliers repair --events events.csv",
    "stationarity": f"veridex stationarity demand.csv {SUIT} --figures drawn",
    "fit": f"veridex fit demand.csv {SUIT} --method {METHOD} --horizon 3 --figures drawn 2> notes",
    "look": f"veridex look demand.csv {TIDY} 2> notes",
    "contributions": f"veridex fit demand.csv {ONE} --method bending-trend {DRIVEN} --figures drawn > notes 2>&1",
    "backtest": f"veridex backtest demand.csv {TIDY} --figures drawn 2> notes",
    "publish": f"veridex publish demand.csv {TIDY} --to published 2> notes",
    "tune": f"veridex tune demand.csv {ONE} {GRID} --horizon 6 --figures drawn 2> notes",
}
UNSHOWN = ("contributions", "tune")
"""Commands that are run for their figures only."""

FIGURES = {
    "figure-look": "smoker-01-look.png",
    "figure-holdout": "smoker-01-holdout.png",
    "figure-rolling": "smoker-01-rolling.png",
    "figure-forecast": "smoker-01-forecast.png",
    "figure-contenders": "smoker-01-contenders.png",
}
DRAWN = {
    "figure-stationarity": "suit-ventilated-stationarity.png",
    "figure-residuals": "suit-ventilated-residuals.png",
    "figure-tuning": "tuning.png",
    "figure-contributions": "smoker-01-contributions.png",
    "figure-standings": "backtest-standings.png",
}


def main() -> None:
    """Photograph every view, and copy the figures that the demo drew."""
    missing = [tool for tool in ("Xvfb", "xterm", "import", "mogrify") if shutil.which(tool) is None]
    if missing:
        sys.exit(f"{', '.join(missing)} not found: apt install xvfb xterm imagemagick fonts-dejavu-core")
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
            for name, figure in DRAWN.items():
                shutil.copy(work / "drawn" / figure, HERE / f"{name}.png")
            for name, figure in FIGURES.items():
                shutil.copy(work / "veridex-demo" / "figures" / figure, HERE / f"{name}.png")
    finally:
        screen.terminate()


def photograph(command: str, work: Path, target: Path) -> None:
    """Run a command in a terminal window and take a picture when it is done."""
    done = work / "done"
    done.unlink(missing_ok=True)
    script = f"printf '$ %s\\n' '{command}'; {command}; touch done; sleep 60"
    environment = os.environ | {"DISPLAY": DISPLAY, "PATH": f"{BIN}:{os.environ['PATH']}"}
    look = ["-fa", "DejaVu Sans Mono", "-fs", "8", "-bg", "#fbfaf7", "-fg", "#22313f", "-b", "12", "+sb", "-bw", "0"]
    window = subprocess.Popen(
        ["xterm", *look, "-geometry", "178x56+0+0", "-e", "bash", "-c", script], cwd=work, env=environment
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


if __name__ == "__main__":
    main()
