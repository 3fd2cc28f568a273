"""Reading: the notation, the rules that keep a value out of the wrong record, and the account of every line."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import cache
from ipaddress import IPv4Interface
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nogging
from conftest import Build
from mutations import accounted, spoilt
from nogging.dialects.notation import NotationError, compile_pattern
from nogging.dialects.reader_folders import LIBRARY
from nogging.errors import FileError, QuestionError
from nogging.files import load
from nogging.reading import blocks, long_tables
from nogging.reading import lines as lines_of
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.engine import WORTH_IT, joined, run
from nogging.reading.lines import LineReading
from nogging.reading.long_tables import is_flat
from nogging.reading.reader import find_reader, load_reader, readers
from nogging.reading.samples import SampleModel, read_sample, samples
from nogging.records import KINDS, Nature
from nogging.records.values import bit_rate, interface_spelling, moment, prefix, span
from nogging.standin import frr, ios
from nogging.standin.scenario import teal_sound

AT = datetime(2026, 11, 23, 2, 0, tzinfo=UTC)
SAMPLES = list(samples(LIBRARY))


def reader_path(sample: Path) -> Path:
    return sample.with_name(sample.name.split(".")[0] + ".yaml")


READERS = sorted({reader_path(sample) for sample in SAMPLES})
TOLD_TWICE = {
    *(
        "junos/routes.4.answer",
        "junos/routes.9.answer",
        "bird/routes.3.answer",
        "bird/routes_brief.answer",
    ),  # two paths
    *("linux/routes.3.answer", "linux/routes6.2.answer"),  # of one next hop, and what the kernel itself says twice
    *(
        "junos/version.10.answer",
        "junos/version.11.answer",
        "junos/pic_status.3.answer",
    ),  # members that are not the same
    *("ios/security_associations.3.answer", "linux/security_associations.2.answer"),  # old keys beside new ones
    "frr/ldp_neighbors.3.answer",  # the same router by both families
}


def reader_of(sample: Path) -> Reader:
    return load_reader(reader_path(sample))


@cache
def texts() -> list[Path]:
    return [path for path in SAMPLES if reader_of(path).notation == "lines"]


@pytest.mark.parametrize("answer", SAMPLES, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_the_librarys_samples(answer: Path) -> None:
    """Each gives what stands beside it, and no two records of one thing: an expectation on it would never be proven. What
    reads it is among those that are tried on a text of which nobody says what it is."""
    wanted, given_ = read_sample(answer)
    assert given_ == wanted
    reader = reader_of(answer)
    text = answer.read_text()
    recorded = any(rows for kind, rows in wanted["records"].items() if kind != "answer" and text.strip())
    tried = reader.notation != "lines" or reader.left_out or reader.may_read(text, 0.0)
    assert tried or wanted["unread"] or not recorded
    for name, rows in given_["records"].items() if f"{answer.parent.name}/{answer.name}" not in TOLD_TWICE else ():
        keys = (*KINDS[name].identity, *(f for f in KINDS[name].fields.values() if f.nature is Nature.MEMBER))
        told = [tuple(row.get(getattr(key, "name", key)) for key in keys) for row in rows]
        assert name == "event" or len(set(told)) == len(told)


@pytest.mark.parametrize(
    ("pattern", "line", "texts"),
    [
        ("inet[6] <ip>/<prefix_length>", "inet6 2001:db8::1/64", ("2001:db8::1", "64")),
        ("MTU <mtu> bytes, BW <speed in kbit/s> {Kbit|Kbit/sec}", "MTU  9000 bytes,   BW 10 Kbit/sec", ("9000", "10")),
        ("via <name>[, src <->][, weight <mtu>], <vrf>", "via eth1, 00:01", ("eth1", None, "00:01")),
        ("via <name>[, src <->][, weight <mtu>], <vrf>", "via eth1, src x, weight 7, 00:01", ("eth1", "7", "00:01")),
        ("a [b] <name> [c]", "a x c", ("x",)),
        ("[a] <name>", "x", ("x",)),
        ("Neighbor <name>: <vrf>", "Neighbor 2001:db8::1: up", ("2001:db8::1", "up")),
        ("\\[<mtu>/<metric>\\] x", "[1/2] x", ("1", "2")),
        ("Description: <description...>", "Description: a  b [c] ", ("a  b [c]",)),
        ("<name> is {up|down}", "eth0 is sideways", None),
        ("<name> up", "eth0 upset", None),
    ],
)  # fmt: skip
def test_notation(pattern: str, line: str, texts: tuple[str | None, ...] | None) -> None:
    match = compile_pattern(pattern).regex.fullmatch(line.strip())
    assert (match.groups() if match else None) == texts


@pytest.mark.parametrize(
    ("pattern", "told", "offset"),
    [
        ("a <name", "'>' is missing", 2),
        ("a <name><mtu>", "two values with nothing between them", 2),
        ("a <name...> b", "nothing can come after the rest", 2),
        ("a [b", "']' is missing", 4),
        ("a {b|c", "'}' is missing", 6),
        ("a <mtu in Mbits>", "unknown unit 'Mbits'; did you mean 'Mbit/s'?", 2),
        ("<Name>", "is not a value", 0),
        ("[a]" * 11, "more than 10 optional parts", 0),
    ],
)
def test_patterns_that_are_refused(pattern: str, told: str, offset: int) -> None:
    with pytest.raises(NotationError) as caught:
        compile_pattern(pattern)
    assert told in str(caught.value)
    assert caught.value.offset == offset


def frr_interfaces(text: str) -> Reading:
    return nogging.read(text, dialect="frr", command="show interface", at=AT, device="mole-r1")


BLOCKS = (LIBRARY / "frr" / "interfaces.answer").read_text()


def test_no_value_lands_in_the_wrong_record() -> None:
    one = "Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu 1500 speed 1000\n"
    strange = "Interface eth2 is sideways\n  index 3 metric 0 mtu 9000 speed 1000\n"
    reading = frr_interfaces(one + strange)
    assert [(row["name"], row["mtu"]) for row in reading.rows["interface"]] == [("eth1", 1500)]
    assert [(line.line, line.within) for line in reading.unread] == [(3, None), (4, None)]
    assert "no open record" in reading.unread[1].reason
    twice = frr_interfaces(one + "  index 7 metric 0 mtu 9000 speed 1000\n")
    assert twice.rows["interface"][0]["mtu"] == 1500
    assert (twice.unread[0].within, twice.unread[0].kind) == (1, "interface")
    assert "a second value for 'if_index'" in twice.unread[0].reason


def test_a_next_hop_after_an_unread_route_belongs_to_nobody() -> None:
    route = "O>* 192.0.2.12/32 [110/20] via 198.51.100.2, eth1, weight 1, 00:00:22\n"
    hop = "  *                      via 198.51.100.6, eth2, weight 1, 00:00:22\n"
    reading = nogging.read(
        route + hop + "O>* 192.0.2.999/32 [110/20] via x\n" + hop, dialect="frr", command="show ip route"
    )
    assert [row["next_hop_address"] for row in reading.rows["route"]] == ["198.51.100.2", "198.51.100.6"]
    assert [line.line for line in reading.unread] == [3, 4]


@pytest.mark.parametrize(
    ("dialect", "command", "text"),
    [
        (
            "frr",
            "show ip route json",
            '{"10.1.0.0/16": [{"prefix": "10.1.0.0/16", "protocol": "bgp", "nexthops": []}]}',
        ),
        (
            "nxos",
            "show ip route vrf all | json",
            '{"TABLE_vrf": {"ROW_vrf": {"vrf-name-out": "default", "TABLE_addrf": {"ROW_addrf": {"addrf": "ipv4",'
            ' "TABLE_prefix": {"ROW_prefix": {"ipprefix": "10.1.0.0/16", "ucast-nhops": "0"}}}}}}}',
        ),
    ],
)
def test_a_prefix_without_a_next_hop_is_not_lost(dialect: str, command: str, text: str) -> None:
    answer = nogging.read(text, dialect=dialect, command=command)
    assert not answer.records["route"].num_rows
    assert any("10.1.0.0/16" in line.text and line.reason.startswith("nothing follows") for line in answer.unread)


def test_a_value_that_does_not_fit_is_unread_with_the_reason() -> None:
    reading = frr_interfaces("Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu 15OO speed 1\n")
    assert reading.rows["interface"][0].get("mtu") is None
    assert reading.unread[0].reason == "'15OO' is not a whole number"
    assert "description" not in reading.rows["interface"][0], "an unread line could have been the description"


def test_an_answer_that_was_cut_off_and_one_that_says_no() -> None:
    reader = next(reader for reader in readers("frr") if reader.name == "interfaces")
    cut = run(reader, BLOCKS[:200], at=AT, whole=False)
    assert [line.reason for line in cut.unread] == ["the answer ends here, in the middle"]
    absent = nogging.read("% BGP instance not found\n", dialect="frr", command="show bgp summary")
    assert (absent.not_configured, absent.not_supported, absent.unread) == (True, False, [])
    assert nogging.read("% Unknown command: show x\n", dialect="frr", command="show bgp summary").not_supported
    with pytest.raises(QuestionError, match="did you mean 'show interface'"):
        nogging.read("", dialect="frr", command="show interfaces")


TABLE = """\
dialect: frr
commands: [show table]
lines:
  - under: [Port, Speed, MTU, Description]
    kind: interface
    columns: {Port: name, MTU: mtu, Speed: speed in Mbit/s, Description: description}
  - skip: -----<-...>
"""


def test_tables_by_the_positions_of_their_headings(tmp_path: Path) -> None:
    (tmp_path / "table.yaml").write_text(TABLE)
    text = (
        "Port      Speed    MTU  Description\n"
        "----------------------------------\n"
        "eth1        100   1500  span to mole\n"
        "eth2             65536\n"
        "eth3      10000000000   9000\n"
    )
    reading = run(load_reader(tmp_path / "table.yaml"), text, at=AT)
    rows = [
        (row["name"], row.get("speed"), row.get("mtu"), row.get("description")) for row in reading.rows["interface"]
    ]
    assert rows == [("eth1", 100_000_000, 1500, "span to mole"), ("eth2", None, 65536, "")]
    assert [(line.line, line.reason) for line in reading.unread] == [(5, "'10000000000' stands under two headings")]


def test_a_word_that_nobody_knows_and_an_answer_without_one() -> None:
    lines = [f"192.0.2.{n}/32 via 198.51.100.1 dev eth0 proto {'BGP' if n else 'kelp'}" for n in range(200)]
    for asked in (lines[:2], lines):
        answer = nogging.read("\n".join(asked), dialect="linux", command="ip route")
        routes = answer.records["route"].to_pylist()
        assert {route["source_protocol"] for route in routes[1:]} == {"bgp"} and answer.unread == []
        assert (routes[0]["source_protocol"], "kelp" in routes[0]["remainder"]) == ("other", True), "the word stays"
    saved = next(reader for reader in readers("eos") if reader.name == "saved")
    assert run(saved, "\n", at=AT).rows["setting"][0]["value"] == "true"
    assert not run(saved, "", at=AT, whole=False).rows["setting"], "nobody knows what it would have said"


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("kind: interface", "kind: interfce", ":5:11: unknown kind 'interfce'; did you mean 'interface'?"),
        ("MTU: mtu", "MTU: mtuu", "unknown field 'mtuu'; did you mean 'mtu'?"),
        ("{Port: name", "{Prt: name", "no heading 'Prt'; did you mean 'Port'?"),
        ("skip: -----<-...>", "skp: x", "unknown key 'skp'; did you mean 'skip'?"),
        ("skip: -----<-...>", "add: <mtu", ":7:10: '>' is missing"),
        ("skip: -----<-...>", "skip: x\nvalues: {duplex: {f: ful}}", ":8:22: 'ful' is none of: full, half, auto"),
        (
            "skip: -----<-...>",
            "skip: x\nsums_up: {aggregate: {}}",
            ":8:22: aggregate is made of no parts that this reader",
        ),
        ("skip: -----<-...>", "skip: x\nvalues: {description: {<->: x}}", "'description' takes any word, <-> none"),
        ("skip: -----<-...>", "skip: x\nby_silence: {interfce: {}}", "unknown kind 'interfce'"),
        ("skip: -----<-...>", "open: x", ":7:5: this line begins a record; say of which 'kind'"),
    ],
)
def test_a_reader_with_a_mistake(tmp_path: Path, old: str, new: str, told: str) -> None:
    path = tmp_path / f"{abs(hash(new))}.yaml"
    path.write_text(TABLE.replace(old, new))
    with pytest.raises(FileError, match=re.escape(told)):
        load_reader(path)


@pytest.mark.parametrize(
    ("text", "seconds", "resolution"),
    [
        ("00:12:33", 753, 1),
        ("2w3d", 17 * 86400, 86400),
        ("1d02h03m", 93780, 60),
        ("02w2d05h", 16 * 86400 + 5 * 3600, 3600),
        ("20d01:02:03", 20 * 86400 + 3723, 1),
        ("57.373s", 57.373, 0.001),
        ("2 weeks, 1 day, 5 minutes", 15 * 86400 + 300, 60),
        ("16 days, 05:12:00", 16 * 86400 + 5 * 3600 + 720, 1),
        ("16 day(s), 3 hour(s), 2 minute(s) and 1 second(s)", 16 * 86400 + 3 * 3600 + 121, 1),
        ("2w2d 03:02", 16 * 86400 + 3 * 3600 + 120, 60),
        ("P16DT3H2M1S", 16 * 86400 + 3 * 3600 + 121, 1),
    ],
)
def test_lengths_of_time_keep_their_resolution(text: str, seconds: float, resolution: float) -> None:
    assert span(text) == pytest.approx((seconds, resolution))
    assert moment(text, AT)[0] == AT - timedelta(seconds=seconds)


def test_canonical_values() -> None:
    assert prefix("192.0.2.77/24") == "192.0.2.0/24"
    assert moment("2026/11/23 01:00:00.50", AT) == (datetime(2026, 11, 23, 1, 0, 0, 500000, tzinfo=UTC), 0.01)
    assert moment("Sat Nov  7 03:57:59 2026", AT)[0] == moment("03:57:59 UTC Nov 7 2026", AT)[0]
    assert moment("Nov 24 03:57:59.5", AT) == (datetime(2025, 11, 24, 3, 57, 59, 500000, tzinfo=UTC), 0.1)
    assert moment("2026 Nov 22 03:57:59", AT)[0] == datetime(2026, 11, 22, 3, 57, 59, tzinfo=UTC)
    assert interface_spelling("Gi0/1", {"gi": "GigabitEthernet"}) == "GigabitEthernet0/1"
    short = ("20G", "a-2.5G", "100M", "10 Gb/s", "1000kbit/s", "10000000000")
    assert [bit_rate(text) for text in short] == [20 * 10**9, 25 * 10**8, 10**8, 10**10, 10**6, 10**10]
    for text in ("20 G B", "fast", "G", "1e9", "-5G"):
        with pytest.raises(ValueError, match="whole number"):
            bit_rate(text)
    for text in ("soon", "1x", "99999-99-99 00:00:00", "9" * 400 + "d"):
        with pytest.raises((ValueError, OverflowError)):
            moment(text, AT)


@settings(max_examples=150, deadline=None)
@given(data=st.data())
def test_any_text_is_read_and_every_line_accounted_for(data: st.DataObject) -> None:
    answer = data.draw(st.sampled_from(SAMPLES))
    lines = answer.read_text().split("\n")
    for _ in range(data.draw(st.integers(0, 4))):
        n = data.draw(st.integers(0, len(lines) - 1))
        change = data.draw(st.sampled_from(["delete", "double", "swap", "cut", "noise"]))
        if change == "delete" and len(lines) > 1:
            del lines[n]
        elif change == "double":
            lines.insert(n, lines[n])
        elif change == "swap":
            lines[n], lines[n - 1] = lines[n - 1], lines[n]
        elif change == "cut":
            lines[n] = lines[n][: len(lines[n]) // 2]
        else:
            lines[n] = data.draw(st.text(max_size=30)) + lines[n]
    accounted(reader_of(answer), "\n".join(lines))


@settings(max_examples=300, deadline=None)
@given(data=st.data())
def test_a_lost_line_never_moves_a_value_to_another_record(data: st.DataObject) -> None:
    """Any sample with lines lost or doubled, but for headings: no record says what it did not say before."""
    path = data.draw(st.sampled_from(texts()))
    reader, lines = reader_of(path), path.read_text().split("\n")
    whole = run(reader, "\n".join(lines), at=AT, explain=True)
    begin = {form.pattern.text for form in reader.forms if form.action in ("open", "row", "carry") or form.section}
    begin |= {
        " ".join(heading.titles) for heading in reader.headings if heading.nested or heading.repeats
    }  # a row begins those below
    assert whole.took is not None
    loose = [n for n in range(len(lines)) if (took := whole.took.get(n + 1)) and took[0].pattern not in begin]
    picked = data.draw(st.sets(st.sampled_from(loose), max_size=4)) if loose else set()
    times = {n: data.draw(st.sampled_from([0, 2])) for n in picked}
    kept = [n for n in range(len(lines)) for _ in range(times.get(n, 1))]
    second_best = {"speed"} | ({"neighbor", "remote_interface"} if "lldp" in path.name else set())
    second_best |= {"virtual_address", "family"} if "vrrp" in path.name else set()
    derived = {"line", "settled", "alarm", "remainder"} | second_best
    for kind, rows in run(reader, "\n".join(lines[n] for n in kept), at=AT).rows.items():
        free = derived | {one.name for one in KINDS[kind].own if one.absent is not None}
        for row in rows:
            first = kept[row["line"][0] - 1] + 1
            # a record that several tables tell begins with any of them; one of a frame, without that, with its row
            last = first if reader.together or any(form.level is not None for form in reader.forms) else 0
            begun = [
                one for one in whole.rows[kind] if first == one["line"][0] or one["line"][0] < last <= one["line"][1]
            ]
            assert any(all(row[name] == one.get(name) for name in set(row) - free) for one in begun), (path, row, begun)


def test_prose_is_known_only_beside_records_and_without_the_words_that_matter() -> None:
    said = "mole-r1 uptime is 3 days\nsubject to local laws\nIOS (tm) of no known layout\n"
    assert [one.line for one in nogging.read(said, dialect="ios", command="show version").unread] == [3]
    alone = said.partition("\n")[2]
    assert [one.line for one in nogging.read(alone, dialect="ios", command="show version").unread] == [1, 2]


PROSE = "garbage\nfoo bar\n  three words here\nfour words are here\n    five words are right here\nnow there are six of them\n"


@pytest.mark.parametrize("path", READERS, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_no_reader_makes_records_of_prose(path: Path) -> None:
    assert run(load_reader(path), PROSE, at=AT).counts() == {}


WORDS = st.text("abcdefghijklmnop -:,/[]()#", min_size=1, max_size=30).map(str.strip).filter(bool)


def long(path: Path) -> str:
    """An answer as long as is read many lines at a time: the sample, again and again."""
    text = path.read_text()
    return text * (WORTH_IT // max(text.count("\n"), 1) + 1) if "\x0c" not in text else text


def plain_rows(reading: Reading) -> dict[str, list[dict[str, Any]]]:
    return {kind: table.drop_columns(["answer"]).to_pylist() for kind, table in reading.records.items()}


@cache
def flat() -> list[Path]:
    return [path for path in texts() if is_flat(reader_of(path))]


def test_what_a_reader_tells_is_known_without_compiling_it() -> None:
    for reader in map(load_reader, READERS):
        several = [part for form in reader.forms for parts in form.parts.values() for part in parts]
        declared = [*reader.forms, *several, *(also for form in reader.forms for also in form.also), *reader.headings]
        named = {value.field for one in declared for value in one.values} | {
            name for one in declared for name in one.set
        }
        named |= {heading.nested for heading in reader.headings} | {
            n for entry in reader.entries for n in entry.named()
        }
        assert reader.told == named - {""}, reader.path


@settings(max_examples=2, deadline=None)
@given(data=st.data())
def test_no_reader_knows_what_was_read_before(data: st.DataObject) -> None:
    """Readers of long tables in one process, in any order and again: what each gives alone, line by line."""
    order = data.draw(st.permutations(flat()))[:40]
    for path in (*order, *data.draw(st.lists(st.sampled_from(flat()), max_size=4))):
        reader = reader_of(path)
        text = long(path)
        if joined(reader, text)[1]:
            continue  # it is read line by line
        read, alone = run(reader, text, at=AT), LineReading(reader, AT, "", 0.0).read(text, True)
        assert plain_rows(read) == plain_rows(alone), path
        assert [vars(one) for one in read.unread] == [vars(one) for one in alone.unread], path
        for kind in reader.kinds:
            rows = read.records[kind.name]
            assert all(rows.column(name).null_count == 0 for name in kind.required), path


@settings(max_examples=80, deadline=None)
@given(data=st.data(), dialect=st.sampled_from(["frr", "ios"]))
def test_what_the_stand_in_says_is_read_as_it_was_meant(data: st.DataObject, dialect: str) -> None:
    """Any network that the stand-in holds, in the words of each of its dialects, read again."""
    network = teal_sound(lambda: AT)
    device = next(one for one in network.devices.values() if one.dialect == dialect and one.bgp)
    ports = list(device.interfaces.values())
    for n, one in enumerate(data.draw(st.lists(st.sampled_from(ports), max_size=4, unique_by=id))):
        one.mtu, one.shutdown = data.draw(st.integers(68, 65535)), data.draw(st.booleans())
        one.description = data.draw(st.one_of(st.just(""), WORDS))
        one.speed = data.draw(st.sampled_from([10, 100, 1000, 25_000, 100_000])) * 1_000_000
        one.addresses = [IPv4Interface(f"203.0.113.{n * 32 + data.draw(st.integers(1, 30))}/27")]
    network.settle()
    shows = {"frr": frr, "ios": ios}[dialect].SHOWS
    said: dict[str, list[dict[str, Any]]] = {}
    for command, show in shows.items():
        if (reader := find_reader(dialect, command)) is not None and "vrf all" not in command.replace("route", ""):
            reading = run(reader, show(network, device, AT), at=AT)
            assert reading.unread == [], command
            for kind, rows in reading.rows.items():
                more = kind + " besides" * bool(reader.besides)
                said.setdefault(more, []).extend(rows if kind != "route" or "vrf all" not in command else [])
    timers = {row["name"]: (row["ospf_cost"], row.get("ospf_dead_interval")) for row in said["interface besides"]}
    meant_timers = {one.name: (one.ospf.cost, one.ospf.dead) for one in device.interfaces.values() if one.ospf}
    assert timers.keys() == meant_timers.keys() and all(
        cost == meant_timers[n][0] and dead in (None, meant_timers[n][1]) for n, (cost, dead) in timers.items()
    )
    told = {row["name"]: row for row in said["interface"]}
    assert told.keys() == device.interfaces.keys()
    for interface in device.interfaces.values():
        row = told[interface.name]
        assert (row["mtu"], row["description"], row["admin_status"]) == (interface.mtu, interface.description, "down" if interface.shutdown else "up")  # fmt: skip
        assert row["oper_status"] == ("up" if interface.up else "down")
        assert interface.loopback or (row["speed"], row["phys_address"]) == (interface.speed, interface.mac)
    ipv4 = [row for row in said["address"] if ":" not in row["ip"]]
    assert {(row["interface"], row["ip"], row["prefix_length"]) for row in ipv4} == {
        (one.name, str(a.ip), a.network.prefixlen) for one, a in device.addresses()
    }
    ospf = {(row["interface"], row["neighbor"], row["state"]) for row in said["neighbor"] if row["protocol"] == "ospf"}
    adjacencies = {end[1]: one for end, one in network.adjacencies.items() if end[0] == device.name}
    assert ospf == {(name, str(one.neighbor.router_id), one.state) for name, one in adjacencies.items()}
    bgp = {(row["neighbor"], row["settled"], row.get("prefixes_received")) for row in said["neighbor"] if row["protocol"] == "bgp"}  # fmt: skip
    sessions = {str(a): one for (name, a), one in network.sessions.items() if name == device.name}
    assert bgp == {(a, s.state == "established", s.received if s.state == "established" else None) for a, s in sessions.items()}  # fmt: skip
    hops = {
        (row["destination_prefix"], row["next_hop_address"]) for row in said["route"] if row.get("next_hop_address")
    }
    meant = {(str(route.prefix), str(hop.address)) for route in network.routes[device.name] for hop in route.hops if hop.address}  # fmt: skip
    assert hops == meant if dialect == "frr" else hops <= meant and {p for p, _ in hops} == {p for p, _ in meant}


MESSAGES = """\
dialect: frr
commands: [show bells]
lines:
  - skip: Heard
    section: heard
  - skip: Sent
    section: sent
  - add: <in_pkts> chimes
    in: heard
  - add: <out_pkts> chimes
    in: sent
  - open: Bell <name>
    kind: interface
  - row: '<at of 3 words>: "<facility>": <message...>'
    kind: event
    parts: {message: [Bell <interface> is <state>]}
  - row: rung by <neighbor...>
    kind: neighbor
    several: neighbor
    set: {protocol: lldp}
  - skip: <-...>
    but: [rung, out of]
"""


def test_sections_parts_several_and_what_may_not_be_skipped(tmp_path: Path) -> None:
    (tmp_path / "bells.yaml").write_text(MESSAGES)
    text = (
        "Bell b1\n  Heard\n    7 chimes\n  Sent\n    9 chimes\n  5 chimes\nBell b2\n  Sent\n    1 chimes\n"
        'Nov  3 01:00:00: "the tower": Bell b1 is down\nFeb 31 01:00:00: "the tower": Bell b1 is up\n'
        "rung by otter, heron\nrung\nout of  order\nanything else\n"
    )
    reading = accounted(load_reader(tmp_path / "bells.yaml"), text)
    told = [(row["name"], row.get("in_pkts"), row.get("out_pkts")) for row in reading.rows["interface"]]
    assert told == [("b1", 7, 9), ("b2", None, 1)]
    assert [row["neighbor"] for row in reading.rows["neighbor"]] == ["otter", "heron"]
    (event,) = reading.rows["event"]
    assert (event["at"].month, event["facility"], event["interface"], event["state"], event["message"]) == (
        11, "the tower", "b1", "down", "Bell b1 is down")  # fmt: skip
    assert [one.line for one in reading.unread] == [13, 14], "a date that is none is skipped as anything else is"


@pytest.mark.parametrize("command", ["show system resources | json", "show vpc | json", "show version | json"])
def test_a_document_about_something_else_is_no_record(command: str) -> None:
    reading = nogging.read('{"status": "permission denied"}', dialect="nxos", command=command)
    assert reading.counts() == {} and [one.text for one in reading.unread] == ['status: "permission denied"']


@pytest.mark.parametrize(
    ("zone", "ahead"),
    [("UTC", 0), ("CEST", 2), ("-03", -3), ("+0530", 5.5), ("ACST", 9.5), ("IST", None), ("QUAY", None)],
)
def test_a_port_tells_when_it_flapped_in_whatever_zone_its_clock_is_set_to(zone: str, ahead: float | None) -> None:
    """Where the name of the zone is one that nobody shares, the moment is told by how long ago it was."""
    there = AT - timedelta(days=3, hours=2) + timedelta(hours=ahead or 0)
    text = f"""Physical interface: et-0/0/0, Enabled, Physical link is Up
  Last flapped   : {there:%Y-%m-%d %H:%M:%S} {zone} (3d 02:00 ago)
  Statistics last cleared: {there:%Y-%m-%d %H:%M:%S} {zone} (3d 02:00 ago)
"""
    reading = nogging.read(text, dialect="junos", command="show interfaces extensive", at=AT)
    (port,) = reading.records["interface"].to_pylist()
    assert port["last_change"] == port["discontinuity_time"] == AT - timedelta(days=3, hours=2)
    assert port["last_change_resolution"] == (1.0 if ahead is not None else 60.0) and reading.unread == []


def test_an_address_family_has_one_name() -> None:
    """Whatever a system calls it, and whichever command told: one session has one family."""
    told = (load(path, SampleModel)[0].records.get("neighbor", []) for path in LIBRARY.glob("*/bgp*.records.yaml"))
    assert {row.get("family") for rows in told for row in rows if row["protocol"] == "bgp"} - {None} == {
        "ipv4_unicast", "ipv6_unicast", "ipv4_vpn", "ipv6_vpn", "l2vpn_evpn", "rt_membership", "link_state"}  # fmt: skip


def test_the_documentation_is_what_is_declared() -> None:
    script = Path(__file__).parent.parent / "docs" / "generate.py"
    found: dict[str, object] = {"__file__": str(script)}
    exec(compile(script.read_text(), str(script), "exec"), found)
    for name, page in (
        ("document", "records.md"),
        ("matrix", "dialects.md"),
        ("questions", "questions.md"),
        ("manual", "nogging.1"),
        ("commands", "commands.md"),
        ("words", "../src/nogging/cli/words.json"),
    ):
        write = found[name]
        assert callable(write) and write() == (script.parent / page).read_text()
    assert callable(found["schemas"])
    for name, text in found["schemas"]().items():
        assert (Path(nogging.__file__).parent / "schemas" / f"{name}.schema.json").read_text() == text


PORTS = """\
dialect: frr
commands: [show ports json]
json:
  - each: $.vrfs.*
    fields: {name(): vrf}
    within:
      - each: $.ports[?@.kind == 'port']
        kind: interface
        fields:
          name: name
          speed: speed in Mbit/s
          state.up: oper_status
          mtu: "<mtu> octets"
        skip: [colour, $..beacon]
        within:
          - each: $.state.addresses.*[*]
            kind: address
            fields: {at: <ip>/<prefix_length>}
values: {oper_status: {"true": up, "false": down}}
skip: [$.version]
"""
PORTS_ANSWER = """\
{"version": 3,
 "vrfs": {"harbour": {"ports": [
   {"kind": "port", "name": "eth1", "speed": 1000, "mtu": "9000 octets", "colour": {"of": ["the hull"]},
    "state": {"up": true, "beacon": 7, "addresses": {"v4": [{"at": "192.0.2.1/31"}, {"at": "192.0.2.9"}]}}},
   {"kind": "port", "name": "eth2", "speed": "fast", "mtu": null, "state": {"up": false, "addresses": {}}},
   {"kind": "buoy", "name": "n1"}]}}}
"""


def test_an_answer_in_json_by_paths(tmp_path: Path) -> None:
    (tmp_path / "ports.yaml").write_text(PORTS)
    reader = load_reader(tmp_path / "ports.yaml")
    reading = accounted(reader, PORTS_ANSWER)
    eth1, eth2 = reading.rows["interface"]
    assert (eth1["vrf"], eth1["speed"], eth1["oper_status"], eth1["mtu"]) == ("harbour", 10**9, "up", 9000)
    assert (eth2["name"], eth2.get("speed"), eth2["oper_status"], eth2["line"]) == ("eth2", None, "down", [5, 5])
    assert [(row["interface"], row["ip"], row["line"]) for row in reading.rows["address"]] == [
        ("eth1", "192.0.2.1", [4, 4])
    ]
    told = {
        one.text.partition(": ")[0].rpartition("ports.")[2]: (one.line, one.within, one.reason)
        for one in reading.unread
    }
    assert told.pop("0.state.addresses.v4.1.at") == (4, 3, "'192.0.2.9' is not written as <ip>/<prefix_length>")
    assert told.pop("1.speed") == (5, 5, "'fast' is not a number")
    nowhere = "no path of the reader leads here"
    assert told == {"2.kind": (6, None, nowhere), "2.name": (6, None, nowhere)}
    assert 'kind: "port' in eth1["remainder"] and 'kind: "port' in eth2["remainder"]
    (tmp_path / "numbered.yaml").write_text(PORTS.replace("name(): vrf", "mtu: mtu, name(): vrf", 1))
    numbered = PORTS.replace("name(): vrf", "name(): mtu", 1)  # a name that does not fit, twice
    (tmp_path / "named.yaml").write_text(numbered)
    twice = run(
        load_reader(tmp_path / "named.yaml"),
        PORTS_ANSWER.replace('"vrfs": {', '"vrfs": {"quay": {"ports": []}, '),
        at=AT,
    )
    assert twice.rows == {"interface": [], "address": []}
    apart = accounted(
        load_reader(tmp_path / "numbered.yaml"), PORTS_ANSWER.replace('{"ports"', '{"mtu": "wide", "ports"')
    )
    assert apart.rows == {"interface": [], "address": []} and "what holds for all of this" in apart.unread[-1].reason
    for broken, reason in (
        (PORTS_ANSWER[:-5], "this is no JSON"),
        ('{"a": 1, "a": 2}', "'a' is given twice"),
        ("[" * 9999, "nested"),
    ):
        unread = run(reader, broken, at=AT).unread
        assert len(unread) == len(broken.splitlines()) and reason in unread[0].reason
    assert run(reader, "% Unknown command", at=AT).not_supported and run(reader, "{}", at=AT).unread == []
    (tmp_path / "wrong.yaml").write_text(PORTS.replace("$.vrfs.*", "$.vrfs[", 1))
    with pytest.raises(FileError, match=r":4:11: '\$\.vrfs\[' is no path \(RFC 9535\)"):
        load_reader(tmp_path / "wrong.yaml")


@pytest.mark.parametrize(
    "more",
    [
        '"lamp": "lit"',
        '"tags": ["old", "red"]',
        '"hull": {"paint": "grey", "age": 7}',
    ],
)
def test_what_a_release_adds_to_a_record_is_a_word_of_it(tmp_path: Path, more: str) -> None:
    (tmp_path / "ports.yaml").write_text(PORTS)
    reader = load_reader(tmp_path / "ports.yaml")
    text = '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}]}}}'
    plain, added = accounted(reader, text), accounted(reader, text.replace('"eth1"', f'"eth1", {more}'))
    assert plain.unread == added.unread == []
    (before,), (after,) = plain.rows["interface"], added.rows["interface"]
    assert before["remainder"] != after["remainder"], "it is compared"
    beside = accounted(reader, '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}], "lamp": "lit"}}}')
    assert beside.unread == [] and beside.passed == [(1, 'lamp: "lit')]


@pytest.mark.parametrize(
    "text",
    [
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1", "more": [{"name": "eth2"}]}]}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1", "more": {"eth2": {"mtu": 9}}}]}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1", "more": {"up": true, "192.0.2.1": "down"}}]}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}], "stopped": {"name": "eth2", "up": false}}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}]}, "heron": {"lamp": "out", "ports": []}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}], "lastError": "no more memory"}}}',
        '{"vrfs": {"quay": {"ports": [{"kind": "port", "name": "eth1"}], "stopped": ["eth2"]}}}',
        '{"vrfs": {"quay": {"lamp": "out"}}}',
        '"eth1"',
    ],
)
def test_what_could_be_a_record_that_nobody_saw_is_unread(tmp_path: Path, text: str) -> None:
    (tmp_path / "ports.yaml").write_text(PORTS)
    reading = accounted(load_reader(tmp_path / "ports.yaml"), text)
    assert [one.reason for one in reading.unread][:1] == ["no path of the reader leads here"]


MINE = """\
dialect: quay
commands: [show bells]
lines:
  - open: Bell <name> on span <-> [{rung|still}]
    kind: interface
    frame: true
  - open: "Clapper <description>"
    kind: interface
    inside: true
  - add: "mtu <mtu>"
  - row: "Bell <name> is <oper_status>"
    kind: interface
  - under: [Bell, State]
    columns: {Bell: name, State: oper_status}
    kind: interface
    wrapped: true
"""


def test_readers_of_ones_own_go_before_the_librarys(tmp_path: Path) -> None:
    own = tmp_path / "mine"
    (own / "quay").mkdir(parents=True)
    (own / "frr").mkdir()
    (own / "quay" / "dialect.yaml").write_text("meaning: bells\nsession: {modes: {shell: {prompt: '{host}> '}}}\n")
    (own / "quay" / "bells.yaml").write_text(MINE)
    (own / "frr" / "version.yaml").write_text(
        "dialect: frr\ncommands: [show version]\nlines: [{row: Mine <os_release>, kind: system}]\n"
    )
    (tmp_path / "answers" / "a1").mkdir(parents=True)
    (tmp_path / "answers" / "a1" / "show bells.txt").write_text("Bell b1 is up\n")
    (tmp_path / "inventory.yaml").write_text(
        "readers: mine\ndevices: [{name: a1, address: 192.0.2.1, dialect: quay}]\n"
    )
    script = f"""
import nogging
from nogging.captures.saved import ingest
i = nogging.load_inventory("{tmp_path}/inventory.yaml")
print(ingest("{tmp_path}/answers", "{tmp_path}/now", inventory=i).records("interface").column("name").to_pylist())
print(nogging.read("Mine 9", dialect="frr", command="show version", readers="{own}").rows["system"][0]["os_release"])
"""
    told = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True, cwd=tmp_path
    ).stdout
    assert told == "['b1']\n9\n"
    again = [
        sys.executable,
        "-m",
        "nogging",
        "records",
        "interface",
        str(tmp_path / "now"),
        "--fields",
        "name",
        "--format",
        "csv",
    ]
    assert "b1" in subprocess.run(again, capture_output=True, text=True, check=True).stdout, (
        "the capture knows the folder"
    )
    environment = {**os.environ, "NOGGING_READERS": str(own)}
    read = [sys.executable, "-m", "nogging", "read", "-", "--dialect", "quay", "--command", "show bells", "--explain"]
    text = "Bell b1 on span 7 still\n  Clapper brass\n    mtu 1500 of 9000\nBell b2 is up\n"
    done = subprocess.run(read, input=text, capture_output=True, text=True, env=environment, check=False)
    assert done.returncode == 3
    lines = [line.strip() for line in done.stdout.splitlines()]
    assert "gives name = b2, oper_status = up" in lines and "- add: 'mtu <mtu> of <->'" in lines
    assert "3 ?     mtu 1500 of 9000" in lines and "unread: no pattern of the reader matches" in lines


def test_frames_and_wrapped_cells_account_for_every_line(tmp_path: Path) -> None:
    (tmp_path / "bells.yaml").write_text(MINE.replace("dialect: quay", "dialect: frr"))
    reader = load_reader(tmp_path / "bells.yaml")
    text = (
        "Bell b1 on span 7\n  Clapper brass\n    mtu 1500\n  Clapper iron\nBell b2 on span 8\nmtu 9\n"
        "Bell    State\na-very-long-bell\n        up\nb4      down\nbroken\n        sideways\nlonely\n\nClapper outside\n"
    )
    reading = accounted(reader, text)
    told = [(row["name"], row.get("description"), row.get("mtu"), row["line"]) for row in reading.rows["interface"]]
    assert told[:2] == [("b1", "brass", 1500, [1, 3]), ("b1", "iron", None, [1, 4])]
    assert [(row["name"], row.get("oper_status")) for row in reading.rows["interface"]][2:] == [
        ("a-very-long-bell", "up"),
        ("b4", "down"),
    ]
    assert {one.line: one.reason for one in reading.unread} == {
        5: "nothing follows that would make a record of it", 6: "nothing follows that would make a record of it",
        11: "'sideways' is none of: up, down, testing, unknown, dormant, not_present, lower_layer_down",
        12: "'sideways' is none of: up, down, testing, unknown, dormant, not_present, lower_layer_down",
        13: "a first cell, and not the rest of its row",
        15: "there is no frame around this line (Clapper <description>)",
    }  # fmt: skip


WAYS = """\
     Network          Next Hop            Metric LocPrf Weight Path
 *>   192.0.2.0/24     203.0.113.26           10             0 64500 i
"""
FOLLOWING = " *>                    203.0.113.30           20             0 64501 i\n"


def test_a_row_takes_the_first_cell_of_the_row_above_it_and_of_no_other() -> None:
    def read(text: str) -> tuple[list[tuple[str, str, int | None, int, str]], list[int]]:
        reading = nogging.read(text, dialect="ios", command="show ip bgp")
        names = ("destination_prefix", "next_hop_address", "local_preference", "weight", "as_path")
        rows = reading.records["bgp_path"].to_pylist() if "bgp_path" in reading.records else []
        return [tuple(row[name] for name in names) for row in rows], [one.line for one in reading.unread]

    first = ("192.0.2.0/24", "203.0.113.26", None, 0, "64500")
    assert read(WAYS + FOLLOWING) == ([first, ("192.0.2.0/24", "203.0.113.30", None, 0, "64501")], [])
    apart = " *>  \n                       203.0.113.30\n                                              20             0 64501 i\n"
    assert read(WAYS + apart)[0] == [first] and read(WAYS + apart)[1]
    assert read(WAYS + " *>   198.51.100.0/26  nobody  0\n" + FOLLOWING) == ([first], [3, 4]), (
        "whose it is, nobody knows"
    )
    ran_out = " *>   198.51.100.0     203.0.113.26      4294967295             0 64500 e\n"
    assert read(WAYS + ran_out) == ([first], [3]), "and what is missing is not taken from the next cell"


def test_what_several_answers_tell_is_put_together(build: Build) -> None:
    text = "Interface eth1 is up, line protocol is up\n  vrf: default\n  index 3 metric 0 mtu 1500 speed 10000\n"
    json = '{"eth1": {"administrativeStatus": "up", "linkUps": 4, "mtu": 1500}, "eth2": {"mtu": 9000}}'
    capture = build("now", {"mole-r1": {"show interface vrf all": text, "show interface vrf all json": json}})
    one, other = capture.records("interface").to_pylist()
    assert (one["name"], one["oper_status"], one["up_transitions"], one["mtu"], other["name"]) == (
        "eth1",
        "up",
        4,
        1500,
        "eth2",
    )
    contradicting = build(
        "other",
        {"mole-r1": {"show interface vrf all": text, "show interface vrf all json": json.replace("1500", "1400")}},
    )
    assert sorted(row["mtu"] for row in contradicting.records("interface").to_pylist()) == [1400, 1500, 9000]
    assert "a second interface with the key name eth1" in str(
        nogging.compare(contradicting, contradicting).not_compared
    )


LONG = {
    "frr": ("show ip route vrf all", """\
Codes: K - kernel route, C - connected,
VRF default:
O>* 192.0.2.11/32 [110/20] via 198.51.100.2, eth1, weight 1, 00:12:33
  *                        via 198.51.100.6, eth2, weight 1, 00:12:33
O   192.0.2.12/32 [110/10] is directly connected, lo, weight 1, 02w2d05h
C>* 192.0.2.12/32 is directly connected, lo, 02w2d05h
B>  198.51.100.0/26 [200/0] via 192.0.2.2 (recursive), weight 1, 00:02:09
  *                           via 203.0.113.2, eth1, weight 1, 00:02:09
S>* 203.0.113.0/24 [1/0] unreachable (blackhole), weight 1, 1d02h03m
B>* 203.0.113.9/27 [20/0] via 198.51.100.2, eth,1, label 17, weight 1, 00:00:09
O>q 203.0.113.64/26 [110/20] via 198.51.100.2, eth1 onlink, src 192.0.2.1, weight 1, 00:12:33
VRF quay:
O>* 2001:db8::/48 [110/20] via 2001:db8::2, eth1, weight 1, 00:12:33
"""),
    "ios": ("show ip route", """\
O*E2  0.0.0.0/0 [110/1] via 198.51.100.2, 02:11:10, GigabitEthernet0/1
      192.0.2.0/24 is variably subnetted, 5 subnets, 2 masks
O        192.0.2.11/32 [110/20] via 198.51.100.2, 02:11:10, Gi0/1
                       [110/20] via 198.51.100.6, 02:11:10, GigabitEthernet0/2
C        192.0.2.12/32 is directly connected, Loopback0
      198.51.100.0/30 is subnetted, 2 subnets
O IA     198.51.100.8 [110/20] via 198.51.100.2, 02:11:10, GigabitEthernet0/1
S     203.0.113.0/24 is directly connected, Null0
"""),
    "linux": ("ip route", """\
default via 192.0.2.254 dev eth0 metric 50
192.0.2.0/24 dev eth0 proto kernel scope link src 192.0.2.1
203.0.113.0/26 nhid 7 via 192.0.2.2 dev eth0 proto ospf metric 20
blackhole 203.0.113.64/26
"""),
}  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_many_lines_at_once_are_read_as_one_by_one(data: st.DataObject) -> None:
    """Tables put together at random out of good lines and spoilt ones: the same records, lines and accounts either way."""
    dialect = data.draw(st.sampled_from(["frr", "frr", "ios"]))
    command, sample = LONG[dialect]
    reader = find_reader(dialect, command)
    assert reader is not None and long_tables.octets_of(reader, sample)
    known = sample.splitlines()
    spoil = st.builds(
        lambda line, at, text: line[:at] + text + line[at:],
        st.sampled_from(known),
        st.integers(0, 70),
        st.text(" ,/[]>*x1.:\t", max_size=4),
    )
    line = st.one_of(st.sampled_from(known), st.sampled_from(known), spoil, st.just(""))
    lines = data.draw(st.lists(line, min_size=1, max_size=40))
    text = "\n".join(lines + data.draw(st.sampled_from([[], [""]])))
    one = LineReading(reader, AT, "a1", 0.0).read(text, whole=True)
    many = long_tables.Flat(reader, AT, "a1", 0.0).read(text.encode())
    assert many.unread == one.unread and many.skipped == one.skipped and dict(many.taken) == one.taken
    assert many.records["route"].to_pylist() == one.records["route"].to_pylist()
    assert many.counts() == one.counts()


PREFIXES = [
    "10.0.0.0/8",
    "0.0.0.0/0",
    "192.0.2.1/32",
    "10.0.0.0/7",
    "10.0.0.1/24",
    "10.0.0.0/33",
    "10.0.0.0/08",
    "010.0.0.0/8",
    "10.0.0.00/8",
    "256.0.0.0/8",
    "4294967296.0.0.0/8",
    "4294967306.0.0.0/8",
    "10.0.0/8",
    "10.0.0.0.0/8",
    "10.0.0.0",
    "10.0.0.0/",
    "10.0.0.0/8/8",
    "10.0.0.x/8",
    "10..0.0/8",
]


def test_a_prefix_is_the_same_in_a_long_table() -> None:
    """What is no prefix, or not written as it is kept, is seen by columns as it is line by line."""
    reader = next(reader for reader in readers("frr") if reader.name == "routes")
    for told in PREFIXES:
        routes = (f"B>* {each} [20/0] via 198.51.100.2, eth1, weight 1, 00:01:02" for each in ("10.0.0.0/8", told))
        text = "\n".join(routes)
        one = LineReading(reader, AT, "a1", 0.0).read(text, whole=True)
        many = long_tables.Flat(reader, AT, "a1", 0.0).read(text.encode())
        assert many.unread == one.unread and many.records["route"].to_pylist() == one.records["route"].to_pylist(), told


@cache
def of_blocks() -> list[tuple[Reader, Path]]:
    return [(one, path) for path in texts() if (one := reader_of(path)).forms and blocks.suits(one)]


@settings(max_examples=100, deadline=None)
@given(data=st.data())
def test_records_of_several_lines_are_read_at_once_as_one_by_one(data: st.DataObject) -> None:
    """Any reader's sample several times over, each time with other lines lost, doubled or spoilt."""
    reader, path = data.draw(st.sampled_from(of_blocks()))
    reader = replace(reader, blocks={})
    chance = data.draw(st.randoms(use_true_random=False))
    sample = path.read_text().rstrip("\n")
    copies = [sample] * data.draw(st.integers(2, 5)) + [spoilt(sample, chance) for _ in range(4)]
    chance.shuffle(copies)
    text = "\n".join(copies) + data.draw(st.sampled_from(["", "\n"]))
    whole = data.draw(st.booleans())
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(lines_of, "WORTH_IT", 10**9)
        one = LineReading(reader, AT, "a1", 0.0).read(text, whole)
        patch.setattr(lines_of, "WORTH_IT", 0)
        patch.setattr(blocks, "PAYS_AFTER", 0)
        patch.setattr(blocks, "OFTEN_ENOUGH", data.draw(st.integers(1, 2)))
        many = LineReading(reader, AT, "a1", 0.0).read(text, whole)
    assert many.rows == one.rows and many.unread == one.unread and many.skipped == one.skipped
    assert {n: {*names} for n, names in many.taken.items()} == {n: {*names} for n, names in one.taken.items()}


def test_a_long_table_is_read_at_once_and_captured_as_such(build: Build) -> None:
    command, sample = LONG["frr"]
    lines = [
        f"O>* 10.{n // 256}.{n % 256}.0/24 [110/20] via 198.51.100.2, eth{n % 7}, weight 1, 00:12:33"
        for n in range(3000)
    ]
    text = sample + "\n".join(lines) + "\nwhat is this\n"
    reading = nogging.read(text, dialect="frr", command=command, at=AT)
    assert isinstance(reading, long_tables.FastReading) and reading.fast["route"].num_rows > 3000
    assert [one.text for one in reading.unread] == ["what is this"] and reading.read + reading.skipped + 1 == len(
        text.splitlines()
    )
    capture = build("now", {"mole-r1": {command: text}})
    routes = capture.records("route")
    assert routes.num_rows == sum(reading.counts().values()) and routes.column("answer").unique().to_pylist() == [
        command
    ]
    assert capture.devices["mole-r1"].commands[command].records == {"route": routes.num_rows}
    again = build("again", {"mole-r1": {command: text.replace("10.3.7.0/24 [110/20]", "10.3.7.0/24 [110/30]")}})
    (moved,) = nogging.compare(capture, again).differences
    assert (moved.key["destination_prefix"], moved.fields) == ("10.3.7.0/24", {"metric": (20, 30)})
