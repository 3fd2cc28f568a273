"""What else decides a change: a fault planted in each such kind on the stand-in network is noticed by what was drafted
when all was well, and by `other: fail`; where nothing was planted, nothing is said."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import nogging
from nogging.judging.draft import draft
from nogging.judging.verdict import Verdict
from nogging.standin import served
from nogging.standin.model import Network


def clock_off(network: Network) -> None:
    network.devices["heron-r1"].clock_offset = -2.5


def source_forgotten(network: Network) -> None:
    lines = network.devices["heron-r1"].kept[""]
    lines[:] = [line.replace("ntp server 203.0.113.129", "ntp server 198.51.100.250") for line in lines]
    network.devices["heron-r1"].clock_offset = 0.0


FAULTS: dict[str, tuple[Callable[[Network], None], str, set[str]]] = {
    "a clock that is off": (clock_off, "clock", {"clock_offset"}),
    "a source that nobody answers at": (source_forgotten, "time_source", set()),
}


@pytest.fixture(scope="module")
def well(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """A capture of the network while it is well, and what was drafted from it."""
    place = tmp_path_factory.mktemp("well")
    with served(place / "sound") as sound:
        capture = nogging.capture(nogging.load_inventory(sound.inventory), to=place / "before")
    (place / "drafted.yaml").write_text(draft([capture]))
    (place / "nothing-else.yaml").write_text("differences: {other: fail}\n")
    return place, place / "before"


@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_in_each_kind_is_noticed(well: tuple[Path, Path], tmp_path: Path, fault: str) -> None:
    place, before = well
    plant, kind, fields = FAULTS[fault]
    with served(tmp_path / "sound") as sound:
        inventory = nogging.load_inventory(sound.inventory)
        before = nogging.capture(inventory, to=tmp_path / "before", kinds=[kind])
        quiet = nogging.capture(inventory, to=tmp_path / "quiet", kinds=[kind])
        plant(sound.network)
        after = nogging.capture(inventory, to=tmp_path / "after", kinds=[kind])
    other = place / "nothing-else.yaml"
    assert nogging.check(other, before=before, after=quiet).verdict is Verdict.PASS
    judged = nogging.check(other, before=before, after=after)
    assert judged.verdict is Verdict.FAIL
    assert any(one.kind == kind and fields <= set(one.fields) for one in judged.unexplained)
    drafted = nogging.check(place / "drafted.yaml", before=before, after=after)
    assert any(one.verdict is Verdict.FAIL and kind in one.title for one in drafted.results), drafted
