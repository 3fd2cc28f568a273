"""What engineers have: a terminal's log, a folder of answers, one answer in a file; nothing declared."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

import nogging
from conftest import Build, Change
from nogging.captures.capture import Capture
from nogging.captures.saved import ingest, opened
from nogging.dialects.declared import dialects, load_dialect
from nogging.dialects.reader_folders import LIBRARY
from nogging.errors import QuestionError
from nogging.judging.verdict import Verdict
from nogging.reading.reader import find_reader, is_part, readers, spelled
from nogging.reading.recognising import recognised
from nogging.reading.samples import read_sample, samples
from nogging.records import Type
from test_cli import nogging as run

PROMPTS = {"mole-r2": "{}#{}", "heron-r1": "{}#{}", "gannet-r1": "{}# {}", "edge-r1": "{}# do {}"}
SHORT = {"show ": "sh ", "interfaces": "int", "neighbor detail": "nei det", "running-config": "run"}


def logged(capture: Capture, path: Path) -> Path:
    """A session on four devices of two dialects, the commands typed as people do, an empty prompt here and there."""
    said = "\r\nlast login: never\r\n"
    for device, prompt in PROMPTS.items():
        for command, entry in capture.devices[device].commands.items():
            if entry.has_text and command.startswith("show "):
                typed = command
                for long, short in SHORT.items() if device != "edge-r1" else ():
                    typed = typed.replace(long, short)
                said += prompt.format(device, typed) + "\n" + capture.answer(device, command)
        said += prompt.format(device, "").removesuffix("do ") + "\n"
    path.write_text(said)
    return path


def test_two_logs_are_compared_with_nothing_declared(bad: Change, tmp_path: Path) -> None:
    before, after = logged(bad.before, tmp_path / "before.log"), logged(bad.after, tmp_path / "after.log")
    found = nogging.compare(before, after)
    told = nogging.compare(bad.before, bad.after)

    def routes(comparison: nogging.Comparison) -> set[object]:
        return {
            (difference.what, difference.identity)
            for difference in comparison.differences
            if difference.kind == "route" and difference.device in PROMPTS
        }

    assert routes(found) == routes(told) and routes(found)
    assert any("mole-r2 (ios" in note and "gannet-r1 (frr" in note for note in found.notes), found.notes
    path = tmp_path / "expectations.yaml"
    path.write_text("expect: [{every: neighbor, where: \"protocol = 'ospf'\", must: settled}]\n")
    assert nogging.check(path, after=after, before=before).verdict is Verdict.FAIL
    done = run("compare", before, after)
    assert done.returncode == 1 and "taken as those of" in done.stdout
    done = run("records", "system", before, "--format", "csv")
    assert done.returncode == 0 and "mole-r2" in done.stdout


def test_a_folder_of_answers_is_taken_for_a_capture(good: Change, tmp_path: Path) -> None:
    for device in ("mole-r2", "gannet-r1"):
        (tmp_path / device).mkdir()
        for command in ("show version", "show interfaces" if device == "mole-r2" else "show interface"):
            (tmp_path / device / f"{command}.txt").write_text(good.before.answer(device, command))
    capture = opened(tmp_path)
    assert {name: one.dialect for name, one in capture.devices.items()} == {"mole-r2": "ios", "gannet-r1": "frr"}
    assert capture.records("interface").num_rows > 5 and "taken as those of" in capture.remarks[0]
    (tmp_path / "mole-r2" / "show version.txt").write_text("nothing that anybody knows\n")
    (tmp_path / "mole-r2" / "show interfaces.txt").unlink()
    with pytest.raises(QuestionError, match="mole-r2: what it speaks cannot be told"):
        opened(tmp_path)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("no prompt at all\n", "there is no prompt of a device"),
        ("mole-r2# show nothing known\nwhat is this\nmole-r2#\n", "mole-r2: what it speaks cannot be told"),
    ],
)
def test_what_cannot_be_told_is_asked_for(tmp_path: Path, text: str, told: str) -> None:
    (tmp_path / "session.log").write_text(text)
    with pytest.raises(QuestionError, match=told):
        opened(tmp_path / "session.log")
    done = run("compare", tmp_path / "session.log", tmp_path / "session.log")
    assert done.returncode == 2 and told in " ".join(done.stderr.split()) and "Traceback" not in done.stderr


@pytest.mark.parametrize(
    ("dialect", "heading"),
    [
        ("ios", "\n------------------ {} ------------------\n\n"),
        ("eos", "\n------------- {} -------------\n\n"),
        ("nxos", "`{}`\n"),
    ],
)
@pytest.mark.parametrize("prompt", ["gannet-r1#", ""])
def test_what_gathers_many_answers_is_cut_into_them(tmp_path: Path, dialect: str, heading: str, prompt: str) -> None:
    """With the prompt before it, or as a file of its own, which then names the device."""
    said = {}
    for name in ("version", "ospf_neighbors_brief", "bgp_summary"):
        sample = LIBRARY / dialect / f"{name}.answer"
        said[read_sample(sample)[0]["command"]] = sample.read_text().strip("\n") + "\n"
    text = "".join(heading.format(command) + answer for command, answer in said.items())
    begin = f"{prompt}show tech-support\n" if prompt else ""
    (tmp_path / "gannet-r1.log").write_text(f"{begin}{text}{prompt}\n")
    capture = ingest(tmp_path / "gannet-r1.log", tmp_path / "capture")
    assert {command: capture.answer("gannet-r1", command) for command in said} == said
    assert capture.devices["gannet-r1"].dialect == dialect and set(capture.devices["gannet-r1"].commands) == set(said)
    (tmp_path / "saved" / "gannet-r1").mkdir(parents=True)
    (tmp_path / "saved" / "gannet-r1" / "show_tech-support.txt").write_text(text)
    again = ingest(tmp_path / "saved", tmp_path / "again")
    assert again.devices["gannet-r1"].dialect == dialect and set(again.devices["gannet-r1"].commands) == set(said)
    with pytest.raises(QuestionError, match="takes it apart"):
        recognised(text)


def test_a_command_for_some_records_proves_no_others(good: Change, tmp_path: Path) -> None:
    """One interface, one protocol's routes: what they lack is not known to be none."""
    answer = good.before.answer("gannet-r1", "show interface")
    first = "Interface " + answer.split("\nInterface ")[1] + "\n"
    log = f"gannet-r1# sh int eth1\n{first}gannet-r1# sh ip ro ospf\n"
    routes = good.before.answer("gannet-r1", "show ip route vrf all")
    log += (
        "\n".join(line for line in routes.split("\n") if line.startswith(("O", "  ")) or not line) + "\ngannet-r1# \n"
    )
    (tmp_path / "part.log").write_text(log)
    path = tmp_path / "expectations.yaml"
    path.write_text(
        "expect:\n"
        "  - {none: interface, where: mtu < 1000}\n"
        "  - {none: route, where: source_protocol = 'static'}\n"
        "  - {some: route, where: source_protocol = 'ospf'}\n"
    )
    found = nogging.check(path, after=tmp_path / "part.log").results
    assert [one.verdict for one in found] == [Verdict.UNPROVEN, Verdict.UNPROVEN, Verdict.PASS]
    assert "asks for some of them only" in found[0].reason, found[0]


def test_an_answer_is_recognised_by_what_reads_all_of_it() -> None:
    """Over the samples: the right reader is taken, or several are named; never another one's records."""
    right = asked = 0
    for path in list(samples(LIBRARY))[::41]:
        name, dialect = path.name.split(".")[0], path.parent.name
        try:
            guess = recognised(path.read_text())
        except QuestionError:
            asked += 1
            continue
        meant = recognised(path.read_text(), dialect).reader
        named = any(field.type is Type.INTERFACE for kind in guess.reader.kinds for field in kind.own)
        alike = meant.like == guess.reader.path and not named  # the same lines, no ports in them
        same = (guess.reader.dialect == dialect or alike) and guess.reader.kinds == meant.kinds
        below = guess.reader.dialect in load_dialect(dialect).builds_on  # as said by the system beneath
        assert same or below, f"{dialect}/{name} taken as {guess.told}"
        right += 1
    assert right > 2 * asked, (right, asked)


def test_reading_says_what_it_took(good: Change, tmp_path: Path) -> None:
    answer = good.before.answer("gannet-r1", "show ip route vrf all")
    (tmp_path / "answer.txt").write_text(answer)
    done = run("read", tmp_path / "answer.txt")
    assert done.returncode == 0 and "taken as: frr, 'show ip route vrf all'" in done.stderr
    (tmp_path / "answer.txt").write_text(f"gannet-r1# sh ip route vrf all\n{answer}gannet-r1# \n")
    done = run("read", tmp_path / "answer.txt", "--format", "json")
    assert done.returncode == 0 and "taken as: frr, 'sh ip route vrf all'" in done.stderr
    (tmp_path / "answer.txt").write_text("\n")
    done = run("read", tmp_path / "answer.txt")
    assert done.returncode == 2 and "not recognised; say --dialect and --command" in " ".join(done.stderr.split())


@pytest.mark.parametrize(
    ("dialect", "typed", "meant", "part"),
    [
        ("nxos", "sh bgp vrf SEA ipv4 unicast summary", "show bgp ipv4 unicast summary vrf SEA", True),
        ("nxos", "show bgp vrf all all summary", "show bgp vrf all all summary", False),
        ("ios", "show ip route | i 10.1", "show ip route", False),
        ("frr", "show ip ospf vrf all neighbor", "show ip ospf vrf all neighbor", False),
        ("frr", "show ip ospf neighbor eth1 detail", "show ip ospf neighbor eth1 detail", True),
        ("junos", "show ospf neighbor area 0 detail", "show ospf neighbor area 0 detail", True),
        ("junos", "show bgp neighbor instance SEA 203.0.113.1", "show bgp neighbor instance SEA 203.0.113.1", True),
    ],
)
def test_one_name_more_asks_for_less_and_another_place_for_the_same(
    dialect: str, typed: str, meant: str, part: bool
) -> None:
    assert find_reader(dialect, typed) is not None
    assert spelled(dialect, typed)[0] == meant and is_part(dialect, typed) is part


@pytest.mark.parametrize("dialect", dialects())
def test_what_is_asked_of_one_vrf_is_filed_under_no_other(dialect: str) -> None:
    """A reader whose records are those of the default VRF, unless something says otherwise, hears what a command says."""
    for reader in readers(dialect):
        patterns = reader.command_patterns + reader.partial_patterns if "vrf" in reader.start else ()
        assert not [one.text for one in patterns if re.search(r"(vrf|instance|vpn) <->", one.text)], reader.name
    for command in ("show ip arp vrf teal 192.0.2.1", "show ospf neighbor instance teal detail"):
        reader = find_reader(dialect, command)
        assert reader is None or reader.asked_by(command).start.get("vrf", "teal") == "teal"


def test_what_changes_a_device_is_no_question_for_the_names_in_it() -> None:
    assert find_reader("frr", "ip route 10.0.0.0/8 192.0.2.1") is None
    assert find_reader("ios", "no show ip route 10.0.0.1 mole") is None
    assert find_reader("nxos", "show " + "1 vrf teal " * 2000) is None  # at once: nobody tries all that it could mean


EVERYDAY = {
    path.stem: path.read_text().split("\n")[:-1] for path in sorted(Path(__file__).parent.glob("everyday/*.txt"))
}
"""What engineers type on each system, of whatever it is about."""


@pytest.mark.parametrize("dialect", EVERYDAY)
def test_everyday_commands_are_known_in_full_and_cut_short(dialect: str) -> None:
    found = {command: find_reader(dialect, command) for command in EVERYDAY[dialect]}
    assert sum(reader is not None for reader in found.values()) >= 0.95 * len(found)
    short = [
        (" ".join(word[:letters] if word.isalpha() else word for word in command.split()), reader)
        for command, reader in found.items()
        for letters in (3, 4)
        if reader is not None and reader.kinds and dialect != "linux"
    ]
    meant = [find_reader(dialect, command) is reader for command, reader in short]
    assert sum(meant) >= 0.9 * len(meant)
    singular = {
        command: re.sub(r"(?<=[a-z]{3}[a-rt-z])s(?= |$)", "", command) for command, reader in found.items() if reader
    }
    unknown = [one for one in singular.values() if find_reader(dialect, one) is None]
    assert len(unknown) <= 0.02 * len(singular), unknown


@pytest.mark.parametrize("dialect", ["frr", "bird", "sonic"])
def test_what_runs_on_linux_knows_what_linux_knows(dialect: str) -> None:
    known = [command for command in EVERYDAY["linux"] if find_reader("linux", command)]
    assert [command for command in known if find_reader(dialect, command) is None] == []


def test_an_answer_that_no_reader_knows_is_compared_by_its_words(tmp_path: Path) -> None:
    said = {
        "before": "Foo bar 3\nring state ok\n",
        "after": "Foo bar 4\nring state broken\n",
        "again": "Foo bar 5\nring state ok\n",
        "refused": "                ^\n% Invalid input detected at '^' marker.\n",
    }
    for name, text in said.items():
        (tmp_path / name / "mole-r1").mkdir(parents=True)
        (tmp_path / name / "mole-r1" / "show quay ring.txt").write_text(text)
        done = run("ingest", tmp_path / name, "--to", tmp_path / f"{name}.capture", "--dialect", "ios")
        assert done.returncode == 3 and "no reader knows 'show quay ring'" in done.stdout
    told = {
        name: nogging.compare(tmp_path / "before.capture", tmp_path / f"{name}.capture").differences for name in said
    }
    assert [(one.kind, one.what) for one in told["after"]] == [("answer", "moved")]
    assert [(one.kind, one.what) for one in told["refused"]] == [("answer", "gone")]
    assert not told["again"] and not told["before"]


CONFIGURED = """\
hostname mole-r1
!
route-map OUT permit 10
 match ip address prefix-list ISLES
 set metric 50
!
ip prefix-list ISLES seq 5 permit 203.0.113.0/24
ip prefix-list ISLES seq 10 permit 198.51.100.0/24
router bgp 64500
 neighbor 198.51.100.9 route-map OUT out
end
"""
OTHERWISE = {
    "a line within": (CONFIGURED.replace("metric 50", "metric 60"), "'route-map OUT permit 10'"),
    "an order": (CONFIGURED.replace("seq 5", "seq 15"), "'ip prefix-list'"),
    "a section more": (CONFIGURED.replace("end\n", "interface Loopback7\n shutdown\nend\n"), "new 'interface Loopback7'"),
    "a section less": (CONFIGURED.replace("router bgp 64500\n neighbor 198.51.100.9 route-map OUT out\n", ""), "gone 'router bgp 64500'"),
    "a comment": ("! Last configuration change at 02:11:03 UTC by noc\n" + CONFIGURED, ""),
}  # fmt: skip


@pytest.mark.parametrize("case", OTHERWISE)
def test_no_section_of_a_configuration_changes_unseen(build: Build, tmp_path: Path, case: str) -> None:
    text, told = OTHERWISE[case]
    before, after = (
        build(name, {"mole-r1": {"show running-config": said}}, dialect="ios")
        for name, said in (("before", CONFIGURED), ("after", text))
    )
    found = nogging.compare(before, after)
    where = "mole-r1, 'show running-config': configured otherwise: "
    assert found.notes == ((where + told,) if told else ())
    assert not any(difference.kind == "configuration" for difference in found.differences)
    file = tmp_path / "expectations.yaml"
    file.write_text("include: [ready/configurations.yaml]\n")
    judged = nogging.check(file, before=before, after=after)
    assert judged.verdict is (Verdict.FAIL if told else Verdict.PASS)


TYPED = """\
mole-r2#conf t
Enter configuration commands, one per line.  End with CNTL/Z.
mole-r2(config)#enable secret FERRYSECRET1
mole-r2(config)#snmp-server community FERRYSECRET2 RO
mole-r2(config)#end
mole-r2#sh clock
02:11:03.123 UTC Sun Nov 29 2026
mole-r2#conf t
mole-r2(config)#do sh vlan br

VLAN Name                             Status    Ports
---- -------------------------------- --------- -------------------------------
1    default                          active    Gi0/1
mole-r2(config)#exit
"""
AT_A_SHELL = """\
noc@heron-r1:~$ sudo vtysh
noc@heron-r1:~$ curl -u noc:FERRYSECRET3 http://192.0.2.77/x
ok
noc@heron-r1:~$ ip -br l
lo               UNKNOWN        00:00:00:00:00:00 <LOOPBACK,UP,LOWER_UP>
noc@heron-r1:~$ logout
"""


@pytest.mark.parametrize(("log", "dialect", "status", "answers"), [(TYPED, "ios", 0, 2), (AT_A_SHELL, "linux", 3, 2)])
def test_what_is_typed_in_a_log_and_asks_for_nothing_is_left_out_and_no_secret_in_it_is_kept(
    tmp_path: Path, log: str, dialect: str, status: int, answers: int
) -> None:
    (tmp_path / "night.log").write_text(log)
    done = run("ingest", tmp_path / "night.log", "--to", tmp_path / "kept", "--dialect", dialect)
    assert done.returncode == status and "left out, since it asks for nothing: " in done.stdout
    kept = [path for path in (tmp_path / "kept").rglob("*") if path.is_file()]
    assert not any(b"FERRYSECRET" in path.read_bytes() or "FERRYSECRET" in path.name for path in kept)
    assert "FERRYSECRET" not in done.stdout + done.stderr
    (device,) = Capture(tmp_path / "kept").devices.values()
    assert len(device.commands) == answers


def test_what_a_device_speaks_is_told_by_the_other_log(tmp_path: Path) -> None:
    route = "mole-r2#show ip route 203.0.113.7\nRouting entry for 203.0.113.0/24\n"
    route += '  Known via "static", distance 1, metric 0\n  Routing Descriptor Blocks:\n  * 198.51.100.9\n'
    version = (
        "mole-r2#show vlan brief\n\nVLAN Name Status Ports\n---- ---- --------- ----\n1    default active    Po{}\n"
    )
    clear, open_ = tmp_path / "clear.log", tmp_path / "open.log"
    clear.write_text(version.format(1) + route + "mole-r2#\n")
    open_.write_text(version.format(2) + "mole-r2#\n")
    with pytest.raises(QuestionError, match="cannot be told"):
        opened(open_)
    for before, after in ((clear, open_), (open_, clear)):
        assert any(difference.kind == "vlan" for difference in nogging.compare(before, after).differences)


SESSION = """mole-r1#sh ip int br
Interface              IP-Address      OK? Method Status                Protocol
GigabitEthernet0/0/0   203.0.113.1     YES NVRAM  up                    up
GigabitEthernet0/0/1   203.0.113.5     YES NVRAM  up                    up
mole-r1#sh ip ospf nei

Neighbor ID     Pri   State           Dead Time   Address         Interface
192.0.2.2         0   FULL/  -        00:00:35    203.0.113.2     GigabitEthernet0/0/0
mole-r1#
"""
KEPT = {
    "[2026-11-29 02:00:01.123] ": "",
    "02:00:01 ": "",
    "2026-11-29T02:00:01+00:00 ": "",
    "[2026/11/29 02:00:01] ": "\r",
    "": "\a",
}


@pytest.mark.parametrize("stamp", KEPT)
def test_a_terminal_may_write_the_time_before_each_line_and_keys_and_bells_among_them(
    tmp_path: Path, stamp: str
) -> None:
    plain, kept = tmp_path / "plain.log", tmp_path / "kept.log"
    plain.write_text(SESSION)
    typed = SESSION.replace("mole-r1#sh ip ospf", "mole-r1(config-if)#^Z\nmole-r1#^C\nmole-r1#sh ip os\apf")
    kept.write_text("".join(f"{stamp}{line}{KEPT[stamp]}\n" for line in typed.splitlines()))
    found = nogging.compare(plain, kept)
    assert (found.differences, found.not_compared) == ((), ())
    assert set(opened(kept).devices["mole-r1"].commands) == {"show ip interface brief", "show ip ospf neighbor"}


ERASED = "\b" * 9 + " " * 8 + "\b" * 9
ONE = SESSION[: SESSION.index("mole-r1#sh ip ospf")]
AS_SAVED = {
    "with prompts": ONE + "mole-r1#",
    "with the command alone": ONE.removeprefix("mole-r1#"),
    "from a terminal of its own": f"{ONE}mole-r1#".replace("\n", "\r\n"),
    "with pages": ONE.replace("\nGig", f"\n --More-- {ERASED}Gig"),
    "with what is left of pages": ONE.replace("\nGig", f"\n --More-- {' ' * 8}Gig").replace(
        "\nInt", "\n --More-- \nInt"
    ),
}


@pytest.mark.parametrize("case", AS_SAVED)
def test_an_answer_is_the_same_with_what_a_terminal_wrote_around_it(tmp_path: Path, case: str) -> None:
    command, *answer = ONE.removeprefix("mole-r1#").splitlines(keepends=True)
    plain = nogging.read("".join(answer), dialect="ios", command=command.strip())
    (tmp_path / "saved.txt").write_bytes(AS_SAVED[case].encode())
    done = run(
        "read", tmp_path / "saved.txt", "--dialect", "ios", "--command", "show ip interface brief", "--format", "json"
    )
    said = json.loads(done.stdout)
    assert (done.returncode, said["unread"]) == (0, [])
    names = [row["name"] for row in plain.records["interface"].to_pylist()]
    assert [row["name"] for row in said["records"]["interface"]] == names


V4, V6, VRF = (
    "mole-r1#show ip route\nO     198.51.100.0/26 [110/2] via 203.0.113.2, 00:12:40, GigabitEthernet0/0/0\n",
    "mole-r1#show ipv6 route\nOI  2001:DB8:A::/48 [110/3]\n     via FE80::2, GigabitEthernet0/0/0\n",
    "mole-r1#show ip route vrf CUSTOMER-A\n\nRouting Table: CUSTOMER-A\n"
    "S     198.51.100.64/26 [1/0] via 198.51.100.2\n",
)
EMPTY = "mole-r1#show ip route\nGateway of last resort is not set\n"
OSPF = SESSION[SESSION.index("mole-r1#sh ip ospf") :]
ONLY_BEFORE = {
    "a protocol": (SESSION, OSPF, ()),
    "a family": (V4 + V6, V4, ()),
    "a VRF": (V4 + VRF, V4, ()),
    "some of them": (V4 + VRF, EMPTY, ("198.51.100.0/26",)),
}


@pytest.mark.parametrize("case", ONLY_BEFORE)
def test_nothing_is_gone_that_nobody_asked_for(tmp_path: Path, case: str) -> None:
    """What nobody asked for again is not compared; where another command would have told of it, it is gone."""
    old, new, gone = ONLY_BEFORE[case]
    for name, text in (("before", old), ("after", new)):
        (tmp_path / name).write_text(text + "mole-r1#\n")
    for before, after, what in (("before", "after", "gone"), ("after", "before", "new")):
        found = nogging.compare(tmp_path / before, tmp_path / after)
        routes = [difference for difference in found.differences if difference.kind == "route"]
        assert {(route.what, route.key["destination_prefix"]) for route in routes} == {(what, one) for one in gone}
        assert any("not asked" in one for one in found.not_compared)


def test_names_of_interfaces_tell_what_is_spoken_and_a_short_form_stands_for_the_long_one(tmp_path: Path) -> None:
    """ios and nxos print the same table of neighbors; only one of them has a GigabitEthernet. All neighbors are in it."""
    log, file = tmp_path / "after.log", tmp_path / "expectations.yaml"
    log.write_text(OSPF)
    assert opened(log).devices["mole-r1"].dialect == "ios"
    file.write_text("expect: [{every: neighbor, where: \"protocol = 'ospf'\", must: settled}]\n")
    assert nogging.check(file, after=log).verdict is Verdict.PASS
    file.write_text("expect: [{every: neighbor, where: \"protocol = 'bgp'\", must: settled}]\n")
    assert nogging.check(file, after=log).verdict is Verdict.UNPROVEN
