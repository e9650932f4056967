"""Figures of a trial, a verdict and a fit's parts: what is drawn."""

import numpy as np
import pytest

import veridex as vx
from conftest import monthly
from figures.drawn import colour, in_house_style, legend, of, same
from veridex.figures import style
from veridex.figures.backtest import draw_folds, draw_lead_times
from veridex.figures.contributions import draw_contributions
from veridex.figures.coverage import draw_coverage
from veridex.figures.standings import draw_standings
from veridex.figures.tuning import draw_tuning


def test_lead_times_and_folds_are_drawn(trial):
    figure = draw_lead_times(trial)
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
    assert axes.get_ylim()[0] == 0 and axes.get_xlim() == (1, table["step"].max())
    assert axes.get_xlabel() == "lead time (months)" and axes.get_ylabel() == "mase, mean of 10 items"
    assert axes.get_title(loc="left") == f"Error by lead time ({trial.scheme.in_words()})"
    figure = draw_folds(trial)
    (axes,) = figure.axes
    in_house_style(figure)
    series = max(trial.history, key=len)
    folds = trial.scheme.folds(series)
    stamps = series.cadence.starts(np.arange(series.start, series.start + len(series) + 1))
    rows = [[k, k] for k in range(1, len(folds) + 1)]
    same(of(axes, "line", "ink"), *((stamps[[0, fold.stop]], row) for fold, row in zip(folds, rows, strict=True)))
    tested = ((stamps[[fold.stop, fold.stop + fold.horizon]], row) for fold, row in zip(folds, rows, strict=True))
    same(of(axes, "line", "amber"), *tested)
    assert axes.get_ylim() == (len(folds) + 0.5, 0.5) and axes.get_ylabel() == "fold"
    assert (
        axes.get_title(loc="left")
        == f"{series.item}: {len(folds)} folds, fitted on what is dark, tested on what is amber"
    )


def test_contributions_are_drawn_part_by_part():
    t = np.arange(60)
    history = monthly(100 + 0.5 * t + 20 * np.sin(2 * np.pi * t / 12))
    fitted = vx.fit(history, "harmonic harmonics=[1] drivers=[step(2020-06)]")
    table = fitted.contributions(6)
    figure = draw_contributions(fitted, 6)
    in_house_style(figure)
    names = [axes.get_title(loc="left") for axes in figure.axes]
    assert names[:2] == ["trend", "season_12"] and "what each part adds (units)" in figure.get_suptitle()
    periods = table["period"].to_numpy()
    for name, axes in zip(names, figure.axes, strict=True):
        values = table[name].to_numpy()
        same(of(axes, "line", "ink"), (periods[:60], values[:60]))
        same(of(axes, "line", "amber"), (periods[59:], values[59:]))
        assert axes.get_ylabel() == "" and bool(of(axes, "line", "grid")) == (name != "trend")
    heights = [np.ptp(axes.get_ylim()) for axes in figure.axes[1:]]
    assert heights == pytest.approx([heights[0]] * len(heights), rel=0.3)
    still = [np.mean(axes.get_ylim()) for axes in figure.axes[1:]]
    middles = [(table[name].max() + table[name].min()) / 2 for name in names[1:]]
    assert still == pytest.approx(middles, abs=0.1 * heights[0])
    assert draw_contributions(vx.fit(history, "naive"), 6) is None


def test_standings_stand_beside_their_uncertainty(trial, orders):
    figure = draw_standings(trial)
    (axes,) = figure.axes
    in_house_style(figure)
    table = trial.standings()
    table = table[table["mase"].notna()].reset_index(drop=True)
    labels = [label.get_text() for label in axes.get_yticklabels()]
    assert len(labels) == len(table) and labels[0].endswith(f"{table['mase'].iloc[0]:.3g}")
    benchmark = table.set_index("method").loc["seasonal-naive", "mase"]
    for row, (text, value) in enumerate(zip(table["method"], table["mase"], strict=True)):
        tone = "amber" if row == 0 else "ink" if text == "seasonal-naive" else "teal"
        assert (value, row) in {(float(x[0]), float(y[0])) for x, y in of(axes, "mark o", tone)}
        found = trial.compare(text, "seasonal-naive", measure="mase")
        ends = [x for x, y in of(axes, "line", tone) if y.tolist() == [row, row]]
        if text != "seasonal-naive" and np.isfinite(found.lower):
            assert ends[0] == pytest.approx([benchmark + found.lower, benchmark + found.upper])
    assert [benchmark, benchmark] in [x.tolist() for x, _ in of(axes, "line", "ink")]
    assert axes.get_ylim() == (len(table) - 0.5, -0.5) and axes.get_xlabel() == "mase, mean of 10 items"
    assert axes.get_title(loc="left") == f"Standings on {table['n'].iloc[0]:,} cells that every method has"
    assert legend(figure) == [
        ("seasonal-naive (benchmark)", "ink"), ("95 % interval of the distance from the benchmark", "teal"),
    ]  # fmt: skip
    lonely = vx.backtest(orders["smoker-01"], ["theta", "drift"], vx.RollingOrigin(horizon=2, origins=12))
    assert draw_standings(lonely, "mae").axes[0].get_xlabel() == "mae"


def test_coverage_stands_against_the_level_that_is_claimed(verdict):
    figure = draw_coverage(verdict)
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
    same(of(axes, "line", "ink"), ([-0.4, 0.4], [80, 80]), ([0.6, 1.4], [95, 95]))
    assert [label.get_text() for label in axes.get_xticklabels()] == ["80 %", "95 %"]
    lowest = min(80, *table.groupby(["kind", "level"])["coverage"].quantile(0.25))
    assert axes.get_xlim() == pytest.approx((-0.6, 1.6)) and axes.get_ylim() == pytest.approx((lowest - 8, 102))
    assert axes.get_xlabel() == "level that the interval claims"
    assert axes.get_ylabel() == "percent of actuals held when tested"
    assert legend(figure) == [
        ("model", "teal"), ("calibrated", "amber"), ("holds what it claims", "ink"),
        ("middle half of the items", "grid"),
    ]  # fmt: skip
    one = draw_coverage(verdict, "smoker-01")
    assert one.axes[0].get_title(loc="left") == "smoker-01: what intervals held, made by what was known then"
    with pytest.raises(vx.VeridexError, match="no item"):
        draw_coverage(verdict, "smoker")


def test_a_tuned_setting_is_drawn_with_its_best_and_its_simplest(orders, tmp_path):
    scheme = vx.RollingOrigin(horizon=3, origins=8)
    tuning = vx.tune(orders["smoker-01"], "moving-average", {"window": [12, 2, 4]}, scheme)
    figure = draw_tuning(tuning)
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
    several, again = draw_tuning(tuned), draw_tuning(tuned)
    assert several.axes[0].get_ylabel() == "mase, mean of 10 items"
    ticks = [label.get_text() for label in several.axes[0].get_xticklabels()]
    assert len(ticks) == 4 and ticks[0].split() == ["damped=yes", "season=additive"]
    assert style.save(several, tmp_path / "a.png").read_bytes() == style.save(again, tmp_path / "b.png").read_bytes()
