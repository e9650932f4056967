"""Figures: what is drawn, and that it is the same picture twice."""

import numpy as np
import pytest
from matplotlib.colors import to_hex

import veridex as vx
from conftest import monthly
from figures.drawn import colour, holds_band, in_house_style, legend, numbers, of, same, scale
from veridex.core.diagnosis.correlogram import of_values
from veridex.core.methods.short_names import short_name
from veridex.core.readable import number
from veridex.core.tidying.profile import profile_items
from veridex.figures import style
from veridex.figures.contenders import draw_contenders
from veridex.figures.fit import draw_fit, draw_residuals
from veridex.figures.forecast import draw_forecast
from veridex.figures.history import draw_history
from veridex.figures.stationarity import draw_stationarity
from veridex.job.drawing import draw_items


def test_the_forecast_figure_shows_history_forecast_and_bands(publication):
    figure = draw_forecast(publication, "smoker-01")
    (axes,) = figure.axes
    in_house_style(figure)
    assert axes.get_title(loc="left") == "smoker-01: next 8 months" and axes.get_ylabel() == "units"
    frame = publication.frame[publication.frame["item"] == "smoker-01"]
    ahead, past = frame[frame["kind"] == "forecast"], frame[frame["kind"] == "actual"].tail(72)
    same(of(axes, "line", "ink"), (past["period"].to_numpy(), past["value"]))
    same(of(axes, "line", "amber"), (ahead["period"].to_numpy(), ahead["value"]))
    for tint, level in ((0, 80), (1, 95)):
        assert holds_band(axes, f"tint {tint}", ahead["period"], ahead[f"lower_{level}"], ahead[f"upper_{level}"])
    assert len(axes.collections) == 2 and colour(axes.collections[0].get_facecolor()) == "tint 1"  # the wide one below
    assert axes.get_ylim() == scale(past["value"], ahead[["lower_95", "upper_95"]])
    scores = publication["smoker-01"].scores
    assert legend(figure) == [
        ("actual", "ink"),
        (f"forecast: {short_name(publication['smoker-01'].method)}", "amber"),
        (f"80 % interval (held {scores.coverage['80']:.0f} % when tested)", "tint 0"),
        (f"95 % interval (held {scores.coverage['95']:.0f} % when tested)", "tint 1"),
    ]
    own = vx.publish(monthly(np.arange(30.0)), method="naive", horizon=2)
    assert legend(draw_forecast(own, "smoker-01"))[2][0] == "80 % interval (coverage not tested)"
    nothing = draw_forecast(vx.publish(monthly([1.0, 2.0]), method="drift", horizon=2), "smoker-01")
    in_house_style(nothing)
    assert nothing.axes[0].texts[0].get_text().startswith("too little history")


@pytest.mark.parametrize("text", ["holt-winters season=multiplicative", "simple-smoothing intervals=simulated", "mean"])
def test_the_fit_shows_what_it_made_of_the_history(orders, text):
    fitted = vx.fit(orders["smoker-01"], text)
    forecast, series = fitted.forecast(9, levels=(50, 80, 95)), fitted.series
    figure = draw_fit(fitted, forecast)
    (axes,) = figure.axes
    in_house_style(figure)
    assert axes.get_title(loc="left") == f"smoker-01: {text}" and axes.get_ylabel() == "units"
    same(of(axes, "line", "ink"), (series.periods, series.values))
    same(of(axes, "line", "teal"), (series.periods, fitted.fitted_values))
    same(of(axes, "line", "amber"), (forecast.frame["period"].to_numpy(), forecast.points))
    for tint in range(3):
        edges = (forecast.lower[tint], forecast.upper[tint])
        assert holds_band(axes, f"tint {tint}", forecast.frame["period"], *edges)
    assert axes.get_ylim() == scale(series.values, forecast.points, forecast.lower, forecast.upper)
    assert legend(figure)[:3] == [("actual", "ink"), ("fitted, one step ahead", "teal"), ("forecast", "amber")]
    assert legend(figure)[3:] == [
        (f"{level} % interval of the model", f"tint {k}") for k, level in enumerate((50, 80, 95))
    ]
    short = vx.fit(monthly([3.0, 4.0]), "drift")
    told = draw_fit(short, short.forecast(2))
    in_house_style(told)
    assert told.axes[0].texts[0].get_text() == short.reason


def test_residuals_are_drawn_over_time_by_period_and_by_lag(orders):
    fitted = vx.fit(orders["smoker-01"], "mean")
    figure = draw_residuals(fitted)
    over_time, by_phase, lags = figure.axes
    in_house_style(figure)
    errors, periods = fitted.residuals, fitted.series.periods
    strokes, spread = numbers(periods), errors.std()
    same(of(over_time, "strokes", "ink"), (np.column_stack((strokes, strokes)), np.column_stack((0 * errors, errors))))
    (low, high), (far_x, far_y) = of(over_time, "box", "grid")[0][1], of(over_time, "mark o", "amber")[0]
    assert (low, high) == pytest.approx((-1.96 * spread, 1.96 * spread))
    far = np.abs(errors) > 3 * spread
    assert far_y.tolist() == errors[far].tolist() and far_x.tolist() == strokes[far].tolist()
    for axes in (over_time, by_phase):
        assert axes.get_ylabel() == "actual - fitted (units)" and of(axes, "line", "ink")[0][1].tolist() == [0, 0]
    assert over_time.get_title(loc="left") == "over time (grey: 1.96 deviations, dots: beyond 3)"
    assert by_phase.get_title(loc="left") == "by period of the season (bars: means)"
    phases = fitted.series.ordinals % 12
    same(of(by_phase, "mark o", "teal"), (phases, errors))
    means = [(phase, errors[phases == phase].mean()) for phase in range(12)]
    same(of(by_phase, "strokes", "plum"), *(([k - 0.32, k + 0.32], [mean, mean]) for k, mean in means))
    assert [label.get_text() for label in by_phase.get_xticklabels()][:2] == ["Jan", "Feb"]
    assert lags.yaxis_inverted() and len(lags.patches) == 24
    short = draw_residuals(vx.fit(monthly([3.0, 4.0, 6.0, 5.0]), "drift"))
    in_house_style(short)
    assert "needed" in short.get_suptitle() and short.axes[2].texts[0].get_text()


def test_contenders_share_one_scale_and_the_winner_is_amber(verdict):
    figure = draw_contenders(verdict, "smoker-01")
    panels = [axes for axes in figure.axes if axes.get_visible()]
    in_house_style(figure, "\nMASE")
    trial, choice, series = verdict.trial, verdict.choices["smoker-01"], verdict.trial.history["smoker-01"]
    one = trial["smoker-01"]
    errors = dict(zip(trial.lineup, choice.claim.errors, strict=True)) | {choice.winner.method: choice.claim.error}
    entries = sorted(choice.evidence.entries, key=lambda entry: (errors[entry.method], entry.parameters))
    assert len(panels) == len(entries) + 1  # the blend stands first
    assert len({axes.get_ylim() for axes in panels}) == 1
    steps = one.points.shape[-1]
    ahead = series.cadence.starts(np.arange(one.origins[-1] + 1, one.origins[-1] + 1 + steps))
    shown = series.since(series.periods[len(series) - 2 * steps - 12])
    assert panels[0].get_ylim() == scale(shown.values, one.points[:, -1])
    for axes, entry in zip(panels, [choice.winner, *entries], strict=True):
        won = entry is choice.winner
        forecast = choice.hindcast.points[-1] if won else one.points[trial.method_index(entry.method), -1]
        same(of(axes, "line", "amber" if won else "teal"), (ahead, forecast))
        same(of(axes, "line", "ink"), (shown.periods, shown.values))
        name = "blend, as decided then" if won else short_name(entry.method)
        assert axes.get_title(loc="left").replace("\n", " ") == f"{name} MASE {number(errors[entry.method], 3)}"
        assert colour(axes._left_title.get_color()) == ("amber" if won else "teal")
        assert of(axes, "box", "#f1efe8")[0][0] == pytest.approx([numbers(ahead)[0], numbers(ahead)[-1]])
        assert (colour(axes.spines["top"].get_edgecolor()) == "amber") == won
    assert figure.get_suptitle().startswith("smoker-01: forecasts made at the end of ")
    assert [label for label, _ in legend(figure)][:3] == ["actual", "forecast of the winner", "forecast of a contender"]
    assert [tone for _, tone in legend(figure)][:3] == ["ink", "amber", "teal"]
    assert figure.texts[-1].get_text() == "MASE: mean over 5 origins, 1 separate window"


def test_a_missing_forecast_is_said_in_its_panel(verdict):
    figure = draw_contenders(verdict, "jar-hex-280")
    in_house_style(figure, "\nMA", "\nnot tested")
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
    said = draw_items(tmp_path / "figures", history, "forecast", lambda key: draw_forecast(publication, key))
    assert said.startswith("4 figures")
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
    one = profiles["gloves-leather"]
    figure, series = draw_history(one, tidied["gloves-leather"]), one.series
    (axes,) = figure.axes
    in_house_style(figure)
    assert (
        axes.get_title(loc="left") == "gloves-leather: 1 outlier, the last month is not over"
        and axes.get_ylabel() == "units"
    )
    assert legend(figure) == [
        ("actual", "ink"), ("expected", "teal"), ("unfinished", "paper"), ("outlier", "plum"), ("repaired to", "amber"),
    ]  # fmt: skip
    same(of(axes, "line", "ink"), (series.periods, series.values))
    same(of(axes, "line", "teal"), (series.periods, one.found.values))
    same(of(axes, "mark D", "amber"), (series.periods[[61]], tidied["gloves-leather"].values[[61]]))
    same(of(axes, "ring", "plum"), (series.periods[[61]], series.values[[61]]))
    same(of(axes, "ring", "ink"), (series.periods[-1:], series.values[-1:]))
    assert axes.get_ylim() == scale(series.values, one.found.values, tidied["gloves-leather"].values)
    shifted = draw_history(profiles["suit-ventilated"])
    in_house_style(shifted, "level up by")
    (axes,) = shifted.axes
    found = profiles["suit-ventilated"].found
    shift = numbers(profiles["suit-ventilated"].series.periods)[found.shifts[0].place]
    assert axes.texts[0].get_text() == f"level up by {found.shifts[0].size:,.3g}"
    assert colour(axes.texts[0].get_color()) == "plum" and of(axes, "line", "plum")[0][0].tolist() == [shift, shift]
    values = profiles["suit-ventilated"].series.values
    low, high = scale(values, found.values).expected
    assert axes.get_ylim() == pytest.approx((low, high + 0.07 * (high - low)))
    gap = draw_history(profiles["lid-gold-63"])
    assert ("unknown", "grid") in legend(gap) and "2 unknown months" in gap.axes[0].get_title(loc="left")
    lost = np.flatnonzero(np.isnan(profiles["lid-gold-63"].series.values))
    grounds = of(gap.axes[0], "box", "grid")
    periods = numbers(profiles["lid-gold-63"].series.periods)
    assert all(any(x[0] < periods[place] < x[1] for x, _ in grounds) for place in lost)


def test_the_stationarity_figure_shows_what_is_left(orders):
    series = orders["suit-ventilated"]
    advice, finding = vx.differencing(series), vx.stationarity(series)
    bars = of_values(advice.values, series.item, 12, None, 0)
    figure = draw_stationarity(series, finding, advice, bars)
    top, below, lags = figure.axes
    in_house_style(figure)
    assert finding.reading.removeprefix("suit-ventilated: ")[:40] in figure.get_suptitle().replace("\n", " ")
    same(of(top, "line", "ink"), (series.periods, series.values))
    same(of(below, "line", "teal"), (series.periods[-advice.values.size :], advice.values))
    assert top.get_ylim() == scale(series.values) and top.get_ylabel() == "units"
    assert of(below, "line", "grid")[0][1].tolist() == pytest.approx([advice.values.mean()] * 2)
    assert below.get_ylabel() == "" and below.get_title(loc="left").startswith("after the advice: ")
    assert top.get_xlim() == below.get_xlim() and len(top.get_xticks()) <= 10 and len(below.get_xticks()) <= 10
    assert [bar.get_width() for bar in lags.patches] == bars.acf.tolist()
    beyond = [to_hex(bar.get_facecolor()) == style.AMBER for bar in lags.patches]
    assert beyond == (np.abs(bars.acf) > bars.moving_bound).tolist()
    assert {colour(bar.get_facecolor()) for bar in lags.patches} == {"amber", "ink"}
    same(of(lags, "mark D", "plum"), (bars.pacf, np.arange(1, 25)))
    ((x, _),) = of(lags, "band", "grid")
    assert np.abs(x).max() == pytest.approx(bars.moving_bound.max())
    assert of(lags, "line", "ink")[0][0].tolist() == [0, 0]
    reach = 1.1 * max(np.abs(bars.acf).max(), np.abs(bars.pacf).max(), bars.moving_bound.max())
    assert lags.get_xlim() == pytest.approx((-reach, reach)) and lags.get_ylim() == pytest.approx((24.6, 0.4))
    assert lags.get_ylabel().startswith("lag (ticks at the season") and lags.get_yticks().tolist() == [12, 24]
    assert lags.get_title(loc="left").startswith("correlations of what is left")
    constant = monthly([5.0] * 30)
    none = vx.differencing(constant)
    nothing = of_values(none.values, "smoker-01", 12, None, 0)
    empty = draw_stationarity(constant["smoker-01"], vx.stationarity(constant), none, nothing)
    in_house_style(empty)
    assert len(empty.axes) == 3 and empty.axes[2].texts[0].get_text()  # no bars to draw, and why
