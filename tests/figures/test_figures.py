"""Figures: what is drawn, and that it is the same picture twice."""

import numpy as np
import pytest
from matplotlib.colors import to_hex

import veridex as vx
from conftest import monthly
from veridex.cli.jobs import draw
from veridex.core.diagnosis.correlogram import of_values
from veridex.core.tidying.profile import profile_items
from veridex.figures import style
from veridex.figures.backtest import draw_folds, draw_lead_times
from veridex.figures.contenders import draw_contenders
from veridex.figures.contributions import draw_contributions
from veridex.figures.coverage import draw_coverage
from veridex.figures.fit import draw_fit, draw_residuals
from veridex.figures.forecast import draw_forecast
from veridex.figures.history import draw_history
from veridex.figures.standings import draw_standings
from veridex.figures.stationarity import draw_stationarity
from veridex.figures.tuning import draw_tuning


def lines(axes, colour):
    return [line for line in axes.lines if to_hex(line.get_color()) == colour]


def test_the_forecast_figure_shows_history_forecast_and_bands(publication):
    figure = draw_forecast(publication, "smoker-01")
    (axes,) = figure.axes
    assert axes.get_title(loc="left") == "smoker-01: next 8 months"
    assert axes.get_ylabel() == "demand (units)"
    ahead = publication.forecasts[publication.forecasts["item"] == "smoker-01"]
    (forecast,) = lines(axes, style.AMBER)
    assert np.array_equal(forecast.get_ydata(), ahead["value"])
    (actual,) = lines(axes, style.INK)
    past = publication.frame[(publication.frame["item"] == "smoker-01") & (publication.frame["kind"] == "actual")]
    assert np.array_equal(actual.get_ydata(), past["value"].tail(72))
    wide, narrow = (band.get_paths()[0].get_extents().height for band in axes.collections)
    assert wide > narrow
    labels = [text.get_text() for text in figure.legends[0].get_texts()]
    assert labels[0] == "actual" and "80 % interval (held " in labels[2]
    assert f"(held {publication.manifest['items']['smoker-01']['scores']['coverage']['80']:.0f} %" in labels[2]
    own = vx.publish(monthly(np.arange(30.0)), method="naive", horizon=2)
    labels = [text.get_text() for text in draw_forecast(own, "smoker-01").legends[0].get_texts()]
    assert labels[2] == "80 % interval (coverage not tested)"


@pytest.mark.parametrize("text", ["holt-winters season=multiplicative", "simple-smoothing intervals=simulated", "mean"])
def test_the_fit_and_what_it_missed(orders, text):
    fitted = vx.fit(orders["smoker-01"], text)
    forecast = fitted.forecast(9, levels=(50, 80, 95))
    (axes,) = draw_fit(fitted, forecast).axes
    assert axes.get_title(loc="left") == f"smoker-01: {text}"
    assert np.array_equal(lines(axes, style.TEAL)[0].get_ydata(), fitted.fitted_values, equal_nan=True)
    assert np.array_equal(lines(axes, style.AMBER)[0].get_ydata(), forecast.points)
    assert len(axes.collections) == 3
    figure = draw_residuals(fitted)
    over_time, by_phase, lags = figure.axes
    assert len(lines(by_phase, style.TEAL)[0].get_ydata()) == len(fitted.series)
    assert [label.get_text() for label in by_phase.get_xticklabels()][:2] == ["Jan", "Feb"]
    assert lags.yaxis_inverted() and len(lags.patches) == 24
    assert over_time.get_ylabel() == "actual - fitted (units)"
    short = vx.fit(monthly([3.0, 4.0, 6.0, 5.0]), "drift")
    assert "needed" in draw_residuals(short).get_suptitle()


def test_contenders_share_one_scale_and_the_winner_is_amber(verdict):
    figure = draw_contenders(verdict, "smoker-01")
    panels = [axes for axes in figure.axes if axes.get_visible()]
    assert len(panels) == len(verdict.trial.lineup) + 1  # the blend stands first
    assert len({axes.get_ylim() for axes in panels}) == 1
    assert panels[0].get_title(loc="left").startswith("blend (cross-fitted)")
    assert len(lines(panels[0], style.AMBER)) == 1
    assert all(not lines(axes, style.AMBER) and len(lines(axes, style.TEAL)) == 1 for axes in panels[1:])


def test_a_missing_forecast_is_said_in_its_panel(verdict):
    figure = draw_contenders(verdict, "jar-hex-280")
    texts = [text.get_text().replace("\n", " ") for axes in figure.axes for text in axes.texts]
    assert "too little history" in texts


@pytest.mark.parametrize("kind", ["weekly", "daily", "yearly", "quarterly", "counted"])
def test_every_cadence_can_be_drawn_twice_alike(tmp_path, kind):
    numbers = 1e4 * (3 + np.sin(np.arange(40)))
    history = vx.History.from_numbers(numbers, start=None if kind == "counted" else "1990", cadence=kind)
    publication = vx.publish(history, method="naive", horizon=3, levels=(50, 80, 90, 95, 99))
    one, two = (style.save(draw_forecast(publication, "demand"), tmp_path / f"{i}.png").read_bytes() for i in (1, 2))
    assert one == two
    labels = [label.get_text() for label in draw_forecast(publication, "demand").axes[0].get_yticklabels()]
    assert not any("e" in label for label in labels)


def test_item_keys_of_any_letters_are_drawn_and_named_without_harm(tmp_path):
    keys = ["../../etc/passwd", "=1+1", "\U0001d4ca", ".hidden"]
    history = vx.History.of([monthly([3, 4, 5.0], item=key)[key] for key in keys])
    publication = vx.publish(history, method="naive", horizon=1)
    assert draw(tmp_path / "figures", history, "forecast", lambda key: draw_forecast(publication, key)).startswith("4")
    assert len(list((tmp_path / "figures").iterdir())) == 4 and [p.name for p in tmp_path.iterdir()] == ["figures"]


@pytest.mark.parametrize(
    ("value", "label"), [(0, "0"), (0.25, "0.25"), (1500, "1,500"), (25000, "25 thousand"), (3.5e6, "3.5 million")]
)
def test_tick_labels_have_no_powers_of_ten(value, label):
    assert style.plain_number(value) == label


@pytest.mark.parametrize(
    ("first", "last", "labels"),
    [
        ("2021-03", "2024-06", ["2022", "2023", "2024"]),
        ("2024-01", "2024-09", ["Jan 2024", "Apr 2024", "Jul 2024"]),
        ("2024-04-28", "2024-05-02", ["2 May"]),
    ],
)
def test_date_ticks_are_round_and_few(first, last, labels):
    periods = np.array([first, last], dtype="datetime64[s]")
    ticks, found = style.date_ticks(periods, 4)
    assert found == labels and len(ticks) == len(labels)


def test_the_history_figure_marks_what_stands_out(demand):
    profiles = {one.series.item: one for one in profile_items(demand)}
    tidied = vx.tidy(demand, gaps="interpolate", outliers="repair").history
    figure = draw_history(profiles["gloves-leather"], tidied["gloves-leather"])
    (axes,) = figure.axes
    assert axes.get_title(loc="left") == "gloves-leather: 1 outlier"
    labels = [text.get_text() for text in figure.legends[0].get_texts()]
    assert labels == ["actual", "expected", "unfinished", "outlier", "repaired to"]
    (repaired,) = lines(axes, style.AMBER)
    assert repaired.get_ydata().tolist() == [tidied["gloves-leather"].values[61]]
    (expected,) = lines(axes, style.TEAL)
    assert np.array_equal(expected.get_ydata(), profiles["gloves-leather"].found.values)
    shifted = draw_history(profiles["suit-ventilated"])
    assert any(text.get_text().startswith("level up by ") for text in shifted.axes[0].texts)
    gap = draw_history(profiles["lid-gold-63"])
    assert "unknown" in [text.get_text() for text in gap.legends[0].get_texts()]
    assert "2 unknown months" in gap.axes[0].get_title(loc="left")


def test_the_stationarity_figure_shows_what_is_left(orders):
    series = orders["suit-ventilated"]
    advice = vx.differencing(series)
    bars = of_values(advice.values, series.item, 12, None, 0)
    figure = draw_stationarity(series, vx.stationarity(series), advice, bars)
    top, below, lags = figure.axes
    assert np.array_equal(lines(top, style.INK)[0].get_ydata(), series.values)
    assert np.array_equal(lines(below, style.TEAL)[0].get_ydata(), advice.values)
    assert top.get_xlim() == below.get_xlim()
    assert [bar.get_width() for bar in lags.patches] == bars.acf.tolist()
    beyond = [to_hex(bar.get_facecolor()) == style.AMBER for bar in lags.patches]
    assert beyond == (np.abs(bars.acf) > bars.moving_bound).tolist()
    (diamonds,) = lines(lags, style.PLUM)
    assert diamonds.get_xdata().tolist() == bars.pacf.tolist() and diamonds.get_ydata().tolist() == [*range(1, 25)]
    assert lags.get_ylim()[0] > lags.get_ylim()[1]  # lags run down
    constant = monthly([5.0] * 30)
    none = vx.differencing(constant)
    nothing = of_values(none.values, "smoker-01", 12, None, 0)
    empty = draw_stationarity(constant["smoker-01"], vx.stationarity(constant), none, nothing)
    assert len(empty.axes) == 3  # no bars to draw


def test_lead_times_and_folds_are_drawn(trial):
    figure = draw_lead_times(trial)
    (axes,) = figure.axes
    ranked = [text for text in trial.standings()["method"] if text not in trial.benchmarks]
    table = trial.scores(by=["method", "step"], common=True)
    first = table[table["method"] == ranked[0]]["mase"].to_numpy()
    (amber,) = lines(axes, style.AMBER)
    assert amber.get_label() == ranked[0] and np.array_equal(amber.get_ydata(), first)
    (dotted,) = lines(axes, style.INK)
    assert dotted.get_label() == f"{trial.benchmarks[0]} (benchmark)" and axes.get_ylim()[0] == 0
    assert "lead time (months)" in axes.get_xlabel() and "mean of 10 items" in axes.get_ylabel()
    (axes,) = draw_folds(trial).axes
    folds = trial.scheme.folds(max(trial.history, key=len))
    dark, tested = lines(axes, style.INK), lines(axes, style.AMBER)
    assert len(dark) == len(tested) == len(folds) and axes.get_title(loc="left").endswith("tested on what is amber")
    assert all(a.get_xdata()[1] == b.get_xdata()[0] for a, b in zip(dark, tested, strict=True))


def test_contributions_are_drawn_part_by_part():
    t = np.arange(60)
    history = monthly(100 + 0.5 * t + 20 * np.sin(2 * np.pi * t / 12))
    fitted = vx.fit(history, "harmonic harmonics=[1] drivers=[step(2020-06)]")
    table = fitted.contributions(6)
    figure = draw_contributions(fitted, 6)
    titles = [axes.get_title(loc="left") for axes in figure.axes]
    assert titles[:2] == ["trend", "season_12"] and "what each part adds (units)" in figure.get_suptitle()
    (ahead,) = lines(figure.axes[0], style.AMBER)
    assert ahead.get_ydata()[-6:] == pytest.approx(table["trend"].to_numpy()[-6:])
    heights = [np.ptp(axes.get_ylim()) for axes in figure.axes[1:]]
    assert heights == pytest.approx([heights[0]] * len(heights), rel=0.3)
    assert draw_contributions(vx.fit(history, "naive"), 6) is None


def test_standings_stand_beside_their_uncertainty(trial, orders):
    figure = draw_standings(trial)
    (axes,) = figure.axes
    table = trial.standings()
    table = table[table["mase"].notna()]
    labels = [label.get_text() for label in axes.get_yticklabels()]
    assert len(labels) == len(table) and labels[0].endswith(f"{table['mase'].iloc[0]:.3g}")
    assert axes.yaxis_inverted() and len(lines(axes, style.AMBER)) == 2  # the first: its point and its interval
    found = trial.compare(table["method"].iloc[0], "seasonal-naive", measure="mase")
    base = table.set_index("method").loc["seasonal-naive", "mase"]
    ends = next(line for line in lines(axes, style.AMBER) if len(line.get_xdata()) == 2).get_xdata()
    assert ends == pytest.approx([base + found.lower, base + found.upper])
    lonely = vx.backtest(orders["smoker-01"], ["theta", "drift"], vx.RollingOrigin(horizon=2, origins=12))
    assert draw_standings(lonely, "mae").axes[0].get_xlabel() == "mae"


def test_coverage_stands_against_the_level_that_is_claimed(verdict):
    axes = draw_coverage(verdict).axes[0]
    table = verdict.intervals.query("kind == 'model' and level == 80")
    held = np.average(table["coverage"], weights=table["cells"])
    squares = [line.get_ydata()[0] for line in lines(axes, style.TEAL) if line.get_marker() == "s"]
    assert squares[0] == pytest.approx(held) and len(squares) == 2
    assert [label.get_text() for label in axes.get_xticklabels()] == ["80 %", "95 %"]
    one = draw_coverage(verdict, "smoker-01")
    assert one.axes[0].get_title(loc="left").startswith("smoker-01: what intervals held")
    with pytest.raises(vx.VeridexError, match="no item"):
        draw_coverage(verdict, "smoker")


def test_a_tuned_setting_is_drawn_with_its_best_and_its_simplest(orders, tmp_path):
    scheme = vx.RollingOrigin(horizon=3, origins=8)
    tuning = vx.tune(orders["smoker-01"], "moving-average", {"window": [2, 4, 12]}, scheme)
    axes = draw_tuning(tuning).axes[0]
    (best,) = lines(axes, style.AMBER)
    assert best.get_xdata()[0] == tuning.best["window"] and best.get_ydata()[0] == tuning.frame["mae"].min()
    assert axes.get_xlabel() == "window" and axes.get_title(loc="left") == "smoker-01: moving-average over window"
    crossed = {"damped": [True, False], "season": ["additive", "multiplicative"]}
    tuned = vx.tune(orders, "holt-winters", crossed, scheme, measure="mase")
    several, again = draw_tuning(tuned), draw_tuning(tuned)
    assert "mean of 10 items" in several.axes[0].get_ylabel() and len(several.axes[0].get_xticklabels()) == 4
    assert style.save(several, tmp_path / "a.png").read_bytes() == style.save(again, tmp_path / "b.png").read_bytes()
