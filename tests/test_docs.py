"""What the README and the docs promise, followed word for word."""

import os
import re
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import veridex as vx
from veridex.core.methods.catalogue import FAMILIES
from veridex.core.scoring.measures import MEASURES

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()


@pytest.fixture
def newcomer(tmp_path, data):
    """An empty directory with the newcomer's CSV files in it."""
    for name in ("demand.csv", "orders.csv", "events.csv"):
        shutil.copy(data / name, tmp_path / name)
    return tmp_path


def test_the_ten_lines_of_python_run(newcomer):
    code = re.search(r"```python\n(.*?)```", README, flags=re.DOTALL)[1]
    assert len([line for line in code.splitlines() if line]) <= 10
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=newcomer, check=False)
    assert done.returncode == 0, done.stderr
    assert "smoker-01: " in done.stdout
    assert len(vx.read_publication(newcomer / "published").items) == 30


def test_the_seven_commands_run(newcomer):
    block = re.search(r"## The same job in seven commands\n(.*?)\nThe first shows", README, flags=re.DOTALL)[1]
    commands = re.sub(r"\\\n\s*", "", block)
    lines = [line.strip() for line in commands.splitlines() if line.startswith("    veridex")]
    described = [line for line in lines if "--period" in line]
    assert len(lines) == 8 and described == lines[:1]  # the file is described once
    environment = os.environ | {"PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}", "COLUMNS": "80"}
    for line in lines:
        done = subprocess.run(
            shlex.split(line), capture_output=True, text=True, cwd=newcomer, env=environment, check=False
        )
        assert done.returncode == 0, done.stderr
        assert max(map(len, done.stdout.splitlines())) <= 80 or "plan" in line.split()[1], line
    # Two of each of the twelve largest items, four of all; two of the fit, five of the look.
    assert len(list((newcomer / "figures").iterdir())) == 35
    assert vx.read_publication(newcomer / "published").head.horizon == 12


def test_the_docs_name_what_there_is():
    methods = (ROOT / "docs" / "methods.md").read_text()
    for family in FAMILIES:
        assert f"`{family.name}" in README and f"`{family.name}" in methods
        for setting in family.settings:
            assert setting.key in methods, setting.key
    for measure in MEASURES:
        assert re.search(rf"\b{measure}\b", methods), measure


def test_the_site_builds_without_a_warning_and_has_every_public_name(tmp_path):
    words = [sys.executable, "-m", "mkdocs", "build", "--quiet", "--site-dir", str(tmp_path)]
    quiet = os.environ | {"NO_MKDOCS_2_WARNING": "1"}
    done = subprocess.run(words, capture_output=True, text=True, cwd=ROOT, env=quiet, check=False)
    assert done.returncode == 0 and done.stderr == "", done.stderr
    page = (tmp_path / "reference" / "index.html").read_text()
    assert [name for name in vx.__all__ if not re.search(rf"\bvx\.{name}\b", page) and name != "figures"] == []
    look = (tmp_path / "guide" / "look" / "index.html").read_text()
    assert 'href="https://veridex.example/source/examples/look_at_it.py"' in look


def test_every_link_and_picture_is_there():
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name}: {target}"
    shots = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert {name for name in shots if name not in README} == set()
