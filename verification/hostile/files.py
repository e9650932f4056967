"""Files as they come from outside, damaged or of fifty kinds that programs stumble over: a history, or one error."""

import io
import random
import sqlite3
import tempfile
import time
import warnings
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd

import veridex as vx
from verification.hostile.tampered import mutated

MUTATIONS = 200
SLOW = 20.0
"""Seconds that no file of these may take."""

ROWS = [f"jar-{k % 3},2023-{k // 3 + 1:02d}-01,{(7 * k) % 31 + 2}" for k in range(36)]
HEAD = "item,period,demand"
GOOD = "\n".join([HEAD, *ROWS]) + "\n"
SHEET = "xl/worksheets/sheet1.xml"


def outcome(path: Path, **words: object) -> str:
    """What becomes of reading a file."""
    begun = time.perf_counter()
    try:
        history = vx.read_history(f"sqlite:///{path}" if path.suffix == ".db" else path, **words)
        values = history.values
        said = "read" if not np.isinf(values).any() and all(len(one) for one in history) else "BROKEN infinite"
        vx.profile(history)
    except vx.VeridexError as problem:
        said = "refused" if str(problem) else f"BROKEN no words {problem!r}"
    except Exception as problem:
        said = f"BROKEN {type(problem).__name__}: {str(problem)[:110]}"
    return said if time.perf_counter() - begun < SLOW else f"BROKEN slow, {said}"


def workbook(cells: list[list[object]]) -> bytes:
    frame, held = pd.DataFrame(cells[1:], columns=cells[0]), io.BytesIO()
    frame.to_excel(held, index=False)
    return held.getvalue()


def parquet(frame: pd.DataFrame) -> bytes:
    held = io.BytesIO()
    frame.to_parquet(held, index=False)
    return held.getvalue()


def rezipped(data: bytes, change: Callable[[str, bytes], bytes]) -> bytes:
    """A workbook with parts of it changed."""
    held = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            new.writestr(name, change(name, old.read(name)))
    return held.getvalue()


def database(path: Path, kind: str) -> None:
    """A table of lines whose cells are of all kinds."""
    with sqlite3.connect(path) as connection:
        connection.execute("create table lines(item, period, demand)")
        values = {"blobs": b"\x00\xff", "texts": "x", "huge": 10**17, "none": None}
        rows = [(f"jar-{k % 3}", f"2023-{k // 3 + 1:02d}", values.get(kind, k)) for k in range(36)]
        connection.executemany("insert into lines values(?, ?, ?)", rows)
    connection.close()


def uncalculated(name: str, data: bytes) -> bytes:
    return data.replace(b"<v>2</v>", b"<f>1+1</f>") if name == SHEET else data


def special() -> dict[str, bytes]:
    """Contents by the names of files."""
    cells: list[list[object]] = [HEAD.split(","), *([*row.split(",")[:2], int(row.split(",")[2])] for row in ROWS)]
    book, frame = workbook(cells), pd.read_csv(io.StringIO(GOOD))
    entities = b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "' + b"x" * 999 + b'">'
    entities += b"".join(b'<!ENTITY c%d "%s">' % (k, b"&b;" * 99) for k in range(9)) + b"]><worksheet>&c8;</worksheet>"
    texts = {
        "empty": "",
        "blank-lines": "\n" * 99,
        "head-alone": HEAD,
        "no-end-of-line": GOOD.rstrip(),
        "old-mac": GOOD.replace("\n", "\r"),
        "windows": GOOD.replace("\n", "\r\n"),
        "semicolons": GOOD.replace(",", ";"),
        "tabs": GOOD.replace(",", "\t"),
        "bars": GOOD.replace(",", "|"),
        "spaces": GOOD.replace(",", " , "),
        "nul-bytes": GOOD.replace("jar-1", "jar\x00-1"),
        "escapes": GOOD.replace("jar-1", "\x1b[31mjar"),
        "right-to-left": GOOD.replace("jar-1", "\u202egnp.exe"),
        "unbalanced": GOOD.replace("jar-1", '"jar-1', 1),
        "quotes-everywhere": GOOD.replace("jar", '""jar'),
        "lines-in-cells": GOOD.replace("jar-1", '"jar\n1"'),
        "columns-twice": GOOD.replace("item,period,demand", "demand,period,demand"),
        "nameless": GOOD.replace("item,period,demand", ",,"),
        "ragged": GOOD.replace("\n", ",9\n", 7),
        "wide-row": GOOD + ",".join(["9"] * 5000),
        "many-columns": ",".join(f"c{k}" for k in range(9000)) + "\n" + ",".join(["1"] * 9000),
        "long-cell": GOOD.replace("jar-1", "j" * 200_000),
        "long-number": GOOD.replace(",2\n", "," + "9" * 400 + "\n"),
        "infinite": GOOD.replace(",2\n", ",1e309\n"),
        "inf-word": GOOD.replace(",2\n", ",inf\n"),
        "nan-word": GOOD.replace(",2\n", ",NaN\n"),
        "minus-zero": GOOD.replace(",2\n", ",-0\n"),
        "blank-inside": GOOD.replace(",12\n", ",1 2\n"),
        "formula": GOOD.replace(",2\n", ",=1+1\n"),
        "percent": GOOD.replace(",2\n", ",2%\n"),
        "currency": GOOD.replace(",2\n", ",€2\n"),
        "words-for-numbers": GOOD.replace(",2\n", ",two\n"),
        "empty-keys": GOOD.replace("jar-1,", ",", 4),
        "no-such-day": GOOD.replace("2023-02-01", "2023-02-30"),
        "year-zero": GOOD.replace("2023-02-01", "0000-02-01"),
        "year-far": GOOD.replace("2023-02-01", "9999-12-31"),
        "two-digit-years": GOOD.replace("2023-", "23-"),
        "serial-days": GOOD.replace("2023-02-01", "44958"),
        "zones": GOOD.replace("-01,", "-01T00:00:00+14:00,"),
        "one-row": f"{HEAD}\n{ROWS[0]}\n",
        "all-alike": f"{HEAD}\n" + f"{ROWS[0]}\n" * 500,
        "markup": "<html><table><tr><td>item</td></tr></table></html>",
        "json": '{"item": ["a"], "period": ["2023-01"], "demand": [1]}',
        "pickle": "\x80\x04cos\nsystem\n(S'echo'\ntR.",
    }
    found = {f"{name}.csv": text.encode() for name, text in texts.items()}
    found |= {
        "utf-16.csv": GOOD.encode("utf-16"),
        "latin.csv": GOOD.replace("jar-1", "Glühwein").encode("latin-1"),
        "marked.csv": b"\xef\xbb\xbf" + GOOD.encode(),
        "noise.csv": bytes(random.Random(1).randrange(256) for _ in range(5000)),
        "book.csv": book,
        "text.xlsx": GOOD.encode(),
        "text.parquet": GOOD.encode(),
        "text.db": GOOD.encode(),
        "sheetless.xlsx": rezipped(book, lambda name, data: b"" if name == SHEET else data),
        "no-xml.xlsx": rezipped(book, lambda name, data: data[: len(data) // 2] if name == SHEET else data),
        "entities.xlsx": rezipped(book, lambda name, data: entities if name == SHEET else data),
        "bomb.xlsx": rezipped(book, lambda name, data: data + b" " * 400_000_000 if name == SHEET else data),
        "formulas.xlsx": rezipped(
            book, lambda name, data: data.replace(b"<v>2</v>", b"<f>1+1</f>") if name == SHEET else data
        ),
        "no-rows.xlsx": workbook([HEAD.split(",")]),
        "nested.parquet": parquet(frame.assign(demand=[[k] for k in range(36)])),
        "booleans.parquet": parquet(frame.assign(demand=frame["demand"] > 9)),
        "no-rows.parquet": parquet(frame.iloc[:0]),
    }
    return found


def main(mutations: int = MUTATIONS) -> int:
    """Print what became of all; how many broke."""
    warnings.simplefilter("error")
    wrong = 0
    with tempfile.TemporaryDirectory() as directory:
        home = Path(directory)
        counts, bad = Counter[str](), []
        for name, content in special().items():
            (home / name).write_bytes(content)
            words = {"table": "lines"} if name.endswith(".db") else {}
            said = outcome(home / name, item="item", period="period", demand="demand", **words)
            counts[said.partition(" ")[0]] += 1
            bad += [f"{name}: {said}"] if said.startswith("BROKEN") else []
        for kind in ("blobs", "texts", "huge", "none"):
            database(home / f"{kind}.db", kind)
            said = outcome(home / f"{kind}.db", item="item", period="period", demand="demand", table="lines")
            counts[said.partition(" ")[0]] += 1
            bad += [f"{kind}.db: {said}"] if said.startswith("BROKEN") else []
        fine = f"{counts['read']} read, {counts['refused']} refused"
        print(f"{sum(counts.values())} kinds of files: {fine}, {len(bad)} broken")
        print("".join(f"    {one}\n" for one in bad), end="", flush=True)
        wrong += len(bad)
        cells: list[list[object]] = [HEAD.split(","), *([*row.split(",")[:2], int(row.split(",")[2])] for row in ROWS)]
        database(home / "good.db", "")
        sound = {"csv": GOOD.encode(), "xlsx": workbook(cells), "parquet": parquet(pd.read_csv(io.StringIO(GOOD)))}
        sound["db"] = (home / "good.db").read_bytes()
        for ending, content in sound.items():
            rng, counts = random.Random(ending), Counter()
            words = {"table": "lines"} if ending == "db" else {}
            for k in range(mutations):
                path = home / f"damaged-{k % 7}.{ending}"
                path.write_bytes(mutated(content, rng))
                counts[outcome(path, item="item", period="period", demand="demand", **words)] += 1
            broken = {said: count for said, count in counts.items() if said.startswith("BROKEN")}
            wrong += sum(broken.values())
            print(
                f"{ending}: {counts['read']} read, {counts['refused']} refused, {sum(broken.values())} broken",
                flush=True,
            )
            for said, count in sorted(broken.items(), key=lambda pair: -pair[1])[:6]:
                print(f"    {count} x {said}", flush=True)
    return wrong


if __name__ == "__main__":
    main()
