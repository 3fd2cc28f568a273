"""What devices reach: echoes and traced paths, asked where somebody says so."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from tests.conftest import Sound, here

import nogging
from nogging.errors import QuestionError
from nogging.reading import read
from nogging.reading.asking import why_not
from nogging.standin import served

GANNET, OTTER, NOBODY = "192.0.2.13", "192.0.2.15", "203.0.113.200"
EXPECTED = f"""title: Everybody reaches Otter
expect:
  - title: Otter answers
    every: ping
    where: destination = '{OTTER}' and device in ('gannet-r1', 'heron-r1')
    must: outcome = 'answered' and rtt < 0.1
  - title: Otter is near
    none: hop
    where: destination = '{OTTER}' and hop_index > 3 and device = 'gannet-r1'
  - title: Nobody was asked for this
    none: ping
    where: destination = '192.0.2.99' and outcome != 'answered'
"""


def test_before_and_after_a_pulled_cable(tmp_path: Path) -> None:
    (tmp_path / "to.txt").write_text(f"{OTTER}   # a loopback\n\n{GANNET}\n")
    (tmp_path / "reach.yaml").write_text(EXPECTED)
    named = [str(tmp_path / "to.txt"), NOBODY]
    with served(tmp_path / "net") as net:
        inventory = nogging.load_inventory(net.inventory)
        before = nogging.capture(inventory, to=tmp_path / "before", ping=named, trace=[OTTER])
        again = nogging.capture(inventory, to=tmp_path / "again", ping=named, trace=[OTTER])
        net.network.unplug("otter-r1", "eth1")
        net.network.unplug("otter-r1", "eth2")
        after = nogging.capture(inventory, to=tmp_path / "after", ping=named, trace=[OTTER])
    assert before.records("unread").num_rows == after.records("unread").num_rows == 0
    assert nogging.compare(before, again).differences == ()
    states = {
        result.title: str(result.verdict) for result in nogging.check(tmp_path / "reach.yaml", after=before).results
    }
    assert states == {"Otter answers": "pass", "Otter is near": "pass", "Nobody was asked for this": "unproven"}
    assert nogging.check(tmp_path / "reach.yaml", after=after).verdict == "fail"

    lost = {
        (difference.device, difference.key["destination"])
        for difference in nogging.compare(before, after).differences
        if difference.kind == "ping"
    }
    # the network beyond edge-r1 knows no way back
    assert lost == {(name, OTTER) for name in before.devices if name not in ("otter-r1", "edge-r1")} | {
        ("otter-r1", GANNET)
    }
    status, told, _ = here("follow", "gannet-r1", OTTER, tmp_path / "before")
    assert status == 0 and "traced: as the tables promise" in told and f"otter-r1   {OTTER}" in told
    status, told, _ = here("follow", "gannet-r1", OTTER, tmp_path / "after")
    assert status == 1 and "did not arrive" in told


def test_a_trace_that_left_the_tables_is_told(sound: Sound, tmp_path: Path) -> None:
    capture = nogging.capture(sound.inventory, to=tmp_path / "now", trace=[OTTER])
    answer = capture.path_of("gannet-r1", f"traceroute -n -I -q 1 -w 1 -m 20 {OTTER}")
    elsewhere = next(row["ip"] for row in capture.records("address").to_pylist() if row["device"] == "heron-r1")
    folder = tmp_path / "saved"
    for path in sorted((tmp_path / "now" / "answers").rglob("*.txt")):
        copy = folder / path.relative_to(tmp_path / "now" / "answers")
        copy.parent.mkdir(parents=True, exist_ok=True)
        text = path.read_text()
        copy.write_text(text.replace("\n 2  ", f"\n 2  {elsewhere}  0.1 ms\n 3  ", 1) if path == answer else text)
    nogging.ingest(folder, to=tmp_path / "bent", inventory=sound.inventory)
    status, told, _ = here("follow", "gannet-r1", OTTER, tmp_path / "bent", "--one-way")
    assert status == 1 and "not as the tables promise" in told and re.search(rf"heron-r1 +{elsewhere}  no way", told)


def test_this_machine_is_a_device_that_lacks_nothing_else(sound: Sound, tmp_path: Path) -> None:
    capture = nogging.capture(sound.inventory, to=tmp_path / "now", ping=["127.0.0.1"], from_here=True)
    row = next(row for row in capture.records("ping").to_pylist() if row["device"] == "here")
    assert (row["destination"], row["outcome"], row["sent"], row["received"]) == ("127.0.0.1", "answered", 5, 5)
    (tmp_path / "e.yaml").write_text("expect:\n  - {every: interface, where: name = 'eth1', must: mtu > 0}\n")
    assert nogging.check(tmp_path / "e.yaml", after=capture).verdict == "pass"


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("192.0.2.1; reboot", "nothing to send to"),
        ("192.0.2.1 in TEAL;reboot", "nothing to send to"),
        ("192.0.2.1 in -f", "nothing to send to"),
        ("quay-h1", "nothing to send to"),
        ("fe80::1%$(reboot)", "nothing to send to"),
        ("fe80::1%eth0;reboot", "nothing to send to"),
        ("192.0.2.1,224.0.0.1", "nothing to send to"),
        ("255.255.255.255", "nothing to send to"),
        ("{folder}/to.txt", "to.txt:2: 'otter'"),
    ],
)
def test_what_is_no_target_is_refused_before_anything_is_sent(
    sound: Sound, tmp_path: Path, text: str, why: str
) -> None:
    (tmp_path / "to.txt").write_text("192.0.2.1 in TEAL\notter\n")
    with pytest.raises(QuestionError, match=why):
        nogging.capture(sound.inventory, to=tmp_path / "now", ping=[text.replace("{folder}", str(tmp_path))])
    assert not (tmp_path / "now").exists()


@pytest.mark.parametrize("command", ["ping 192.0.2.1", "sudo ping 192.0.2.1", "traceroute 192.0.2.1"])
def test_a_plain_command_sends_nothing(command: str) -> None:
    assert why_not("linux", command) == "it sends traffic"
    assert why_not("ios", command.removeprefix("sudo ").replace("traceroute", "trace")) == "it sends traffic"


def test_what_a_command_says_is_taken_where_the_answer_does_not() -> None:
    silent = "ping: connect: Network is unreachable\n"
    row = read(silent, dialect="linux", command="ip vrf exec TEAL ping -c 5 2001:DB8::0001").rows["ping"][0]
    assert (row["vrf"], row["destination"], row["outcome"]) == ("TEAL", "2001:db8::1", "unanswered")
    assert read(silent, dialect="linux", command="ping quay-h1").unread
