"""A kind says everything about itself: a new one is judged, compared, broken, drafted and explained with no list elsewhere,
whatever SQL thinks of the names of its fields."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

import nogging
from nogging.captures.capture import Capture
from nogging.judging.challenge import challenge
from nogging.judging.draft import draft
from nogging.judging.verdict import Verdict
from nogging.records import KINDS, Field, Kind, Nature, Type
from nogging.records.resting import resting

BELL = Kind(
    "bell",
    "a bell that rings while its port is up",
    "our own",
    (
        Field("order", Type.INTEGER, Nature.KEY, "which one", required=True),
        Field("end", Type.INTERFACE, Nature.KEY, "where it hangs", rests_on=("interface.name",)),
        Field("group", Type.TEXT, Nature.STATE, "whose it is"),
        Field("select", Type.BOOLEAN, Nature.STATE, "whether it rings", well=True, moves_with=True),
        Field("offset", Type.NUMBER, Nature.MEASURE, "how late it is", tolerance=5),
        Field("table", Type.INTEGER, Nature.COUNTER, "how often it cracked", of_faults=True),
        Field("desc", Type.TEXT, Nature.STATE, "how loud", alike="is as loud"),
    ),
    sort="group",
    counted=("group",),
)
PORT = "Interface eth1 is {}\n  vrf: default\n  index 3 metric 0 mtu 1500 speed 1000\n"
READER = """\
dialect: frr
commands: ["show bells"]
lines:
  - row: bell <order> at <end> of <group> <select> late <offset> s cracked <table> times <desc>
    kind: bell
values: {select: {rings: true, hangs: false}}
"""


@pytest.fixture(autouse=True)
def _bell() -> Iterator[None]:
    KINDS[BELL.name] = BELL
    resting.cache_clear()
    yield
    del KINDS[BELL.name]
    resting.cache_clear()


def ringing(place: Path, name: str, bell: str = "rings late 20 s", port: str = "up, line protocol is up") -> Capture:
    """A capture of a device with two bells at one port, with a reader of its own."""
    inventory, answers = place / "inventory.yaml", place / f"{name}-answers" / "buoy-r1"
    inventory.write_text("readers: mine\ndevices: [{name: buoy-r1, address: 192.0.2.1, dialect: frr}]\n")
    (place / "mine" / "frr").mkdir(parents=True, exist_ok=True)
    (place / "mine" / "frr" / "bells.yaml").write_text(READER)
    answers.mkdir(parents=True)
    (answers / "show interface vrf all.txt").write_text(PORT.format(port))
    bells = [f"bell {n} at eth1 of harbour {bell} cracked 0 times loud\n" for n in (1, 2)]
    (answers / "show bells.txt").write_text("".join(bells))
    return nogging.ingest(answers.parent, place / name, inventory=nogging.load_inventory(inventory))


def test_a_new_kind_needs_no_list_elsewhere(tmp_path: Path) -> None:
    good, bad = ringing(tmp_path, "good"), ringing(tmp_path, "bad", "hangs late 29 s", "down")
    path = tmp_path / "expectations.yaml"
    path.write_text(
        "expect:\n"
        "  - {every: bell, where: order > 0 and end = 'eth1', must: select and offset < 25 and before.desc = desc}\n"
        "  - {count: bell, per: group, where: table = 0, must: n = 2}\n"
        "  - {count: bell, of: end, must: n = 1}\n"
    )
    assert nogging.check(path, after=good, before=good).verdict is Verdict.PASS
    assert [one.verdict for one in nogging.check(path, after=bad, before=good).results] == [
        Verdict.FAIL, Verdict.PASS, Verdict.PASS]  # fmt: skip
    moved = {
        difference.identity[1]: set(difference.fields)
        for difference in nogging.compare(good, bad).differences
        if difference.kind == "bell"
    }
    assert moved == {("buoy-r1", n, "eth1"): {"select", "offset"} for n in (1, 2)}
    sql = 'select "order", "end", "group", "select", "offset", "table" from bell where "offset" > 1'
    assert nogging.query(sql, good).num_rows == 2

    path.write_text("expect: [{every: interface, must: mtu > 0}]\n")
    found = challenge(path, after=good)
    tried = {(one.fault.field, one.fault.how) for one in found.tried if one.fault.kind == "bell"}
    assert tried >= {
        ("", "gone"),
        ("select", "changed"),
        ("offset", "off"),
        ("table", "grown"),
        ("group", "not told"),
    }
    port = next(
        one for one in found.tried if one.fault.title.startswith("buoy-r1: interface eth1: oper_status changed")
    )
    assert port.breaks == 3, "what hangs on a port falls with it"
    path.write_text("expect:\n" + "\n".join(f"  {line}" for one in found.closing for line in one.split("\n")) + "\n")
    left = {hole.fault.kind for hole in challenge(path, after=good).holes}
    assert "bell" not in left, "what is proposed closes every hole"

    path.write_text(draft([good]))
    text = path.read_text()
    assert "Every harbour bell is select" in text and "buoy-r1 has 2 harbour bells" in text and "desc is loud" in text
    found_bad = {result.title for result in nogging.check(path, after=bad).results if result.verdict is Verdict.FAIL}
    assert "Every harbour bell is select" in found_bad
    explained = "differences: {other: fail, explain: [{kind: interface, whole: true, consequences: true}]}"
    path.write_text(explained + "\n")
    rung = ringing(tmp_path, "rung", "hangs late 20 s", "down")
    found_rung = nogging.check(path, after=rung, before=good)
    assert not found_rung.unexplained, found_rung
