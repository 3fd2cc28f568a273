"""The devices by a label, a row for each of its values, and what of each is not well."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nogging.asking.about import about
from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED
from nogging.drawing.sheet import GROUND, HATCHED, INK, SOFT, cut, sheet
from nogging.report.cleaning import clean

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_NAMED = 12
"""So many devices in a row have room for their names."""


@dataclass(frozen=True)
class DeviceCell:
    """A device: how much of it was not well in each capture; None where it was not captured."""

    device: str
    not_well: tuple[int | None, ...]

    @property
    def says(self) -> str:
        numbers = ["?" if number is None else str(number) for number in self.not_well]
        return "→".join(numbers) if len(set(numbers)) > 1 else numbers[0]


def fleet(*captures: Capture, by: str = "") -> tuple[Figure, str]:
    """A square for each device: dark where something is not well, with how much; hatched where it was not captured.
    Of two captures the earlier number stands before the later one."""
    grid = laid_out(captures, by)
    wide = max(len(cells) for cells in grid.values())
    per_row = min(wide, 40)
    height = sum(-(-len(cells) // per_row) for cells in grid.values())
    title = "What is not well, by " + (by.removeprefix("label.") or "device")
    with sheet(clean(title), 2 * height + 1) as (figure, (axes,)):
        at = 0.0
        marks: list[tuple[float, str]] = []
        for value, cells in grid.items():
            marks.append((at, value))
            for n, cell in enumerate(cells):
                _square(axes, n % per_row, at + n // per_row, cell, per_row <= _NAMED)
            at += -(-len(cells) // per_row)
        axes.set_xlim(-0.05, max(per_row, 8))
        axes.set_ylim(at, -0.05)
        axes.set_yticks([place + 0.42 for place, _ in marks], [cut(clean(value), 24) for _, value in marks])
        axes.set_xticks([])
        axes.tick_params(axis="y", length=0)
        for spine in axes.spines.values():
            spine.set_visible(False)
        axes.set_xlabel("dark: so many records are not well; hatched: not captured", color=SOFT, size=8)
    every = [cell for cells in grid.values() for cell in cells]
    ill = sum(bool(cell.not_well[-1]) for cell in every)
    lost = sum(cell.not_well[-1] is None for cell in every)
    return figure, f"{ill} of {len(every)} devices have something that is not well" + (
        f", {lost} were not captured" if lost else ""
    )


def laid_out(captures: tuple[Capture, ...], by: str) -> dict[str, list[DeviceCell]]:
    """The devices by the values of the label."""
    summary = about(*captures, by=by)
    counts = [Counter(record.device for record in part.not_well) for part in summary.whole]
    where = {device: value for parts in summary.parts for value, part in parts.items() for device in part.devices}
    grid: dict[str, list[DeviceCell]] = {value: [] for value in summary.values}
    for device, value in sorted(where.items()):
        numbers = tuple(
            counts[n][device] if (entry := capture.devices.get(device)) and entry.outcome == CAPTURED else None
            for n, capture in enumerate(captures)
        )
        grid[value].append(DeviceCell(device, numbers))
    return grid


def _square(axes: Axes, x: float, y: float, cell: DeviceCell, named: bool) -> None:
    from matplotlib.patches import Rectangle

    last = cell.not_well[-1]
    plain: dict[str, Any] = {"facecolor": INK if last else GROUND, "edgecolor": INK, "linewidth": 0.8}
    axes.add_patch(Rectangle((x, y), 0.92, 0.84, **(HATCHED if last is None else plain)))
    ink = GROUND if last else INK
    box = {"facecolor": GROUND, "edgecolor": "none", "pad": 1.5} if last is None else None
    axes.text(x + 0.46, y + (0.56 if named else 0.44), cell.says, ha="center", va="center", color=ink, size=9, bbox=box)
    if named:
        axes.text(
            x + 0.46, y + 0.24, cut(clean(cell.device), 14), ha="center", va="center", color=ink, size=8, bbox=box
        )
