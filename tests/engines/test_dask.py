"""A real cluster: the same bits as serial work, a worker that dies, what a scheduler is asked for."""

from pathlib import Path

import pytest

import veridex as vx
from conftest import inside, portfolio
from deadly import Deadly
from veridex.engines.versions import numeric_versions
from veridex.errors import ParameterError, WorkerFailed

distributed = pytest.importorskip("distributed")
from veridex.engines.dask import DaskEngine  # noqa: E402 - without Dask there is nothing to test

LINEUP, SCHEME = ["seasonal-naive", "theta", "arima", "group-season"], vx.RollingOrigin(horizon=3, origins=4)
TESTS = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def scheduler():
    """The address of a cluster of two workers that can import the tests."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PYTHONPATH", str(TESTS))
        with distributed.LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=":0") as cluster:
            yield cluster.scheduler_address.replace("tcp://", "dask://")


def bits(trial):
    return [getattr(trial.arrays, name).tobytes() for name in ("points", "laws", "status", "transforms")]


@pytest.mark.parametrize("chunk", [None, 1])
def test_a_cluster_gives_the_same_bits(scheduler, chunk):
    history = portfolio(7)
    alone, counted = vx.backtest(history, LINEUP, SCHEME), []
    engine = DaskEngine(scheduler, chunk)
    trial = vx.backtest(history, LINEUP, SCHEME, engine=engine, progress=lambda *how: counted.append(how))
    assert bits(trial) == bits(alone) and counted[-1] == (7, 7)
    one, other = (
        vx.publish(history, vx.decide(found, engine=by), horizon=3, groups=["all"], engine=by)
        for found, by in ((alone, "serial"), (trial, scheduler))
    )
    assert one.frame.equals(other.frame) and one.totals.equals(other.totals)
    assert vx.reproduce(one, history, engine=engine).same


def test_a_worker_that_dies_loses_its_part_only(scheduler, tmp_path, monkeypatch):
    tasks = ["a", "b", "always", "c", "once", "d"]
    found = list(DaskEngine(scheduler, 2).map(Deadly(str(tmp_path / "x")), tasks, lambda task: f"lost {task}"))
    assert found == ["done a", "done b", "lost always", "done c", "done once", "done d"]
    with pytest.raises(WorkerFailed, match="seven"):
        list(DaskEngine(scheduler).map(Deadly(str(tmp_path / "z")), ["wrong"]))
    assert list(DaskEngine(scheduler).map(str, [])) == []
    # Dask's own keepers of workers sometimes give up first, where these die over and over on a busy machine.
    monkeypatch.setattr("veridex.engines.dask.BACK", 5)
    with pytest.raises(WorkerFailed, match=r"again and again|none came back"):
        list(DaskEngine(scheduler).map(Deadly(str(tmp_path / "y")), ["always"]))


@pytest.mark.parametrize(
    ("name", "said"), [("numpy", "install the same everywhere"), ("processor", "choose workers of one kind")]
)
def test_workers_that_compute_otherwise_are_refused(scheduler, monkeypatch, name, said):
    there = {"tcp://far": numeric_versions() | {name: "another"}}
    monkeypatch.setattr(distributed.Client, "run", lambda *_: there)
    with pytest.raises(ParameterError, match=f"worker tcp://far has {name} another.*{said}"):
        list(DaskEngine(scheduler).map(str, [1]))


def test_engines_are_named_before_the_work(ten_csv):
    words = ["backtest", ten_csv, "--item", "sku=smoker-01", "--period", "month", "--demand", "units", "--quiet"]
    wrong = inside(*words, "--engine", "spark")
    assert wrong.returncode == 2 and "dask://scheduler:8786" in wrong.stderr
    nobody = inside(*words, "--engine", "dask://127.0.0.1:9", "--methods", "naive", "--origins", "2")
    assert nobody.returncode == 2 and "no scheduler answers there" in nobody.stderr
    with pytest.raises(ParameterError, match="use at least one"):
        DaskEngine(chunk=0)
