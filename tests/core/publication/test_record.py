"""The track record: what was published against what came, held against plain computations."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import inside, monthly, seasonal_values
from veridex.errors import ParameterError, PublicationUnreadable

LINEUP = ["seasonal-naive", "theta", "mean"]
ORIGINS = ["2024-12", "2025-01", "2025-02", "2025-03"]


@pytest.fixture(scope="module")
def history():
    rng = np.random.default_rng(4)
    return vx.History.of(
        [monthly(np.round(seasonal_values(i) + rng.normal(0, 4, 96)), item=f"jar-{i}")[f"jar-{i}"] for i in range(3)]
    )


@pytest.fixture(scope="module")
def published(history):
    """Four publications: jar-0 is overridden from the second on, jar-1 has another method in the third."""
    found = []
    for k, origin in enumerate(ORIGINS):
        known = history.until(origin)
        trial = vx.backtest(known, LINEUP, vx.RollingOrigin(horizon=3, origins=5))
        verdict = vx.decide(trial, lambda table, k=k: "mean" if k == 2 else "theta")
        if k:
            verdict = verdict.override("jar-0", "mean", "Ada Birch: no season any more")
        found.append(vx.publish(known, verdict, horizon=3))
    return found


@pytest.fixture(scope="module")
def record(history, published):
    return vx.track_record(published[::-1], history)


def plain(history, published):
    """Every forecast that has come, by looking each up."""
    rows = []
    for number, one in enumerate(published, start=1):
        for row in one.forecasts.to_dict("records"):
            at = np.flatnonzero(history[row["item"]].periods == np.datetime64(row["period"], "s"))
            if at.size:
                actual = float(history[row["item"]].values[at[0]])
                rows.append({**row, "publication": number, "actual": actual, "error": actual - row["value"]})
    return pd.DataFrame(rows)


def test_errors_are_those_of_every_forecast_that_has_come(history, published, record):
    expected = plain(history, published)
    found = record.errors.sort_values(["publication", "item", "step"], ignore_index=True)
    assert len(found) == 4 * 3 * 3
    for name in ("item", "period", "step", "actual", "error", "lower_80", "upper_95", "benchmark", "publication"):
        assert found[name].tolist() == expected[name].tolist(), name
    assert found["verdict"].tolist() == expected["verdict"].fillna(expected["value"]).tolist()
    assert found.columns[:10].tolist() == [
        "item", "method", "origin", "period", "step", "actual", "forecast", "error", "percent_error", "std_error",
    ]  # fmt: skip
    assert set(found.loc[found["planner"] == "Ada Birch", "publication"]) == {2, 3, 4}
    again = vx.track_record([*published, vx.publish(history.until(ORIGINS[3]), method="naive", horizon=3)], history)
    newest = again.errors[again.errors["origin"] == "2025-03-01"]
    assert set(newest["method"]) == {"naive"} and len(again.errors) == len(found)


def test_scores_and_coverage_are_means_over_items(history, published, record):
    rows = plain(history, published)
    for by, table in (("step", record.scores()), ("publication", record.scores("publication"))):
        for value, own in rows.groupby(by):
            row = table[table[by] == value].iloc[0]
            items = [one for _, one in own.groupby("item")]
            wape = [100 * one["error"].abs().sum() / one["actual"].sum() for one in items]
            inside_80 = [
                100 * ((one["lower_80"] <= one["actual"]) & (one["actual"] <= one["upper_80"])).mean() for one in items
            ]
            assert row["mae"] == pytest.approx(np.mean([one["error"].abs().mean() for one in items]))
            assert (row["wape"], row["coverage_80"]) == (
                pytest.approx(np.mean(wape)),
                pytest.approx(np.mean(inside_80)),
            )
    whole = record.coverage[record.coverage["step"].isna()].set_index("level")
    assert whole.loc[95, "above"] == pytest.approx(100 * (rows["actual"] > rows["upper_95"]).mean())
    assert whole.loc[95, "promised"] == 95 and 0 <= whole.loc[80, "when_tested"] <= 100
    scaled = record.scores(["item"]).set_index("item").loc["jar-1", "mase"]
    own = rows[rows["item"] == "jar-1"]
    y = history["jar-1"].values
    scales = [np.abs(y[12:n] - y[: n - 12]).mean() for n in range(84, 88) for _ in range(3)]
    assert scaled == pytest.approx(np.mean(own["error"].abs().to_numpy() / scales))


def test_value_is_added_step_by_step(history, published, record):
    rows = plain(history, published)
    rows["choice"] = rows["verdict"].fillna(rows["value"])
    errors = {name: (rows["actual"] - rows[name]).abs() for name in ("benchmark", "choice", "value")}
    own = rows["verdict"].notna()
    table = record.value_added.set_index(["what", "planner"])
    for what, planner, before, after, at in (
        ("choice over benchmark", "", "benchmark", "choice", slice(None)),
        ("overrides over choice", "Ada Birch", "choice", "value", own),
        ("published over benchmark", "", "benchmark", "value", slice(None)),
    ):
        old, new, row = errors[before][at], errors[after][at], table.loc[(what, planner)]
        assert row["value_added"] == pytest.approx(100 * (1 - new.sum() / old.sum()))
        assert row["wape_after"] == pytest.approx(100 * new.sum() / rows["actual"][at].sum())
        assert row["closer"] == pytest.approx(100 * ((new < old) + 0.5 * (new == old)).mean())
    (one,) = record.overrides.to_dict("records")
    assert (one["item"], one["planner"], one["publications"], one["cells"]) == ("jar-0", "Ada Birch", 3, 9)
    assert one["mae_after"] == pytest.approx(errors["value"][own].mean())
    assert "overrides lost" in record.in_words() or "overrides added" in record.in_words()


def test_what_changing_methods_cost(history, published, record):
    assert sorted(zip(record.changes["item"], record.changes["before"], strict=True)) == [
        ("jar-1", "mean"), ("jar-1", "theta"), ("jar-2", "mean"), ("jar-2", "theta"),
    ]  # fmt: skip
    cost = record.changes["cells"] * (record.changes["mae"] - record.changes["mae_if_kept"])
    assert cost.is_monotonic_decreasing
    for row in record.changes.to_dict("records"):
        k = [np.datetime64(one) for one in ORIGINS].index(np.datetime64(row["origin"], "M"))
        known = history.until(ORIGINS[k])[row["item"]]
        came = history[row["item"]].values[len(known) : len(known) + 3]
        kept = vx.fit(known, row["before"]).forecast(3).points
        new, old = (published[j][row["item"]].outlook.points for j in (k, k - 1))
        assert row["mae_if_kept"] == pytest.approx(np.abs(came - kept).mean())
        assert row["mae"] == pytest.approx(np.abs(came - new).mean())
        assert row["moved"] == pytest.approx(100 * np.abs(new[:2] - old[1:]).sum() / old[1:].sum())
    assert "Methods changed 4 times" in record.in_words()


@pytest.mark.parametrize("shifted", [True, False])
def test_since_when_it_is_worse_and_who_did_it(shifted):
    rng = np.random.default_rng(8)
    values = 100 + rng.normal(0, 5, (4, 84))
    if shifted:
        values[2, 78:] += 40
    many = vx.History.of([monthly(row, item=f"jar-{i}")[f"jar-{i}"] for i, row in enumerate(values)])
    made = [vx.publish(many.first(n), method="mean", horizon=2) for n in range(72, 83)]
    found = vx.track_record(made, many)
    if shifted:
        assert str(found.worsening.since)[:7] == "2024-07" and found.worsening.chance < 1
        assert found.worse.loc[0, "item"] == "jar-2" and found.worse.loc[0, "share"] > 80
        assert "Since 2024-07 errors are" in found.in_words() and "jar-2" in found.in_words()
    else:
        assert found.worsening.chance > 5 and "No period tells" in found.in_words()


def test_nothing_is_said_before_periods_have_come(history, published):
    early = vx.track_record(published[-1], history.until(ORIGINS[-1]))
    assert early.in_words().startswith("Not available: of 1 publication nothing has come yet; the history ends with")
    assert early.errors.empty and early.changes.empty and early.worse.empty and early.scores().empty
    assert early.value_added["cells"].sum() == 0 and early.coverage["held"].isna().all()
    with pytest.raises(ParameterError, match="group by some of item, method"):
        early.scores("colour")
    with pytest.raises(ParameterError, match="pass at least one"):
        vx.track_record([], history)
    with pytest.raises(ParameterError, match="none of its items was published; jar-0, jar-1"):
        vx.track_record(published, monthly([1.0, 2.0, 3.0]))
    with pytest.raises(ParameterError, match="a publication is monthly, the history quarterly"):
        vx.track_record(published, history.at_cadence("quarterly"))


def test_publications_are_read_from_wherever_they_are_kept(history, published, tmp_path):
    database = f"sqlite:///{tmp_path}/kept.db"
    for k, one in enumerate(published):
        vx.write(one, tmp_path / "kept" / ("x.xlsx" if k == 0 else str(k)))
        vx.write(one, database)
    (tmp_path / "kept" / "notes.txt").write_text("no publication")
    history.to_frame().to_csv(tmp_path / "demand.csv", index=False)
    whole = vx.track_record(published, history).errors
    for sources in ([tmp_path / "kept"], [database], [tmp_path / "kept" / "x.xlsx", f"{database}&number=4"]):
        sources = [str(one).replace(".db&", ".db?") for one in sources]
        found = vx.read_publications(*sources)
        assert len(found) == (4 if len(sources) == 1 else 2)
    assert vx.track_record(vx.read_publications(database), history).errors.equals(whole)
    with pytest.raises(PublicationUnreadable):
        vx.read_publications(tmp_path)
    words = ["record", database, tmp_path / "demand.csv", "--item", "item", "--cadence", "monthly", "--quiet"]
    page, table = inside(*words, "--figures", tmp_path), inside(*words, "--part", "changes", "--as", "csv")
    assert (tmp_path / "record.png").is_file()
    assert page.returncode == 0 and "Errors by step" in page.stdout and "Ada Birch" in page.stdout
    assert "36 forecasts of 3 items in 4 publications" in " ".join(page.stdout.split())
    assert len(table.stdout.strip().splitlines()) == 1 + 4
