"""Forty names that programs stumble over, through every place, every figure, the page and the command."""

import io
import json
import sys
import tempfile
import warnings
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
import pandas as pd

import veridex as vx
from veridex import figures
from veridex.exchange.unfit import unescaped
from veridex.job.drawing import file_name
from verification.writers import places_of

sys.path.append(str(Path(__file__).parents[2] / "tests"))
from conftest import inside
from onepage.reader import blocks

NAMES = {
    "slash": "a/b",
    "colon": "a:b",
    "underscore": "a_b",
    "up and away": "../../a",
    "the parent": "..",
    "a device": "CON",
    "a tilde": "~root",
    "formula": "=1+1",
    "formula with plus": "+A1",
    "formula with at": "@SUM(A1)",
    "a tab": "\t=1",
    "end of line": "one\ntwo",
    "carriage return": "one\rtwo",
    "colours": "\x1b[31mred",
    "a bell": "ring\x07",
    "turned round": "\u202egnp",
    "Arabic": "مكيف 12",
    "Chinese": "蜂蜜",
    "four bytes": "🍯",
    "composed": "caf\u00e9",
    "decomposed": "cafe\u0301",
    "capital": "A/B",
    "quotes": '"quoted"',
    "one quote": "it's",
    "an order": "'); drop table item; --",
    "separators": "a,b;c|d",
    "markup": "</script><script>alert(1)</script>",
    "a template": "{{ 7 * 7 }} {item} %s ${HOME}",
    "mathematics": "$\\frac{1}{$ x^2_",
    "nothing's word": "NULL",
    "no number": "nan",
    "a number": "1e5",
    "with zeros": "007",
    "a month": "2024-01",
    "true": "true",
    "our word": "all",
    "a plan": "demand.toml",
    "an address": "sqlite:///x.db",
    "very long": "x" * 300,
    "longest": "jar " * 2500,
    "blanks inside": "a  b",
    "hard blank": "a\u00a0b",
}

REFUSED = {"empty": "", "blanks": "   ", "zero byte": "a\x00b", "half a letter": "a\ud800"}
"""Names that a place may be unable to hold: they come back, or one error says so."""


def history(names: Iterable[str] = tuple(NAMES.values())) -> vx.History:
    """Demand of one item for each name."""
    rng = np.random.default_rng(3)
    many = [
        vx.History.from_numbers(80 + 9 * rng.random(36), start="2022-01", cadence="monthly", item=name)[name]
        for name in names
    ]
    return vx.History.of(many)


def same(one: pd.DataFrame, other: pd.DataFrame, digits: float) -> bool:
    """Whether two tables are alike; of a workbook to so many digits."""
    try:
        pd.testing.assert_frame_equal(one, other, check_dtype=False, rtol=digits, atol=0.0)
    except AssertionError:
        return False
    return True


def kept_faults(many: vx.History, publication: vx.Publication, trial: vx.Trial) -> Iterator[str]:
    """What does not come back from a place as it went there."""
    tidied = vx.tidy(many, outliers="flag")
    with places_of() as places, tempfile.TemporaryDirectory() as directory:
        for called, (home, place) in places.items():
            digits = 1e-12 if called == "Excel" else 0.0
            vx.write(publication, place)
            if not same(publication.frame, vx.read_publication(place).frame, digits):
                yield f"{called}: another publication"
            beside = place if "://" in place else str(home / f"tidied-{Path(place).name}")
            vx.write(tidied, beside)
            if not same(tidied.history.to_frame(), vx.read_history(beside).to_frame(), digits):
                yield f"{called}: another tidied history"
        for name in ("trial", "trial.parquet", "trial.db"):
            place = f"sqlite:///{directory}/{name}" if name.endswith("db") else f"{directory}/{name}"
            vx.write(trial, place)
            if not same(trial.errors, vx.read_trial(place).errors, 0.0):
                yield f"{name}: another trial"
        for name, item in NAMES.items():
            fitted = vx.fit(many[item], "simple-smoothing")
            again = vx.read_fitted(vx.write(fitted, f"{directory}/model.json"))
            if (again.series.item, again.forecast(2).points.tolist()) != (item, fitted.forecast(2).points.tolist()):
                yield f"{name}: another fitted method"
        for name in ("history.csv", "history.parquet"):
            vx.write(many, f"{directory}/{name}")
            again = vx.read_history(f"{directory}/{name}", item="item", period="period", demand="demand")
            if not same(
                *(one.to_frame().sort_values(["item", "period"], ignore_index=True) for one in (many, again)), 0.0
            ):
                lost = sorted(set(many.names) - set(again.names))
                yield f"{name}: another history, without {lost}"


def drawn_faults(many: vx.History, publication: vx.Publication, verdict: vx.Verdict) -> Iterator[str]:
    """Figures that cannot be drawn, and files that take each other's place."""
    kinds: dict[str, Callable[[str], Any]] = {
        "history": lambda item: figures.history(many[item]),
        "look": lambda item: figures.look(many[item]),
        "seasons": lambda item: figures.seasons(many[item]),
        "forecast": lambda item: figures.forecast(publication, item),
        "holdout": lambda item: figures.holdout(verdict, item),
        "contenders": lambda item: figures.contenders(verdict, item),
        "fit": lambda item: figures.fit(vx.fit(many[item], "simple-smoothing")),
        "side by side": lambda item: figures.side_by_side(many, [item, many.names[0]]),
        "folds": lambda item: figures.folds(verdict.trial, item),
    }
    with tempfile.TemporaryDirectory() as directory:
        for name, item in NAMES.items():
            for kind, figure_of in kinds.items():
                try:
                    figures.save(figure_of(item), Path(directory) / f"{file_name(item)}-{kind}.png")
                except Exception as problem:
                    yield f"{name}: {kind} cannot be drawn: {type(problem).__name__}: {str(problem)[:90]}"
                plt.close("all")
        made = len(list(Path(directory).iterdir()))
        if made != len(NAMES) * len(kinds):
            yield f"{made} files of {len(NAMES) * len(kinds)} figures"
        for kind, whole in (("total", lambda: figures.total(publication)), ("volume", lambda: figures.volume(verdict))):
            try:
                figures.save(whole(), Path(directory) / f"{kind}.svg")
            except Exception as problem:
                yield f"{kind} cannot be drawn: {type(problem).__name__}: {problem}"


def told_faults(many: vx.History, publication: vx.Publication, verdict: vx.Verdict) -> Iterator[str]:
    """What the page and the command make of the names."""
    if tuple(blocks(vx.board(publication, verdict))["table"]["item"]) != publication.items:
        yield "the board has other names"
    with tempfile.TemporaryDirectory() as directory:
        home = Path(directory)
        vx.write(many, home / "demand.csv")
        words = ("publish", "demand.csv", "--item", "item", "--method", "naive", "--horizon", "2")
        for form in ("table", "csv", "json"):
            done = inside(*words, "--as", form, cwd=home)
            if done.returncode or "Traceback" in done.stderr:
                yield f"--as {form}: exit code {done.returncode}: {done.stderr[-200:]}"
                continue
            if form == "table" and set(done.stdout + done.stderr) & set("\x1b\x07\r\u202e"):
                yield "signs that steer a terminal are printed"
            if form == "csv":
                names = pd.read_csv(io.StringIO(done.stdout), dtype=str, keep_default_na=False)["item"]
                lost = sorted(set(many.names) - set(map(unescaped, names)))
                yield from [f"--as csv lacks {lost}"] if lost else []
            if form == "json":
                lost = sorted(set(many.names) - {row["item"] for row in json.loads(done.stdout)})
                yield from [f"--as json lacks {lost}"] if lost else []
        for name, item in NAMES.items():
            done = inside("profile", "demand.csv", "--item", f"item={item}", "--as", "json", cwd=home)
            said = json.loads(done.stdout) if done.returncode == 0 else []
            if [row["item"] for row in said] != [item]:
                yield f"{name}: --item finds {[row['item'] for row in said]}: {done.stderr[-160:]!r}"


def refused_faults() -> Iterator[str]:
    """Names that no place can hold, and that are taken all the same."""
    for name, item in REFUSED.items():
        try:
            many = history([item])
            with tempfile.TemporaryDirectory() as directory:
                vx.write(vx.publish(many, method="naive"), f"{directory}/out")
                if vx.read_publication(f"{directory}/out").items != (item,):
                    yield f"{name}: comes back as another"
        except vx.VeridexError:
            continue
        except Exception as problem:
            yield f"{name}: {type(problem).__name__}: {problem}"


def main() -> int:
    """Print what is wrong; in how many ways."""
    mpl.use("Agg")
    warnings.simplefilter("error")
    warnings.filterwarnings("ignore", message="Glyph .* missing from font")
    many = history()
    verdict = vx.decide(vx.backtest(many, ["naive", "drift"], vx.RollingOrigin(horizon=2, origins=6)))
    publication = vx.publish(many, verdict, horizon=3, groups=["all"])
    wrong = 0
    for what, faults in (
        ("what is kept", kept_faults(many, publication, verdict.trial)),
        ("what is drawn", drawn_faults(many, publication, verdict)),
        ("what is told", told_faults(many, publication, verdict)),
        ("what is refused", refused_faults()),
    ):
        found = list(faults)
        wrong += len(found)
        print(f"{what}: {len(NAMES)} names, {len(found)} broken", flush=True)
        print("".join(f"    {one}\n" for one in found[:40]), end="", flush=True)
    return wrong


if __name__ == "__main__":
    sys.exit(main())
