"""Figures: that they show what the records say, and can be read without colour."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import nbclient
import nbformat
import numpy as np
import pytest
from matplotlib.image import imread

import nogging
from conftest import Change, here
from nogging.captures.capture import Capture
from nogging.drawing.draw import FIGURES
from nogging.drawing.flaps import told
from nogging.errors import NoggingError, QuestionError
from test_findings import interface, planted

NOTEBOOK = Path(__file__).parent.parent / "examples" / "from_answers_to_a_verdict.ipynb"


def texts(drawing: Any) -> list[str]:
    from matplotlib.text import Text

    drawing.figure.canvas.draw()
    return [one.get_text() for one in drawing.figure.findobj(Text) if one.get_text()]


def bars(drawing: Any, panel: int = 0) -> dict[str, list[float]]:
    """The lengths of the bars of each row."""
    axes = drawing.figure.axes[panel]
    names = [yticklabel.get_text() for yticklabel in axes.get_yticklabels()]
    return {name: [several[n].get_width() for several in axes.containers] for n, name in enumerate(names)}


def test_routes_are_counted_as_they_are(bad: Change) -> None:
    drawing = nogging.draw("routes", bad.before, bad.after)
    sql = "SELECT count(DISTINCT (device, vrf, destination_prefix)) AS n FROM route WHERE next_hop_address = '198.51.100.21'"
    expected = [nogging.query(sql, one).to_pylist()[0]["n"] for one in (bad.before, bad.after)]
    drawn = bars(drawing)
    assert drawn["ospf via mole-r1 (198.51.100.21)"] == expected == [23, 0]
    assert list(drawn) == sorted(drawn, key=lambda name: -abs(drawn[name][0] - drawn[name][1]))
    assert "before" in texts(drawing) and "after" in texts(drawing) and " of them with other numbers" in drawing.says
    only = bars(nogging.draw("routes", bad.after, where="device = 'otter-r1' and source_protocol = 'direct'"))
    assert only and all(name.startswith("direct out of otter-r1 ") for name in only)
    direct = bad.after.records("route", where="device = 'otter-r1' and source_protocol = 'direct'")
    assert sum(drawn for (drawn,) in only.values()) == direct.num_rows


def test_rates_and_faults_port_by_port(good: Change) -> None:
    port = ("gannet-r1", "eth4")
    low = planted(good.before, interface(port, in_octets=0, out_octets=0, in_fcs_errors=0))
    high = planted(good.after, interface(port, in_octets=10**9, out_octets=0, in_fcs_errors=500))
    drawing = nogging.draw("rates", low, high, where="device = 'gannet-r1'")
    assert list(bars(drawing)) == ["gannet-r1 eth4"] and bars(drawing, 1).keys() == {"in fcs errors"}
    (in_bits, out_bits), (faults,) = bars(drawing)["gannet-r1 eth4"], bars(drawing, 1)["in fcs errors"]
    assert in_bits / faults == pytest.approx(8 * 10**9 / 500) and out_bits == 0
    with pytest.raises(QuestionError, match="no counter of a port grew"):
        nogging.draw("rates", low, high, where="device = 'edge-r1'")


def test_what_went_down_stands_where_it_happened(bad: Change) -> None:
    drawing = nogging.draw("flaps", bad.before, bad.after)
    (axes,) = drawing.figure.axes
    assert axes.get_yticklabels()[0].get_text() == "gannet-r1 eth4" and "went down" in texts(drawing)
    assert "1 time down" in drawing.says and "first gannet-r1 eth4" in drawing.says
    shown = {
        collection.get_label(): len(collection.get_offsets())
        for collection in axes.collections
        if collection.get_label()[0] != "_"
    }
    assert shown["went down"] == 1 and shown["came up"] >= 2, (
        "the port and its LLDP neighbor; OSPF is stuck in exchange"
    )
    first = min(told((bad.before, bad.after), None), key=lambda one: (one.what != "eth4", one.device != "gannet-r1"))
    assert (first.device, first.what, first.state) == ("gannet-r1", "eth4", "up")


def test_the_fleet_by_a_label(bad: Change) -> None:
    drawing = nogging.draw("fleet", bad.before, bad.after, by="label.site")
    told = texts(drawing)
    ill = {one.device for one in nogging.about(bad.after).whole[0].not_well}
    assert ill and told.count("0→1") == len(ill) and {"gannet", "mole", "mole-sw1"} <= set(told)
    assert f"{len(ill)} of 8 devices" in drawing.says


@pytest.mark.parametrize("what", FIGURES)
def test_a_figure_is_a_file_without_colour(bad: Change, tmp_path: Path, what: str) -> None:
    for ending in ("png", "svg", "pdf"):
        status, said, _ = here("draw", what, bad.before.folder, bad.after.folder, "--to", tmp_path / f"it.{ending}")
        assert status == 0 and said.startswith(f"{tmp_path / f'it.{ending}'}: ")
    pixels = imread(tmp_path / "it.png")[..., :3]
    assert (pixels.min(axis=(0, 1)) < 0.3).all() and np.ptp(pixels, axis=2).max() < 0.15  # ink and white, hardly a hue


@pytest.mark.parametrize(
    ("asked", "why"),
    [
        (lambda one: nogging.draw("route", one), "did you mean 'routes'"),
        (lambda one: nogging.draw("rates", one), "of 2 captures, not of 1"),
        (lambda one: nogging.draw("routes", one, where="device = 'nobody'"), "no route where"),
        (lambda one: nogging.draw("fleet", one, where="device = 'x'"), "it takes 'by'"),
        (lambda one: nogging.draw("fleet", one, by="label.sight"), "did you mean 'site'"),
        (lambda one: nogging.draw("fleet", one).save("it.jpg"), "ends in .png"),
        (lambda one: nogging.draw("fleet", one).save("/nowhere/it.png"), "cannot be written"),
    ],
)
def test_what_cannot_be_drawn_is_told(good: Change, asked: Callable[[Capture], object], why: str) -> None:
    with pytest.raises(NoggingError, match=why):
        asked(good.after)


def test_the_notebook_runs_from_answers_to_a_verdict() -> None:
    """In a kernel, whose loop is running: what asks devices works there as well."""
    book = nbformat.read(NOTEBOOK, 4)
    assert not any(cell.get("outputs") for cell in book.cells)
    nbclient.NotebookClient(book, timeout=120, kernel_name="python3").execute()
    outputs = [output for cell in book.cells for output in cell.get("outputs", ())]
    said = "".join(str(one.get("text", "")) + str(one.get("data", "")) for one in outputs)
    assert "image/png" in said and "<Verdict.PASS: 'pass'>" in said and "differences follow" in said
    assert "mole-sw1: captured" in said
