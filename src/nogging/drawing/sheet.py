"""The look of all figures: one ink on white, hatching where two things must be told apart, the names as they are."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from nogging.errors import QuestionError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, SOFT, LINE, GROUND = "#1d2428", "#566068", "#c9ced1", "#ffffff"
HATCHED: dict[str, Any] = {"facecolor": GROUND, "edgecolor": INK, "hatch": "////", "linewidth": 0.8}
SOLID: dict[str, Any] = {"facecolor": INK, "edgecolor": INK, "linewidth": 0.8}
MOST_ROWS = 20
"""So many rows can be read on one sheet; the rest is told as one."""
_LOOK: Any = {
    "font.family": "DejaVu Sans",
    "font.size": 9,
    "text.color": INK,
    "axes.edgecolor": SOFT,
    "axes.labelcolor": SOFT,
    "xtick.color": SOFT,
    "ytick.color": INK,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "hatch.linewidth": 0.6,
    "text.parse_math": False,
    "svg.hashsalt": "nogging",
    "savefig.dpi": 110,
}


@contextmanager
def sheet(title: str, rows: int, panels: int = 1) -> Iterator[tuple[Figure, Sequence[Axes]]]:
    """A figure for so many rows, with its title, and its panels side by side."""
    try:
        from matplotlib import rc_context
        from matplotlib.figure import Figure
    except ImportError:
        raise QuestionError("figures need Matplotlib: pip install 'nogging[figures]'") from None
    with rc_context(_LOOK):
        figure = Figure(figsize=(11, max(2.2, 1.2 + 0.19 * rows)), layout="constrained", facecolor=GROUND)
        figure.suptitle(title, x=0.01, ha="left", weight="bold", size=12)
        yield figure, figure.subplots(1, panels, squeeze=False)[0]


def rows_of(axes: Axes, names: Sequence[str]) -> list[int]:
    """Lays out one row for each name, the first on top; where each is."""
    places = list(range(len(names)))
    axes.set_yticks(places, [cut(name) for name in names])
    axes.set_ylim(len(names) - 0.5, -0.5)
    axes.tick_params(axis="y", length=0)
    axes.grid(axis="x", color=LINE, linewidth=0.6)
    axes.set_axisbelow(True)
    return places


def bars(axes: Axes, names: Sequence[str], series: Sequence[tuple[str, Sequence[float], dict[str, Any]]]) -> None:
    """Bars that lie, one row for each name, one bar in it for each series, with its number at its end."""
    places = rows_of(axes, names)
    height = 0.8 / len(series)
    most = max((value for _, values, _ in series for value in values), default=0)
    for n, (label, values, look) in enumerate(series):
        at = [place - 0.4 + height * (n + 0.5) for place in places]
        drawn = axes.barh(at, values, height * 0.9, label=label, **look)
        axes.bar_label(
            drawn,
            labels=[number(value) if name else "" for name, value in zip(names, values, strict=True)],
            padding=3,
            size=7,
            color=INK,
        )
    axes.set_xlim(0, (most or 1) * 1.12)
    axes.xaxis.set_major_formatter(lambda value, _: number(value))
    if len(series) > 1:
        legend(axes)


def legend(axes: Axes) -> None:
    """What the signs mean, above the panel, where it hides nothing."""
    axes.legend(loc="lower right", bbox_to_anchor=(1, 1), ncols=3, frameon=False, borderaxespad=0.2)


def number(value: float) -> str:
    """A number as people write it: 1.2 M, 940 k."""
    for factor, unit in ((1e9, " G"), (1e6, " M"), (1e3, " k")):
        if value >= factor:
            return f"{value / factor:.3g}{unit}"
    return f"{value:.3g}"


def cut(text: str, most: int = 46) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
