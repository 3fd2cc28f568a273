"""One figure of one or two captures: the one way in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

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
FIGURES: dict[str, tuple[Callable[..., Any], tuple[int, ...], str]] = {
    "routes": (routes, (1, 2), "routes by protocol and next hop, before and after"),
    "rates": (rates, (2,), "octets and faults a second, port by port"),
    "flaps": (flaps, (1, 2), "what went down and up, on a time line"),
    "fleet": (fleet, (1, 2), "the devices by a label, and what of each is not well"),
}
"""Each figure with what works it out, of how many captures it is, and what it shows."""


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

    `where` picks the records that are drawn (of routes, interfaces), `by` the label that a fleet is laid out by.
    Raises `CaptureError` for a directory that is none, `QuestionError` for what cannot be drawn of these.
    """
    if what not in FIGURES:
        raise QuestionError(f"there is no figure '{what}'{nearest(what, FIGURES)}; there are {', '.join(FIGURES)}")
    work, many, _ = FIGURES[what]
    if len(captures) not in many:
        raise QuestionError(f"'{what}' is drawn of {' or '.join(map(str, many))} captures, not of {len(captures)}")
    figure, says = work(*map(opened, captures), where=where, by=by)
    return Drawing(figure, says)
