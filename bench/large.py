"""A large network's captures, made of answers: a ring of routers with chords, each with its routes."""

from __future__ import annotations

from pathlib import Path

from nogging import ingest
from nogging.captures.capture import Capture

PORTS = 4


def large(place: Path, devices: int, records: int) -> tuple[Capture, Capture]:
    """Captures before and after, of so many devices and about so many records in all; afterwards a port is down on
    every tenth device, and one route in a hundred is another."""
    sides = []
    for side in ("before", "after"):
        for n in range(devices):
            folder = place / "answers" / side / f"r{n:03}"
            folder.mkdir(parents=True)
            changed = side == "after"
            (folder / "show_interface.txt").write_text(_ports(n, devices, changed and n % 10 == 0))
            (folder / "show_ip_route.txt").write_text(_routes(records // devices - 2 * PORTS, n, changed))
        sides.append(ingest(place / "answers" / side, place / side, dialect="frr"))
    return sides[0], sides[1]


def _ports(n: int, devices: int, fallen: bool) -> str:
    """A ring (ports 0 and 1), and chords from every device to one far away (ports 2 and 3)."""
    subnets = (n, (n - 1) % devices, devices + n, devices + (n - 7) % devices)
    texts = []
    for port, subnet in enumerate(subnets):
        near = 1 + port % 2
        state = "down" if fallen and port == 0 else "up"
        texts.append(
            f"Interface eth{port} is up, line protocol is {state}\n"
            f"  index {port + 2} metric 0 mtu 9000 speed 1000\n"
            f"  Description: span {subnet}\n"
            f"  inet 198.{18 + subnet // 16384}.{subnet // 64 % 256}.{subnet % 64 * 4 + near}/30\n"
        )
    return "".join(texts)


def _routes(count: int, device: int, changed: bool) -> str:
    lines = []
    for n in range(count):
        prefix = f"{20 + n // 65536}.{n >> 8 & 255}.{n & 255}.0/24"
        port = n % PORTS if not (changed and n % 100 == 0) else (n + 1) % PORTS
        lines.append(f"O>* {prefix} [110/{20 + device % 7}] via 198.18.{port}.2, eth{port}, weight 1, 02w2d05h")
    return "\n".join(lines) + "\n"
