"""The guide: every page's code runs on the demo's data and prints what the page shows.

`VERIDEX_REWRITE=1 pytest tests/test_guide.py` puts what is printed now into the pages; read the difference.
"""

import contextlib
import doctest
import io
import os
import re
import shlex
import shutil
from pathlib import Path

import pandas as pd
import pytest

from conftest import inside
from veridex.demo.files import DATA

GUIDE = Path(__file__).parents[1] / "docs" / "guide"
PAGES = sorted(path for path in GUIDE.glob("*.md") if path.name != "index.md")
BLOCK = re.compile(r"```(pycon|console)\n(.*?)```", flags=re.DOTALL)
LONGEST = 700
"""Words on a page: a few minutes of reading."""


@pytest.mark.parametrize("page", PAGES, ids=lambda path: path.stem)
def test_the_code_of_a_page_prints_what_the_page_shows(page, tmp_path, data, monkeypatch):
    for name in DATA:
        shutil.copy(data / name, tmp_path / name)
    monkeypatch.chdir(tmp_path)
    text = page.read_text()
    shown = BLOCK.sub(lambda found: f"```{found[1]}\n{RUN[found[1]](found[2], tmp_path)}```", text)
    if os.environ.get("VERIDEX_REWRITE"):
        page.write_text(shown)
    assert shown == text


@pytest.mark.parametrize("page", PAGES, ids=lambda path: path.stem)
def test_a_page_begins_with_code_has_headings_and_is_short(page):
    text = page.read_text()
    assert re.match(r"# [A-Z][^\n]+\n\n```(pycon|console)\n", text)
    assert len(text.split()) <= LONGEST
    assert f"]({page.name})" in (GUIDE / "index.md").read_text()
    assert max(len(paragraph.split()) for paragraph in re.split(r"\n\n|\n[-|]", text) if "```" not in paragraph) <= 110


def _session(block, _place):
    """The block with what Python prints today under each of its lines."""
    names, lines = {}, []
    for example in doctest.DocTestParser().get_examples(block):
        code = example.source.rstrip("\n").split("\n")
        lines += [f">>> {code[0]}", *(f"... {line}" for line in code[1:])]
        printed = io.StringIO()
        with contextlib.redirect_stdout(printed), pd.option_context("display.width", 100, "display.max_columns", 12):
            exec(compile(example.source, "<guide>", "single"), names)
        lines += [line.rstrip() for line in printed.getvalue().splitlines()]
    return "".join(f"{line}\n" for line in lines)


def _commands(block, place):
    """The commands of the block with what each prints today."""
    lines = []
    for command in (line for line in block.splitlines() if line.startswith("$ ")):
        done = inside(*shlex.split(command)[2:], cwd=place)
        assert done.returncode == 0, done.stderr
        lines += [command, *done.stdout.splitlines()]
    return "".join(f"{line}\n" for line in lines)


RUN = {"pycon": _session, "console": _commands}
