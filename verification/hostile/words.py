"""Every option of every command with words that nobody foresaw: done, or refused in one message."""

import os
import re
import shutil
import signal
import sys
import tempfile
import warnings
from collections import Counter
from pathlib import Path
from typing import Any, get_args

import numpy as np
import pandas as pd
import typer

import veridex as vx
from veridex.cli.main import app
from veridex.job import requests
from veridex.job.words import told_by
from verification.hostile.families import told

sys.path.append(str(Path(__file__).parents[2] / "tests"))
from conftest import inside

CALLS = 20
"""Of each command."""

SECONDS = 60
"""What takes longer is said to hang."""

DONE, ALERTS, REFUSED = 0, 3, 2
"""The exit codes there are, but for 1: that is a fault of ours."""

SOURCE = ("demand.csv", "--item", "sku", "--period", "month", "--demand", "units")
TEST = ("--methods", "naive, mean", "--horizon", "2", "--origins", "3")
COMMANDS: dict[str, tuple[str, ...]] = {
    "profile": SOURCE,
    "tidy": SOURCE,
    "look": (*SOURCE, "--item", "sku=jar"),
    "stationarity": (*SOURCE, "--item", "sku=jar"),
    "fit": (*SOURCE, "--item", "sku=jar", "--method", "naive"),
    "apply": ("model.json", *SOURCE, "--item", "sku=jar"),
    "backtest": (*SOURCE, *TEST),
    "tune": (*SOURCE, "--method", "moving-average", "--grid", "window=2,3", "--horizon", "2", "--origins", "3"),
    "publish": (*SOURCE, "--method", "naive", "--horizon", "3"),
    "control": (*SOURCE, "--at", "2022-06", "--methods", "naive, mean"),
    "campaign": (*SOURCE, "--begins", "2022-06", "--ends", "2022-08", "--methods", "naive"),
    "watch": ("issued/first", "later.csv", *SOURCE[1:]),
    "record": ("issued", "later.csv", *SOURCE[1:]),
    "board": ("issued/first",),
    "plan": (*SOURCE, *TEST),
    "run": ("plan.toml",),
}
"""Words with which a command does something small."""

STRANGE = (
    *("", " ", "0", "1", "-1", "-0", "1.5", "1e9", "999999999999", "nan", "inf", "-inf", "0x10", "1_0", "٣"),
    *("a", "a,b", ",", ",,", "=", "a=", "=b", "a=b", "a=b=c", "a:b", ":", "[", "]", "naive[", "naive window="),
    *("x" * 3000, "\x1b[31mred", "caf\u00e9", "\ud83c", "\u202e", "%", "%s", "{}", "{0.__class__}", "$HOME", "~", "#"),
    *("../out", "nowhere/at/all", ".", "*", "?", "demand.csv", "issued", "issued/first", "model.json", "plan.toml"),
    *("trial", "drivers.csv", "events.csv", "out.xlsx", "out.parquet", "out.db", "sqlite:///", "sqlite:///out.db"),
    *("http://", "postgresql://nobody@127.0.0.1:9/x", "drivers.csv:temp", "drivers.csv:", ":temp", "drivers.csv:nope"),
    *("2020-01", "2022-06", "9999-12", "0001-01", "2022-13", "2022-W53", "2024-02-30", "now", "last complete month"),
    *("none", "all", "yes", "no", "auto", "zero", "sku", "month", "units", "sku,month", "sku=jar", "sku=", "jar"),
    *("naive", "mean,naive", "naive,naive", "theta transform=log", "arima p=99", "moving-average window=0", "croston"),
    *("80", "80,95", "95,80", "100", "99.999999", "0.5", "50,50", "1 year", "-3 months", "3", "12", "7,365.25", "36"),
    *("gaps=interpolate", "gaps=", "outliers=repair gaps=carry", "rolling horizon=2", "holdout last=3", "step"),
    *("holdout since=", "DE-BY", "GB-ENG", "XX", "monday 06:00", "monthly 99 25:00", "csv", "json", "Europe/London"),
    *("select 1", "select * from demand", "drop table demand", "10 minutes", "0 minutes", "counted", "hourly"),
    *("april", "daily", "yearly"),
)


def prepared(home: Path) -> None:
    """Three items of forty months, what they are driven by, and everything that a command can be told to go on from."""
    months = [str(month) for month in pd.period_range("2020-01", periods=40, freq="M")]
    rng = np.random.default_rng(5)
    rows = [(sku, month, int(rng.poisson(20 + k))) for sku in ("jar", "lid", "box") for k, month in enumerate(months)]
    table = pd.DataFrame(rows, columns=["sku", "month", "units"])
    later = table.assign(temp=10.0)
    later.to_csv(home / "later.csv", index=False)
    early = table[table["month"] <= "2022-12"]
    early.to_csv(home / "demand.csv", index=False)
    pd.DataFrame({"month": months, "temp": rng.normal(size=40).round(2)}).to_csv(home / "drivers.csv", index=False)
    pd.DataFrame({"name": ["fair"], "first": ["2021-06"], "last": ["2021-06"]}).to_csv(home / "events.csv", index=False)
    history = vx.read_history(home / "demand.csv", item="sku", period="month", demand="units")
    trial = vx.backtest(history, ["naive", "mean"], vx.RollingOrigin(horizon=2, origins=3), to=home / "trial")
    vx.publish(history, vx.decide(trial), horizon=3, to=home / "issued" / "first")
    vx.write(vx.fit(history["jar"], "mean"), home / "model.json")
    said = inside("plan", *SOURCE, *TEST, "--to", "plan.toml", cwd=home)
    assert said.returncode == DONE, said.stderr


def members(kind: Any) -> list[Any]:
    """The types, and the words, that a value may be of."""
    return [one for part in get_args(kind) for one in members(part)] or [kind]


KINDS = {
    f"--{told.spelled.replace('_', '-')}": members(told.kind)
    for request in vars(requests).values()
    if hasattr(request, "TITLE")
    for told in told_by(request)
}
"""What the words of every option are, as the requests declare them."""


def options(command: str) -> list[Any]:
    """What a command can be told by name."""
    group: Any = typer.main.get_command(app)
    return [one for one in group.commands[command].params if one.param_type_name == "option" and one.name != "help"]


def word(option: Any, rng: np.random.Generator) -> str:
    """A word for an option: one that it can have, one that its own help speaks of, or one from anywhere."""
    kinds = KINDS.get(option.opts[0], [])
    foreseen = [one for one in kinds if isinstance(one, str)]
    if int in kinds or float in kinds:
        foreseen = ["0", "1", "2", "3", "12", "-1", "37", "100000", "999999999999", "0.5", "50"]
    foreseen = foreseen or re.findall(r"[\w.:=+/-]+(?:,[\w.:=+/-]+)*", option.help or "")
    one = str(rng.choice(foreseen if foreseen and rng.random() < 0.6 else STRANGE))
    if rng.random() < 0.1:
        one += "," + str(rng.choice(STRANGE))
    return one


def called(command: str, rng: np.random.Generator) -> list[str]:
    """The command with one to three of its options, and words from anywhere."""
    known, words = options(command), list(COMMANDS[command])
    size = min(int(rng.choice([1, 2, 3], p=[0.6, 0.25, 0.15])), len(known))
    for place in rng.choice(len(known), size=size, replace=False):
        words.append(known[place].opts[0])
        if not known[place].is_flag:
            words.append(word(known[place], rng))
    if rng.random() < 0.05:
        words[int(rng.integers(len(words)))] = str(rng.choice(STRANGE))
    return [command, *words]


def outcome(words: list[str], home: Path) -> tuple[int, str]:
    """The exit code of a call, and what is wrong with what became of it; empty where nothing is."""

    def hangs(*_: object) -> None:
        raise TimeoutError(f"longer than {SECONDS} seconds")

    signal.signal(signal.SIGALRM, hangs)
    signal.alarm(SECONDS)
    try:
        done = inside(*words, cwd=home)
    finally:
        signal.alarm(0)
    return done.returncode, fault(words, done.returncode, done.stdout, done.stderr, home)


def fault(words: list[str], code: int, out: str, err: str, home: Path) -> str:
    """What is wrong with how a command ended, what it said, and what it left that the call does not name."""
    if code not in (DONE, ALERTS, REFUSED):
        return f"exit code {code}: {err.strip().splitlines()[-2:]}"
    if code == REFUSED and not err.strip():
        return "refused without a word"
    if "Traceback" in err or "\x1b" in err + out:
        return f"what nobody should see: {err[-200:]!r}"
    hidden = [one.name for one in home.rglob(".*") if one.name not in words]
    return f"left behind: {hidden}" if hidden else ""


def command(task: tuple[str, int, int]) -> tuple[Counter[int], list[str]]:
    """What became of so many calls of a command, drawn from a seed."""
    name, count, seed = task
    warnings.simplefilter("error")
    rng, found, examples = np.random.default_rng([seed, *name.encode()]), Counter[int](), []
    with tempfile.TemporaryDirectory() as directory:
        kept, home = Path(directory) / "kept", Path(directory) / "above" / "home"
        kept.mkdir()
        home.parent.mkdir()
        prepared(kept)
        for call in range(count):
            shutil.rmtree(home.parent)
            shutil.copytree(kept, home)
            os.chdir(home)
            words = called(name, rng) if call else [name, *COMMANDS[name]]
            code, wrong = outcome(words, home)
            found[code] += 1
            if not call and code == REFUSED:
                wrong = "it was to be done as it stands"
            if wrong:
                examples.append(f"{words}: {wrong}")
        os.chdir("/")
    return found, examples


def main(calls: int = CALLS) -> int:
    """Print what became of them, command by command; how many broke."""
    tasks = [(name, calls, 0) for name in COMMANDS]
    return told(tasks, command, lambda found: f"{found[DONE] + found[ALERTS]} done, {found[REFUSED]} refused")


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:2])) > 0)
