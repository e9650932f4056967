"""A method is a value: one model has one form, however it was spelled, nested or carried."""

import pickle

import numpy as np
import pytest

import veridex as vx
from conftest import METHODS, monthly, portfolio, seasonal_values
from veridex import figures
from veridex.core.backtest.lineup import entered_by_default
from veridex.core.methods.catalogue import method
from veridex.core.methods.short_names import short_name

SCHEME = vx.RollingOrigin(horizon=3, origins=13)
NESTED = "combination of=[tuned of=[moving-average weights=[3, 1], moving-average weights=[1, 1]] horizon=2, naive]"


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("holt-winters", "holt-winters damped=no season=additive"),
        ("arima q=1 d=1", "arima p=0 d=1 q=1 criterion=aicc"),
        ("simple-smoothing alpha=1.0", "simple-smoothing  alpha=1"),
        ("moving-average", "moving-average window=3"),
        ("combination of=[naive, holt damped=no]", "combination weights=equal of=[naive, holt]"),
        ("theta transform=none", "theta"),
    ],
)
def test_spellings_of_one_model_are_one_method(one, other):
    assert method(one) == method(other) and hash(method(one)) == hash(method(other))
    assert method(one).text == method(other).text
    with pytest.raises(vx.VeridexError, match="entered twice"):
        vx.backtest(monthly(seasonal_values()), [one, other], SCHEME)


@pytest.mark.parametrize("text", [*METHODS, NESTED, f"tuned of=[{NESTED}, theta]"])
def test_a_method_reads_back_and_travels_as_itself(text):
    made = method(text)
    assert method(made.text) == made and pickle.loads(pickle.dumps(made)) == made
    assert method(made.text).settings == made.settings


def test_tuned_methods_are_methods():
    tuned = vx.Tuned("moving-average", {"window": [2, 4]}, vx.RollingOrigin(horizon=3, origins=6))
    assert tuned == method(tuned.text) and short_name(tuned) == "tuned among 2: moving-average window=2 …"


def test_methods_made_of_methods_go_through_the_whole_job(tmp_path):
    tuned = vx.Tuned("moving-average", {"weights": [[3, 2, 1], [1, 1]]})
    trial = vx.backtest(portfolio(4), [NESTED, tuned, "theta"], SCHEME)
    verdict = vx.decide(trial, allowed=[NESTED, tuned])
    published = vx.publish(trial.history, verdict, horizon=3)
    assert published.forecasts["value"].notna().all() and verdict.timings["ms_per_fold"].notna().all()
    again = vx.read_publication(vx.write(published, tmp_path / "out"))
    assert again.frame["method"].dropna().map(lambda text: method(text).name).eq("combination").all()
    kept = vx.read_trial(vx.write(trial, tmp_path / "t.parquet"))
    assert kept.lineup == trial.lineup and vx.decide(kept).winners.equals(vx.decide(trial).winners)


def test_what_is_published_has_the_weights_that_were_found():
    trial = vx.backtest(portfolio(4), None, SCHEME)
    verdict = vx.decide(trial)
    series = trial.history["item-1"]
    winner = verdict.choice("item-1").winner.method
    published = vx.publish(trial.history, verdict, horizon=3)["item-1"]
    members = published.method.members
    fitted = np.array([vx.fit(series, one, among=trial.history).forecast(3).points for one in members])
    assert published.outlook.points == pytest.approx(np.array(winner.weights) @ fitted, rel=1e-12)
    assert [one.name for one in published.method.members] == [one.name for one in winner.members]


def test_respelling_a_lineup_changes_nothing():
    history = portfolio(3)
    plain = [one.text for one in entered_by_default(history)]
    respelled = [text.replace("season=additive damped=yes", "damped=yes season=additive") for text in plain]
    assert respelled != plain
    one, two = (vx.decide(vx.backtest(history, lineup, SCHEME)).winners for lineup in (plain, respelled))
    assert one.equals(two)


def test_a_planner_s_own_combination_is_no_blend_of_ours():
    own = "combination of=[naive, theta] weights=median"
    verdict = vx.decide(vx.backtest(portfolio(3), ["theta", own], SCHEME), "single", allowed=[own])
    titles = [axes.get_title(loc="left") for axes in figures.contenders(verdict, "item-1").axes]
    assert any(title.startswith("median mean of 2") for title in titles)
    assert not any("blend" in title for title in titles) and "blend" not in verdict.why("item-1")
