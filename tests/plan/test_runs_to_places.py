"""Runs of a plan that publish where people work: databases, a workbook; what stands there is known again."""

import pandas as pd
import pytest

import veridex as vx
from conftest import inside
from veridex.plan.journal import Journal

PLAN = """plan = 1
history = {{ file = "demand.csv", item = "sku", period = "month", demand = "units", cadence = "monthly" }}
test = {{ methods = ["seasonal-naive", "theta"], scheme = "rolling horizon=2 origins=4 anchor=12" }}
publish = {{ horizon = 2, to = [{to}] }}
"""


@pytest.fixture
def job(tmp_path, data):
    """A plan of two items that publishes to these places, and how to add months to its demand."""
    table = pd.read_csv(data / "demand.csv", dtype=str, keep_default_na=False)
    table = table[table["sku"].isin(("jar-honey-500", "hive-national"))]

    def until(month, *to):
        table[table["month"] <= month].to_csv(tmp_path / "demand.csv", index=False)
        if to:
            (tmp_path / "plan.toml").write_text(PLAN.format(to=", ".join(f'"{one}"' for one in to)))
        return inside("run", tmp_path / "plan.toml")

    return tmp_path, until


def test_a_run_to_a_database_a_workbook_and_parquet(job):
    place, until = job
    first = until("2025-05", "sqlite:///f.db?retain=2", "f.xlsx", "f.parquet")
    assert first.returncode == 0 and (place / "f.db").exists()  # seen from the plan
    address = f"sqlite:///{place}/f.db"
    assert "nothing has changed" in until("2025-05").stdout
    second = until("2025-07")
    assert second.returncode in (0, 3) and "after the publication made at" in second.stderr
    assert "Watch:" in second.stdout
    for where in (address, place / "f.xlsx", place / "f.parquet"):
        assert vx.read_publication(where).head.demand.last == "2025-07"
    assert vx.read_publication(f"{address}?number=1").head.demand.last == "2025-05"
    (place / "f.xlsx").unlink()
    again = until("2025-07")
    assert f"Written to {place}/f.xlsx, from sqlite:///{place}/f.db." in again.stderr
    assert vx.read_publication(place / "f.xlsx").head.plan == vx.read_publication(address).head.plan
    run = vx.run_plan(place / "plan.toml")
    assert run.outcome == "unchanged" and run.to[0] == address


def test_a_run_says_no_credentials(job, postgresql, monkeypatch):
    place, until = job
    secret = postgresql.replace("planner@", "planner:h0neysecret@") + "&prefix=run_"
    monkeypatch.setenv("FORECASTS", secret)
    monkeypatch.setenv("FORECASTS_PASSWORD", "h0neysecret")
    said = [until("2025-05", "$FORECASTS", "published"), until("2025-05"), until("2025-06")]
    other = postgresql.replace("planner@", "planner:$FORECASTS_PASSWORD@") + "&prefix=run_"
    said += [until("2025-06", other), until("2025-07"), until("2025-07", other.replace("?host=", "?host=/nowhere"))]
    assert [one.returncode in (0, 3) for one in said] == [True] * 5 + [False]
    assert len(Journal(place / "plan.toml", place / "plan.kept").lines()) == 6
    texts = [one.stdout + one.stderr for one in said]
    texts += [path.read_text(errors="replace") for path in place.rglob("*") if path.is_file()]
    assert not any("h0neysecret" in text for text in texts)
    wrong = until("2025-07", secret)
    assert wrong.returncode == 2 and "publish.to: it holds a password" in wrong.stderr and "h0ney" not in wrong.stderr
