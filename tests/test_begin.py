"""From nothing to a first verdict: a folder for a network, and a capture without an inventory."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path

import asyncssh
import pytest

import nogging
from conftest import Sound, here, listening
from nogging.collecting import finding
from nogging.collecting.beginning import newcomers
from nogging.errors import NoggingError
from nogging.standin.server import new_host_key


def secret(sound: Sound) -> list[str]:
    return ["--user", "noc", "--password", f"file={sound.folder / 'password'}"]


def test_a_newcomer_has_a_verdict_with_one_command(
    sound: Sound, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A sheet with a name, a label and a dialect for one, bare places for the others, and one that is not there."""
    monkeypatch.chdir(tmp_path)
    one, *others = sound.inventory.devices
    Path("sheet.csv").write_text(
        f"name,address,port,berth,dialect\n{one.name},{one.address},{one.port},north,{one.dialect}\n"
    )
    Path("list").write_text(
        "".join(f"{other.address}:{other.port}  # {other.name}\n" for other in others) + "127.0.0.1:1\n"
    )
    given = ("begin", "sheet.csv", "list", "--to", "net", *secret(sound))
    status, out, told = here(*given)
    assert status == 2 and "not pinned yet" in told and "SHA256:" in out and not Path("net/inventory.yaml").exists()
    status, out, told = here(*given, "--pin")
    assert status == 3, "one of them is not there"
    assert "8 of 8 devices captured" in out and "PASS" in out and "connection refused" in out
    found = nogging.load_inventory("net/inventory.yaml")
    assert {(device.name, device.dialect) for device in found.devices} == {
        (one.name, one.dialect) for one in sound.inventory.devices
    }
    assert found.device(one.name).labels == {"berth": "north"}
    assert "# unreachable: 127.0.0.1 port 1" in Path("net/inventory.yaml").read_text()
    assert here("rehearse", "net/change.yaml")[2].startswith(
        "nogging: net/change.yaml:5:1: nothing is done in this file"
    )
    steps = (
        Path("net/change.yaml")
        .read_text()
        .replace("# steps:\n#   - on: name = 'NAME'\n#     intent", "steps:\n  - on: name = 'gannet-r1'\n    intent")
    )
    Path("net/change.yaml").write_text(steps)
    status, out, told = here("rehearse", "net/change.yaml")
    assert status == 0 and "description to the harbour office" in out, out + told
    assert here(*given, "--pin")[0] == 2, "what is there already is not written over"


def test_a_capture_without_an_inventory(sound: Sound, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("HOME", str(tmp_path))
    places = [f"noc@{device.address}:{device.port}" for device in sound.inventory.devices[:2]]
    given = ("capture", *places, "--to", "now", "--password", f"file={sound.folder / 'password'}")
    status, _, told = here(*given)
    assert status == 2 and "is not known" in told, "no host key is taken unseen"
    (tmp_path / ".ssh").mkdir(mode=0o700)
    (tmp_path / ".ssh/known_hosts").write_text((sound.folder / "known_hosts").read_text())
    assert here(*given)[0] == 0
    assert {(name, one.dialect) for name, one in nogging.Capture("now").devices.items()} == {
        ("mole-r1", "frr"),
        ("mole-r2", "ios"),
    }
    assert here("capture", places[0], "--to", "x", "--password", "clear=text")[0] == 2


@pytest.mark.parametrize(
    ("sources", "told"),
    [
        (["nobody@"], "is no device"),
        (["a:99999"], "not a port"),
        (["192.0.2.1", "192.0.2.1:22"], "named twice"),
        (["odd.csv"], "odd.csv:1:1: the heading 'address' is missing"),
        (["secret.csv"], "secret.csv:1:9: the column 'Enable Password' holds secrets"),
        (["hosts"], "hosts:2: 'a;b' is no name"),
        (["empty"], "no devices are named"),
    ],
)
def test_what_is_no_device_is_told(
    sources: list[str], told: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("odd.csv").write_text("serial\nx\n")
    Path("secret.csv").write_text("name,ip,Enable Password\nmole-r1,192.0.2.1,hunter2\n")
    Path("hosts").write_text("192.0.2.1 mole-r1\n192.0.2.2 a;b\n")
    Path("empty").write_text("# nobody\n")
    with pytest.raises(NoggingError, match=told):
        newcomers(sources)


SHEETS = {
    "semicolons.csv": "Hostname;IP Address;Rack Unit\nmole-r1;192.0.2.1;7\n",
    "marked.csv": "\ufeffDevice Name,Management IP,Rack-Unit,Platform\r\nmole-r1,192.0.2.1/24,7,IOS\r\n",
    "bare.csv": "mole-r1,192.0.2.1\n",
    "tabs.tsv": "host\tmgmt_ip\track unit\tPort\nmole-r1\t192.0.2.1\t7\t22\n",
    "bare": "mole-r1\t192.0.2.1\n",
    "hosts": "192.0.2.1 mole-r1 # the first\n",
}


@pytest.mark.parametrize("name", SHEETS)
def test_sheets_as_people_have_them(name: str, tmp_path: Path) -> None:
    (tmp_path / name).write_text(SHEETS[name])
    (one,) = newcomers([str(tmp_path / name)])
    assert (one.name, one.address, one.port) == ("mole-r1", "192.0.2.1", 22)
    assert one.labels == ({"rack_unit": "7"} if "ack" in SHEETS[name] else {})
    assert one.dialect == ("ios" if name == "marked.csv" else "")


def test_places_as_people_write_them() -> None:
    found = newcomers(["noc@192.0.2.11", "gannet.example:2222", "2001:db8::1", "noc@[2001:db8::2]:830"])
    assert [(one.user, one.address, one.port) for one in found] == [
        ("noc", "192.0.2.11", 22),
        ("", "gannet.example", 2222),
        ("", "2001:db8::1", 22),
        ("noc", "2001:db8::2", 830),
    ]


async def _silent(process: asyncssh.SSHServerProcess[str]) -> None:
    await process.stdin.read()


async def _babbling(process: asyncssh.SSHServerProcess[str]) -> None:
    """A system that nobody knows, with a prompt that is none, and control characters in it."""
    process.stdout.write("welcome\r\n\x1b]0;owned\x07odd% ")
    async for line in process.stdin:
        process.stdout.write(f"\r\nwhat is {line.strip()}?\r\nodd% ")


class Anybody(asyncssh.SSHServer):
    def begin_auth(self, username: str) -> bool:
        return False


@pytest.mark.parametrize(("speaks", "outcome"), [(_silent, "silent"), (_babbling, "not_understood")])
def test_who_is_not_understood_is_not_guessed_at(
    speaks: Callable[..., object], outcome: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(finding, "FIRST_WITHIN", 2.0)
    monkeypatch.chdir(tmp_path)
    with listening(new_host_key(), process_factory=speaks, server_factory=Anybody, line_editor=False) as port:
        status, out, told = here("begin", f"127.0.0.1:{port}", "--to", "net", "--password", "none", "--pin")
    assert status == 2 and outcome.replace("_", " ") in out and "\x1b" not in out + told
    assert "nothing was made of it" in told and not Path("net/inventory.yaml").exists()


def test_the_pipeline_that_is_laid_there_is_a_shells() -> None:
    script = Path(nogging.__file__).parent / "collecting/begun/judge.sh"
    assert (Path(__file__).parent.parent / "examples/pipeline/judge.sh").resolve() == script.resolve()
    subprocess.run(["sh", "-n", script], check=True)


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("sheet.csv", "name,address,dialect,Enable Secret\nmole-r1,192.0.2.1,ios,hunter2\n"),
        ("inventory.yaml", "devices: [{name: mole-r1, address: 192.0.2.1, dialect: ios, snmp_community: hunter2}]\n"),
    ],
)
def test_no_secret_becomes_a_label(name: str, text: str, tmp_path: Path) -> None:
    (tmp_path / name).write_text(text)
    status, out, told = here("capture", tmp_path / name, "--to", tmp_path / "x")
    assert status == 2 and "would be a label" in told and "hunter2" not in out + told
