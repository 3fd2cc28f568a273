"""One figure of one or two captures: the one way in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.drawing.flaps import flaps
from nogging.drawing.fleet import fleet
from nogging.drawing.rates import rates
from nogging.drawing.routes import routes
from nogging.errors import QuestionError, nearest

if TYPE_CHECKING:
    from matplotlib.figure import Figure

ENDINGS = (".png", ".svg", ".pdf")
FIGURES: dict[str, tuple[Callable[..., tuple[Figure, str]], tuple[int, ...], str]] = {
    "routes": (routes, (1, 2), "where"),
    "rates": (rates, (2,), "where"),
    "flaps": (flaps, (1, 2), "where"),
    "fleet": (fleet, (1, 2), "by"),
}
"""Each figure with what draws it, of how many captures it is, and what may be said besides."""


@dataclass(frozen=True)
class Drawing:
    """A figure, with one sentence that says what there is to be seen. A notebook shows it by itself."""

    figure: Figure
    says: str

    def save(self, path: str | Path) -> Path:
        """Writes it as what the name ends in: `.png`, `.svg` or `.pdf`."""
        path = Path(path)
        if path.suffix not in ENDINGS:
            raise QuestionError(f"{path}: a figure ends in {', '.join(ENDINGS)}")
        try:
            self.figure.savefig(path, metadata={"Date": None} if path.suffix == ".svg" else None)
        except OSError as error:
            raise QuestionError(f"{path}: cannot be written: {error.strerror}") from None
        return path

    def _repr_png_(self) -> bytes:
        kept = BytesIO()
        self.figure.savefig(kept, format="png")
        return kept.getvalue()


def draw(what: str, *captures: Capture | str | Path, where: str | None = None, by: str = "") -> Drawing:
    """Draws one of `FIGURES`.

    `where` picks the routes or interfaces that are drawn, `by` is the label that a fleet is laid out by.
    Raises `CaptureError` for a directory that is none, `QuestionError` for what cannot be drawn of these.
    """
    if what not in FIGURES:
        raise QuestionError(f"there is no figure '{what}'{nearest(what, FIGURES)}; there are {', '.join(FIGURES)}")
    work, many, takes = FIGURES[what]
    if len(captures) not in many:
        raise QuestionError(f"'{what}' is drawn of {' or '.join(map(str, many))} captures, not of {len(captures)}")
    said = {name: value for name, value in (("where", where), ("by", by)) if value}
    for name in said:
        if name != takes:
            raise QuestionError(f"'{what}' is not drawn '{name}' something; it takes '{takes}'")
    return Drawing(*work(*map(opened, captures), **said))
