"""Figures of a trial, a verdict, a publication and a fit's parts: what is drawn."""

import numpy as np
import pandas as pd
import pytest

import veridex as vx
from conftest import monthly
from figures.drawn import colour, holds_band, in_house_style, legend, numbers, of, same
from veridex import figures
from veridex.core.readable import number
from veridex.figures import style


def test_lead_times_and_folds_are_drawn(trial):
    figure = figures.lead_times(trial)
    (axes,) = figure.axes
    in_house_style(figure)
    ranked = [text for text in trial.standings()["method"] if text not in map(str, trial.benchmarks)]
    table = trial.scores(by=["method", "step"], common=True)
    for text, line in zip([*ranked[:5], trial.benchmarks[0].text], axes.lines, strict=True):
        own = table[table["method"] == text]
        assert line.get_xdata().tolist() == own["step"].tolist() and line.get_ydata().tolist() == own["mase"].tolist()
    tones = ["amber", "teal", "plum", "teal", "plum"][: len(axes.lines) - 1]
    assert [colour(line.get_color()) for line in axes.lines] == [*tones, "ink"]
    names = [*ranked[:5], f"{trial.benchmarks[0]} (benchmark)"]
    assert [label for label, _ in legend(figure)] == names and axes.lines[-1].get_linestyle() == ":"
    assert axes.get_ylim()[0] == 0 and axes.get_xlim() == (0.5, table["step"].max() + 0.5)
    assert axes.get_xlabel() == "lead time (months)" and axes.get_ylabel() == "mase, mean of 10 items"
    assert axes.get_title(loc="left") == f"Error by lead time ({trial.scheme.in_words()})"
    figure = figures.folds(trial)
    (axes,) = figure.axes
    in_house_style(figure)
    series = max(trial.history, key=len)
    folds = trial.scheme.folds(series)
    stamps = numbers(series.cadence.starts(np.arange(series.start - 1, series.start + len(series) + 1)))
    edges = 0.5 * (stamps[1:] + stamps[:-1])  # a period reaches half way to those beside it
    for kind, ends in (("ink", (0, 0)), ("amber", (None, None))):
        for k, ((x, y), fold) in enumerate(zip(of(axes, "line", kind), folds, strict=True), start=1):
            begin, end = (0, fold.stop) if ends[0] == 0 else (fold.stop, fold.stop + fold.horizon)
            assert y.tolist() == [k, k] and np.abs(x - edges[[begin, end]]).max() < 2.0
    assert axes.get_ylim() == (len(folds) + 0.7, 0.3) and axes.get_ylabel() == "fold"
    said = axes.get_title(loc="left").replace("\n", " ")
    assert said == f"{series.item}: {len(folds)} folds, {trial.scheme.in_words()}"
    assert legend(figure) == [("fitted on", "ink"), ("tested on", "amber")]


def test_contributions_are_drawn_part_by_part():
    t = np.arange(60)
    history = monthly(100 + 0.5 * t + 20 * np.sin(2 * np.pi * t / 12))
    fitted = vx.fit(history, "harmonic harmonics=[1] drivers=[step(2020-06)]")
    table = fitted.contributions(6)
    figure = figures.contributions(fitted, 6)
    in_house_style(figure)
    names = [axes.get_title(loc="left") for axes in figure.axes]
    assert names[:2] == ["trend", "season_12"] and "what each part adds (units)" in figure.get_suptitle()
    periods = table["period"].to_numpy()
    for name, axes in zip(names, figure.axes, strict=True):
        values = table[name].to_numpy()
        same(of(axes, "line", "ink"), (periods[:60], values[:60]))
        same(of(axes, "line", "amber"), (periods[59:], values[59:]))
        assert axes.get_ylabel() == "" and of(axes, "line", "grid")[0][1].tolist() == [0, 0]
    heights = [np.ptp(axes.get_ylim()) for axes in figure.axes]
    assert heights == pytest.approx([heights[0]] * len(heights))  # one scale for all of them
    trend = table["trend"].to_numpy()
    assert np.mean(figure.axes[0].get_ylim()) == pytest.approx((trend.max() + trend.min()) / 2)
    assert [np.mean(axes.get_ylim()) for axes in figure.axes[1:]] == pytest.approx([0.0] * (len(names) - 1), abs=1e-9)
    none = figures.contributions(vx.fit(history, "naive"), 6)
    assert "does not split its forecast" in none.axes[0].texts[0].get_text()


def test_standings_stand_beside_their_uncertainty(trial, orders):
    figure = figures.standings(trial)
    (axes,) = figure.axes
    in_house_style(figure)
    table = trial.standings()
    failed = table[table["mase"].isna()]
    table = table[table["mase"].notna()].reset_index(drop=True)
    labels = [label.get_text() for label in axes.get_yticklabels()]
    assert len(labels) == len(table) + len(failed) and labels[0].endswith(f"{table['mase'].iloc[0]:.3g}")
    low, high = axes.get_xlim()
    assert low == 0 and [text.get_text() for text in axes.texts] == failed["reason"].tolist()
    benchmark = table.set_index("method").loc["seasonal-naive", "mase"]
    for row, (text, value) in enumerate(zip(table["method"], table["mase"], strict=True)):
        tone = "amber" if row == 0 else "ink" if text == "seasonal-naive" else "teal"
        mark, place = ("mark o", value) if value <= high else ("mark >", high)  # hopeless ones stand at the edge
        assert (place, row) in {(float(x[0]), float(y[0])) for x, y in of(axes, mark, tone)}
        found = trial.compare(text, "seasonal-naive", measure="mase")
        ends = [x for x, y in of(axes, "line", tone) if y.tolist() == [row, row]]
        if text != "seasonal-naive" and np.isfinite(found.lower):
            reach = np.clip([benchmark + found.lower, benchmark + found.upper], 0.0, high)  # no error is below zero
            assert ends[0] == pytest.approx(reach)
    assert [benchmark, benchmark] in [x.tolist() for x, _ in of(axes, "line", "ink")]
    assert axes.get_ylim() == (len(labels) - 0.5, -0.5) and axes.get_xlabel() == "mase, mean of 10 items"
    assert axes.get_title(loc="left") == f"Standings on {table['n'].iloc[0]:,} cells that every method has"
    keys = [("seasonal-naive (benchmark)", "ink"), ("95 % interval of the distance from the benchmark", "teal")]
    assert legend(figure)[:2] == keys
    assert (("off the scale", "teal") in legend(figure)) == bool((table["mase"] > high).any())
    lonely = vx.backtest(orders["smoker-01"], ["theta", "drift"], vx.RollingOrigin(horizon=2, origins=12))
    assert figures.standings(lonely, "mae").axes[0].get_xlabel() == "mae"


def test_coverage_stands_against_the_level_that_is_claimed(verdict):
    figure = figures.coverage(verdict)
    (axes,) = figure.axes
    in_house_style(figure, *(text.get_text() for text in axes.texts))
    table = verdict.intervals[verdict.intervals["coverage"].notna()]
    looks = {"calibrated": ("mark o", "amber"), "model": ("mark s", "teal")}
    for k, level in enumerate((80, 95)):
        for place, kind in enumerate(("model", "calibrated")):
            own = table[(table["kind"] == kind) & (table["level"] == level)]
            held, at = np.average(own["coverage"], weights=own["cells"]), k + (place - 0.5) * 0.3
            mark, tone = looks[kind]
            assert any((x[0], y[0]) == pytest.approx((at, held)) for x, y in of(axes, mark, tone))
            middle = np.quantile(own["coverage"], (0.25, 0.75))
            assert any(x[0] == pytest.approx(at) and y == pytest.approx(middle) for x, y in of(axes, "line", tone))
            assert (f"{held:.1f}", tone) in [(text.get_text(), colour(text.get_color())) for text in axes.texts]
    same(of(axes, "line", "ink"), ([-0.42, 0.42], [80, 80]), ([0.58, 1.42], [95, 95]))
    assert [label.get_text() for label in axes.get_xticklabels()] == ["80 %", "95 %"]
    lowest = min(80, *table.groupby(["kind", "level"])["coverage"].quantile(0.25))
    assert axes.get_xlim() == pytest.approx((-0.6, 1.6)) and axes.get_ylim() == pytest.approx(
        (max(lowest - 8, -3), 102)
    )
    assert axes.get_xlabel() == "level that the interval claims"
    assert axes.get_ylabel() == "percent of actuals held when tested"
    assert legend(figure) == [
        ("model", "teal"), ("calibrated", "amber"), ("holds what it claims", "ink"),
        ("middle half of the items", "grid"),
    ]  # fmt: skip
    one = figures.coverage(verdict, "smoker-01")
    assert one.axes[0].get_title(loc="left") == "smoker-01: what intervals held, made by what was known then"
    with pytest.raises(vx.VeridexError, match="no item"):
        figures.coverage(verdict, "smoker")
    trial = verdict.trial
    of_methods = figures.coverage(trial, "smoker-01").axes[0]
    ranked = trial.standings(brief=True)["method"].tolist()
    scores = trial.scores(by=["item", "method"], common=True).set_index(["item", "method"]).loc["smoker-01"]
    drawn = [y[0] for x, y in of(of_methods, "mark o", "amber")]
    assert drawn == scores.loc[ranked[0], ["coverage_80", "coverage_95"]].tolist()


def test_a_tuned_setting_is_drawn_with_its_best_and_its_simplest(orders, tmp_path):
    scheme = vx.RollingOrigin(horizon=3, origins=8)
    tuning = vx.tune(orders["smoker-01"], "moving-average", {"window": [12, 2, 4]}, scheme)
    figure = figures.tuning(tuning)
    (axes,) = figure.axes
    in_house_style(figure)
    frame, best = tuning.frame, tuning.frame[tuning.frame["best"]].iloc[0]
    windows, curve = frame["window"].to_numpy(), frame["mae"].to_numpy()
    order = np.argsort(windows)
    same(of(axes, "line", "teal"), (windows[order], curve[order]))
    same(of(axes, "mark o", "teal"), (windows, curve))
    same(of(axes, "mark o", "amber"), ([best["window"]], [best["mae"]]))
    (simplest,) = frame[frame["method"] == tuning.simplest_method][["window", "mae"]].to_numpy()
    same(of(axes, "mark o", "ink"), ([simplest[0]], [simplest[1]]))
    ((x, y),) = of(axes, "strokes", "teal")
    assert x == pytest.approx(np.column_stack((windows, windows)))
    error = frame["std_error"].to_numpy()
    assert y == pytest.approx(np.column_stack((curve - error, curve + error)))
    assert of(axes, "box", "tint 2")[0][1] == pytest.approx([best["mae"], best["mae"] + best["std_error"]])
    assert of(axes, "line", "ink")[0][1].tolist() == [tuning.untuned_measure] * 2
    assert axes.get_xlabel() == "window" and axes.get_ylabel() == "mae" and sorted(axes.get_xticks()) == [2, 4, 12]
    assert axes.get_title(loc="left") == "smoker-01: moving-average over window"
    assert legend(figure) == [
        (f"best: window={best['window']}", "amber"), (f"simplest within: window={simplest[0]:.0f}", "ink"),
        ("within one standard error of the best", "tint 2"), ("untuned", "ink"),
    ]  # fmt: skip
    crossed = {"damped": [True, False], "season": ["additive", "multiplicative"]}
    tuned = vx.tune(orders, "holt-winters", crossed, scheme, measure="mase")
    several, again = figures.tuning(tuned), figures.tuning(tuned)
    assert several.axes[0].get_ylabel() == "mase, mean of 10 items"
    ticks = [label.get_text() for label in several.axes[0].get_xticklabels()]
    assert len(ticks) == 4 and ticks[0].split() == ["damped=yes", "season=additive"]
    assert style.save(several, tmp_path / "a.png").read_bytes() == style.save(again, tmp_path / "b.png").read_bytes()


def test_errors_stand_against_volume(trial, verdict):
    (axes,) = figures.volume(verdict).axes
    table = verdict.winners.set_index("item")
    volumes = pd.Series({one.item: np.nansum(one.actuals) for one in trial.history})
    share = (table["error"] / table["benchmark_error"]).dropna()
    share = share[np.isfinite(share)]
    ((x, y),) = of(axes, "mark o", "teal")
    assert sorted(zip(x, y, strict=True)) == sorted(zip(volumes[share.index], share, strict=True))
    assert axes.get_xscale() == "log" and of(axes, "line", "ink")[0][1].tolist() == [1, 1]
    assert axes.texts[0].get_text() == share.idxmax() and axes.get_xlabel() == "units, all periods together"
    assert not any("10^" in label.get_text() for label in axes.get_xticklabels())
    (axes,) = figures.volume(trial, "mae", "theta").axes
    own = trial.scores(by=["item", "method"], common=True).set_index(["method", "item"]).loc["theta", "mae"].dropna()
    assert sorted(of(axes, "mark o", "teal")[0][1]) == sorted(own)


def test_the_total_adds_up_items_and_has_the_band_of_their_group(orders, verdict):
    publication = vx.publish(orders, verdict, horizon=6, groups=["all"])
    figure = figures.total(publication)
    top, below = figure.axes
    in_house_style(figure)
    frame = publication.frame[publication.frame["scenario"] == ""]
    able = [item for item in publication.items if publication[item].available]
    past = frame[(frame["kind"] == "actual") & frame["item"].isin(able)].groupby("period")["value"].sum().tail(48)
    ahead = frame[(frame["kind"] == "forecast") & frame["item"].isin(able)].groupby("period")["value"].sum()
    same(of(top, "line", "ink"), (past.index.to_numpy(), past))
    same(of(top, "line", "amber"), (ahead.index.to_numpy(), ahead))
    totals = publication.totals[publication.totals["group"] == "all"]
    for tint, level in enumerate((80, 95)):
        assert holds_band(below, f"tint {tint}", totals["period"], totals[f"lower_{level}"], totals[f"upper_{level}"])
    same(of(below, "line", "amber"), (ahead.index.to_numpy(), ahead.cumsum()))
    same(of(below, "line", "ink"), (ahead.index.to_numpy(), past.to_numpy()[-12:-6].cumsum()))
    title = f"{len(able)} items together: next 6 months, {number(float(ahead.sum()))} units in all"
    assert figure.get_suptitle() == title
    bare = figures.total(publication, ["smoker-01", "hive-tool-j"])
    assert not bare.axes[1].collections and "publish with groups" in bare.legends[0].get_title().get_text()
    (axes,) = figures.total(orders, ["smoker-01", "hive-tool-j"]).axes
    both = orders["smoker-01"].values + orders["hive-tool-j"].values
    same(of(axes, "line", "ink"), (orders["smoker-01"].periods, both))
    prices = vx.History.from_numbers([2.0, 3, 4], cadence="monthly", start="2024-01", adds="mean")
    with pytest.raises(vx.VeridexError, match="does not add up over items"):
        figures.total(prices)


def test_demand_is_held_against_a_driver_lag_by_lag():
    rng = np.random.default_rng(0)
    heat, m = rng.normal(size=80), 80
    demand = 50 + 3 * np.roll(heat, 2) + 0.3 * rng.normal(size=m)
    periods = pd.period_range("2018-01", periods=m, freq="M").astype(str)
    drivers = vx.Drivers.from_frame(pd.DataFrame({"period": periods, "heat": heat}), cadence="monthly")
    figure = figures.driver(monthly(demand), drivers, raw=True, lags=4)
    top, below, bars, *points = figure.axes
    in_house_style(figure)
    same(of(top, "line", "ink"), (monthly(demand)["smoker-01"].periods, demand))
    same(of(below, "line", "teal"), (monthly(demand)["smoker-01"].periods, heat))
    by_hand = [np.corrcoef(heat[: m - lag], demand[lag:])[0, 1] for lag in range(5)]
    drawn = {round(bar.get_x() + bar.get_width() / 2): bar.get_height() for bar in bars.patches}
    assert [drawn[lag] for lag in range(5)] == pytest.approx(by_hand)
    assert [colour(bar.get_facecolor()) for bar in bars.patches][2] == "amber"
    assert figure.get_suptitle() == f"smoker-01 against heat: strongest 2 months later ({by_hand[2]:.2f}), as they are"
    (lagged,) = [axes for axes in points if axes.get_title(loc="left").startswith("2 months later")]
    same(of(lagged, "mark o", "plum"), (heat[:-2], demand[2:]))
    slope, level = np.polyfit(heat[:-2], demand[2:], 1)
    ((x, y),) = of(lagged, "line", "amber")
    assert y == pytest.approx(level + slope * x)
    season = np.tile(rng.normal(size=12) * 9, 7)[:m]
    both = vx.Drivers.from_frame(pd.DataFrame({"period": periods, "heat": heat + season}), cadence="monthly")
    bare = figures.driver(monthly(50 + season + rng.normal(size=m)), both, lags=[0])
    assert abs(float(bare.get_suptitle().split("(")[1].split(")")[0])) < 0.35  # what they share is the season alone
    with pytest.raises(vx.VeridexError, match="the drivers are heat"):
        figures.driver(monthly(demand), drivers, "rain")


def test_items_and_measures_stand_side_by_side_on_one_scale(orders):
    figure = figures.side_by_side(orders, ["smoker-01", "hive-tool-j"], since="2022")
    in_house_style(figure)
    for axes, item in zip(figure.axes, ("smoker-01", "hive-tool-j"), strict=True):
        shown = orders[item].since("2022-01")
        same(of(axes, "line", "ink"), (shown.periods, shown.actuals))
        assert axes.get_title(loc="left") == item
    assert figure.axes[0].get_ylim() == figure.axes[1].get_ylim()
    price = vx.History.from_numbers(np.linspace(2, 3, 40), start="2020-01", cadence="monthly", unit="EUR")["demand"]
    (one, two) = figures.side_by_side([orders["smoker-01"], price]).axes
    values = orders["smoker-01"].actuals
    same(of(one, "line", "ink"), (orders["smoker-01"].periods, 100 * values / values.mean()))
    assert one.get_ylim() == two.get_ylim()


def test_each_period_is_held_against_the_one_a_season_before(orders):
    smoker = orders["smoker-01"]
    figure = figures.over_years(smoker)
    (axes,) = figure.axes
    in_house_style(figure)
    y = smoker.actuals
    change = 100 * (y[12:] / y[:-12] - 1)
    heights = [bar.get_height() for bar in axes.patches]
    assert heights == pytest.approx(change.tolist())
    assert [colour(bar.get_facecolor()) for bar in axes.patches] == ["teal" if one >= 0 else "plum" for one in change]
    sums = np.convolve(y, np.ones(12), mode="valid")
    together = 100 * (sums[12:] / sums[:-12] - 1)
    same(of(axes, "line", "amber"), (smoker.periods[12:], [*np.full(11, np.nan), *together]))
    assert f"{number(abs(together[-1]), 3)} % {'more' if together[-1] > 0 else 'less'}" in axes.get_title(loc="left")


def test_a_total_leaves_out_what_ends_elsewhere_and_says_what_was_unknown():
    values = np.arange(1.0, 31.0)
    gap = values.copy()
    gap[4] = np.nan
    series = {"one": values, "two": gap, "late": values[:27]}
    history = vx.History.of([monthly(own, item=item)[item] for item, own in series.items()])
    figure = figures.total(vx.publish(history, method="naive", horizon=3))
    ((_, ahead),) = of(figure.axes[0], "line", "amber")
    assert ahead.tolist() == [60.0] * 3  # the third one's lead times are other months
    said = figure.legends[0].get_title().get_text().replace("\n", " ")
    assert "1 item left out: no forecast, or another last period" in said and "1 unknown value counted" in said
    (axes,) = figures.total(history, ["one", "two"]).axes
    same(of(axes, "line", "ink")[:1], (history["one"].periods, values + gap))  # unknown where one of them is


def test_pictures_of_what_hardly_differs_or_cannot_be_squared():
    """Errors that differ in their last digits or have no squares; a record of which no error was expected."""
    rng = np.random.default_rng(1)
    for values in (7.0 + 1e-15 * rng.integers(0, 2, 40), np.zeros(40), 1e200 * rng.normal(size=40)):
        fitted = vx.fit(monthly(values, item="jar"), "mean")
        figures.residuals(fitted).canvas.draw()
    history = monthly(np.full(40, 7.0), item="jar")
    record = vx.track_record([vx.publish(history["jar"].first(38), method="naive", horizon=2)], history)
    figure = figures.record(record)
    figure.canvas.draw()
    assert "no error was expected" in [text.get_text() for axes in figure.axes for text in axes.texts]
