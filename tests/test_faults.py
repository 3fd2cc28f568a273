"""Bad days: each fault, and what the user is told of it."""

from __future__ import annotations

import asyncio
import os
import random
import subprocess
import threading
from contextlib import ExitStack
from datetime import datetime
from pathlib import Path

import asyncssh
import pytest

import nogging
from conftest import Sound, listening
from nogging.collecting.visiting import Limits
from nogging.devices.session import LineSession
from nogging.devices.ssh import Credentials, SshLink, connect
from nogging.errors import CaptureError, Lost, QuestionError
from nogging.inventory import Inventory
from nogging.report.progress import Progress
from nogging.standin.folder import Folder
from nogging.standin.scenario import teal_sound
from nogging.standin.server import Servers, new_host_key
from sickness import PROMPT, deaf, refusing, sick, speaking

NOISE = random.Random(3).randbytes(4096).replace(b"\n", b"")


def inventory(folder: Path, key: str, rows: dict[str, tuple[int, str]], settings: str = "") -> Inventory:
    """An inventory of devices on loopback: name, port, and what else the entry says; all with one host key."""
    public = asyncssh.import_private_key(key).export_public_key().decode()
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "known_hosts").write_text("".join(f"[127.0.0.1]:{port} {public}" for port, _ in rows.values()))
    (folder / "password").touch(0o600)
    (folder / "password").write_text("cormorant\n")
    devices = "".join(
        f"  - {{name: {name}, address: {'' if 'address' in more else '127.0.0.1'}{more}, port: {port}, dialect: ios}}\n".replace("address: address:", "address:")
        for name, (port, more) in rows.items()
    )  # fmt: skip
    text = (
        f"settings:\n  - login: {{user: noc, password: {{file: password}}}}\n    known_hosts: known_hosts\n{settings}"
    )
    (folder / "inventory.yaml").write_text(f"{text}devices:\n{devices}")
    return nogging.load_inventory(folder / "inventory.yaml")


TOLD = {
    "closed": ("unreachable", "connection refused"),
    "nowhere": ("unreachable", "unreachable"),
    "deaf": ("unreachable", "no SSH connection to 127.0.0.1 port"),
    "no-banner": ("silent", "did not begin SSH within 1 s (no banner)"),
    "no-keys": ("silent", "did not get through the key exchange within 1 s"),
    "no-login": ("silent", "did not answer the login within 1 s"),
    "no-prompt": ("silent", "nothing for 1 s while waiting for its first prompt"),
    "no-end": ("silent", "while waiting for the end of the answer to 'show version'; the last that came was"),
    "gone": ("lost", "the connection ended while waiting for the end of the answer to 'show version'"),
    "reset": ("lost", "the connection ended"),
    "leaving": ("lost", "the connection ended"),
    "drip": ("unreachable", "it was not done within its 2 s"),
    "wrong": ("login_refused", "refused the login of 'noc'"),
    "locked": ("login_refused", "it says: 'This account is locked'"),
    "expired": ("login_refused", "it wants a new password ('Your password has expired.'): log in by hand"),
    "change": ("login_refused", "after the login it asks 'New password:': has the password expired?"),
    "changed": ("host_key_refused", "has changed: it was SHA256:"),
    "old": (
        "not_understood",
        "if that has to be, allow it with  algorithms: {key_exchange: [diffie-hellman-group1-sha1]}",
    ),
    "noise": ("silent", "did not begin SSH within 1 s (no banner)"),
    "web": ("silent", "did not begin SSH within 1 s (no banner)"),
    "seeming": ("captured", ""),
    "garbage": ("captured", ""),
}


@pytest.mark.filterwarnings("ignore")
def test_each_fault_is_named_and_holds_nobody_up(tmp_path: Path) -> None:
    key = new_host_key()
    seeming = b"description of sick-r1# and so on\r\nother-r1# \r\nsick-r1# is what it looks like"
    with ExitStack() as stack:
        ports = {
            "closed": 1,
            "deaf": deaf(),
            "no-banner": speaking(b""),
            "no-keys": speaking(b"SSH-2.0-quay\r\n"),
            "no-login": sick(key, server_factory=refusing(waits=True)),
            "no-prompt": sick(key, greeting=b""),
            "no-end": sick(key, says=b"half an ans"),
            "gone": sick(key, says=b"one line\r\nhalf", then="hang up"),
            "reset": sick(key, says=b"one line\r\nhalf", then="reset"),
            "drip": sick(key, says=b"one line\r\n", then="drip"),
            "wrong": sick(key, server_factory=refusing()),
            "locked": sick(key, server_factory=refusing("This account is locked\r\n")),
            "expired": sick(key, server_factory=refusing(expired=True)),
            "change": sick(key, greeting=b"\r\nYour password has expired.\r\nNew password: "),
            "changed": sick(new_host_key()),
            "old": sick(key, kex_algs=["diffie-hellman-group1-sha1"]),
            "noise": speaking(NOISE + b"\r\n"),
            "web": speaking(b"HTTP/1.1 400 Bad Request\r\n\r\n" * 40),
            "leaving": sick(key, says=b"one line", then="leave"),
            "seeming": sick(key, says=seeming, then="end"),
            "garbage": sick(key, says=NOISE.replace(b"\r", b""), then="end"),
        }
        rows = {
            name: (port if isinstance(port, int) else stack.enter_context(port), "") for name, port in ports.items()
        }
        rows["drip"] = (rows["drip"][0], "127.0.0.1, device_within: 2")
        rows["nowhere"] = (22, "255.255.255.255")
        rows |= {name: (port, more or "127.0.0.1") for name, (port, more) in rows.items()}
        text = {name: (port, f"address: {more}") for name, (port, more) in rows.items()}
        found = inventory(tmp_path, key, text, "    answer_within: 1\n    connect_within: 1\n")
        capture = nogging.capture(
            found, to=tmp_path / "now", kinds=["system"], commands=["show clock"], limits=Limits(tries=1, refusals=99)
        )
    for name, (outcome, reason) in TOLD.items():
        entry = capture.devices[name]
        assert entry.outcome == outcome and reason in entry.reason, (name, entry.outcome, entry.reason)
    commands = {name: next(iter(entry.commands.values())) for name, entry in capture.devices.items()}
    assert {commands[name].outcome for name in ("no-end", "drip", "gone", "reset")} <= {"partial", "not_answered"}
    assert not any(
        commands[name].is_evidence for name, (outcome, _) in TOLD.items() if outcome != "captured" and name != "leaving"
    )
    assert capture.answer("seeming", "show version").count("\n") == 3, "what looks like a prompt ends no answer"
    assert "\\x" in capture.answer("garbage", "show version") and capture.records("system").num_rows == 0
    assert {row["device"] for row in capture.records("unread").to_pylist()} >= {"seeming", "garbage", "gone"}


def test_a_connection_that_is_gone_when_something_is_asked_ends_only_its_device(tmp_path: Path) -> None:
    key = new_host_key()

    async def asked(inventory: Inventory) -> None:
        way = await connect(inventory.devices[0], Credentials(password="cormorant"))
        assert isinstance(way, LineSession) and isinstance(way.link, SshLink)
        way.link.octets.connection.abort()
        await asyncio.sleep(0.1)
        await way.ask("show version", "", print)

    with sick(key) as port:
        found = inventory(tmp_path, key, {"quay-r1": (port, "address: 127.0.0.1")})
        with pytest.raises(Lost, match="the connection ended"):
            asyncio.run(asked(found))


def test_a_device_that_reboots_during_the_capture_is_taken_up_again(tmp_path: Path) -> None:
    place, network = Folder(tmp_path), teal_sound()
    name = "edge-r1"
    with Servers(network, place.password, place.key) as servers:
        found = nogging.load_inventory(place.write(servers.ports)).on(f"name = '{name}'")
        clock, left = network.clock, iter(["the power is gone"])

        def failing() -> datetime:
            if next(left, None):
                raise RuntimeError
            return clock()

        network.clock = failing
        capture = nogging.capture(found, to=tmp_path / "now", kinds=["system", "interface"], limits=Limits(tries=1))
        assert capture.devices[name].outcome == "lost" and capture.records("interface").num_rows == 0
        again = nogging.capture(found, to=tmp_path / "now", kinds=["system", "interface"], resume=True)
        assert again.devices[name].outcome == "captured" and again.records("interface").num_rows == 3


def test_where_nothing_may_be_written_it_says_so_before_anything_is_asked(tmp_path: Path, sound: Sound) -> None:
    (tmp_path / "file").write_text("")
    for place in (Path("/proc/now"), tmp_path / "file" / "now"):
        with pytest.raises(CaptureError, match="a capture cannot be written here"):
            nogging.capture(sound.inventory, to=place)


def test_devices_that_are_sick_in_many_ways_hold_up_no_other(tmp_path: Path) -> None:
    """All the well ones are done before the first of those is that stand still until then, though these hold slots."""
    well, silent, slots, within = 80, 20, 25, 2
    place, network, released = Folder(tmp_path), teal_sound(), threading.Event()
    ways = ("closed", "no-banner", "no-prompt", "no-end", "noise", "gone", "wrong", "changed", "change")
    with Servers(network, place.password, place.key) as servers, ExitStack() as stack:
        place.write(servers.ports)
        ports = {"closed": 1, "no-banner": stack.enter_context(speaking(b""))}
        ports |= {
            "noise": stack.enter_context(speaking(NOISE + b"\r\n")),
            "changed": stack.enter_context(sick(new_host_key())),
            "still": stack.enter_context(speaking(b"", until=released)),
        }
        ports["wrong"] = stack.enter_context(sick(place.key, server_factory=refusing()))
        for name, greeting, then in (("no-prompt", b"", ""), ("no-end", PROMPT, ""), ("gone", PROMPT, "hang up")):
            ports[name] = stack.enter_context(sick(place.key, greeting, b"half", then))
        ports["change"] = stack.enter_context(sick(place.key, b"New password: "))
        good = [port for name, port in servers.ports.items() if network.devices[name].dialect == "ios"]
        rows = [(f"well-{n}", good[n % len(good)], within * 30) for n in range(well)]
        rows += [(f"{name}-{n}", ports[name], within) for name in ways for n in range(4)]
        random.Random(7).shuffle(rows)
        rows = [*((f"still-{n}", ports["still"], 300) for n in range(silent)), *rows]
        text = "settings:\n  - login: {user: noc, password: {file: password}}\n    known_hosts: known_hosts\ndevices:\n"
        text += "".join(
            f"  - {{name: {name}, address: 127.0.0.1, port: {port}, dialect: ios, connect_within: {seconds}, answer_within: {seconds}}}\n"
            for name, port, seconds in rows
        )
        public = " ".join(asyncssh.import_private_key(place.key).export_public_key().decode().split()[:2])
        (tmp_path / "known_hosts").write_text(
            "".join(f"[127.0.0.1]:{port} {public}\n" for port in {p for _, p, _ in rows})
        )
        (tmp_path / "fleet.yaml").write_text(text)
        told: list[str] = []

        def tell(one: Progress) -> None:
            told.append(one.device.rpartition("-")[0])
            if told.count("well") == well:
                released.set()

        capture = nogging.capture(
            nogging.load_inventory(tmp_path / "fleet.yaml"), to=tmp_path / "now", kinds=["system"],
            limits=Limits(at_once=slots, refusals=99, tries=1), progress=tell,
        )  # fmt: skip
    found = {name.rpartition("-")[0]: one.outcome for name, one in capture.devices.items()}
    assert found.pop("still") in ("lost", "unreachable")
    assert found == {"well": "captured"} | {name: TOLD[name][0] for name in ways}
    last = len(told) - told[::-1].index("well")
    assert "still" not in told[:last] and told.count("still") == silent


def test_passwords_by_keyboard_interaction_and_from_the_keyring(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    keyring = pytest.importorskip("keyring")

    class Harbour(keyring.backend.KeyringBackend):  # type: ignore[misc, name-defined]
        priority = 1

        def get_password(self, service: str, username: str) -> str | None:
            return {("teal", "noc"): "cormorant"}.get((service, username))

        def set_password(self, *_: str) -> None: ...
        def delete_password(self, *_: str) -> None: ...

    class Asking(asyncssh.SSHServer):
        def kbdint_auth_supported(self) -> bool:
            return True

        def get_kbdint_challenge(self, *_: str) -> tuple[str, str, str, list[tuple[str, bool]]]:
            return "", "", "", [("Password: ", False)]

        def validate_kbdint_response(self, username: str, responses: list[str]) -> bool:
            return (username, responses) == ("noc", ["cormorant"])

        def session_requested(self) -> object:
            from sickness import Sick

            return Sick(PROMPT, b"", "end")

    monkeypatch.setattr("keyring.get_password", Harbour().get_password)
    key = new_host_key()
    with sick(key, server_factory=Asking) as port:
        found = inventory(tmp_path, key, {"quay-r1": (port, "address: 127.0.0.1")})
        text = (tmp_path / "inventory.yaml").read_text()
        (tmp_path / "ring.yaml").write_text(text.replace("{file: password}", "{keyring: teal}"))
        for one in (found, nogging.load_inventory(tmp_path / "ring.yaml")):
            assert nogging.capture(one, to=tmp_path / "now").devices["quay-r1"].outcome == "captured"
    (tmp_path / "none.yaml").write_text(text.replace("{file: password}", "{keyring: sea}"))
    with pytest.raises(QuestionError, match="the keyring has nothing for the service 'sea'"):
        nogging.capture(nogging.load_inventory(tmp_path / "none.yaml"), to=tmp_path / "never")


def test_an_agent_and_the_users_own_files(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The key in an agent, known hosts in the user's home, and names, ports and users from an OpenSSH configuration."""
    home = tmp_path / "home"
    (home / ".ssh").mkdir(parents=True, mode=0o700)
    monkeypatch.setenv("HOME", str(home))
    mine, key = tmp_path / "id", new_host_key()
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(mine)], check=True)
    told = subprocess.run(
        ["ssh-agent", "-s", "-a", str(tmp_path / "agent")], check=True, capture_output=True, text=True
    )
    process = int(told.stdout.split("SSH_AGENT_PID=")[1].split(";")[0])
    monkeypatch.setenv("SSH_AUTH_SOCK", str(tmp_path / "agent"))
    try:
        subprocess.run(["ssh-add", "-q", str(mine)], check=True, stderr=subprocess.DEVNULL)
        mine.unlink()

        class Host(asyncssh.SSHServer):
            def session_requested(self) -> object:
                from sickness import Sick

                return Sick(PROMPT, b"", "end")

        keys = str(mine.with_suffix(".pub"))
        with listening(key, server_factory=Host, encoding=None, line_editor=False, authorized_client_keys=keys) as port:
            public = asyncssh.import_private_key(key).export_public_key().decode()
            (home / ".ssh" / "known_hosts").write_text(f"[127.0.0.1]:{port} {public}")
            config = "Host quay.example\n  HostName 127.0.0.1\n  User noc\n"
            (home / ".ssh" / "config").write_text(config)
            (tmp_path / "own").write_text(config)
            for more in ("", "settings: [{ssh_config: own}]\n"):
                path = tmp_path / "inventory.yaml"
                path.write_text(f"{more}devices:\n  - {{name: a, address: quay.example, port: {port}, dialect: ios}}\n")
                capture = nogging.capture(nogging.load_inventory(path), to=tmp_path / "now")
                assert capture.devices["a"].outcome == "captured", capture.devices["a"].reason
                (home / ".ssh" / "config").unlink(missing_ok=True)
            os.environ.pop("SSH_AUTH_SOCK")
            refused = nogging.capture(nogging.load_inventory(path), to=tmp_path / "now", limits=Limits(tries=1))
            assert refused.devices["a"].outcome == "login_refused"
    finally:
        os.kill(process, 15)
