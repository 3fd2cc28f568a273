"""Differences: what follows from what, what is noise, what may be the same, and the laws that comparing keeps."""

from __future__ import annotations

import json
import subprocess
import sys
from itertools import pairwise
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import nogging
from conftest import Build, Change, Sound
from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD, keep
from nogging.errors import FileError
from nogging.judging.noise import Quiet
from nogging.judging.verdict import Verdict
from nogging.records import KINDS, Nature
from nogging.records.tables import table

ROUTES, LINKS = "show ip route", "show interface"


def routes(*prefixes: str, hop: str = "198.51.100.2") -> str:
    return "".join(f"B>* {prefix} [20/0] via {hop}, eth1, weight 1, 02w2d05h\n" for prefix in prefixes)


def port(name: str, mac: str = "00:00:5e:00:53:01", description: str = "") -> str:
    more = f"  Description: {description}\n" if description else ""
    return (
        f"Interface {name} is up, line protocol is up\n{more}  index 2 metric 0 mtu 1500 speed 1000 \n  HWaddr: {mac}\n"
    )


def test_quiet_captures_differ_in_nothing(sound: Sound, tmp_path: Path) -> None:
    several = [nogging.capture(sound.inventory, to=tmp_path / f"quiet{n}") for n in range(12)]
    for early, late in pairwise(several):
        found = nogging.compare(early, late)
        assert (found.differences, found.not_compared) == ((), ()), late.folder


def expectations(folder: Path, text: str) -> Path:
    path = folder / "expectations.yaml"
    path.write_text(text)
    return path


def test_causes_cover_what_the_records_show_to_follow_from_them(good: Change, tmp_path: Path) -> None:
    entries = """
differences:
  explain:
    - {title: old, kind: interface, whole: true, where: description like 'copper span%', must_occur: true, consequences: CONSEQUENCES}
    - {title: new, kind: interface, whole: true, where: description like 'fibre span%', consequences: CONSEQUENCES}
    - {title: never, kind: vlan, what: gone, must_occur: OCCURS}
"""
    plain = entries.replace("CONSEQUENCES", "false").replace("OCCURS", "false")
    without = nogging.check(expectations(tmp_path, plain), after=good.after, before=good.before)
    covering = plain.replace("false", "true", 2).replace("consequences: false", "consequences: true")
    found = nogging.check(expectations(tmp_path, covering), after=good.after, before=good.before)
    followed = [other for one in found.explained for other, _ in one.following]
    assert len(without.unexplained) - len(found.unexplained) == len(followed) > 30
    assert {one.kind for one in followed} == {"neighbor", "route"}
    assert all(why for one in found.explained for _, why in one.following)
    far = [one for one in found.unexplained if one.device == "otter-r1"]
    assert far, "what other devices have learned is not shown by the records to follow"
    described = covering.replace("'copper span%'", "'no such%'").replace("'fibre span%'", "'no such%'")
    nothing = nogging.check(expectations(tmp_path, described), after=good.after, before=good.before)
    assert not any(one.following for one in nothing.explained)
    assert [one.verdict for one in nothing.explained] == [Verdict.FAIL, Verdict.PASS, Verdict.PASS]
    occurs = nogging.check(
        expectations(tmp_path, entries.replace("CONSEQUENCES", "true").replace("OCCURS", "true")),
        after=good.after,
        before=good.before,
    )
    assert occurs.explained[2].reason == "explains 0, and it had to occur"


def test_a_description_that_changed_brings_nothing_along(build: Build, tmp_path: Path) -> None:
    before = build("before", {"mole-r1": {LINKS: port("eth1", description="a"), ROUTES: routes("192.0.2.0/24")}})
    after = build("after", {"mole-r1": {LINKS: port("eth1", description="b"), ROUTES: ""}})
    text = "differences: {explain: [{kind: interface, whole: true, consequences: true}]}"
    found = nogging.check(expectations(tmp_path, text), after=after, before=before)
    assert [one.kind for one in found.unexplained] == ["route"]


def test_an_interface_that_was_renamed_is_proposed_and_not_assumed(build: Build) -> None:
    before = build("before", {"mole-r1": {LINKS: port("eth1") + port("eth2", "00:00:5e:00:53:02", "span to otter-r1")}})
    after = build("after", {"mole-r1": {LINKS: port("ens1") + port("ens2", "00:00:5e:00:53:03", "span to otter-r1")}})
    found = nogging.compare(before, after)
    gone = {
        difference.key["name"]: (difference.perhaps or {}).get("name")
        for difference in found.differences
        if difference.what == "gone"
    }
    assert gone == {"eth1": "ens1", "eth2": "ens2"} and len(found.differences) == 4
    assert {one.because for one in found.differences} == {
        "phys_address 00:00:5e:00:53:01",
        "description span to otter-r1",
    }
    twice = build("twice", {"mole-r1": {LINKS: port("ens1") + port("ens2")}})
    assert not any(one.perhaps for one in nogging.compare(before, twice).differences if one.key["name"] != "eth2")


def test_what_varies_by_itself_is_told_apart(build: Build) -> None:
    """A table in which other prefixes come and go each time; then one more than chance would give."""
    stable = [f"192.0.2.{n}/32" for n in range(100)]

    def at(name: str, minute: int, *others: str, lost: int = 0) -> Capture:
        started = f"2026-11-23T02:{minute:02d}:00+00:00"
        return build(name, {"edge-r1": {ROUTES: routes(*stable[lost:], *others)}}, started=started)

    quiet = [at("q1", 0, "203.0.113.1/32", "203.0.113.2/32"), at("q2", 10, "203.0.113.3/32", "203.0.113.4/32")]
    before, after = at("before", 20, "203.0.113.5/32"), at("after", 30, "203.0.113.6/32", "203.0.113.7/32")
    assert len(nogging.compare(before, after).differences) == 3
    assert not nogging.compare(before, after, quiet=quiet).differences
    bad = nogging.compare(before, at("bad", 30, "203.0.113.6/32", lost=40), quiet=quiet)
    assert len([difference for difference in bad.differences if difference.what == "gone"]) == 41, (
        "none of too many is noise"
    )
    moved = build(
        "moved",
        {"edge-r1": {ROUTES: routes(*stable, "203.0.113.5/32", hop="198.51.100.9")}},
        started="2026-11-23T02:30:00+00:00",
    )
    assert len(nogging.compare(before, moved, quiet=quiet).differences) == 101
    with pytest.raises(nogging.NoggingError, match="two quiet captures"):
        nogging.compare(before, after, quiet=[])
        Quiet([before])


def test_lines_that_are_acknowledged_hide_nothing_and_are_told(build: Build, tmp_path: Path) -> None:
    before, after = (
        build(name, {"mole-r1": {ROUTES: routes("192.0.2.0/24") + f"Cookie of today: {n}\n", "show ipv6 route": ""}})
        for n, name in enumerate(("before", "after"))
    )
    text = "expect: [{every: route, must: active}]\ndifferences: {other: fail}\n"
    assert nogging.check(expectations(tmp_path, text), after=after, before=before).verdict is Verdict.UNPROVEN
    known = text + "acknowledged: [{title: cookies, line: 'Cookie of today: <->', command: show ip route}]\n"
    found = nogging.check(expectations(tmp_path, known), after=after, before=before)
    assert found.verdict is Verdict.PASS and found.notes == ("acknowledged, 2 unread lines: cookies",)
    for mistake, told in (
        ("line: '<->'", "this would be any line"),
        ("line: 'a <b'", "'>' is missing"),
        ("line: a, dialect: fr", "did you mean 'frr'"),
    ):
        with pytest.raises(FileError, match=told):
            nogging.check(expectations(tmp_path, text + f"acknowledged: [{{{mistake}}}]"), after=after)


@st.composite
def networks(draw: st.DrawFn) -> dict[str, list[dict[str, Any]]]:
    """Interfaces and routes of two devices, of few names and values, so that two draws have much in common."""
    device, name = st.sampled_from(["a1", "b1"]), st.sampled_from(["eth1", "eth2", "eth3"])
    ports = st.fixed_dictionaries(
        {
            "device": device,
            "name": name,
            "mtu": st.sampled_from([1500, 9000, None]),
            "description": st.sampled_from(["", "x"]),
        }
    )
    hops = st.fixed_dictionaries(
        {
            "device": device,
            "vrf": st.just("default"),
            "destination_prefix": st.sampled_from(["192.0.2.0/24", "198.51.100.0/24"]),
            "source_protocol": st.sampled_from(["ospf", "bgp"]),
            "next_hop_address": st.sampled_from(["192.0.2.1", "192.0.2.2"]),
            "metric": st.just(10),
        }
    )
    found = {
        "interface": draw(st.lists(ports, unique_by=lambda one: (one["device"], one["name"]), max_size=5)),
        "route": draw(st.lists(hops, unique_by=lambda one: (one["device"], one["destination_prefix"], one["source_protocol"], one["next_hop_address"]), max_size=6)),
    }  # fmt: skip
    for rows in found.values():
        for row in rows:
            row |= {"answer": "x", "line": [1, 1]}
    return found


def captured(folder: Path, records: dict[str, list[dict[str, Any]]], minute: int = 0) -> Capture:
    """A capture of two devices with these records, and nothing that it lacks."""
    manifest = {"format": 1, "run": "x", "started": "2026-11-23T02:00:00+00:00", "devices": {}}
    for device in ("a1", "b1"):
        entry = {"outcome": "answered", "started": f"2026-11-23T02:{minute:02d}:00+00:00", "whole": True}
        commands = dict.fromkeys(("show interface", "show ip route", "show ipv6 route"), entry)
        manifest["devices"][device] = {"dialect": "frr", "outcome": "captured", "commands": commands}  # type: ignore[index]
    for path in (folder / "answers" / device / "show_interface.txt" for device in ("a1", "b1")):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("an answer\n")
    (folder / "capture.json").write_text(json.dumps(manifest))
    tables = {name: table(kind, records.get(name, [])) for name, kind in KINDS.items()}
    capture = Capture(folder)
    capture.__dict__["_tables"] = {
        **tables,
        UNREAD: pa.table({name: pa.array([], pa.string()) for name in ("device", "answer", "text", "kind")}),
    }
    return capture


def hop(n: int, through: int, metric: int) -> dict[str, Any]:
    prefix = f"10.{n // 2}.0.0/16"
    told = {"vrf": "default", "destination_prefix": prefix, "source_protocol": "ospf", "metric": metric}
    return {"device": "a1", **told, "next_hop_address": f"192.0.2.{through}", "answer": "x", "line": [n, n]}


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    lost=st.sets(st.integers(0, 59)), moved=st.sets(st.integers(0, 59)), costly=st.sets(st.integers(0, 59)),
    come=st.lists(st.integers(60, 69), unique=True), turned=st.integers(0, 59), twice=st.booleans(),
)  # fmt: skip
def test_a_long_table_is_compared_as_a_short_one(
    tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch, lost: set[int], moved: set[int],
    costly: set[int], come: list[int], turned: int, twice: bool,
) -> None:  # fmt: skip
    """Rows lost, changed, added, told in another order or twice, kept on the disk on one side: always what a plain
    join finds."""
    monkeypatch.setattr("nogging.judging.alignment._STRETCHES", (4, 8))
    monkeypatch.setattr("nogging.judging.alignment._NEARBY", 5)
    old = [hop(n, n % 2, 10) for n in range(60)]
    new = [hop(n, 7 if n in moved else n % 2, 20 if n in costly else 10) for n in range(60) if n not in lost]
    new = new[turned:] + new[:turned] + [hop(n, 1, 10) for n in come]
    new += [{**new[0], "metric": 30}] if twice and new else []
    folder = tmp_path_factory.mktemp("long")
    before, after = captured(folder / "before", {"route": old}), captured(folder / "after", {"route": new})
    keep(before.folder, before.cache_key, before._tables)
    before = Capture(before.folder)
    found = []
    for long in (1, 10_000):
        monkeypatch.setattr("nogging.judging.pairs.LONG", long)
        compared = nogging.compare(before, after)
        told = [(difference.identity, difference.what, difference.fields) for difference in compared.differences]
        found.append((told, compared.not_compared))
    assert found[0] == found[1]
    assert pa.types.is_dictionary(before.coded("route").field("vrf").type)


def keyed(kind: str, rows: list[dict[str, Any]]) -> dict[tuple[Any, ...], Any]:
    """What the records of a kind say: the state of each key, and of a route the set of its hops."""
    one = KINDS[kind]
    states = [name for name in one.fields if one.fields[name].nature is Nature.STATE]
    found: dict[tuple[Any, ...], Any] = {}
    for row in rows:
        key = tuple(row.get(name) for name in one.keys)
        if not one.members:
            found[key] = {name: row.get(name) for name in states}
            continue
        hop = {name: row.get(name) for name in (*one.members, *states) if row.get(name) is not None}
        found.setdefault(key, []).append(hop)
    return {key: sorted(value, key=str) if isinstance(value, list) else value for key, value in found.items()}


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(old=networks(), new=networks(), chosen=st.sampled_from(["mtu = 9000", "device = 'a1'", "description = 'x'"]))
def test_the_laws_of_comparing(tmp_path: Path, old: Any, new: Any, chosen: str) -> None:
    before, after = captured(tmp_path / "before", old), captured(tmp_path / "after", new)
    assert not nogging.compare(before, before).differences
    found = nogging.compare(before, after)
    for kind in ("interface", "route"):
        state = keyed(kind, old[kind])
        for one in (difference for difference in found.differences if difference.kind == kind):
            key = tuple(one.key.values())
            if one.what == "gone":
                del state[key]
            elif one.what == "new":
                assert one.after is not None
                state[key] = (
                    one.after["hops"]
                    if kind == "route"
                    else {name: one.after[name] for name in keyed(kind, [one.after])[key]}
                )
            elif kind == "route":
                assert one.after is not None
                state[key] = one.after["hops"]
            else:
                assert all(state[key][name] == pair[0] for name, pair in one.fields.items())
                state[key] |= {name: pair[1] for name, pair in one.fields.items()}
        wanted = keyed(kind, new[kind])
        assert {k: sorted(v, key=str) if isinstance(v, list) else v for k, v in state.items()} == wanted, (
            "differences applied to before give after"
        )
    explain = (
        f'differences: {{explain: [{{kind: interface, whole: true, where: "{chosen}"}}, {{kind: route, what: gone}}]}}'
    )
    judged = nogging.check(expectations(tmp_path, explain), after=after, before=before)
    explained = sum(one.times for one in judged.explained)
    assert explained + len(judged.unexplained) == len(found.differences), "each is explained or not, never both"


def test_counters_of_faults_grow_at_a_rate(tmp_path: Path) -> None:
    row = {"device": "a1", "name": "eth1", "answer": "show interface", "line": [1, 1], "in_pkts": 5, "out_discards": 4}
    before = captured(tmp_path / "before", {"interface": [{**row, "in_errors": 10}]})
    after = captured(tmp_path / "after", {"interface": [{**row, "in_errors": 40, "in_pkts": 900}]}, minute=10)
    found = nogging.compare(before, after)
    assert not found.differences
    assert [(one.field, one.before, one.after, one.per_minute) for one in found.growing] == [("in_errors", 10, 40, 3.0)]
    for most, verdict in ((0.05, Verdict.PASS), (0.049, Verdict.FAIL)):
        text = f"expect: [{{every: interface, must: (in_errors - before.in_errors) / elapsed <= {most}}}]"
        assert nogging.check(expectations(tmp_path, text), after=after, before=before).verdict is verdict


def test_the_commands_tell_of_noise_and_growth(good: Change, tmp_path: Path) -> None:
    command = [sys.executable, "-m", "nogging", "compare", str(good.before.folder), str(good.after.folder)]
    quiet = ["--quiet", str(good.before.folder), "--quiet", str(good.after.folder)]
    told = subprocess.run([*command, *quiet], capture_output=True, text=True, check=False)
    assert told.returncode == 0 and "told apart as noise" in told.stdout and "no differences" in told.stdout
