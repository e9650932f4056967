"""The first minute: compiled once per machine, and no command loads or compiles what it does not need."""

import json
import os
import subprocess
import sys
from dataclasses import replace

import pytest

from veridex.core.methods.catalogue import FAMILIES as METHODS
from veridex.core.methods.catalogue import methods
from veridex.job import preparing
from veridex.job.desk import HERE
from veridex.job.preparing import ALL, FAMILIES, parts_of
from veridex.job.warmups import PARTS

VERIDEX = f"{os.path.dirname(sys.executable)}/veridex"

PREPARED = """
from veridex.cli.desk import DESK
from veridex.job.preparing import prepare
print(prepare(["plain"], DESK))
"""

COMPILED = """
from numba.core import event
from veridex.job.warmups import warm_up
with event.install_recorder("numba:compile") as found:
    warm_up("plain")
print(len(found.buffer))
"""

UNKEPT = """
import sys
from numba.core.caching import CompileResultCacheImpl
CompileResultCacheImpl._locator_classes = []  # as where nothing can be written
from veridex.cli.entry import run
sys.argv = ["veridex", "fit", "demand.csv", "--item", "sku=smoker-01", "--period", "month", "--demand", "units",
            "--method", "mean", "--as", "csv"]
run()
"""

TWICE = """
import gc
import sys
from numba.core.dispatcher import Dispatcher
import veridex as vx
history = vx.read_history(sys.argv[1], item="sku", period="month", demand="units", cadence="monthly")
history = vx.History.of([history[item] for item in ("smoker-01", "queen-cage", "jar-honey-500")])
vx.profile(history)
vx.stationarity(history["smoker-01"])
vx.publish(history, vx.decide(vx.backtest(history, None, vx.RollingOrigin(horizon=12, origins=6))), horizon=12)
ours = [one for one in gc.get_objects() if isinstance(one, Dispatcher) and one.py_func.__module__[:7] == "veridex"]
assert len([one for one in ours if one.signatures]) > 30
print(*(one for one in ours if len(one.signatures) > 1))
"""

LOADED = """
import sys
from veridex.cli.entry import run
sys.argv = ["veridex", *sys.argv[1:]]
try:
    run()
except SystemExit:
    pass
print(*sys.modules)
"""


def python(code, *words, cwd, **environment):
    done = subprocess.run(
        [sys.executable, "-c", code, *words], capture_output=True, text=True, cwd=cwd, env=os.environ | environment
    )
    assert done.returncode == 0, done.stderr
    return done


def test_a_part_is_compiled_once_per_machine_and_shown(tmp_path):
    cache = {"NUMBA_CACHE_DIR": str(tmp_path)}
    code = (
        "from veridex.cli.desk import DESK; from veridex.job.preparing import prepare; print(prepare(['plain'], DESK))"
    )
    first, again = (python(code, cwd=tmp_path, **cache) for _ in range(2))
    assert first.stdout.strip() == "('plain',)" and again.stdout.strip() == "()"
    assert first.stderr == "Preparing for this machine, once: plain, 0 of 1.\n" and again.stderr == ""
    assert [json.loads(one.read_text()) for one in tmp_path.glob("*/veridex-*.json")] == [["plain"]]
    assert python(COMPILED, cwd=tmp_path, **cache).stdout == "0\n"


def test_a_part_that_fails_is_said_and_left_to_the_work(tmp_path, monkeypatch):
    said = []
    monkeypatch.setattr(preparing, "kept_in", lambda: tmp_path)
    monkeypatch.setattr(preparing, "ALL", ("no such part",))
    assert preparing.prepare(["no such part"], replace(HERE, say=said.append)) == ()
    assert said == ["Not prepared: no such part; what is needed of it is compiled by the work itself."]


def test_where_nothing_can_be_kept_it_is_said_once_and_the_work_is_done(tmp_path, data):
    (tmp_path / "demand.csv").write_bytes((data / "demand.csv").read_bytes())
    done = python(UNKEPT, cwd=tmp_path)
    assert done.stderr.count("Compiled code cannot be kept on this machine") == 1
    assert done.stdout.startswith("name,value,")


def test_no_kernel_is_compiled_for_a_second_kind_of_the_same_numbers(tmp_path, data):
    assert python(TWICE, str(data / "demand.csv"), cwd=tmp_path).stdout.strip() == ""


def test_every_part_can_be_warmed_up_and_every_method_has_its_part():
    assert set(ALL) == set(PARTS)
    alone = {family.name for family in METHODS} - {"combination", "tuned"}
    assert {text.split()[0] for texts in FAMILIES.values() for text in texts} == alone
    assert parts_of(methods(["naive", "theta"])) == ("theta", "plain")
    blend = "combination of=[arima, holt-winters season=additive]"
    assert parts_of(methods([blend, "tuned of=[croston alpha=0.1, croston alpha=0.2]"])) == (
        "arima",
        "smoothing",
        "intermittent",
    )


@pytest.mark.parametrize(
    ("words", "never"),
    [
        ("profile nowhere.csv", "numba matplotlib scipy pandas"),
        ("fit --help", "numba matplotlib scipy pandas"),
        *(
            (
                f"{words} --period month --demand units --quiet",
                "matplotlib sqlalchemy scipy.stats scipy.optimize veridex.core.methods.fold veridex.core.publication",
            )
            for words in (
                "profile demand.csv --item sku",
                "tidy demand.csv --item sku",
                "stationarity demand.csv --item sku=smoker-01",
            )
        ),
    ],
)
def test_a_command_loads_what_it_needs_alone(words, never, tmp_path, data):
    (tmp_path / "demand.csv").write_bytes((data / "demand.csv").read_bytes())
    loaded = python(LOADED, *words.split(), cwd=tmp_path).stdout.splitlines()[-1].split()
    assert [one for one in loaded if one.startswith(tuple(never.split()))] == []
