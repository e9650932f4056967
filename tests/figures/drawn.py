"""What a figure shows, told by itself: every line, band, bar, mark and word, with its colour."""

import re

import numpy as np
import pytest
from matplotlib.colors import to_hex
from matplotlib.dates import date2num

from veridex.figures import style

NAMES = {getattr(style, name): name.lower() for name in ("INK", "AMBER", "TEAL", "PLUM", "PAPER", "GRID")}
NAMES |= {tint: f"tint {k}" for k, tint in enumerate(style.BANDS)}
NAMES |= {tint: f"teal tint {k}" for k, tint in enumerate(style.TEALS)}
NUMBER = re.compile(r"-?\d[\d,]*\.?\d*(?:e[-+]?\d+)?")


def colour(value):
    """The house's name of a colour."""
    found = to_hex(np.ravel(value)[:4] if not isinstance(value, str) else value)
    return NAMES.get(found, found)


def numbers(values):
    """Numbers or dates as plain numbers."""
    array = np.asarray(values)
    return date2num(array) if array.dtype.kind == "M" else array.astype(float)


def drawn(axes):
    """(kind, colour, x, y) of everything on a panel, in the order in which it was laid down."""
    found = []
    for line in axes.lines:
        mark = line.get_marker() if line.get_linestyle() == "None" else ""
        edge = colour(line.get_markeredgecolor()) if line.get_color() == "none" else colour(line.get_color())
        found.append((f"mark {mark}" if mark else "line", edge, numbers(line.get_xdata()), numbers(line.get_ydata())))
    for one in axes.collections:
        name, tone = type(one).__name__, one.get_facecolor() if len(one.get_facecolor()) else one.get_edgecolor()
        if name == "LineCollection":
            segments = np.array([stroke for stroke in one.get_segments() if len(stroke) == 2]).reshape(-1, 2, 2)
            found.append(("strokes", colour(one.get_edgecolor()), segments[:, :, 0], segments[:, :, 1]))
        elif name == "PathCollection":
            offsets = np.asarray(one.get_offsets())
            found.append(("ring", colour(one.get_edgecolor()), offsets[:, 0], offsets[:, 1]))
        else:
            edges = [path.vertices for path in one.get_paths()]
            if edges:  # of numbers alone that are not known there is none
                found.append(("band", colour(tone), *np.vstack(edges).T))
    for patch in axes.patches:
        low, high = patch.get_extents().transformed(axes.transData.inverted()).get_points()
        found.append(("box", colour(patch.get_facecolor()), np.array([low[0], high[0]]), np.array([low[1], high[1]])))
    return found


def of(axes, kind, tone):
    """The x and y of all things of a kind and colour."""
    return [(x, y) for what, which, x, y in drawn(axes) if (what, which) == (kind, tone)]


def holds_band(axes, tone, x, lower, upper):
    """Whether a band of this colour has just these edges."""
    wanted = {
        (round(a, 6), round(float(b), 6)) for side in (lower, upper) for a, b in zip(numbers(x), side, strict=True)
    }
    bands = of(axes, "band", tone)
    return any(wanted == {(round(a, 6), round(b, 6)) for a, b in zip(xs, ys, strict=True)} for xs, ys in bands)


def same(pairs, *expected):
    """Assert that things lie where they are expected to: pairs of x and y, NaN equal."""
    assert len(pairs) == len(expected)
    for (x, y), (wanted_x, wanted_y) in zip(pairs, expected, strict=True):
        assert np.ravel(x) == pytest.approx(numbers(wanted_x).ravel(), nan_ok=True)
        assert np.ravel(y) == pytest.approx(numbers(wanted_y).ravel(), nan_ok=True)


def legend(figure):
    """(label, colour) of each entry: of a hollow mark that of its edge."""
    (one,) = figure.legends or [axes.get_legend() for axes in figure.axes if axes.get_legend() is not None]
    told = []
    for text, handle in zip(one.get_texts(), one.legend_handles, strict=True):
        tone = handle.get_facecolor() if hasattr(handle, "get_facecolor") else handle.get_color()
        if isinstance(tone, str) and tone == "none":
            tone = handle.get_markeredgecolor()
        elif not isinstance(tone, str) and not np.size(tone):
            tone = handle.get_edgecolor()
        told.append((text.get_text(), colour(tone)))
    return told


def scale(*arrays):
    """The house's scale: from zero where demand is near it, six hundredths of air."""
    values = np.concatenate([np.ravel(np.asarray(one, dtype=float)) for one in arrays])
    low, high = np.nanmin(values), np.nanmax(values)
    low = 0.0 if 0 <= low < 0.6 * high else low
    air = 0.06 * (high - low)
    return pytest.approx((low if low == 0 else low - air, high + air))


def in_house_style(figure, *coloured):
    """Assert paper, frames and ink; `coloured` are words that stand in another colour."""
    assert colour(figure.get_facecolor()) == "paper"
    words = [figure._suptitle] if figure._suptitle is not None else []
    words += [text for one in figure.legends for text in one.get_texts()]
    for axes in figure.axes:
        if not axes.get_visible() or not axes.axison:
            words += axes.texts
            continue
        assert colour(axes.get_facecolor()) == ("grid" if axes.images else "paper")
        framed = any(axes.spines[side].get_visible() for side in ("top", "right"))
        assert not framed or colour(axes._left_title.get_color()) == "amber"  # what is published, among contenders
        words += [axes._left_title, axes.title, axes.xaxis.label, axes.yaxis.label, *axes.texts]
        words += [*axes.get_xticklabels(), *axes.get_yticklabels()]
    for word in words:
        told = word.get_text()
        assert not told or colour(word.get_color()) == "ink" or any(one in told for one in coloured), told


def _rounded(values):
    return " ".join(f"{one:.4g}" for one in values)


def _summary(x, y):
    """How many places, from where to where, and how high: enough to see that anything has moved."""
    x, y = np.ravel(x), np.ravel(y)
    known = y[np.isfinite(y)]
    if not known.size:
        return "nothing"
    weights = np.arange(1, y.size + 1)[np.isfinite(y)]
    ends = (known.min(), known.max(), known.sum(), (known * weights).sum() / weights.sum())
    return f"n {known.size} of {y.size}, x {_rounded((x.min(), x.max(), x.sum() / x.size))}, y {_rounded(ends)}"


def _words(text):
    return text.replace("\n", " / ")


def _panel(axes):
    """A panel in lines of text."""
    place = _rounded((axes.get_position().x0, axes.get_position().y0, axes.get_position().x1, axes.get_position().y1))
    yield f"panel at {place}"
    for word in (axes._left_title, axes.xaxis.label, axes.yaxis.label):
        if word.get_text():
            yield f"  word {colour(word.get_color())} {word.get_fontsize():.3g}: {_words(word.get_text())}"
    if not axes.axison:
        yield "no axes"
    else:
        sizes = [axis.get_tick_params().get("labelsize", "") for axis in (axes.xaxis, axes.yaxis)]
        yield f"scale: x {_rounded(axes.get_xlim())}, y {_rounded(axes.get_ylim())}, letters {sizes}"
        for name, axis in (("x", axes.xaxis), ("y", axes.yaxis)):
            if type(axis.get_major_locator()).__name__ == "FixedLocator":
                yield f"{name}: {', '.join(_words(label.get_text()) for label in axis.get_ticklabels())}"
    for line in axes.lines:
        look = f"{line.get_linestyle()} {line.get_marker()} {line.get_linewidth():.3g} {line.get_markersize():.3g}"
        tone = colour(line.get_markeredgecolor()) if line.get_color() == "none" else colour(line.get_color())
        yield f"  line {tone} {look}: {_summary(numbers(line.get_xdata()), numbers(line.get_ydata()))}"
    for kind, tone, x, y in drawn(axes):
        if kind in ("strokes", "ring", "band"):
            yield f"  {kind} {tone}: {_summary(x, y)}"
    boxes = [(tone, x, y) for kind, tone, x, y in drawn(axes) if kind == "box"]
    for tone in dict.fromkeys(tone for tone, _, _ in boxes):
        own = [(x, y) for which, x, y in boxes if which == tone]
        yield f"  boxes {tone}: {_summary(*(np.array([one[side] for one in own]) for side in (0, 1)))}"
    for image in axes.images:
        cells = np.ma.filled(image.get_array().astype(float), np.nan)
        yield f"  cells {cells.shape}, {_rounded(image.get_clim())}: {_summary(np.zeros(1), cells)}"
    for text in axes.texts:
        place = _rounded(numbers(getattr(text, "xy", text.get_position())))
        look = f"{colour(text.get_color())} {text.get_fontsize():.3g} {text.get_ha()} {text.get_va()}"
        beside = getattr(text, "xyann", ())
        yield f"  text {look} at {place} {beside}: {_words(text.get_text())}"


def told(figure):
    """Everything that is drawn, in lines of text."""
    parts = [figure, *(part for one in figure.subfigs for part in (one, *one.subfigs))]
    for part in parts:
        if part._suptitle is not None:
            yield f"title {part._suptitle.get_fontsize():.3g}: {_words(part._suptitle.get_text())}"
    for axes in figure.axes:
        if axes.get_visible():
            yield from _panel(axes)
    legends = [one for part in parts for one in part.legends]
    legends += [axes.get_legend() for axes in figure.axes if axes.get_legend() is not None]
    for one in legends:
        yield f"legend in {one._ncols}: {_words(one.get_title().get_text())}"
        for handle, text in zip(one.legend_handles, one.get_texts(), strict=True):
            look = f"{text.get_fontsize():.3g}"
            if hasattr(handle, "get_marker"):
                look += f" {handle.get_linestyle()} {handle.get_marker()} {handle.get_linewidth():.3g}"
                look += f" {handle.get_markersize():.3g} {colour(handle.get_color())}"
            else:
                look += f" box {colour(handle.get_facecolor())} {handle.get_hatch()}"
            yield f"  key {look}: {_words(text.get_text())}"


def alike(line, kept):
    """Whether two lines say the same: words to the letter, numbers to a thousandth."""
    if NUMBER.sub("#", line) != NUMBER.sub("#", kept):
        return False
    pairs = zip(NUMBER.findall(line), NUMBER.findall(kept), strict=True)
    return all(
        float(a.replace(",", "")) == pytest.approx(float(b.replace(",", "")), rel=2e-3, abs=1e-6) for a, b in pairs
    )
