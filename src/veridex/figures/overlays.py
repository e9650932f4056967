"""Lines that are laid over a history: a moving average, or the one-step fit of a method."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from matplotlib.artist import Artist

from veridex.core.arrays import FloatArray
from veridex.core.counts import whole_number
from veridex.core.fitted.fitted import Fitted, fit
from veridex.core.history.item import ItemHistory
from veridex.core.methods.method import Method
from veridex.core.methods.short_names import short_name
from veridex.figures.style import PLUM, TEAL
from veridex.figures.timeline import Timeline, line_key

__all__ = ["LOOKS", "Overlay", "lay", "moving_average", "overlays_of"]

LOOKS = ((TEAL, "-"), (PLUM, "-"), (TEAL, (0, (4, 2))), (PLUM, (0, (4, 2))))


@dataclass(frozen=True, slots=True, eq=False)
class Overlay:
    """A line over a history, with what it knew in its label.

    Attributes
    ----------
    values : ndarray, shape (n,)
    label : str
    color : str
    dash : Any
    """

    values: FloatArray
    label: str
    color: str
    dash: Any


def overlays_of(series: ItemHistory, wanted: object, looks: Sequence[tuple[str, Any]] = LOOKS) -> list[Overlay]:
    """What was asked to be laid over a series.

    Parameters
    ----------
    series : ItemHistory
    wanted : int, str, Method, Fitted, or several of these in a list
        A moving average over so many periods, or a method's one-step fit.
    looks : sequence of (color, dash)

    Raises
    ------
    ParameterError, MethodUnknown, SettingError
    """
    if wanted is None:
        return []
    several = wanted if isinstance(wanted, Iterable) and not isinstance(wanted, str) else [wanted]
    found = []
    for one, (color, dash) in zip(several, looks, strict=False):
        values, label = _line_of(series, one)
        found.append(Overlay(values, label, color, dash))
    return found


def lay(
    line: Timeline, series: ItemHistory, wanted: object, looks: Sequence[tuple[str, Any]] = LOOKS
) -> tuple[list[Artist], list[FloatArray]]:
    """Lay what was asked for over a series; its keys, and the values that the scale must hold."""
    found = overlays_of(series, wanted, looks)
    for one in found:
        line.line(series.start, one.values, one.color, width=2.0, dash=one.dash, marks=False)
    keys = [line_key(one.label, one.color, width=2.0, dash=one.dash) for one in found]
    return keys, [line.cut(series.start, one.values)[1] for one in found]


def _line_of(series: ItemHistory, wanted: object) -> tuple[FloatArray, str]:
    if isinstance(wanted, (int, np.integer)) and not isinstance(wanted, bool):
        width = whole_number("overlay", int(wanted), 2)
        return moving_average(series.values, width), f"moving average over {series.cadence.length(width)}, centred"
    fitted = wanted if isinstance(wanted, Fitted) else fit(series, _method(wanted))
    values = np.full(len(series), np.nan)
    first = fitted.series.start - series.start
    own = fitted.fitted_values[max(-first, 0) :]
    values[max(first, 0) : max(first, 0) + own.size] = own[: len(series) - max(first, 0)]
    if not fitted.available:
        return values, f"{short_name(fitted.method)}: {fitted.reason}"
    return values, f"{short_name(fitted.method)}, one step ahead with estimates from the whole span"


def _method(wanted: object) -> str | Method:
    return wanted if isinstance(wanted, Method) else str(wanted)


def moving_average(values: FloatArray, width: int) -> FloatArray:
    """A centred mean; over an even number of periods the two at the ends count half. NaN where one is unknown."""
    weights = np.full(width + (width % 2 == 0), 1.0 / width)
    if width % 2 == 0:
        weights[[0, -1]] /= 2.0
    found = np.full(values.size, np.nan)
    if values.size >= weights.size:
        half = weights.size // 2
        found[half : values.size - half] = np.convolve(values, weights, mode="valid")
    return found
