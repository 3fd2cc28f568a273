"""What devices reach: echoes and traced paths. They send traffic, so they are only asked where somebody says so."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from nogging.dialects.declared import Dialect
from nogging.errors import QuestionError
from nogging.files import read_text
from nogging.inventory import Device, Inventory
from nogging.records.values import address

HERE = "here"
"""The name and the dialect of the machine that Nogging runs on."""
_EVERYBODY = ipaddress.ip_address("255.255.255.255")
_VRF = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_.:-]{0,63}")


@dataclass(frozen=True)
class Target:
    """An address, and the routing instance to send in where it is not the usual one."""

    address: str
    vrf: str = ""


def targets(texts: Iterable[str]) -> list[Target]:
    """The targets that texts name: addresses (`192.0.2.1`, `192.0.2.1 in TEAL`), several by commas, or a file of them
    with one to a line (`#` begins a remark). Raises `QuestionError` for what is neither."""
    return list(dict.fromkeys(target for text in texts for target in _named(text)))


def _named(text: str) -> Iterator[Target]:
    for part in text.split(","):
        try:
            yield _target(part)
        except QuestionError:
            if not Path(part).is_file():
                raise
            for n, line in enumerate(read_text(Path(part)).splitlines(), 1):
                if wanted := line.partition("#")[0].strip():
                    yield _target(wanted, f"{part}:{n}: ")


def _target(text: str, where: str = "") -> Target:
    match text.split():
        case [to] if (host := _one(to)) is not None:
            return Target(host)
        case [to, "in", vrf] if _VRF.fullmatch(vrf) and (host := _one(to)) is not None:
            return Target(host, vrf)
    raise QuestionError(
        f"{where}'{text.strip()}' is nothing to send to: an address, 'ADDRESS in VRF', or a file of them, please"
    )


def _one(text: str) -> str | None:
    """The address of one host; None for what is none, and for what many would answer to."""
    try:
        host = ipaddress.ip_address(text)
        if host.is_multicast or host.is_unspecified or host == _EVERYBODY:
            return None
        return address(text)
    except ValueError:
        return None


def sending(spoken: Dialect, pings: Iterable[Target], traces: Iterable[Target]) -> list[tuple[str, str]]:
    """The commands that send there, each with its mode; none where the dialect has no such command."""
    every = [(spoken.echoes, pings), (spoken.trace, traces)]
    return [(how.to(target.address, target.vrf), how.mode) for how, several in every if how for target in several]


def with_here(inventory: Inventory) -> Inventory:
    """An inventory with this machine as one more device, which is asked for nothing but what it reaches."""
    if any(device.name == HERE for device in inventory.everyone or inventory.devices):
        raise QuestionError(f"{inventory.path}: a device is called '{HERE}' there, as this machine is in a capture")
    return replace(inventory, devices=(*inventory.devices, Device(HERE, "127.0.0.1", HERE)))
