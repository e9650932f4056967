"""What a figure shows, told by itself: every line, band, bar, mark and word, with its colour."""

import numpy as np
import pytest
from matplotlib.colors import to_hex
from matplotlib.dates import date2num

from veridex.figures import style

NAMES = {getattr(style, name): name.lower() for name in ("INK", "AMBER", "TEAL", "PLUM", "PAPER", "GRID")}
NAMES |= {tint: f"tint {k}" for k, tint in enumerate(style.BANDS)}


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
            segments = np.array(one.get_segments())
            found.append(("strokes", colour(one.get_edgecolor()), segments[:, :, 0], segments[:, :, 1]))
        elif name == "PathCollection":
            offsets = np.asarray(one.get_offsets())
            found.append(("ring", colour(one.get_edgecolor()), offsets[:, 0], offsets[:, 1]))
        else:
            found.append(("band", colour(tone), *one.get_paths()[0].vertices.T))
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
    (one,) = figure.legends
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
    """The house's scale: from zero where demand is near it, five hundredths of air."""
    values = np.concatenate([np.ravel(np.asarray(one, dtype=float)) for one in arrays])
    low, high = np.nanmin(values), np.nanmax(values)
    low = 0.0 if 0 <= low < 0.6 * high else low
    air = 0.05 * (high - low)
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
        assert colour(axes.get_facecolor()) == "paper"
        framed = any(axes.spines[side].get_visible() for side in ("top", "right"))
        assert not framed or axes.get_title(loc="left").startswith("blend")  # the winner among contenders
        words += [axes._left_title, axes.title, axes.xaxis.label, axes.yaxis.label, *axes.texts]
        words += [*axes.get_xticklabels(), *axes.get_yticklabels()]
    for word in words:
        told = word.get_text()
        assert not told or colour(word.get_color()) == "ink" or any(one in told for one in coloured), told
