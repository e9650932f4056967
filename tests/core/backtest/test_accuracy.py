"""How accurate methods are over a portfolio: measures, tests and ranks against plain loops."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

import veridex as vx
from conftest import monthly, portfolio, seasonal_values
from veridex.core.scoring.comparison import diebold_mariano, mean_ranks, paired_bootstrap, paired_over_origins

SCHEME = vx.RollingOrigin(horizon=4, origins=4)


def test_static_stands_beside_dynamic():
    history = monthly(seasonal_values(2))
    trial = vx.backtest(history, ["drift"], vx.RollingOrigin(horizon=6, origins=6))
    table = trial.static_dynamic("smoker-01", "drift")
    y = history["smoker-01"].values
    first = len(y) - 11  # six origins, the last of them six periods before the end
    for k in range(6):
        known = y[: first + k]
        assert table["static"][k] == pytest.approx(known[-1] + (known[-1] - known[0]) / (known.size - 1))
    known = y[:first]
    assert table["dynamic"][:6].to_numpy() == pytest.approx(
        known[-1] + np.arange(1, 7) * (known[-1] - known[0]) / (first - 1)
    )
    assert table["actual"].tolist() == y[first : first + 6].tolist()
    assert trial.folds["converged"].all() and (trial.folds["reason"] == "").all()


def test_further_measures_equal_plain_loops():
    history = vx.History.of([*portfolio(3)])
    trial = vx.backtest(history, ["theta"], SCHEME)
    errors = trial.errors.dropna(subset=["actual", "forecast"])
    table = trial.scores(by=["item", "method"]).set_index(["item", "method"])
    for (item, method), rows in errors.groupby(["item", "method"]):
        e, a = (rows["actual"] - rows["forecast"]).to_numpy(), rows["actual"].to_numpy()
        last = [history[item].until(str(o)[:10]).values for o in rows["origin"]]
        last = np.array([v[~np.isnan(v)][-1] for v in last])
        own = table.loc[(item, method)]
        assert own["bias"] == pytest.approx(100 * e.sum() / np.abs(a).sum())
        assert own["theils_u"] == pytest.approx(np.sqrt((e**2).sum() / ((a - last) ** 2).sum()))
        ahead = rows[rows["step"] == 1].sort_values("origin")
        signed, size = 0.0, np.abs(ahead["error"]).mean()
        for one in ahead["error"]:
            signed, size = 0.9 * signed + 0.1 * one, 0.9 * size + 0.1 * abs(one)
        assert own["tracking_signal"] == pytest.approx(signed / size) and 0 < own["tracking_limit"] < 1
        low, up = rows["lower_80"].to_numpy(), rows["upper_80"].to_numpy()
        pinball = [0.1 * (y - q) if y > q else 0.9 * (q - y) for y, q in zip(a, low, strict=True)]
        pinball += [0.9 * (y - q) if y > q else 0.1 * (q - y) for y, q in zip(a, up, strict=True)]
        assert own["pinball_80"] == pytest.approx(np.mean(pinball))
    relative = table["mae"].unstack()["theta"] / table["mae"].unstack()["seasonal-naive"]
    whole = trial.scores().set_index("method").loc["theta"]
    assert whole["relative_mae"] == pytest.approx(np.exp(np.log(relative).mean()), rel=1e-9)
    volumes = errors[errors["method"] == "theta"].groupby("item")["actual"].sum()
    weighed = trial.scores(weights="volume").set_index("method").loc["theta", "mase"]
    assert weighed == pytest.approx(np.average(table["mase"].unstack()["theta"], weights=volumes))
    phases = trial.scores(by=["method", "phase"])
    march = errors[(errors["method"] == "theta") & (errors["period"].dt.month == 3) & (errors["item"] == "item-1")]
    if len(march):
        own = trial.scores(by=["item", "method", "phase"]).set_index(["item", "method", "phase"])
        assert own.loc[("item-1", "theta", "March"), "mae"] == pytest.approx(
            (march["actual"] - march["forecast"]).abs().mean()
        )
    assert set(phases["phase"]) <= {pd.Timestamp(2020, m, 1).month_name() for m in range(1, 13)}
    both = trial.scores(scope="both")
    assert both["scope"].tolist() == ["training"] * 3 + ["holdout"] * 3 + ["pooled"] * 3
    own = both.set_index(["scope", "method"]).xs("theta", level="method")
    assert own.loc["pooled", "n"] == own.loc["training", "n"] + own.loc["holdout", "n"]
    by_item = trial.scores(by=["item", "method"], scope="both").set_index(["scope", "method", "item"])
    for item in history.names:
        parts = by_item.loc[["training", "holdout"]].xs(("theta", item), level=("method", "item"))
        whole = by_item.loc[("pooled", "theta", item)]
        assert whole["mape"] == pytest.approx(np.average(parts["mape"], weights=parts["n"]))
        assert whole["rmse"] == pytest.approx(np.sqrt(np.average(parts["rmse"] ** 2, weights=parts["n"])))


def test_equal_accuracy_ranks_and_bootstrap_by_their_formulas():
    rng = np.random.default_rng(2)
    a, b = np.abs(rng.normal(size=(2, 40)))
    found = diebold_mariano(a, b, 1)
    d = a - b
    plain = d.mean() / np.sqrt(d.var() / 40) * np.sqrt((40 + 1 - 2) / 40)
    assert found.statistic == pytest.approx(plain) and found.p_value == pytest.approx(2 * stats.t(39).sf(abs(plain)))
    far = diebold_mariano(a, b, 4)
    harmonics = [
        np.sqrt(2 / 40) * sum((d - d.mean()) * np.cos(np.pi * j * (np.arange(40) + 0.5) / 40)) for j in range(1, 6)
    ]
    t = d.mean() / np.sqrt(np.mean(np.square(harmonics)) / 40)
    assert far.statistic == pytest.approx(t) and far.p_value == pytest.approx(2 * stats.t(5).sf(abs(t)))
    assert (
        "36 needed" in diebold_mariano(a[:30], b[:30], 12).reason and "same amount" in diebold_mariano(a, a, 1).reason
    )
    errors = rng.normal(size=(30, 4)) + np.array([0, 0, 0, 2])
    ranks = mean_ranks(errors)
    assert ranks.ranks == pytest.approx(stats.rankdata(errors, axis=1).mean(axis=0))
    # Demsar (2006), table 5: q = 2.569 for four methods.
    assert ranks.critical == pytest.approx(2.569 * np.sqrt(4 * 5 / (6 * 30)), abs=1e-3)
    better = paired_bootstrap(errors[:, 0], errors[:, 3])
    assert better.p_value < 0.01 and better.lower < better.difference < better.upper < 0
    many = paired_bootstrap(np.tile(errors[:, 0], 20), np.tile(errors[:, 3], 20))
    assert many.difference == pytest.approx(better.difference) and np.isnan(paired_bootstrap(a[:3], b[:3]).p_value)


def test_what_items_have_in_common_widens_what_is_said_over_them():
    rng = np.random.default_rng(4)
    own, common = rng.normal(size=(60, 24)), rng.normal(size=24)
    d = own + common
    found = paired_over_origins(d, 6)
    means = d.mean(axis=0) - d.mean()
    harmonics = [np.sqrt(2 / 24) * sum(means * np.cos(np.pi * j * (np.arange(24) + 0.5) / 24)) for j in (1, 2)]
    t = d.mean() / np.sqrt(np.mean(np.square(harmonics)) / 24)
    assert found.difference == pytest.approx(d.mean()) and (found.items, found.origins) == (60, 24)
    assert found.p_value == pytest.approx(2 * stats.t(2).sf(abs(t)))
    alone = paired_bootstrap(d.mean(axis=1), np.zeros(60))
    assert found.upper - found.lower > 3 * (alone.upper - alone.lower)
    d[:30, :12] = np.nan  # an item counts as one, however many origins it has
    by_item = np.nanmean(d, axis=1).mean()
    assert paired_over_origins(d, 6).difference == pytest.approx(by_item)
    few = paired_over_origins(d[:4], 6)
    assert np.isnan(few.p_value) and few.items == 4
    errors = np.abs(rng.normal(size=(60, 3, 24)) + rng.normal(size=(3, 24)))
    apart = mean_ranks(errors.mean(axis=2), errors, 6).critical / mean_ranks(errors.mean(axis=2)).critical
    assert apart > 2
    assert (
        mean_ranks(own[:, :3], np.abs(rng.normal(size=(60, 3, 24))), 1).critical < 1.5 * mean_ranks(own[:, :3]).critical
    )


def test_standings_say_what_cannot_be_told_from_the_first():
    scheme = vx.RollingOrigin(horizon=2, origins=24)
    trial = vx.backtest(portfolio(8), ["theta", "theta transform=log", "drift"], scheme)
    table = trial.standings().set_index("method")
    assert table["versus_first"].iloc[0] == "first" and np.isnan(table["p_first"].iloc[0])
    test = trial.compare("drift", table.index[0], measure="mase")
    assert table.loc["drift", "versus_first"] == "worse" and table.loc["drift", "p_first"] == test.p_value < 0.05
    ranks, critical = trial.ranks()
    assert ranks["mean_rank"].is_monotonic_increasing and critical > 0
    alone = vx.backtest(monthly(seasonal_values()), ["theta"], vx.RollingOrigin(horizon=1, origins=30))
    p = alone.compare("naive", "theta", item="smoker-01")
    assert alone.standings().set_index("method").loc["naive", "p_first"] == p.p_value
    for wrong in ({"step": 9}, {"measure": "height"}, {"item": "smoker-01", "measure": "mase"}):
        with pytest.raises(vx.VeridexError):
            alone.compare("naive", "theta", **wrong)
