"""Figures of the past: a history with what stands out, its seasons and parts, and what differences leave."""

import numpy as np
import pytest

import veridex as vx
from conftest import monthly
from figures.drawn import colour, in_house_style, legend, numbers, of, same, scale
from veridex import figures
from veridex.core.readable import number
from veridex.core.tidying.profile import profile_items


def test_the_history_figure_marks_what_stands_out(demand, data):
    profiles = {one.series.item: one for one in profile_items(demand)}
    tidied = vx.tidy(demand, gaps="interpolate", outliers="repair").history
    one = profiles["gloves-leather"]
    figure, series = figures.history(one, tidied=tidied["gloves-leather"]), one.series
    (axes,) = figure.axes
    in_house_style(figure)
    assert axes.get_title(loc="left") == "gloves-leather: 1 outlier, the last month is not over"
    assert axes.get_ylabel() == "units"
    assert legend(figure) == [
        ("actual", "ink"), ("moving average over 12 months, centred", "teal"),
        ("outlier, and what was expected", "plum"), ("not over yet", "ink"), ("repaired to", "amber"),
    ]  # fmt: skip
    same(of(axes, "line", "ink"), (series.periods, series.values))
    weights = np.array([0.5, *np.ones(11), 0.5]) / 12
    smooth = [
        weights @ series.values[k - 6 : k + 7] if 6 <= k < len(series) - 6 else np.nan for k in range(len(series))
    ]
    same(of(axes, "line", "teal"), (series.periods, smooth))
    at, values = numbers(series.periods)[61], series.values[61]
    same(of(axes, "ring", "amber"), ([at], [tidied["gloves-leather"].values[61]]))
    same(of(axes, "ring", "plum"), ([at], [values]))
    assert of(axes, "line", "plum")[0][1].tolist() == [one.found.values[61], values]
    same(of(axes, "ring", "ink"), (series.periods[-1:], series.values[-1:]))
    shifted = figures.history(profiles["suit-ventilated"], overlay=[])
    in_house_style(shifted, "level up by")
    (axes,) = shifted.axes
    found = profiles["suit-ventilated"].found
    shift = numbers(profiles["suit-ventilated"].series.periods)[found.shifts[0].place]
    assert axes.texts[0].get_text() == f"level up by {found.shifts[0].size:,.3g}"
    assert colour(axes.texts[0].get_color()) == "plum" and of(axes, "line", "plum")[0][0].tolist() == [shift, shift]
    assert len(of(axes, "line", "teal")) == 0
    gap = figures.history(profiles["lid-gold-63"])
    assert ("unknown", "grid") in legend(gap) and "2 unknown months" in gap.axes[0].get_title(loc="left")
    lost = np.flatnonzero(np.isnan(profiles["lid-gold-63"].series.values))
    grounds = of(gap.axes[0], "box", "grid")
    periods = numbers(profiles["lid-gold-63"].series.periods)
    assert all(any(x[0] < periods[place] < x[1] for x, _ in grounds) for place in lost)
    events = vx.read_events(data / "events.csv")
    happened = figures.history(demand["smoker-01"], events=events, since="2024").axes[0]
    touched = events.on("monthly", "2024-01", 21).values >= 0.1
    assert len(happened.patches) == touched.sum() and {text.get_text() for text in happened.texts} <= set(events.names)
    out = next(one for one in demand if one.stock_outs.any())
    sold = figures.history(out)
    assert ("out of stock: at least", "ink") in legend(sold) and "out of stock" in sold.axes[0].get_title(loc="left")
    same(of(sold.axes[0], "ring", "ink")[:1], (out.periods[out.stock_outs], out.censored[0][out.stock_outs]))


def test_an_outlier_does_not_flatten_the_others(orders):
    values = np.array(orders["smoker-01"].values)
    values[40] = 20 * values.max()
    (axes,) = figures.history(monthly(values, start="2016-10"), overlay=[]).axes
    kept = np.delete(values, 40)
    assert axes.get_ylim() == scale(kept) and axes.texts[0].get_text().endswith(", off the scale")
    assert of(axes, "mark ^", "plum")[0][1].tolist() == [axes.get_ylim()[1]]


def test_seasons_are_profiled_against_the_level_and_laid_out_cycle_by_cycle(orders):
    smoker = orders["smoker-01"]
    figure = figures.seasons(smoker)
    profile, strip = figure.axes
    in_house_style(figure)
    y = np.array(smoker.values)
    weights = np.array([0.5, *np.ones(11), 0.5]) / 12
    inner = np.array([weights @ y[k - 6 : k + 7] for k in range(6, len(y) - 6)])
    share = 100 * y[6:-6] / inner
    cells = np.ma.filled(strip.images[0].get_array(), np.nan)
    periods = smoker.periods[6:-6].astype("datetime64[M]").astype(int)
    for ordinal, value in zip(periods, share, strict=True):
        assert cells[ordinal // 12 - 46, ordinal % 12] == pytest.approx(value)
    medians = np.nanmedian(cells, axis=0)
    same(of(profile, "mark o", "ink"), (np.arange(12), medians))
    for k, (x, middle) in enumerate(of(profile, "box", "teal tint 0")):
        assert x.mean() == pytest.approx(k) and middle == pytest.approx(np.nanquantile(cells[:, k], (0.25, 0.75)))
    high, low = int(np.argmax(medians)), int(np.argmin(medians))
    names = [label.get_text() for label in profile.get_xticklabels()]
    ends = [f"{names[k]} {number(medians[k], 3)} %" for k in (high, low)]
    assert figure.get_suptitle() == f"smoker-01: year: {ends[0]} of the level, {ends[1]}"
    assert strip.get_yticklabels()[0].get_text() == "2016"


def test_parts_are_drawn_by_our_own_arrangement(orders):
    smoker = orders["smoker-01"]
    found = vx.decompose(smoker)
    figure = figures.parts(smoker)
    top, season, rest = figure.axes
    in_house_style(figure)
    same(of(top, "line", "ink"), (smoker.periods, smoker.values))
    same(of(top, "line", "teal"), (smoker.periods, found.adjusted))
    same(of(top, "line", "amber"), (smoker.periods, found.trend))
    first = found.by_season[0][:12]
    order = np.argsort(np.arange(9, 21) % 12)  # it begins in October
    same(of(season, "line", "teal tint 0"), (np.arange(12), first[order]))
    left = numbers(smoker.periods)
    same(of(rest, "strokes", "ink"), (np.column_stack((left, left)), np.column_stack((0 * found.rest, found.rest))))
    assert season.get_xticklabels()[0].get_text() == "Jan"
    assert "strength of the trend" in figure.get_suptitle()


def test_the_stationarity_figure_shows_what_is_left(orders):
    series = orders["suit-ventilated"]
    advice = vx.differencing(series)
    figure = figures.stationarity(series)
    top, raw, below, lags = figure.axes
    in_house_style(figure)
    reading = vx.stationarity(series).reading.removeprefix("suit-ventilated: ")
    assert figure.get_suptitle().replace("\n", " ") == f"suit-ventilated: {reading}"
    same(of(top, "line", "ink"), (series.periods, series.values))
    same(of(below, "line", "teal"), (series.periods[-advice.values.size :], advice.values))
    assert top.get_ylim() == scale(series.values) and below.get_title(loc="left").startswith("after the advice: ")
    assert top.get_xlim() == below.get_xlim()
    plain = vx.correlogram(series)
    for axes, values in ((raw, plain), (lags, vx.correlogram(monthly(advice.values)))):
        assert [bar.get_width() for bar in axes.patches] == pytest.approx(values.acf.tolist())
        beyond = [colour(bar.get_facecolor()) == "amber" for bar in axes.patches]
        assert beyond == (np.abs(values.acf) > values.moving_bound).tolist()
        same(of(axes, "mark D", "plum"), (values.pacf, np.arange(1, 25)))
        ((x, _),) = of(axes, "band", "grid")
        assert np.abs(x).max() == pytest.approx(values.moving_bound.max())
        assert axes.get_ylim() == pytest.approx((24.6, 0.4)) and axes.get_yticks().tolist() == [12, 24]
    stated = figures.stationarity(series, transform="log", D=1, lags=30)
    logs = np.log(series.values)
    same(of(stated.axes[2], "line", "teal"), (series.periods[12:], logs[12:] - logs[:-12]))
    assert len(stated.axes[1].patches) == len(stated.axes[3].patches) == 30
    found = vx.stationarity(series, transform="log", D=1)
    assert found.of == "logarithms, differenced over 12 months" and found.reading.startswith(
        "suit-ventilated, logarithms"
    )
    assert found.outcomes == vx.stationarity(monthly(logs[12:] - logs[:-12])).outcomes[: len(found.outcomes)]
    with pytest.raises(vx.VeridexError, match="one of none, log, box-cox"):
        figures.stationarity(series, transform="root")
    empty = figures.stationarity(monthly([5.0] * 30))
    in_house_style(empty)
    assert empty.axes[1].texts[0].get_text() and empty.axes[3].texts[0].get_text()  # no bars to draw, and why
