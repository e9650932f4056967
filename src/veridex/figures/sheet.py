"""What every view is drawn on: a figure or a given axes, with the span, scale and title that were asked for."""

import inspect
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import wraps
from typing import Any, ParamSpec, TypedDict

import matplotlib as mpl
import numpy as np
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure, SubFigure

from veridex.core.periods.cadence import Cadence
from veridex.errors import ParameterError
from veridex.figures.style import DPI, HOUSE, INK, PAPER, TITLE_LINES, padded, wrapped

__all__ = ["Asked", "Drawing", "Sheet", "view", "width_of"]

P = ParamSpec("P")

WIDTH, HEIGHT = 1280, 800
EM = 0.56
"""Width of a letter, in the mean, of its size."""


class Asked(TypedDict, total=False):
    """What every view takes.

    since, until : period, optional
        The first and the last period shown.
    scale : (float, float), optional
        Lowest and highest value of the axis of demand or error.
    title : str, optional
        Instead of what the view says itself.
    ax : Axes, optional
        Where to draw: a view of one panel into it, one of several in its place.
    """

    since: object
    until: object
    scale: tuple[float, float]
    title: str
    ax: Axes


class Drawing(Figure):
    """A figure that notebooks show as it is, without any plotting state."""

    def _repr_png_(self) -> bytes:
        buffer = io.BytesIO()
        self.savefig(buffer, format="png", metadata={"Software": None})
        return buffer.getvalue()


def view(function: Callable[P, Figure]) -> Callable[P, Figure]:
    """Draw under the house's settings, and refuse a keyword that no view takes."""
    own = [
        one.name
        for one in inspect.signature(function).parameters.values()
        if one.kind in (one.KEYWORD_ONLY, one.POSITIONAL_OR_KEYWORD)
    ]

    @wraps(function)
    def drawn(*args: P.args, **kwargs: P.kwargs) -> Figure:
        known = (*own, *Asked.__annotations__)
        for name in kwargs:
            if name not in known:
                raise ParameterError(name, repr(kwargs[name]), f"this view takes {', '.join(known)}")
        with mpl.rc_context(HOUSE):
            return function(*args, **kwargs)

    return drawn


def width_of(axes: Axes) -> float:
    """Pixels of a panel from side to side, about, before it is laid out."""
    return float(axes.get_position().width * axes.figure.bbox.width)


@dataclass(frozen=True, slots=True, eq=False)
class Sheet:
    """The paper of a view.

    Attributes
    ----------
    figure : Figure or SubFigure
        What panels are put on: of a given axes with one panel its figure.
    host : Axes or None
        The axes that a view of one panel was given.
    asked : Asked
    """

    figure: Figure | SubFigure
    host: Axes | None
    asked: Asked

    @classmethod
    def of(cls, asked: Asked, *, panels: bool = False) -> "Sheet":
        """A sheet by what was asked for; one of several panels takes the place of a given axes.

        Raises
        ------
        ParameterError
            If the scale is none, or an axes that several panels should replace was not made by subplots.
        """
        scale = asked.get("scale")
        if scale is not None and not (len(scale) == 2 and np.isfinite(scale).all() and scale[0] < scale[1]):
            raise ParameterError("scale", repr(scale), "state the lowest and the highest value, as in (0, 500)")
        host = asked.get("ax")
        if host is None:
            figure = Drawing(figsize=(WIDTH / DPI, HEIGHT / DPI), dpi=DPI, facecolor=PAPER, layout="constrained")
            figure.get_layout_engine().set(w_pad=0.12, h_pad=0.12)  # type: ignore[union-attr, call-arg]
            return cls(figure, None, asked)
        if not panels:
            return cls(host.figure, host, asked)
        place = host.get_subplotspec()
        if place is None:
            raise ParameterError(
                "ax", repr(host), "a view of several panels takes the place of an axes from subplots()"
            )
        whole = host.figure
        host.remove()
        return cls(whole.add_subfigure(place, facecolor=PAPER), None, asked)

    @property
    def whole(self) -> Figure:
        """The figure that is returned."""
        found = self.figure.figure if isinstance(self.figure, SubFigure) else self.figure
        assert isinstance(found, Figure)
        return found

    @property
    def scale(self) -> tuple[float, float] | None:
        """The scale that was stated."""
        return self.asked.get("scale")

    @property
    def since_stated(self) -> bool:
        """Whether it was said what is shown first: a view then begins there, not where it would by itself."""
        return self.asked.get("since") is not None

    def panel(self) -> Axes:
        """The one panel of a view."""
        return self.host if self.host is not None else self.figure.add_subplot()

    def span(self, cadence: Cadence, start: int, stop: int) -> tuple[int, int]:
        """Ordinals of the first period shown and of the one after the last.

        Raises
        ------
        ParameterError
            If nothing is left between `since` and `until`.
        """
        since, until = self.asked.get("since"), self.asked.get("until")
        first = start if since is None else max(start, cadence.period(since))
        last = stop if until is None else min(stop, cadence.period(until) + 1)
        if first >= last:
            said = f"{cadence.text(start)} to {cadence.text(stop - 1)}" if stop > start else "nothing"
            name, value = ("since", since) if since is not None else ("until", until)
            raise ParameterError(name, repr(value), f"there is {said} to show")
        return first, last

    def limits(self, axes: Axes, *arrays: Any) -> None:
        """The scale that was stated, or one that holds the values."""
        axes.set_ylim(*(padded(*arrays) if self.scale is None else self.scale))

    @property
    def width(self) -> float:
        """Pixels from side to side: those of a given axes, else of all."""
        return self.figure.bbox.width if self.host is None else width_of(self.host)

    def sized(self, size: float) -> float:
        """A size of letters, smaller where the sheet is a part of a page."""
        return size if self.width > 0.75 * WIDTH else max(0.75 * size, 7.5)

    def letters(self, size: float, share: float = 1.0) -> int:
        """How many letters of a size fit beside each other into a share of the width."""
        return int(0.94 * share * self.width / (EM * size * DPI / 72.0))

    def titled(self, text: str, axes: Axes | None = None, size: float = 14.0) -> None:
        """The title of the view, above its one panel or above all of them; broken into lines that fit."""
        size = self.sized(size)
        said = wrapped(self.asked.get("title") or text, self.letters(size), TITLE_LINES)
        if axes is not None:
            axes.set_title(said, color=INK, fontsize=size, loc="left", pad=10)
        else:
            self.figure.suptitle(said, color=INK, fontsize=size, x=0.01, ha="left")

    def legend(self, handles: Sequence[Artist], size: float = 10.0, note: str = "") -> None:
        """A legend below all panels, in rows that fit, under a note; it covers no data."""
        if not handles:
            return
        size = self.sized(size)
        for one in handles:
            one.set_label(wrapped(str(one.get_label()), 70))
        longest = max(len(line) for one in handles for line in str(one.get_label()).split("\n"))
        columns = min(max(self.letters(size) // (longest + 7), 1), len(handles))
        look: dict[str, Any] = {"ncols": columns, "frameon": False, "labelcolor": INK, "fontsize": size}
        if note:
            look |= {"title": wrapped(note, self.letters(9.0)), "title_fontsize": 9.0}
        if self.host is not None:
            self.host.legend(handles=handles, loc="upper center", bbox_to_anchor=(0.5, -0.08), **look)
        else:
            self.figure.legend(handles=handles, loc="outside lower center", **look)
