"""Figures over time: what is drawn, and that it is the same picture twice."""

from statistics import NormalDist

import matplotlib as mpl
import numpy as np
import pytest
from matplotlib.figure import Figure

import veridex as vx
from conftest import monthly
from figures.drawn import colour, holds_band, in_house_style, legend, numbers, of, same, scale
from veridex import figures
from veridex.core.methods.short_names import short_name
from veridex.core.readable import number, tick_number
from veridex.figures import style
from veridex.job.drawing import draw_items


def test_the_forecast_figure_shows_history_forecast_bands_and_last_year(publication):
    figure = figures.forecast(publication, "smoker-01")
    (axes,) = figure.axes
    in_house_style(figure)
    one = publication["smoker-01"]
    total = f"{number(float(one.totals.points[-1]))} units in all"
    assert axes.get_title(loc="left") == f"smoker-01: next 8 months, {total}" and axes.get_ylabel() == "units"
    frame = publication.frame[publication.frame["item"] == "smoker-01"]
    ahead, past = frame[frame["kind"] == "forecast"], frame[frame["kind"] == "actual"]
    before, shown = past["value"].to_numpy()[-12:-4], past.tail(48)
    periods = ahead["period"].to_numpy()
    same(of(axes, "line", "ink"), (periods, before), (shown["period"].to_numpy(), shown["value"]))
    same(of(axes, "line", "amber"), (periods, ahead["value"]))
    for tint, level in ((0, 80), (1, 95)):
        assert holds_band(axes, f"tint {tint}", ahead["period"], ahead[f"lower_{level}"], ahead[f"upper_{level}"])
    assert len(axes.collections) == 2 and colour(axes.collections[0].get_facecolor()) == "tint 1"  # the wide one below
    assert axes.get_ylim() == scale(shown["value"], ahead[["lower_95", "upper_95"]], before)
    assert legend(figure) == [
        ("actual", "ink"),
        ("12 months before", "ink"),
        (f"forecast: {short_name(one.method)}", "amber"),
        (f"80 % interval (held {one.scores.coverage['80']:.0f} % when tested)", "tint 0"),
        (f"95 % interval (held {one.scores.coverage['95']:.0f} % when tested)", "tint 1"),
    ]
    bare = figures.forecast(publication, "smoker-01", last_year=False, since="2020-01", scale=(0, 999), title="so")
    (axes,) = bare.axes
    assert len(of(axes, "line", "ink")) == 1 and axes.get_ylim() == (0, 999) and axes.get_title(loc="left") == "so"
    assert of(axes, "line", "ink")[0][0][0] == numbers(np.array(["2020-01"], dtype="datetime64[s]"))[0]
    own = vx.publish(monthly(np.arange(30.0)), method="naive", horizon=2)
    assert legend(figures.forecast(own))[3][0] == "80 % interval (coverage not tested)"
    nothing = figures.forecast(vx.publish(monthly([1.0, 2.0]), method="drift", horizon=2), "smoker-01")
    in_house_style(nothing)
    assert nothing.axes[0].texts[0].get_text().startswith("too little history")


@pytest.mark.parametrize("text", ["holt-winters season=multiplicative", "simple-smoothing intervals=simulated", "mean"])
def test_the_fit_shows_what_it_made_of_the_history(orders, text):
    fitted = vx.fit(orders["smoker-01"], text)
    forecast, series = fitted.forecast(9, levels=(50, 80, 95)), fitted.series
    figure = figures.fit(fitted, forecast)
    (axes,) = figure.axes
    in_house_style(figure)
    own = fitted.to_frame((50, 80, 95))
    held = (
        100 * ((own["actual"] >= own["lower_95"]) & (own["actual"] <= own["upper_95"]))[own["upper_95"].notna()].mean()
    )
    said = f"smoker-01: {text} (bounds of 95 % held {number(held, 3)} % of the span)"
    assert axes.get_title(loc="left").replace("\n", " ") == said and axes.get_ylabel() == "units"
    same(of(axes, "line", "ink"), (series.periods, series.values))
    same(of(axes, "line", "teal"), (series.periods, fitted.fitted_values))
    same(of(axes, "line", "amber"), (forecast.frame["period"].to_numpy(), forecast.points))
    known = own["upper_95"].notna()
    for tint, level in enumerate((50, 80, 95)):
        edges = (forecast.lower[tint], forecast.upper[tint])
        assert holds_band(axes, f"tint {tint}", forecast.frame["period"], *edges)
        mine = own.loc[known, [f"lower_{level}", f"upper_{level}"]].to_numpy().T
        assert holds_band(axes, f"teal tint {tint}", own.loc[known, "period"], *mine)
    keys = [
        ("actual", "ink"),
        ("fitted, one step ahead with estimates from the whole span", "teal"),
        ("forecast", "amber"),
    ]
    assert legend(figure)[:3] == keys
    assert legend(figure)[6:] == [
        (f"{level} % interval of the model, not tested", f"tint {k}") for k, level in enumerate((50, 80, 95))
    ]
    short = vx.fit(monthly([3.0, 4.0]), "drift")
    told = figures.fit(short)
    in_house_style(told)
    assert told.axes[0].texts[0].get_text() == short.reason


def test_residuals_are_drawn_in_time_by_size_by_period_and_by_lag(orders):
    fitted = vx.fit(orders["smoker-01"], "mean")
    figure = figures.residuals(fitted)
    in_time, sizes, by_phase, quantiles, lags = figure.axes
    in_house_style(figure, *fitted.series.periods.astype("datetime64[M]").astype(str))
    errors, periods = fitted.residuals, fitted.series.periods
    strokes, spread = numbers(periods), errors.std()
    same(of(in_time, "strokes", "ink"), (np.column_stack((strokes, strokes)), np.column_stack((0 * errors, errors))))
    assert of(in_time, "box", "grid")[0][1] == pytest.approx((-1.96 * spread, 1.96 * spread))
    largest = np.argsort(-np.abs(errors), kind="stable")[:3]
    assert [(x[0], y[0]) for x, y in of(in_time, "mark o", "amber")] == [(strokes[k], errors[k]) for k in largest]
    assert in_time.texts[0].get_text() == str(periods[largest[0]])[:7]
    heights, edges = np.histogram(errors, bins=len(of(sizes, "box", "teal tint 0")), density=True)
    boxes = of(sizes, "box", "teal tint 0")
    assert [x[1] for x, _ in boxes] == pytest.approx(heights.tolist()) and boxes[0][1][0] == pytest.approx(edges[0])
    ((density, at),) = of(sizes, "line", "plum")
    assert density[80] == pytest.approx(1 / (spread * np.sqrt(2 * np.pi))) and at[80] == pytest.approx(errors.mean())
    ranks = [(k + 0.5) / errors.size for k in range(errors.size)]
    normal = [NormalDist().inv_cdf(share) for share in ranks]
    same(of(quantiles, "mark o", "ink"), (normal, np.sort(errors)))
    same(of(quantiles, "line", "plum"), (normal, errors.mean() + spread * np.array(normal)))
    phases = fitted.series.ordinals % 12
    same(of(by_phase, "mark o", "teal"), (phases, errors))
    means = [(phase, errors[phases == phase].mean()) for phase in range(12)]
    same(of(by_phase, "strokes", "plum"), *(([k - 0.32, k + 0.32], [mean, mean]) for k, mean in means))
    assert [label.get_text() for label in by_phase.get_xticklabels()][:2] == ["Jan", "Feb"]
    assert lags.yaxis_inverted() and len(lags.patches) == 24
    assert [bar.get_width() for bar in lags.patches] == vx.correlogram(monthly(errors)).acf.tolist()
    assert "smoker-01, mean, training span: " in figure.get_suptitle()


def test_the_holdout_is_drawn_over_the_actuals_that_came(trial, verdict):
    one, series = trial["smoker-01"], trial.history["smoker-01"]
    figure = figures.holdout(trial, "smoker-01", ["theta", "naive"], origin=series.periods[-9])
    in_house_style(figure)
    place = int(np.flatnonzero(one.origins == series.start + len(series) - 9)[0])
    ahead = series.cadence.starts(one.origins[place] + 1 + np.arange(6))
    shown = series.since(series.cadence.starts(np.array([one.origins[place] + 1 - 24]))[0]).until(ahead[-1])
    for axes, text in zip(figure.axes, ("theta", "naive"), strict=True):
        m = trial.method_index(text)
        same(of(axes, "line", "amber"), (ahead, one.points[m, place]))
        same(of(axes, "line", "ink"), (shown.periods, shown.actuals))
        lower, upper = one.bounds((80, 95))[:, :, m, place]
        for tint in range(2):
            assert holds_band(axes, f"tint {tint}", ahead, lower[tint], upper[tint])
        errors = one.actuals[place] - one.points[m, place]
        inside = 100 * np.mean((one.actuals[place] >= lower[1]) & (one.actuals[place] <= upper[1]))
        size, side = number(np.abs(errors).mean(), 3), number(errors.mean(), 3)
        told = f"{text}: MAE {size}, ME {side}, {number(inside, 3)} % inside 95 %"
        assert axes.get_title(loc="left").replace("\n", " ") == told
        low, high = of(axes, "box", style.GROUND)[0][0]
        assert low < numbers(ahead)[0] < numbers(ahead)[-1] < high
    assert len({axes.get_ylim() for axes in figure.axes}) == 1
    when = series.cadence.text(int(one.origins[place]))
    assert figure.get_suptitle() == f"smoker-01: forecast made at the end of {when}, over what came"
    every = figures.holdout(trial, "smoker-01", "theta", origin="all").axes[0]
    m = trial.method_index("theta")
    made = [(series.cadence.starts(o + 1 + np.arange(6)), one.points[m, k]) for k, o in enumerate(one.origins)]
    same(of(every, "line", "amber"), *made)
    blend = figures.holdout(verdict, "smoker-01").axes[0]
    fit = verdict.choice("smoker-01").hindcast
    same(of(blend, "line", "amber"), (series.cadence.starts(fit.origins[-1] + 1 + np.arange(6)), fit.points[-1]))
    assert blend.get_title(loc="left").startswith("the blend, as decided then: ")


def test_one_lead_time_rolls_over_every_origin(trial):
    figure = figures.rolling(trial, "smoker-01", "theta", step=2)
    (axes,) = figure.axes
    in_house_style(figure)
    one, series, m = trial["smoker-01"], trial.history["smoker-01"], trial.method_index("theta")
    at = series.cadence.starts(one.origins + 2)
    same(of(axes, "line", "amber"), (at, one.points[m, :, 1]))
    lower, upper = one.bounds((80, 95))[:, :, m, :, 1]
    for tint in range(2):
        assert holds_band(axes, f"tint {tint}", at, lower[tint], upper[tint])
    outside = (one.actuals[:, 1] < lower[1]) | (one.actuals[:, 1] > upper[1])
    rings = [(x, y) for x, y in of(axes, "ring", "plum")]
    assert sum(len(x) for x, _ in rings) == outside.sum()
    held = number(100 * float(np.mean(~outside)), 3)
    assert axes.get_title(loc="left") == f"smoker-01: theta, 2 months ahead from 8 origins; 95 % held {held} %"
    with pytest.raises(vx.VeridexError, match="looked 6 ahead"):
        figures.rolling(trial, "smoker-01", "theta", step=7)


def test_contenders_share_one_scale_and_what_is_published_is_amber(verdict):
    figure = figures.contenders(verdict, "smoker-01")
    panels = [axes for axes in figure.axes if axes.get_visible()]
    in_house_style(figure, "\nerror", "\nnot tested")
    trial, choice, series = verdict.trial, verdict.choices["smoker-01"], verdict.trial.history["smoker-01"]
    one = trial["smoker-01"]
    errors = dict(zip(trial.lineup, choice.claim.errors, strict=True)) | {choice.winner.method: choice.claim.error}
    ranked = sorted((method for method in errors if not np.isnan(errors[method])), key=errors.__getitem__)
    ranked += [method for method in errors if np.isnan(errors[method])]
    assert len(panels) == len(errors) and len({axes.get_ylim() for axes in panels}) == 1
    steps = one.points.shape[-1]
    ahead = series.cadence.starts(np.arange(one.origins[-1] + 1, one.origins[-1] + 1 + steps))
    shown = series.since(series.periods[len(series) - steps - 12])
    assert panels[0].get_ylim() == scale(shown.values, one.points[:, -1])
    for axes, method in zip(panels, ranked, strict=False):
        won = method == choice.winner.method
        forecast = choice.hindcast.points[-1] if won else one.points[trial.method_index(method), -1]
        same(of(axes, "line", "amber" if won else "teal"), (ahead, forecast))
        same(of(axes, "line", "ink"), (shown.periods, shown.values))
        name = "the blend, as decided then" if won else short_name(method)
        assert axes.get_title(loc="left").replace("\n", " ") == f"{name} error {number(errors[method], 3)}"
        assert colour(axes._left_title.get_color()) == ("amber" if won else "teal")
        assert (colour(axes.spines["top"].get_edgecolor()) == "amber") == won
    assert figure.get_suptitle().startswith("smoker-01: forecasts made at the end of ")
    assert [label for label, _ in legend(figure)][:3] == ["actual", "what is published", "a contender"]
    assert figure.legends[0].get_title().get_text() == "error: MASE, mean over 5 origins, 1 separate window"
    entered = vx.backtest(series, ["theta", "drift"], vx.RollingOrigin(horizon=2, origins=4))
    names = [axes.get_title(loc="left").split("\n")[0] for axes in figures.contenders(entered).axes]
    assert set(names) == {"theta", "drift"}  # no benchmark that nobody entered, no blend that nobody asked for
    going = figures.contenders(entered, origin="end")
    for axes in going.axes:
        forecast = vx.fit(series, axes.get_title(loc="left").split("\n")[0]).forecast(2)
        same(of(axes, "line", "teal"), (forecast.frame["period"].to_numpy(), forecast.points))
    assert "where nothing came yet" in going.get_suptitle() and ("held back", style.GROUND) not in legend(going)


def test_a_missing_forecast_is_said_in_its_panel(verdict):
    figure = figures.contenders(verdict, "jar-hex-280")
    in_house_style(figure, "\nerror", "\nnot tested")
    texts = [text.get_text().replace("\n", " ") for axes in figure.axes for text in axes.texts]
    assert any("too little history" in text for text in texts)


def test_a_view_fits_into_a_given_axes_and_the_settings_of_the_caller_stay_outside(orders, trial):
    smoker = orders["smoker-01"]
    with mpl.rc_context({"font.family": "DejaVu Serif", "axes.facecolor": "black"}):
        whole = Figure(figsize=(10, 6), layout="constrained")
        left, right = whole.subplots(1, 2)
        assert figures.history(smoker, ax=left, title="one") is whole and figures.parts(smoker, ax=right) is whole
        assert left.get_title(loc="left") == "one" and left.get_legend() is not None
        assert len(whole.subfigs) == 1 and len(whole.subfigs[0].axes) == 3 and right not in whole.axes
        assert (
            left.get_legend().get_texts()[0].get_fontfamily() == ["DejaVu Sans"]
            and colour(left.get_facecolor()) == "paper"
        )
        assert mpl.rcParams["axes.facecolor"] == "black"
    for call, told in (
        (lambda: figures.history(smoker, colour="red"), "this view takes series, overlay"),
        (lambda: figures.history(smoker, since="2030"), "there is 2016-10 to 2025-08 to show"),
        (lambda: figures.history(smoker, scale=(5, 5)), "the lowest and the highest value"),
        (lambda: figures.parts(smoker, ax=Figure().add_axes((0, 0, 1, 1))), "from subplots()"),
        (lambda: figures.holdout(trial), "name one, such as"),
        (lambda: figures.holdout(trial, "smoker-01", origin="1999-01"), "origins that were tested"),
        (lambda: figures.standings(trial, "best"), "there are"),
    ):
        with pytest.raises(vx.VeridexError, match=told.replace("(", r"\(").replace(")", r"\)")):
            call()


@pytest.mark.parametrize("ending", [".png", ".svg", ".pdf"])
def test_figures_are_saved_by_their_ending_the_same_bytes_twice(orders, tmp_path, ending):
    one, two = (figures.save(figures.history(orders["smoker-01"]), tmp_path / f"{k}{ending}") for k in (1, 2))
    assert one.read_bytes() == two.read_bytes() and one.stat().st_size > 5000
    with pytest.raises(vx.VeridexError, match=r"Use \.png, \.svg, \.pdf"):
        figures.save(figures.history(orders["smoker-01"]), tmp_path / "one.gif")
    assert figures.history(orders["smoker-01"])._repr_png_().startswith(b"\x89PNG")


@pytest.mark.parametrize("kind", ["weekly", "daily", "yearly", "quarterly", "counted"])
def test_every_cadence_can_be_drawn_twice_alike(tmp_path, kind):
    numbers = 1e4 * (3 + np.sin(np.arange(40)))
    history = vx.History.from_numbers(numbers, start=None if kind == "counted" else "1990", cadence=kind)
    publication = vx.publish(history, method="naive", horizon=3, levels=(50, 80, 90, 95, 99))
    one, two = (style.save(figures.forecast(publication, "demand"), tmp_path / f"{i}.png").read_bytes() for i in (1, 2))
    assert one == two
    labels = [label.get_text() for label in figures.forecast(publication, "demand").axes[0].get_yticklabels()]
    assert not any("e" in label for label in labels)


def test_item_keys_of_any_letters_are_drawn_and_named_without_harm(tmp_path):
    keys = ["../../etc/passwd", "=1+1", "\U0001d4ca", ".hidden"]
    history = vx.History.of([monthly([3, 4, 5.0], item=key)[key] for key in keys])
    publication = vx.publish(history, method="naive", horizon=1)
    said = draw_items(tmp_path / "figures", history, {"forecast": lambda key: figures.forecast(publication, key)})
    assert said.startswith("4 figures")
    assert len(list((tmp_path / "figures").iterdir())) == 4 and [p.name for p in tmp_path.iterdir()] == ["figures"]


@pytest.mark.parametrize(
    ("value", "largest", "label"),
    [
        (0, 1, "0"), (0.25, 1, "0.25"), (1500, 8000, "1,500"), (25000, 3e4, "25 thousand"), (3.5e6, 4e6, "3.5 million"),
        (500, 2e4, "0.5 thousand"), (-2e9, 2e9, "-2 billion"),
    ],
)  # fmt: skip
def test_tick_labels_have_no_powers_of_ten(value, largest, label):
    assert tick_number(value, largest) == label


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
