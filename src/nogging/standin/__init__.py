"""The stand-in network: a model that behaves, dialects that print it, servers that speak SSH."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from nogging.standin.model import Network


@dataclass(frozen=True)
class Served:
    """A stand-in network that is being served, and the files that go with it."""

    network: Network
    inventory: Path
    expectations: Path
    change: Path
    mistaken: Path
    settings: Path


@contextmanager
def served(folder: str | Path) -> Iterator[Served]:
    """Serves *Teal Sound Ferries* on loopback for as long as the block lasts; its files are in the folder."""
    from nogging.standin.folder import Folder
    from nogging.standin.scenario import teal_sound
    from nogging.standin.server import Servers

    place, network = Folder(folder), teal_sound()
    with Servers(network, place.password, place.key, place.wanted_ports()) as servers:
        yield Served(
            network,
            place.write(servers.ports),
            place.laid("expectations.yaml"),
            place.laid("change.yaml"),
            place.laid("mistaken.yaml"),
            place.laid("settings.yaml"),
        )
