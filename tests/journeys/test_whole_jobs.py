"""Whole jobs: the demo, the examples, every cadence, a published series, and calls that are wrong."""

import hashlib
import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import veridex as vx
from conftest import inside, veridex
from onepage.reader import blocks
from reference import NILE
from veridex.demo.files import DATA
from veridex.demo.generator import write_all

ROOT = Path(__file__).parents[2]
WORDS = ["--period", "month", "--demand", "units", "--stock-out", "out_of_stock", "--until", "2025-08"]
CADENCES = {
    "yearly": ("1980", 40, "2020-01-01"),
    "quarterly": ("1998-Q1", 60, "2013-01-01"),
    "monthly": ("2018-01", 90, "2025-07-01"),
    "weekly": ("2020-W01", 220, "2024-03-18"),
    "daily": ("2024-01-01", 120, "2024-04-30"),
    "counted": (None, 50, "51"),
}

DESCRIBED = ["--item", "sku", *WORDS, "--cadence", "monthly"]


TIDY = ["--tidy", "gaps=interpolate"]


def content(path):
    """The bytes of a file; of a board what it carries, without when it was made."""
    if path.suffix != ".html":
        return path.read_bytes()
    kept = blocks(path.read_text("utf-8"))
    assert kept["head"].pop("made") in kept["portfolio"]["facts"].pop(0)[1]
    return repr(kept).encode()


def digests(directory):
    return {
        str(path.relative_to(directory)): hashlib.sha256(
            # The time stamp, and the digest of the manifest that holds it, are all that may differ.
            re.sub(rb'"created": "[^"]*"|"manifest.json": "[^"]*"', b"", content(path))
        ).hexdigest()
        for path in sorted(directory.rglob("*"))
        if path.is_file() and not path.parts[-2].endswith(("kept", "tests"))
    }


def test_demo_does_the_whole_job_and_the_same_twice(tmp_path):
    done = veridex("demo", "one", cwd=tmp_path)
    assert done.returncode == 0 and (done.stderr == "" or done.stderr.startswith("Preparing for this machine, once: "))
    flat = re.sub(r"\s+", " ", done.stdout)
    assert re.search(
        r"smoker-01: [\d.]+ units are expected in 2025-09, between .* Picture: .* Files: .* Details: ", flat
    )
    assert (tmp_path / "one" / "figures" / "smoker-01-forecast.png").exists()
    for words in (
        "Running the plan, as `veridex run one/plan.toml` does:",
        "Unfinished period dropped: 30 periods of 30 items.",
        "one/plan.toml, run of ",
        "30 items published, in ",
        "Published 12 months ahead, from 2025-08, in one/publication.",
        "Tested 14 methods from up to 32 origins",
        "smoker-01: not stationary",
        "Picture: one/figures/smoker-01-forecast.png",
    ):
        assert words in flat
    publication = vx.read_publication(tmp_path / "one" / "publication")
    lost = publication.forecasts[publication.forecasts["value"].isna()]
    assert lost.empty  # not even the item of six months, which could not be tested
    assert publication["suit-basic"].override.reason.startswith("the cut is renewed")
    first = digests(tmp_path / "one")
    again = inside("demo", "one", cwd=tmp_path)  # over its own files
    assert again.returncode == 0 and "nothing has changed" in again.stdout and digests(tmp_path / "one") == first
    shutil.rmtree(tmp_path / "one" / "publication")
    assert inside("demo", "one", cwd=tmp_path).returncode == 0 and digests(tmp_path / "one") == first


def test_the_packaged_files_come_from_the_generator(tmp_path, data):
    write_all(tmp_path)
    for name in DATA:
        assert (tmp_path / name).read_bytes() == (data / name).read_bytes(), name
        assert f"`{name}`" in (ROOT / "docs" / "formats.md").read_text()
    assert sum(path.stat().st_size for path in tmp_path.iterdir()) < 1_500_000


def test_our_own_faults_are_exit_code_1(tmp_path):
    code = "import veridex.cli.entry as m, veridex.demo.run as r; r.run_demo = None; m.run()"
    done = subprocess.run(
        [sys.executable, "-c", code, "demo"], capture_output=True, text=True, cwd=tmp_path, check=False
    )
    assert done.returncode == 1 and "this is our fault, not yours" in done.stderr


@pytest.mark.parametrize("script", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.stem)
def test_examples_run(script, tmp_path):
    done = subprocess.run([sys.executable, script], capture_output=True, text=True, cwd=tmp_path, check=False)
    assert done.returncode == 0, done.stderr
    assert done.stdout


@pytest.mark.parametrize("cadence", CADENCES)
def test_every_cadence_goes_through_the_whole_job(tmp_path, cadence):
    start, n, following = CADENCES[cadence]
    rng = np.random.default_rng(n)
    length = vx.Cadence.named(cadence).season_length
    sold = 100 + 20 * np.sin(2 * np.pi * np.arange(n) / max(length, 2)) + rng.normal(size=n)
    (tmp_path / "jars.csv").write_text("".join(f"{value:.1f}\n" for value in sold))
    described = ["--cadence", cadence, "--name", "jars", *(["--start", start] if start else [])]
    words = [*described, "--horizon", 4, "--origins", 3]
    done = veridex("publish", "jars.csv", *words, "--to", "out", "--figures", "figures", "--as", "json", cwd=tmp_path)
    assert done.returncode == 0, done.stderr
    rows = json.loads(done.stdout)
    assert len(rows) == n + 4 and str(rows[n]["period"]) == following
    assert rows[n]["kind"] == "forecast" and abs(rows[n]["value"] - 100) < 40
    shown = inside("stationarity", "jars.csv", *described, cwd=tmp_path)
    assert shown.returncode == 0 and "jars: " in shown.stdout
    ranked = inside("backtest", "jars.csv", *words, "--as", "json", cwd=tmp_path)
    benchmark = "seasonal-naive" if length > 1 else "naive"
    assert {row["method"]: row["value_added"] for row in json.loads(ranked.stdout)}[benchmark] == pytest.approx(0)


def test_a_published_series_goes_through_the_whole_job(tmp_path):
    """The flow of the Nile (Cobb, 1978): a level shift in 1899, no season, no trend."""
    (tmp_path / "nile.csv").write_text("flow\n" + "\n".join(f"{value:g}" for value in NILE) + "\n")
    history = vx.read_history(tmp_path / "nile.csv", cadence="yearly", start="1871", unit="10^8 m3")
    series = history["flow"]
    assert (len(series), str(series.periods[-1])[:4], series.values.mean()) == (100, "1970", 919.35)
    finding = vx.stationarity(series)
    assert finding.outcomes[1].rejects(5)  # the shift of 1899 is not stationarity around one level
    trial = vx.backtest(history, scheme=vx.RollingOrigin(horizon=5, origins=20))
    verdict = vx.decide(trial)
    assert verdict.winners.loc[0, "benchmark"] == "naive" and verdict.winners.loc[0, "value_added"] > 10
    standings = trial.standings().set_index("method")
    assert standings.loc["simple-smoothing", "mase"] < standings.loc["naive", "mase"]
    published = vx.publish(history, verdict, horizon=5)
    vx.write(published, tmp_path / "out")
    ahead = vx.read_publication(tmp_path / "out").forecasts
    assert ahead["period"].dt.year.tolist() == [1971, 1972, 1973, 1974, 1975]
    # Durbin and Koopman (2012), section 2.6, forecast the filtered level, 798.37, with a local level model.
    arima = vx.fit(series, "arima p=0 d=1 q=1").forecast(1).points[0]
    assert arima == pytest.approx(798.4, abs=0.5)
